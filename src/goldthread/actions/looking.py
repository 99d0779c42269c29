"""Look at a file before it is imported: what it seems to be, how its source's last file was read, how it is read."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from zoneinfo import ZoneInfo

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.records import OF_ORDERS, AttributeType, FileKind, KeyKind, OrderStatus, Progress, unreported
from goldthread.errors import InvalidInput
from goldthread.intake.apart import APART_FROM_ROWS, look_apart, survey_apart
from goldthread.intake.delimited import UTF_8, UTF_16, WINDOWS, DelimitedFile, look
from goldthread.intake.formats import DateForm as DateForm
from goldthread.intake.formats import DecimalMark as DecimalMark
from goldthread.intake.formats import TwoDigitYears as TwoDigitYears
from goldthread.intake.formats import status_word
from goldthread.intake.further import Further as Further
from goldthread.intake.further import FurtherColumn
from goldthread.intake.guessing import Guess, guess
from goldthread.intake.layout import filled_down, merged_columns
from goldthread.intake.meanings import KINDS as KINDS
from goldthread.intake.meanings import NEEDED, OPTIONAL, REASON_COLUMN
from goldthread.intake.meanings import KeptAt as KeptAt
from goldthread.intake.meanings import Meaning as Meaning
from goldthread.intake.meanings import OrdersBy as OrdersBy
from goldthread.intake.packing import Table
from goldthread.intake.reading import Reading as Reading
from goldthread.intake.surveying import Evidence, survey
from goldthread.intake.values import BadValue, date_parser
from goldthread.intake.words import usual_status
from goldthread.store.books import BookRow, Remembered, remembered_readings
from goldthread.workspace import Workspace

SURVEYED_AT_A_LOOK = 200_000
"""Rows of which a look surveys the dates and amounts; a larger file is surveyed whole before it is delivered."""


@dataclass(frozen=True)
class FileView:
    """A file before it is imported: its first rows, what it seems to be, and which meanings its columns may take.

    ``remembered`` is how the last file of its source was read, where that fits; ``misfits`` say where it does not.
    ``merged`` are columns whose cells look as if they had been merged, so that a blank one may repeat the one above.
    ``surveyed`` are the columns by which it was surveyed. ``apart`` when the file is looked at by a bounded process of
    its own alone.
    """

    file: DelimitedFile
    guess: Guess
    needed: tuple[Meaning, ...]
    optional: tuple[Meaning, ...]
    evidence: Evidence
    source: str = ""
    remembered: Reading | None = None
    misfits: tuple[str, ...] = ()
    merged: tuple[str, ...] = ()
    surveyed: Mapping[Meaning, str] = field(default_factory=dict)
    apart: bool = False


@dataclass(frozen=True)
class Given:
    """What somebody said about how a file is read; None and empty leave it to the data and to what is remembered.

    None as a column leaves a meaning out. ``further`` says of further columns where they are kept,
    ``fill_down`` whether a blank cell of columns that look merged repeats the one above.
    """

    columns: Mapping[Meaning, str | None] = field(default_factory=dict)
    customer_key: KeyKind | None = None
    dates: DateForm | None = None
    decimal: DecimalMark | None = None
    years: TwoDigitYears | None = None
    statuses: Mapping[str, OrderStatus] = field(default_factory=dict)
    orders_by: OrdersBy | None = None
    further: Mapping[str, KeptAt] = field(default_factory=dict)
    fill_down: bool | None = None


NOTHING_GIVEN = Given()


def look_at_table(
    table: Table,
    kind: FileKind | None = None,
    surveyed: Mapping[Meaning, str | None] | None = None,
    known: Sequence[Remembered] = (),
    source: str = "",
    apart: Progress | None = None,
    *,
    whole: bool = False,
) -> FileView:
    """Read the first rows, guess, and survey how dates, amounts and statuses are written. Raises `UnreadableFile`.

    ``surveyed`` names the columns to survey where they are not the guessed ones. ``known`` are the readings that the
    book remembers, newest first: the one of ``source`` is taken up again, or the one of a file with the same columns.
    ``apart`` is called with how far a process of its own has come, which then does all the looking. ``whole``: every
    row is surveyed at once, because the file is about to be imported.
    """
    file = look(table.path, table.typed) if apart is None else look_apart(table.path, table.typed, apart)
    merged = merged_columns(file.header, file.sample)
    sample = filled_down(file.header, file.sample, merged)
    guessed = guess(file.header, sample, kind)
    if merged and guessed.kind not in OF_ORDERS:
        # what groups rows is an order; a customer's number may well be blank
        merged, sample = (), file.sample
        guessed = guess(file.header, sample, kind)
    last = _last_reading(file, known, source, kind or guessed.kind, kind is None)
    if last is not None and last.kind != guessed.kind:
        guessed = guess(file.header, sample, last.kind)
    remembered: Reading | None = None
    misfits: tuple[str, ...] = ()
    if last is not None:
        words = [older.reading["statuses"] for older in reversed(known) if older.source == last.source]
        remembered = _reading_again(last, {word: status for given in words for word, status in given.items()})
        misfits = _misfits(file, remembered)
        if not misfits:
            columns, key = dict(remembered.columns), remembered.customer_key
            guessed = replace(guessed, columns=columns, customer_key=key, why="", by_content=())
    columns = _chosen(guessed, surveyed or {})
    for column in columns.values():
        if column not in file.header:
            raise InvalidInput(
                f"The file has no column called {column}.",
                remedy=f"Its columns are: {', '.join(file.header)}.",
                field="columns",
            )
    most = None if whole else SURVEYED_AT_A_LOOK
    evidence = (
        survey(file, guessed.kind, columns, most, _quiet, merged)
        if apart is None
        else survey_apart(file, guessed.kind, columns, most, apart, merged)
    )
    own_source = source or (last.source if last else "")
    needed, optional = NEEDED[guessed.kind], OPTIONAL[guessed.kind]
    is_apart = apart is not None
    found = (file, guessed, needed, optional, evidence, own_source, remembered, misfits)
    return FileView(*found, merged, columns, is_apart)


def known_readings(workspace: Workspace, book: BookRow) -> list[Remembered]:
    """How the files of a book's sources were read, newest first."""
    return remembered_readings(workspace.record.engine, book.id)


