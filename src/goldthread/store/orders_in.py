"""Deliveries into the record: staged in bulk, compared and written in one transaction, or not at all.

Checked rows go into a temporary table by LOAD DATA LOCAL, which ignores strict mode: every load is therefore held
against its row count and the server's warnings. Everything that changes the book happens after its row is locked and
before the one commit; a process or a database that dies in between leaves the book as it was.
"""

from __future__ import annotations

import datetime as dt
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, insert, select, text
from sqlalchemy.exc import DBAPIError, OperationalError

from goldthread.core.records import CustomerRows, FileKind, LineRows, OrderRows, Piece, Progress
from goldthread.errors import Conflict, GoldThreadError, Unavailable
from goldthread.store import staged_customers, staged_orders
from goldthread.store.delivery import DeliveryOrder, DeliveryReport
from goldthread.store.models import Book, Delivery, DeliveryProblem, Source

_PROBLEMS_PER_INSERT = 2_000


def deliver(
    engine: Engine, wanted: DeliveryOrder, pieces: Iterable[Piece], rows_expected: int, progress: Progress
) -> DeliveryReport:
    """Bring checked pieces of a file into a book, or find out what would come of it. All or nothing.

    Raises whatever ``progress`` or the pieces raise; the book is then unchanged.
    """
    with engine.connect() as connection:
        try:
            report = DeliveryReport(dry_run=wanted.dry_run)
            earlier = _earlier(connection, wanted)
            if earlier is not None:
                report.earlier_delivery_id, report.earlier_delivered_at, report.book_revision = earlier
                return report
            hashes = _stage(connection, wanted.kind, pieces, report, rows_expected, progress)
            _write(connection, wanted, report, _has_repeats(hashes), progress)
            if wanted.dry_run or report.delivery_id is None:
                connection.rollback()
                report.delivery_id = None
            else:
                connection.commit()
            return report
        except DBAPIError as error:
            if error.connection_invalidated or isinstance(error, OperationalError):
                raise Unavailable(
                    "The database stopped answering.", remedy="Nothing was changed. Bring the file in again."
                ) from error
            raise
        finally:
            # ends the connection, and with it the transaction and the temporary tables, whatever state it is in
            connection.invalidate()


def _earlier(connection: Connection, wanted: DeliveryOrder) -> tuple[int, dt.datetime, int] | None:
    found = connection.execute(
        select(Delivery.id, Delivery.delivered_at, Book.revision)
        .join(Source, Source.id == Delivery.source_id)
        .join(Book, Book.id == Delivery.book_id)
        .where(
            Delivery.book_id == wanted.book_id,
            Source.name == wanted.source_name,
            Delivery.fingerprint == wanted.fingerprint,
        )
    ).first()
    return None if found is None else (found[0], found[1], found[2])


def _stage(
    connection: Connection,
    kind: FileKind,
    pieces: Iterable[Piece],
    report: DeliveryReport,
    rows_expected: int,
    progress: Progress,
) -> list[np.ndarray[Any, np.dtype[np.int64]]]:
    """Load all checked rows; gives the hashes of the order numbers, by which repeats inside the file are suspected."""
    create, load = staged_customers.STAGE if kind is FileKind.CUSTOMERS else staged_orders.STAGES[kind]
    connection.execute(text(create))
    hashes = []
    for piece in pieces:
        rejected = {problem.row for problem in piece.problems if problem.rejected}
        report.rows_read += piece.read
        report.rows_rejected += len(rejected)
        report.problems += piece.problems
        _load(connection, load, piece.rows)
        if isinstance(piece.rows, OrderRows):
            hashes.append(np.fromiter(map(hash, piece.rows.order_number), np.int64, len(piece.rows.row)))
        progress("reading", report.rows_read, max(rows_expected, report.rows_read))
    return hashes


def _records(rows: OrderRows | LineRows | CustomerRows) -> Iterator[Sequence[str]]:
    number = map(str, rows.row)
    if isinstance(rows, CustomerRows):
        return zip(number, rows.number, rows.email, rows.name, rows.attributes, strict=True)
    headers = (number, rows.order_number, rows.customer, rows.date, rows.time, rows.amount, rows.status)
    if isinstance(rows, LineRows):
        return zip(*headers, rows.line_number, rows.product, rows.category, rows.quantity, strict=True)
    return zip(*headers, strict=True)


