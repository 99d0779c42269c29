"""Bring a file in: look at it, confirm how it is to be read, deliver it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from goldthread.actions.books import checked_name, zone
from goldthread.actions.workspace import Workspace
from goldthread.core.records import FileKind, KeyKind, Progress
from goldthread.errors import InvalidInput
from goldthread.intake.delimited import DelimitedFile, look
from goldthread.intake.meanings import NEEDED, OPTIONAL, Guess, guess
from goldthread.intake.meanings import Meaning as Meaning
from goldthread.intake.reading import Reading as Reading
from goldthread.intake.reading import read_pieces
from goldthread.store.books import BookRow
from goldthread.store.delivery import DeliveryOrder
from goldthread.store.delivery import DeliveryReport as DeliveryReport
from goldthread.store.orders_in import deliver

_HASH_BYTES = 1 << 20


@dataclass(frozen=True)
class FileView:
    """A file before it goes in: its first rows, what it seems to be, and which meanings its columns may take."""

    file: DelimitedFile
    guess: Guess
    needed: tuple[Meaning, ...]
    optional: tuple[Meaning, ...]


def look_at_file(path: Path, kind: FileKind | None = None) -> FileView:
    """Read the first rows and guess. Raises `UnreadableFile`."""
    file = look(path)
    guessed = guess(file.header, file.first_rows, kind)
    return FileView(file, guessed, NEEDED[guessed.kind], OPTIONAL[guessed.kind])


def reading_of(
    view: FileView, columns: Mapping[Meaning, str | None] | None = None, customer_key: KeyKind | None = None
) -> Reading:
    """How to read a file: the guess, changed where the user says so; None as a column leaves a meaning out."""
    chosen = dict(view.guess.columns)
    for meaning, column in (columns or {}).items():
        for other in [known for known, name in chosen.items() if name == column]:
            del chosen[other]
        if column is None:
            chosen.pop(meaning, None)
        else:
            chosen[meaning] = column
    key = customer_key or _key_of_column(view, chosen.get(Meaning.CUSTOMER))
    return Reading(view.guess.kind, chosen, key).validated(view.file)


def deliver_file(
    workspace: Workspace,
    book: BookRow,
    source: str,
    file: DelimitedFile,
    file_name: str,
    reading: Reading,
    progress: Progress,
) -> DeliveryReport:
    """Check every row and bring in those that can come in, all in one transaction.

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
    )
    expected = max(file.row_estimate, 1)

    def advance(rows: int) -> None:
        progress("reading", rows, max(rows, expected))

    pieces = read_pieces(file, reading, book.currency, zone(book.time_zone), advance)
    return deliver(workspace.record.engine, wanted, pieces, expected, progress)


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
    digest.update(f"\x1e{reading.kind.value}\x1f{reading.customer_key.value}".encode())
    return digest.hexdigest()