def _last_reading(
    file: DelimitedFile, known: Sequence[Remembered], source: str, kind: FileKind, any_kind: bool
) -> Remembered | None:
    """The reading of a file with the same columns, of the source where one is given; else its last of the kind."""
    alike = [last for last in known if _same_columns(last.header, file.header) and (any_kind or last.kind == kind)]
    if not source:
        return alike[0] if alike else None
    own = [last for last in known if last.source == source and last.kind == kind]
    return next((last for last in alike if last.source == source), own[0] if own else None)


def _same_columns(known: Sequence[str], header: Sequence[str]) -> bool:
    return set(known) - {REASON_COLUMN} == set(header) - {REASON_COLUMN}


def _reading_again(last: Remembered, statuses: Mapping[str, str]) -> Reading:
    given = last.reading
    years = given.get("years")
    return Reading(
        last.kind,
        {Meaning(meaning): column for meaning, column in given["columns"].items()},
        KeyKind(given["customer_key"]),
        DateForm(given["dates"]),
        DecimalMark(given["decimal"]),
        TwoDigitYears(years) if years else None,
        {word: OrderStatus(status) for word, status in statuses.items()},
        OrdersBy(given.get("orders_by", OrdersBy.TIME)),
        tuple(given.get("fill_down", ())),
        {name: _further_again(each) for name, each in given.get("further", {}).items()},
    )


def _further_again(kept: Mapping[str, Any]) -> Further:
    dates, decimal = kept.get("dates"), kept.get("decimal")
    return Further(
        KeptAt(kept["at"]),
        AttributeType(kept["type"]),
        DateForm(dates) if dates else None,
        DecimalMark(decimal) if decimal else None,
    )