def _load(connection: Connection, statement: str, rows: OrderRows | LineRows | CustomerRows) -> None:
    """Load rows by way of a file. Checked texts hold neither tabs nor line breaks, so nothing needs quoting."""
    count = len(rows.row)
    if count == 0:
        return
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        file = Path(folder) / "rows.tsv"
        file.write_text("\n".join(map("\t".join, _records(rows))) + "\n", encoding="utf-8")
        loaded = connection.execute(text(statement), {"path": str(file)})
    warnings = connection.execute(text("SELECT @@warning_count")).scalar_one()
    if warnings or loaded.rowcount != count:
        told = connection.execute(text("SHOW WARNINGS")).first()
        raise GoldThreadError(
            f"The database took {loaded.rowcount} of {count} rows: {told}.", remedy="Nothing was changed."
        )


def _has_repeats(hashes: list[np.ndarray[Any, np.dtype[np.int64]]]) -> bool:
    if not hashes:
        return False
    together = np.sort(np.concatenate(hashes))
    return bool((together[1:] == together[:-1]).any())


def _write(
    connection: Connection, wanted: DeliveryOrder, report: DeliveryReport, may_repeat: bool, progress: Progress
) -> None:
    revision, next_order_id = connection.execute(
        select(Book.revision, Book.next_order_id).where(Book.id == wanted.book_id).with_for_update()
    ).one()
    report.book_revision = revision
    if wanted.kind is FileKind.CUSTOMERS:
        staged_customers.settle(connection, report)
    else:
        staged_orders.settle(connection, wanted.kind, report, may_repeat)
    if report.rows_in == 0:
        return
    # every key that an order names comes out of the join that writes it: looking each up once more proves nothing
    connection.execute(text("SET SESSION foreign_key_checks = 0"))
    source_id = _source(connection, wanted)
    report.book_revision = revision + 1
    report.delivery_id = _record(connection, wanted, report, source_id)
    if wanted.kind is FileKind.CUSTOMERS:
        staged_customers.write(connection, wanted.book_id, report)
    else:
        place = staged_orders.Place(
            wanted.book_id, source_id, report.delivery_id, next_order_id, wanted.customer_key, wanted.kind
        )
        next_order_id = staged_orders.write(connection, place, report, progress)
    _finish(connection, wanted, report, next_order_id)
    progress("committing", report.rows_in, report.rows_in)


def _source(connection: Connection, wanted: DeliveryOrder) -> int:
    known = select(Source.id).where(Source.book_id == wanted.book_id, Source.name == wanted.source_name)
    found = connection.execute(known).scalar()
    if found is not None:
        return int(found)
    made = connection.execute(insert(Source).values(book_id=wanted.book_id, name=wanted.source_name))
    return int(_made_id(made.inserted_primary_key))


def _record(connection: Connection, wanted: DeliveryOrder, report: DeliveryReport, source_id: int) -> int:
    twin = select(Delivery.id).where(Delivery.source_id == source_id, Delivery.fingerprint == wanted.fingerprint)
    if connection.execute(twin).scalar() is not None:
        raise Conflict(
            "The same file was brought in by somebody else at this moment.", remedy="Nothing more needs to be done."
        )
    made = connection.execute(
        insert(Delivery).values(
            book_id=wanted.book_id,
            source_id=source_id,
            kind=wanted.kind,
            file_name=wanted.file_name[-255:],
            fingerprint=wanted.fingerprint,
            columns=wanted.columns,
            delivered_at=dt.datetime.now(dt.UTC).replace(tzinfo=None, microsecond=0),
            book_revision=report.book_revision,
            counts={},
        )
    )
    return int(_made_id(made.inserted_primary_key))


def _made_id(key: Any) -> int:
    return int(key[0])


def _finish(connection: Connection, wanted: DeliveryOrder, report: DeliveryReport, next_order_id: int) -> None:
    report.problems.sort(key=lambda problem: problem.row)
    rows = [
        {
            "delivery_id": report.delivery_id,
            "sequence": sequence,
            "file_row": problem.row,
            "rejected": problem.rejected,
            "column_name": problem.column[:255],
            "value": problem.value,
            "reason": problem.reason[:255],
            "remedy": problem.remedy[:255],
        }
        for sequence, problem in enumerate(report.problems)
    ]
    for start in range(0, len(rows), _PROBLEMS_PER_INSERT):
        connection.execute(insert(DeliveryProblem), rows[start : start + _PROBLEMS_PER_INSERT])
    delivery = Delivery.__table__
    connection.execute(
        delivery.update().where(delivery.c.id == report.delivery_id).values(counts=report.counts())  # type: ignore[attr-defined]
    )
    book = Book.__table__
    connection.execute(
        book.update()  # type: ignore[attr-defined]
        .where(book.c.id == wanted.book_id)
        .values(revision=report.book_revision, next_order_id=next_order_id)
    )
