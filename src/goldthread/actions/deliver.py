"""Bring a file in: look at it, confirm how it is to be read, deliver it."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from zoneinfo import ZoneInfo

from goldthread.actions.books import checked_name, zone
from goldthread.actions.questions import date_words
from goldthread.actions.workspace import Workspace
from goldthread.core.periods import to_day
from goldthread.core.records import FileKind, KeyKind, Progress
from goldthread.errors import InvalidInput
from goldthread.intake.delimited import UTF_8, UTF_16, WINDOWS, DelimitedFile, look
from goldthread.intake.formats import DateForm as DateForm
from goldthread.intake.formats import DecimalMark as DecimalMark
from goldthread.intake.formats import Evidence
from goldthread.intake.meanings import NEEDED, OPTIONAL, Guess, guess
from goldthread.intake.meanings import Meaning as Meaning
from goldthread.intake.reading import Reading as Reading
from goldthread.intake.reading import read_pieces, survey
from goldthread.intake.values import BadValue, date_parser
from goldthread.store.books import BookRow
from goldthread.store.delivery import DeliveryOrder
from goldthread.store.delivery import DeliveryReport as DeliveryReport
from goldthread.store.orders_in import deliver

_HASH_BYTES = 1 << 20
SURVEYED_AT_A_LOOK = 200_000
"""Rows of which a look surveys the dates and amounts; a larger file is surveyed whole before it is delivered."""


@dataclass(frozen=True)
class FileView:
    """A file before it goes in: its first rows, what it seems to be, and which meanings its columns may take."""

    file: DelimitedFile
    guess: Guess
    needed: tuple[Meaning, ...]
    optional: tuple[Meaning, ...]
    evidence: Evidence


def look_at_file(path: Path, kind: FileKind | None = None, surveyed: Mapping[Meaning, str] | None = None) -> FileView:
    """Read the first rows, guess, and survey how dates and amounts are written. Raises `UnreadableFile`.

    ``surveyed`` names the columns to survey where they are not the guessed ones.
    """
    file = look(path)
    guessed = guess(file.header, file.first_rows, kind)
    for column in (surveyed or {}).values():
        if column not in file.header:
            raise InvalidInput(f"The file has no column called {column}.", remedy="Choose one of its columns.")
    evidence = survey(file, guessed.columns | dict(surveyed or {}), SURVEYED_AT_A_LOOK, _quiet)
    return FileView(file, guessed, NEEDED[guessed.kind], OPTIONAL[guessed.kind], evidence)


def reading_of(
    view: FileView,
    columns: Mapping[Meaning, str | None] | None = None,
    customer_key: KeyKind | None = None,
    dates: DateForm | None = None,
    decimal: DecimalMark | None = None,
) -> Reading:
    """How to read a file: the guess, changed where the user says so; None as a column leaves a meaning out.

    How dates and amounts are written is found out over their whole columns unless it is told. Raises `InvalidInput`
    where it cannot be told from the data.
    """
    chosen = dict(view.guess.columns)
    for meaning, column in (columns or {}).items():
        for other in [known for known, name in chosen.items() if name == column]:
            del chosen[other]
        if column is None:
            chosen.pop(meaning, None)
        else:
            chosen[meaning] = column
    key = customer_key or _key_of_column(view, chosen.get(Meaning.CUSTOMER))
    reading = Reading(view.guess.kind, chosen, key).validated(view.file)
    if reading.kind is FileKind.CUSTOMERS or (dates and decimal):
        return replace(reading, dates=dates or DateForm.ISO, decimal=decimal or DecimalMark.POINT)
    evidence = view.evidence
    moved = any(chosen.get(m) != view.guess.columns.get(m) for m in (Meaning.DATE, Meaning.AMOUNT))
    if moved or view.file.row_estimate > SURVEYED_AT_A_LOOK:
        evidence = survey(view.file, chosen, None, _quiet)
    return replace(reading, dates=dates or _told_dates(evidence), decimal=decimal or _told_mark(evidence))


def _told_dates(evidence: Evidence) -> DateForm:
    form = evidence.dates.form
    if form is None:
        raise InvalidInput(
            f"Whether the day or the month comes first cannot be told: {read_both_ways(evidence.dates.open)}.",
            remedy="Say which it is: dmy or mdy.",
            field="dates",
        )
    return form


def _told_mark(evidence: Evidence) -> DecimalMark:
    mark = evidence.amounts.mark
    if mark is None:
        raise InvalidInput(
            f"Whether {evidence.amounts.open} has decimals or thousands cannot be told.",
            remedy="Say what stands before the decimals: point or comma.",
            field="decimal",
        )
    return mark


def read_both_ways(date: str) -> str:
    """An open date as it would be read day first and month first: 03/04/2025 is 3 Apr 2025 or 4 Mar 2025."""
    ways = []
    for form in (DateForm.DMY, DateForm.MDY):
        try:
            ways.append(date_words(to_day(dt.date.fromisoformat(date_parser(ZoneInfo("UTC"), form)(date)[:10]))))
        except BadValue:
            return f"{date} can be read both ways"
    return f"{date} is {ways[0]} or {ways[1]}"


def deliver_file(
    workspace: Workspace,
    book: BookRow,
    source: str,
    file: DelimitedFile,
    file_name: str,
    reading: Reading,
    progress: Progress,
    dry_run: bool = False,
) -> DeliveryReport:
    """Check every row and bring in those that can come in, all in one transaction.

    A dry run does all of it and takes it back: its report says what would be new, changed and the same.
    The same content read the same way is brought in once per source. Raises `UnreadableFile`, `Stopped` and the
    store's errors; the book is then unchanged.
    """
    wanted = DeliveryOrder(
        book_id=book.id,
        source_name=checked_name(source, "source"),
        kind=reading.kind,
        customer_key=reading.customer_key,
        file_name=file_name,
        fingerprint=_fingerprint(file.path, reading),
        columns={meaning.value: column for meaning, column in reading.columns.items()},
        dry_run=dry_run,
    )
    expected = max(file.row_estimate, 1)

    def advance(rows: int) -> None:
        progress("reading", rows, max(rows, expected))

    pieces = read_pieces(file, reading, book.currency, zone(book.time_zone), advance)
    return deliver(workspace.record.engine, wanted, pieces, expected, progress)


def encoding_words(view: FileView) -> str:
    """What the file is written in, as people say it."""
    return {UTF_8: "UTF-8", UTF_16: "UTF-16", WINDOWS: "Windows-1252"}[view.file.encoding]


def _quiet(_rows: int) -> None:
    """A survey is part of a look, and tells no progress of its own."""


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


def _fingerprint(path: Path, reading: Reading) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_HASH_BYTES):
            digest.update(piece)
    for meaning in sorted(reading.columns):
        digest.update(f"\x1e{meaning.value}\x1f{reading.columns[meaning]}".encode())
    manner = (reading.kind, reading.customer_key, reading.dates, reading.decimal)
    digest.update("\x1f".join(("", *manner)).encode())
    return digest.hexdigest()