def _misfits(file: DelimitedFile, remembered: Reading) -> tuple[str, ...]:
    """Columns that the last file of the source was read from, and that this one does not have."""
    return tuple(
        f"The {meaning.replace('_', ' ')} was read from “{column}”, which this file does not have."
        for meaning, column in remembered.columns.items()
        if column not in file.header
    )


def reading_of(view: FileView, given: Given = NOTHING_GIVEN, progress: Progress | None = None) -> Reading:
    """How to read a file: what is remembered or guessed, changed where somebody says so.

    How dates and amounts are written is found out over their whole columns unless it is given. Raises `InvalidInput`
    where it can neither be found in the data nor is remembered, and for status words that nobody has explained.
    """
    chosen = _chosen(view.guess, given.columns)
    key = given.customer_key or _key_of_column(view, chosen.get(Meaning.CUSTOMER))
    reading = Reading(view.guess.kind, chosen, key).validated(view.file)
    evidence = view.evidence
    last = view.remembered
    merged = view.merged if _fills_down(view, given, last) else ()
    if not evidence.whole or chosen != view.surveyed or merged != view.merged:
        evidence = (
            survey_apart(view.file, reading.kind, chosen, None, progress or unreported, merged)
            if view.apart or view.file.row_estimate >= APART_FROM_ROWS
            else survey(view.file, reading.kind, chosen, None, _quiet, merged)
        )
    return replace(
        reading,
        dates=given.dates or _date_form(evidence, last),
        decimal=given.decimal or _decimal_mark(evidence, last),
        years=_two_digit_years(evidence, given.years or (last.years if last else None)),
        statuses=_status_meanings(evidence, given, last),
        orders_by=given.orders_by or (last.orders_by if last else OrdersBy.TIME),
        fill_down=merged,
        further=_further(evidence, given, last),
    ).validated(view.file)


def _fills_down(view: FileView, given: Given, last: Reading | None) -> bool:
    """Whether blank cells of merged-looking columns repeat the one above. Raises `InvalidInput` until somebody says."""
    if not view.merged or given.fill_down is not None:
        return bool(given.fill_down)
    if last is None:
        raise InvalidInput(
            f"Blank cells below a filled one in {', '.join(view.merged)} may repeat it, or be blank.",
            remedy="Say which it is.",
            field="fill_down",
        )
    return bool(last.fill_down)


def _chosen(guessed: Guess, said: Mapping[Meaning, str | None]) -> dict[Meaning, str]:
    """The guessed columns, changed where somebody says so; each has one meaning at most."""
    chosen = dict(guessed.columns)
    for meaning, column in said.items():
        for other in [known for known, name in chosen.items() if name == column]:
            del chosen[other]
        if column is None:
            chosen.pop(meaning, None)
        else:
            chosen[meaning] = column
    return chosen


def _further(evidence: Evidence, given: Given, last: Reading | None) -> dict[str, Further]:
    """How further columns are kept: as somebody says, as the last file of the source was, else as is best.

    What its values are is found in every file anew. Raises `InvalidInput` for a column that is none.
    """
    found = {column.name: column for column in evidence.further}
    unknown = [name for name in given.further if name not in found]
    if unknown:
        raise InvalidInput(
            f"{unknown[0]} is no further column of this file.",
            remedy=f"Further columns are: {', '.join(found) or 'none'}.",
            field="further",
        )
    return {name: replace(column.proposed, at=kept_at(column, given, last)) for name, column in found.items()}


def kept_at(column: FurtherColumn, given: Given, last: Reading | None) -> KeptAt:
    """Where a further column is kept."""
    if column.name in given.further:
        return given.further[column.name]
    if last is not None and column.name in last.further:
        return last.further[column.name].at
    return column.proposed.at


