"""Import a file, download its rejected rows, withdraw a delivery."""

from __future__ import annotations

import hashlib
import logging
import uuid
from collections.abc import Iterator, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from goldthread.actions.books import checked_name, zone
from goldthread.actions.log import Deed, put_down
from goldthread.actions.otherwise import fewer_left_out
from goldthread.actions.upkeep import must_have_room
from goldthread.core.records import Progress, unreported
from goldthread.csv_writer import csv_line
from goldthread.errors import Conflict, GoldThreadError, Stopped
from goldthread.intake.apart import APART_FROM_ROWS, read_pieces_apart
from goldthread.intake.delimited import DelimitedFile, rows_at
from goldthread.intake.meanings import REASON_COLUMN, KeptAt
from goldthread.intake.reading import Reading, read_pieces
from goldthread.store.books import BookRow, delivery_reading, find_delivery, rejected_of
from goldthread.store.datasets import is_refresh
from goldthread.store.server.faults import tried_again
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport, RejectedRow
from goldthread.store.write.orders_in import deliver
from goldthread.store.write.withdrawing import Withdrawal, withdraw
from goldthread.workspace import Workspace, asked_anew

_BYTES_PER_ROW = 600
"""What a row takes on the disk while it comes in: where it waits, and in the record."""
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Errand:
    """One file on its way into a book. ``rejected_to`` is where a dry run puts the rejected rows. Unless
    ``accept_rejected``, nothing is imported when too much would be left out."""

    source: str
    file_name: str
    file: DelimitedFile
    reading: Reading
    dry_run: bool = False
    rejected_to: Path | None = None
    accept_rejected: bool = False


def deliver_file(workspace: Workspace, book: BookRow, errand: Errand, progress: Progress) -> DeliveryReport:
    """Check every row and import those that are accepted, all in one transaction.

    A dry run finds out what would come of it and changes nothing. The same content read the same way is imported once
    per source. Raises `UnreadableFile`, `Stopped`, `DiskFull` before the disk is, and the store's errors; the book is
    then unchanged.
    """
    file, reading = errand.file, errand.reading
    rejected = _Rejected(file, errand.rejected_to)
    wanted = DeliveryOrder(
        book_id=book.id,
        source_name=checked_name(errand.source, "source"),
        kind=reading.kind,
        customer_key=reading.customer_key,
        file_name=errand.file_name,
        fingerprint=_fingerprint(file, reading),
        header=file.header,
        reading=reading_kept(reading),
        attributes=reading.attributes,
        about_customer=reading.about_customer,
        customer_attributes=reading.customer_attributes,
        dry_run=errand.dry_run,
        rows_at=lambda numbers: rows_at(file, numbers),
        on_rejected=rejected.take,
        accept_rejected=errand.accept_rejected,
        erasing_key=workspace.settings.erasing_key,
    )
    expected = max(file.row_estimate, 1)
    settings = workspace.settings
    must_have_room(settings, 0 if settings.database_url else expected * _BYTES_PER_ROW)

    def told(phase: str, done: int, total: int) -> None:
        must_have_room(settings)
        progress(phase, done, total)

    def advance(rows: int) -> None:
        told("reading", rows, max(rows, expected))

    read = read_pieces_apart if file.row_estimate >= APART_FROM_ROWS else read_pieces

    def once() -> DeliveryReport:
        # closed at once, whatever happens: an error that is kept would keep the reading process with it
        with closing(read(file, reading, book.currency, zone(book.time_zone), advance)) as pieces:
            return deliver(workspace.record.engine, wanted, pieces, expected, told)

    with closing(rejected):
        report = tried_again(once)
        rejected.put_in_place()
    if report.delivery_id is not None:
        put_down(workspace, Deed.IMPORTED, book.id, errand.file_name, source=errand.source, delivery=report.delivery_id)
    if report.held_back:
        report.fewer = fewer_left_out(file, reading, book.currency, zone(book.time_zone), report.rows_rejected)
    return report


def bring_forward(workspace: Workspace, book_id: int, progress: Progress) -> None:
    """Have a book that was changed at hand before anybody asks it something. What goes wrong here goes wrong again, and
    is reported when somebody asks."""
    with suppress(Stopped):
        progress("bringing forward", 0, 0)
    try:
        asked_anew(lambda: workspace.orders(book_id))
    except GoldThreadError as error:
        _log.warning("Book %s could not be brought forward: %s", book_id, error)


