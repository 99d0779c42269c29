"""The one pass over all rows of a file before it is read: how its columns are written, what repeats and what does
not."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from goldthread.core.records import OF_ORDERS, FileKind
from goldthread.intake.delimited import DelimitedFile, Passed, look, rows_of
from goldthread.intake.encodings import encoding_of_all
from goldthread.intake.formats import AmountEvidence, DateEvidence, StatusEvidence
from goldthread.intake.further import Further, FurtherColumn, further_columns, typed
from goldthread.intake.guessing import guess, sample_of
from goldthread.intake.layout import filled_down, merged_columns
from goldthread.intake.matching import Sample
from goldthread.intake.meanings import REASON_COLUMN, Meaning, dated_by
from goldthread.intake.numbers import number_key
from goldthread.intake.profiles import ColumnProfile, Profile, Profiling
from goldthread.intake.questions import Question, questions_of

_OF_DATES = (Meaning.DATE, Meaning.UNTIL, Meaning.MONTH)
_ROWS_AT_A_TIME = 2_000
"""Few enough that the cells of a piece stay in the cache while they are looked at column by column."""
_OF_AMOUNTS = (Meaning.AMOUNT, Meaning.UNIT_PRICE, Meaning.DEBIT, Meaning.CREDIT)


@dataclass
class Findings:
    """What the date, amount and status columns of a file speak for, what its further columns say something of, and what
    it leaves open."""

    dates: DateEvidence = field(default_factory=DateEvidence)
    amounts: AmountEvidence = field(default_factory=AmountEvidence)
    statuses: StatusEvidence = field(default_factory=StatusEvidence)
    further: list[FurtherColumn] = field(default_factory=list)
    typed: dict[str, Further] = field(default_factory=dict)
    questions: list[Question] = field(default_factory=list)


@dataclass(frozen=True)
class Surveyed:
    """A file that was gone through: with its number of rows and its fingerprint, and what its columns hold. ``merged``
    are columns whose blank cells may repeat the one above."""

    file: DelimitedFile
    merged: tuple[str, ...]
    profile: Profile


def survey(path: Path, typed: bool, advance: Callable[[int], None]) -> Surveyed:
    """Look at a file, and go through all of its rows once. Raises `UnreadableFile`."""
    file = look(path, typed)
    try:
        return _gone_through(file, advance)
    except UnicodeDecodeError:
        return _gone_through(look(path, typed, encoding_of_all(path)), advance)


def _gone_through(file: DelimitedFile, advance: Callable[[int], None]) -> Surveyed:
    merged = merged_columns(file.header, file.sample)
    first = guess(file.header, filled_down(file.header, file.sample, merged))
    key = first.columns.get(Meaning.CUSTOMER) or first.columns.get(Meaning.ORDER_NUMBER) or file.header[0]
    place = file.header.index
    profiling = Profiling(len(file.header), place(key), [place(name) for name in merged])
    passed, rows = Passed(), 0
    for raw in rows_of(file, _ROWS_AT_A_TIME, advance, passed=passed):
        profiling.add(raw.cells)
        rows += len(raw.cells)
    return Surveyed(replace(file, row_estimate=max(rows, 1), digest=passed.digest), merged, profiling.profile())


def evidence_of(
    file: DelimitedFile,
    profile: Profile,
    kind: FileKind,
    columns: Mapping[Meaning, str],
    merged: Sequence[str] = (),
) -> Findings:
    """What columns speak for when they carry these meanings; blank cells of ``merged`` ones repeat those above."""
    place = file.header.index

    def column(meaning: Meaning) -> ColumnProfile:
        return profile.columns[place(columns[meaning])]

    evidence = Findings(
        sum((column(meaning).dates for meaning in _OF_DATES if meaning in columns), DateEvidence()),
        sum((column(meaning).amounts for meaning in _OF_AMOUNTS if meaning in columns), AmountEvidence()),
        column(Meaning.STATUS).statuses if Meaning.STATUS in columns else StatusEvidence(),
    )
    if merged:
        profile = replace(profile, compared=profile.compared.filled_down(list(map(place, merged))))
    table = sample_of(file.header, file.sample, profile)
    evidence.questions = questions_of(table, kind, columns)
    if kind is FileKind.CUSTOMERS:
        others = [name for name in file.header if name not in columns.values() and name != REASON_COLUMN]
        evidence.typed = {name: typed(profile.columns[place(name)], name) for name in others}
    order = _order_places(table, columns)
    if kind not in OF_ORDERS or Meaning.CUSTOMER not in columns or not order:
        return evidence
    names = [name for name in file.header if name not in columns.values() and name != REASON_COLUMN]
    places = list(map(place, names))
    found = [profile.columns[at] for at in places]
    customer = place(columns[Meaning.CUSTOMER])
    evidence.further = further_columns(kind, names, found, profile.compared, places, customer, order)
    return evidence


def _order_places(table: Sample, columns: Mapping[Meaning, str]) -> list[int]:
    """The places by which rows belong to one order; without a number they are those of customer and date."""
    if Meaning.ORDER_NUMBER in columns:
        return list(number_key(table, columns).places)
    return [table.place(columns[each]) for each in (Meaning.CUSTOMER, *dated_by(columns)) if each in columns]