def _date_form(evidence: Evidence, last: Reading | None) -> DateForm:
    form = evidence.dates.form or (last.dates if last else None)
    if form is None:
        raise InvalidInput(
            f"It is not clear whether the day or the month comes first: {read_both_ways(evidence.dates.open)}.",
            remedy="Say which it is: dmy or mdy.",
            field="dates",
        )
    return form


def _decimal_mark(evidence: Evidence, last: Reading | None) -> DecimalMark:
    mark = evidence.amounts.mark or (last.decimal if last else None)
    if mark is None:
        raise InvalidInput(
            f"Whether {evidence.amounts.open} has decimals or thousands is not clear.",
            remedy="Say what stands before the decimals: point or comma.",
            field="decimal",
        )
    return mark


def _two_digit_years(evidence: Evidence, years: TwoDigitYears | None) -> TwoDigitYears | None:
    if years is None and evidence.dates.years_open:
        raise InvalidInput(
            f"Years have two digits, as in {evidence.dates.short_year}.",
            remedy="Say how they are read: 20yy or 19yy.",
            field="years",
        )
    return years


def _status_meanings(evidence: Evidence, given: Given, last: Reading | None) -> dict[str, OrderStatus]:
    known = status_meanings(evidence, last) | {status_word(word): s for word, s in given.statuses.items()}
    statuses = {word: known[word] for word in sorted(evidence.statuses.counts) if word in known}
    unexplained = [evidence.statuses.words[word] for word in evidence.statuses.counts if word not in statuses]
    if unexplained:
        listed = ", ".join(f"“{word}”" for word in unexplained)
        raise InvalidInput(
            f"Nobody has said what these statuses mean: {listed}.",
            remedy=f"Say of each which it is: {', '.join(OrderStatus)}.",
            field="statuses",
        )
    return statuses


def status_meanings(evidence: Evidence, last: Reading | None) -> dict[str, OrderStatus]:
    """What the status words of a file come down to: as remembered for its source, else as they commonly do."""
    remembered = dict(last.statuses) if last else {}
    usual = {word: status for word in evidence.statuses.counts if (status := usual_status(word)) is not None}
    return usual | remembered


def read_both_ways(date: str) -> str:
    """An open date as it would be read day first and month first: 03/04/2025 is 3 Apr 2025 or 4 Mar 2025."""
    ways = []
    for form in (DateForm.DMY, DateForm.MDY):
        try:
            read = date_parser(ZoneInfo("UTC"), form, TwoDigitYears.CENTURY_20)(date)
            ways.append(date_words(to_day(dt.date.fromisoformat(read[:10]))))
        except BadValue:
            return f"{date} can be read both ways"
    return f"{date} is {ways[0]} or {ways[1]}"


def encoding_words(file: DelimitedFile) -> str:
    """What a file is written in, as people say it; empty for one whose values have types."""
    return "" if file.typed else {UTF_8: "UTF-8", UTF_16: "UTF-16", WINDOWS: "Windows-1252"}[file.encoding]


def _quiet(_rows: int) -> None:
    """A survey is part of a look, and reports no progress of its own."""


def meaning_named(name: str) -> Meaning:
    """A meaning by its name, as the command line gives it. Raises `InvalidInput`."""
    short = {"order": Meaning.ORDER_NUMBER, "line": Meaning.LINE_NUMBER, "number": Meaning.CUSTOMER_NUMBER}
    plain = name.strip().replace("-", "_").replace(" ", "_")
    if plain in short:
        return short[plain]
    try:
        return Meaning(plain)
    except ValueError:
        raise InvalidInput(
            f"{name} is nothing that a column can mean.", remedy=f"Use one of: {', '.join(Meaning)}.", field="column"
        ) from None


def _key_of_column(view: FileView, column: str | None) -> KeyKind:
    if column is None or column == view.guess.columns.get(Meaning.CUSTOMER) or column not in view.file.header:
        return view.guess.customer_key
    sample = [(row[view.file.header.index(column)],) for row in view.file.first_rows if len(row) > 0]
    return guess(("customer",), sample, FileKind.ORDERS).customer_key