class _Rejected:
    """The rejected rows of a file on their way to where they are looked for: they come there whole, and in place of
    those of an earlier try."""

    def __init__(self, file: DelimitedFile, target: Path | None) -> None:
        self._header, self._target = file.header, target
        self._written = None if target is None else target.with_name(f"{target.name}.{uuid.uuid4().hex}")

    def take(self, rows: Iterator[RejectedRow]) -> None:
        if self._written is not None:
            with self._written.open("w", encoding="utf-8", newline="") as out:
                out.writelines(rejected_csv(self._header, rows))

    def put_in_place(self) -> None:
        if self._target is not None and self._written is not None:
            if self._written.exists():
                self._written.replace(self._target)
            else:
                self._target.unlink(missing_ok=True)

    def close(self) -> None:
        if self._written is not None:
            self._written.unlink(missing_ok=True)


def rejected_csv(header: Sequence[str], rows: Iterator[RejectedRow]) -> Iterator[str]:
    """Rejected rows as CSV (RFC 4180): as they stand in the file, and the reason of each beside it."""
    own = [name for name in header if name != REASON_COLUMN]
    yield csv_line([*own, REASON_COLUMN])
    for row in rows:
        cells = [*row.cells, *[""] * len(header)][: max(len(header), len(row.cells))]
        kept = [cell for name, cell in zip(header, cells, strict=False) if name != REASON_COLUMN]
        yield csv_line([*kept, row.reasons, *cells[len(header) :]])


def rejected_of_delivery(workspace: Workspace, book: BookRow, delivery_id: int) -> tuple[str, Iterator[str]]:
    """The name of a delivery's file, and its rejected rows as CSV, line by line. Raises `NotFound`."""
    engine = workspace.record.engine
    row = find_delivery(engine, book.id, delivery_id)
    header, _ = delivery_reading(engine, delivery_id)
    return row.file_name, rejected_csv(header, rejected_of(engine, delivery_id))


def withdraw_delivery(
    workspace: Workspace, book: BookRow, delivery_id: int, progress: Progress = unreported
) -> Withdrawal:
    """Withdraw a delivery: the book becomes what it would be had it never come.

    Raises `NotFound`, `Conflict`, and what ``progress`` raises; the book is then unchanged.
    """
    if is_refresh(workspace.record.engine, delivery_id):
        raise Conflict(
            "A refresh is taken back by going back to the files of before.",
            remedy="Say so on Import, or: goldthread book refresh NAME --as-before.",
        )
    undone = tried_again(lambda: withdraw(workspace.record.engine, book.id, delivery_id, progress))
    put_down(workspace, Deed.WITHDRAWN, book.id, f"delivery {delivery_id}", delivery=delivery_id)
    return undone


def reading_kept(reading: Reading) -> dict[str, Any]:
    """How a file was read, as it stands on record."""
    return {
        "columns": {meaning.value: column for meaning, column in reading.columns.items()},
        "customer_key": reading.customer_key.value,
        "dates": reading.dates.value,
        "decimal": reading.decimal.value,
        "years": reading.years.value if reading.years else None,
        "statuses": {word: status.value for word, status in reading.statuses.items()},
        "orders_by": reading.orders_by.value,
        "fill_down": list(reading.fill_down),
        "further": {
            name: {
                "at": each.at.value,
                "type": each.type.value,
                "dates": each.dates.value if each.dates else None,
                "decimal": each.decimal.value if each.decimal else None,
            }
            for name, each in reading.further.items()
        },
        "choices": {choice.value: answer for choice, answer in reading.choices.items()},
    }


def _fingerprint(file: DelimitedFile, reading: Reading) -> str:
    digest = hashlib.sha256(bytes.fromhex(file.digest))
    for meaning in sorted(reading.columns):
        digest.update(f"\x1e{meaning.value}\x1f{reading.columns[meaning]}".encode())
    statuses = [f"{word}={status}" for word, status in sorted(reading.statuses.items())]
    manner = (reading.kind, reading.customer_key, reading.dates, reading.decimal, reading.years or "", *statuses)
    digest.update("\x1f".join(("", *manner)).encode())
    if reading.makes_orders:
        digest.update(f"\x1e{reading.orders_by.value}".encode())
    for name in reading.fill_down:
        digest.update(f"\x1efill down\x1f{name}".encode())
    for name, each in sorted(reading.further.items()):
        if each.at is not KeptAt.NOWHERE:
            digest.update(f"\x1e{name}\x1f{each.at.value}".encode())
    for choice, answer in sorted(reading.choices.items()):
        digest.update(f"\x1e{choice.value}\x1f{answer}".encode())
    return digest.hexdigest()
