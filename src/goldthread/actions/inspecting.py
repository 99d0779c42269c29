"""Look at a file before it is imported: what it seems to be, and how its source's last file was read."""

from __future__ import annotations

import pickle
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, cast

from goldthread.core.records import OF_ORDERS, AttributeType, FileKind, KeyKind, OrderStatus, Progress, unreported
from goldthread.errors import InvalidInput
from goldthread.intake.apart import survey_apart
from goldthread.intake.delimited import DelimitedFile
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.further import Further
from goldthread.intake.guessing import Guess, guess
from goldthread.intake.layout import filled_down
from goldthread.intake.meanings import NEEDED, OPTIONAL, REASON_COLUMN, Choice, KeptAt, Meaning, OrdersBy
from goldthread.intake.packing import Table
from goldthread.intake.questions import STRIPPED, Question, Wide
from goldthread.intake.reading import Reading
from goldthread.intake.surveying import Findings, Surveyed, evidence_of, survey
from goldthread.intake.wide import SideBySide, side_by_side, write_rows
from goldthread.store.books import BookRow, Remembered, keys_on_record, remembered_readings
from goldthread.workspace import Workspace

DIGITS_MOST, _MOSTLY = 12, 0.5
APART_FROM_BYTES = 4 << 20
"""Size of a file from which looking at it apart is worth the start of a process."""


@dataclass(frozen=True)
class FileView:
    """A file before it is imported: its first rows, what it seems to be, and which meanings its columns may take.

    ``remembered`` is how the last file of its source was read, where that fits; ``misfits`` say where it does not.
    ``merged`` are columns whose cells look as if they had been merged, so that a blank one may repeat the one above.
    ``evidence`` is what the columns speak for when they carry the meanings of ``columns``. ``wide`` is asked of a table
    with several orders in a row, ``padding`` where customers may be those of the book but for zeros before their
    numbers.
    """

    surveyed: Surveyed
    guess: Guess
    needed: tuple[Meaning, ...]
    optional: tuple[Meaning, ...]
    evidence: Findings
    source: str = ""
    remembered: Reading | None = None
    misfits: tuple[str, ...] = ()
    merged: tuple[str, ...] = ()
    columns: Mapping[Meaning, str] = field(default_factory=dict)
    wide: Question | None = None
    padding: Question | None = None

    @property
    def file(self) -> DelimitedFile:
        return self.surveyed.file

    @property
    def questions(self) -> list[Question]:
        """What somebody may say, or must."""
        return [question for question in (self.wide, *self.evidence.questions, self.padding) if question is not None]


@dataclass(frozen=True)
class Given:
    """What somebody said about how a file is read; None and empty leave it to the data and to what is remembered.

    None as a column leaves a meaning out. ``further`` says of further columns where they are kept,
    ``fill_down`` whether a blank cell of columns that look merged repeats the one above, ``choices`` answer questions.
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
    choices: Mapping[Choice, str] = field(default_factory=dict)


NOTHING_GIVEN = Given()


def look_at_table(
    table: Table,
    kind: FileKind | None = None,
    given: Given = NOTHING_GIVEN,
    known: Sequence[Remembered] = (),
    source: str = "",
    apart: Progress | None = None,
    kept: Path | None = None,
) -> FileView:
    """Go through a file once, and guess what it is. Raises `UnreadableFile`.

    ``given`` names columns where they are not the guessed ones. ``known`` are the readings that the book remembers,
    newest first: the one of ``source`` is taken up again, or the one of a file with the same columns. ``apart`` is
    called with how far a process of its own has come, which then does all the looking. ``kept`` is a folder in which
    what was found is kept for the next look, and what a wide table becomes.
    """
    surveyed = _surveyed(table, apart, kept)
    beside = side_by_side(surveyed.file)
    of_source = [last for last in known if source in ("", last.source)]
    wide = None if beside is None else _wide(beside, given, of_source)
    if beside is not None and wide is not None and wide.found == Wide.ROWS:
        surveyed = _surveyed(_as_rows(table, surveyed.file, beside, kept), apart, kept)
    file, merged = surveyed.file, surveyed.merged
    sample = filled_down(file.header, file.sample, merged)

    def guessed_as(wanted: FileKind | None) -> Guess:
        places = [file.header.index(name) for name in merged]
        profile = replace(surveyed.profile, compared=surveyed.profile.compared.filled_down(places))
        return guess(file.header, sample, wanted, profile)

    guessed = guessed_as(kind)
    if merged and guessed.kind not in OF_ORDERS:
        # what groups rows is an order; a customer's number may well be blank
        merged, sample = (), file.sample
        guessed = guessed_as(kind)
    last = _last_reading(file, known, source, kind or guessed.kind, kind is None)
    if last is not None and last.kind != guessed.kind:
        guessed = guessed_as(last.kind)
    remembered: Reading | None = None
    misfits: tuple[str, ...] = ()
    if last is not None:
        words = [older.reading["statuses"] for older in reversed(known) if older.source == last.source]
        remembered = reading_again(last, {word: status for said in words for word, status in said.items()})
        misfits = _misfits(file, remembered)
        if not misfits:
            columns, key = dict(remembered.columns), remembered.customer_key
            guessed = replace(guessed, columns=columns, customer_key=key, why="", by_content=())
    columns = chosen_columns(guessed, given.columns)
    for column in columns.values():
        if column not in file.header:
            raise InvalidInput(
                f"The file has no column called {column}.",
                remedy=f"Its columns are: {', '.join(file.header)}.",
                field="columns",
            )
    evidence = evidence_of(file, surveyed.profile, guessed.kind, columns, merged)
    own_source = source or (last.source if last else "")
    needed, optional = NEEDED[guessed.kind], OPTIONAL[guessed.kind]
    found = (surveyed, guessed, needed, optional, evidence, own_source, remembered, misfits)
    return FileView(*found, merged, columns, wide)


def _surveyed(table: Table, apart: Progress | None, kept: Path | None) -> Surveyed:
    """What is found in going through a table; what was found before where that is kept."""
    known = None if kept is None else kept / f"{table.path.name}.surveyed"
    if known is not None and known.exists():
        return cast("Surveyed", pickle.loads(known.read_bytes()))  # noqa: S301 - written by ourselves
    if apart is not None or table.path.stat().st_size >= APART_FROM_BYTES:
        surveyed = survey_apart(table.path, table.typed, apart or unreported)
    else:
        surveyed = survey(table.path, table.typed, _quiet)
    if known is not None:
        known.write_bytes(pickle.dumps(surveyed, pickle.HIGHEST_PROTOCOL))
    return surveyed


def _wide(found: SideBySide, given: Given, known: Sequence[Remembered]) -> Question:
    """What is asked of a table with several orders in a row, with the answer that was given or is remembered."""
    remembered = known[0].reading.get("choices", {}).get(Choice.WIDE, "") if known else ""
    answer = given.choices.get(Choice.WIDE) or remembered
    return Question(
        Choice.WIDE, f"The columns {found.words} hold several orders in one row: what becomes of them?", answer
    )


def _as_rows(table: Table, file: DelimitedFile, found: SideBySide, kept: Path | None) -> Table:
    """A wide table as one with a row for each filled cell."""
    folder = kept or Path(tempfile.mkdtemp(prefix="rows-"))
    target = folder / f"{table.path.name}.rows"
    if not target.exists():
        write_rows(file, found, target, _quiet)
    return Table(table.name, target, typed=False)


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


def reading_again(last: Remembered, statuses: Mapping[str, str]) -> Reading:
    """How a file was read, from what stands on record."""
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
        {Choice(choice): answer for choice, answer in given.get("choices", {}).items()},
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


def with_padding(workspace: Workspace, book: BookRow, view: FileView) -> FileView:
    """A view that asks whether customers' numbers are those of the book but for zeros before them, where they may
    be."""
    column = view.columns.get(Meaning.CUSTOMER) or view.columns.get(Meaning.CUSTOMER_NUMBER)
    if column is None or view.guess.customer_key is KeyKind.EMAIL:
        return view
    place = view.file.header.index(column)
    keys = {row[place].strip() for row in view.file.sample if place < len(row)}
    bare = {key: key.lstrip("0") for key in keys if key.isdecimal() and len(key) <= DIGITS_MOST and key.strip("0")}
    others = {other.zfill(width) for other in bare.values() for width in range(len(other), DIGITS_MOST + 1)}
    known = keys_on_record(workspace.record.engine, book.id, KeyKind.NUMBER, sorted(others)) if others else set()
    own = {key.lstrip("0"): key for key in known}
    alike = {key: own[other] for key, other in bare.items() if other in own and key not in known}
    if not alike or len(alike) < _MOSTLY * len(set(bare) & known):
        return view
    key, other = min(alike.items())
    width = str(len(other)) if other.startswith("0") else STRIPPED
    further = {} if width == STRIPPED else {width: f"filled up to {width} digits"}
    text = (
        f"Customer {key} of this file may be {other} of the book, as {len(alike)} of {len(keys)} may: "
        "how are the numbers read?"
    )
    return replace(view, padding=Question(Choice.PAD, text, "", further))


def chosen_columns(guessed: Guess, said: Mapping[Meaning, str | None]) -> dict[Meaning, str]:
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


def _quiet(_rows: int) -> None:
    """A survey is part of a look, and reports no progress of its own."""
