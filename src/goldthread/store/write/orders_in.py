"""Deliveries into the record: staged in bulk, compared and written in one transaction, or not at all.

What a file says by itself is settled first. Everything that changes the book happens while nobody else may change it,
and before the one commit; a process or a database that dies in between leaves the book as it was. The book's row itself
is taken last, so that views and lists can be saved meanwhile.
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, insert, select, text, update

from goldthread.core.limits import BOOK_AMOUNT_BELOW
from goldthread.core.records import OF_ORDERS, FileKind, Piece, Progress
from goldthread.errors import Conflict, TooLarge
from goldthread.store.datasets import stays_in_files
from goldthread.store.revisions import keep_others_out, step_to
from goldthread.store.schema.models import Book, Delivery, Source
from goldthread.store.server.engine import now, transaction
from goldthread.store.write import own_attributes, staged_customers, staged_entries, staged_orders, staging
from goldthread.store.write.customers_of_orders import CustomersOfOrders
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport, Place, RejectedRow, RowsAt
from goldthread.store.write.erasing import WITHOUT, ErasedPeople
from goldthread.store.write.first_rows import FirstRows
from goldthread.store.write.own_attributes import Coder
from goldthread.store.write.touched import Touched

_CELLS_PER_LOAD = 20_000


def deliver(
    engine: Engine, wanted: DeliveryOrder, pieces: Iterable[Piece], rows_expected: int, progress: Progress
) -> DeliveryReport:
    """Bring checked pieces of a file into a book, or find out what would come of it. All or nothing.

    Raises whatever ``progress`` or the pieces raise; the book is then unchanged.
    """
    with transaction(engine) as connection:
        report = DeliveryReport(dry_run=wanted.dry_run)
        earlier = _earlier(connection, wanted)
        if earlier is not None:
            report.earlier_delivery_id, report.earlier_delivered_at, report.book_revision = earlier
            return report
        coder, customers = (
            Coder(wanted.attributes),
            CustomersOfOrders(wanted.about_customer, wanted.customer_attributes),
        )
        erased = ErasedPeople(connection, wanted.book_id, wanted.erasing_key)
        if erased:
            pieces = (erased.left_out_of(piece, wanted.kind, wanted.customer_key) for piece in pieces)
            wanted = replace(wanted, rows_at=_without(erased, wanted.rows_at))
        may_repeat = _stage(connection, wanted.kind, pieces, report, coder, customers, rows_expected, progress)
        _write(connection, wanted, report, customers, may_repeat, progress)
        if (wanted.dry_run or report.held_back) and wanted.on_rejected is not None and report.rows_rejected:
            wanted.on_rejected(rejected_rows(connection))
        if report.delivery_id is not None:
            connection.commit()
        return report


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
    coder: Coder,
    customers: CustomersOfOrders,
    rows_expected: int,
    progress: Progress,
) -> bool:
    """Load all checked rows; gives whether an order has more than one."""
    staging.create(connection, kind, own_attributes.staged_columns(len(coder)))
    if customers:
        customers.create(connection)
    firsts = FirstRows()
    for piece in pieces:
        report.rows_read += piece.read
        report.rows_rejected += len({problem.row for problem in piece.problems if problem.rejected})
        report.amount_rejected += piece.rejected_amount
        for problem in piece.problems:
            report.note(problem)
        staging.load_problems(connection, report)
        first_rows = firsts.of(piece.rows.columns["order_number"], piece.rows.row) if kind in OF_ORDERS else []
        codes = coder.code(piece.rows.attributes)
        staging.load_rows(connection, kind, piece.rows, first_rows, codes)
        if customers:
            customers.take(connection, piece.rows)
        progress("reading", report.rows_read, max(rows_expected, report.rows_read))
    coder.load_values(connection)
    if customers:
        customers.load(connection)
    return firsts.repeats


def _write(
    connection: Connection,
    wanted: DeliveryOrder,
    report: DeliveryReport,
    customers: CustomersOfOrders,
    may_repeat: bool,
    progress: Progress,
) -> None:
    _settle(connection, wanted, report, may_repeat)
    staging.load_problems(connection, report)
    _find_cells(connection, wanted.rows_at, report)
    if not wanted.dry_run:
        keep_others_out(connection, wanted.book_id, by_hand=wanted.by_hand)
    book = select(Book.revision, Book.next_order_id).where(Book.id == wanted.book_id)
    revision, next_order_id = connection.execute(book).one()
    report.book_revision = revision
    if wanted.kind in OF_ORDERS and stays_in_files(connection, wanted.book_id):
        raise Conflict(
            "The orders of this book stay in files, and come from these alone.",
            remedy="Change the files, and refresh the book.",
        )
    if wanted.unless is not None:
        wanted.unless(connection)
    source_id = known_source(connection, wanted)
    place = Place(wanted.book_id, source_id or 0, 0, next_order_id, wanted.customer_key, wanted.kind)
    if report.rows_in:
        known_rejected = report.rows_rejected
        _compare(connection, wanted, place, report)
        if customers:
            customers.compare(connection, place, report)
        staging.load_problems(connection, report)
        if report.rows_rejected > known_rejected:
            _find_cells(connection, wanted.rows_at, report)
    report.problems.sort(key=lambda problem: problem.row)
    if wanted.kind in _WITH_AMOUNTS:
        report.amount_in = connection.execute(text(_STAGED_AMOUNT)).scalar_one()
    report.held_back = not wanted.accept_rejected and report.leaves_out_much
    if report.rows_in == 0 or report.held_back:
        return
    bound = _amount_bound(connection, wanted)
    if wanted.dry_run:
        return
    # every key that a row names comes out of the join that writes it: looking each up once more proves nothing
    connection.execute(text("SET SESSION foreign_key_checks = 0"))
    report.book_revision = revision + 1
    source_id = source_id or made_source(connection, wanted)
    report.delivery_id = record_delivery(connection, wanted, report, source_id)
    place = Place(wanted.book_id, source_id, report.delivery_id, next_order_id, wanted.customer_key, wanted.kind)
    last_order_id = next_order_id - 1
    touched = Touched(connection, report.rows_in, next_order_id)
    if wanted.kind in OF_ORDERS:
        last_order_id = staged_orders.write(connection, place, wanted.attributes, progress)
        if wanted.by_hand and report.changed:
            own_attributes.carry_over(connection, place)
        staged_orders.retire(connection, place, report)
        touched.named(place.values)
        if report.changed or report.same:
            touched.of_orders(place.values, staged_orders.table_of(place))
        if customers:
            customers.write(connection, place, progress)
            touched.settled()
    elif wanted.kind is FileKind.CUSTOMERS:
        staged_customers.write(connection, place, progress)
        touched.settled()
    elif wanted.kind is FileKind.MATCHES:
        staged_customers.write_matches(connection, place)
        touched.settled()
    else:
        staged_entries.write(connection, place)
        if wanted.kind is FileKind.PAYMENTS:
            touched.named(place.values)
            touched.of_payments(place.values, "staged")
    progress("committing", report.rows_in, report.rows_in)
    finish(connection, wanted, report, next_order_id, last_order_id, bound)
    step_to(connection, wanted.book_id, report.book_revision, touched.ids())


_STAGED_AMOUNT = "SELECT COALESCE(SUM(ABS(amount)), 0) FROM staged"
_WITH_AMOUNTS = (FileKind.ORDERS, FileKind.LINES, FileKind.PAYMENTS)
_ABSOLUTE = """
SELECT COALESCE(SUM(ABS(amount)), 0) FROM (SELECT amount FROM orders WHERE book_id = :book
UNION ALL SELECT amount FROM payments WHERE book_id = :book) amounts
"""


def _amount_bound(connection: Connection, wanted: DeliveryOrder) -> Decimal:
    """What the absolute amounts of the book add up to at most, with the staged rows. Raises `TooLarge`.

    It is worked out anew only when the sum of what was ever brought in comes near the limit.
    """
    bound: Decimal = connection.execute(select(Book.amount_bound).where(Book.id == wanted.book_id)).scalar_one()
    if wanted.kind not in _WITH_AMOUNTS:
        return bound
    coming: Decimal = connection.execute(text(_STAGED_AMOUNT)).scalar_one()
    if bound + coming >= BOOK_AMOUNT_BELOW:
        bound = absolute_amounts(connection, wanted.book_id)
    if bound + coming >= BOOK_AMOUNT_BELOW:
        raise TooLarge(
            f"With this file the amounts of the book would add up to {bound + coming:.0f} or more.",
            remedy=f"A book holds less than {BOOK_AMOUNT_BELOW:.0f}. Check that the amounts are amounts.",
            field="columns",
        )
    return bound + coming


def absolute_amounts(connection: Connection, book_id: int) -> Decimal:
    """What the absolute amounts of a book's orders and payments, all versions, add up to."""
    found: Decimal = connection.execute(text(_ABSOLUTE), {"book": book_id}).scalar_one()
    return found


def _settle(connection: Connection, wanted: DeliveryOrder, report: DeliveryReport, may_repeat: bool) -> None:
    kind = wanted.kind
    if kind in OF_ORDERS:
        staged_orders.settle(connection, kind, report, may_repeat, len(wanted.attributes))
    elif kind is FileKind.CUSTOMERS:
        staged_customers.settle(connection, report)
    elif kind is FileKind.MATCHES:
        report.rows_in = report.rows_read
    else:
        staged_entries.settle(connection, kind, report)


def _compare(connection: Connection, wanted: DeliveryOrder, place: Place, report: DeliveryReport) -> None:
    if place.kind in OF_ORDERS:
        staged_orders.compare(connection, place, report, list(wanted.attributes))
    elif place.kind is FileKind.CUSTOMERS:
        staged_customers.compare(connection, place, report)
    elif place.kind is FileKind.MATCHES:
        staged_customers.compare_matches(connection, place, report)
    else:
        staged_entries.compare(connection, place, report)


def known_source(connection: Connection, wanted: DeliveryOrder) -> int | None:
    """The source of a delivery; None where it is new."""
    known = select(Source.id).where(Source.book_id == wanted.book_id, Source.name == wanted.source_name)
    return connection.execute(known).scalar()


def made_source(connection: Connection, wanted: DeliveryOrder) -> int:
    """Put the source of a delivery on record."""
    made = connection.execute(insert(Source).values(book_id=wanted.book_id, name=wanted.source_name))
    return _made_id(made.inserted_primary_key)


def record_delivery(connection: Connection, wanted: DeliveryOrder, report: DeliveryReport, source_id: int) -> int:
    """Begin the line of a delivery in the log. Raises `Conflict` where it is there already."""
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
            header=list(wanted.header),
            reading=dict(wanted.reading),
            by_hand=wanted.by_hand,
            delivered_at=now(),
            book_revision=report.book_revision,
            first_order_id=0,
            last_order_id=-1,
            counts={},
        )
    )
    return _made_id(made.inserted_primary_key)


def _made_id(key: Any) -> int:
    return int(key[0])


def _without(erased: ErasedPeople, rows_at: RowsAt | None) -> RowsAt | None:
    """How rejected rows are found, without what they say of people who were erased."""
    if rows_at is None:
        return None
    found = rows_at

    def cells_at(numbers: Sequence[int]) -> Iterator[tuple[int, Sequence[str]]]:
        for number, cells in found(numbers):
            yield number, [WITHOUT] * len(cells) if erased.are_in(cells) else cells

    return cells_at


def _find_cells(connection: Connection, rows_at: RowsAt | None, report: DeliveryReport) -> None:
    """Keep rejected rows as they stand in the file: it is read once more for them."""
    if rows_at is None or report.rows_rejected == 0:
        return
    wanted = text(
        "SELECT DISTINCT p.file_row FROM staged_problems p LEFT JOIN staged_cells c USING (file_row) "
        "WHERE p.rejected AND c.file_row IS NULL ORDER BY p.file_row"
    )
    numbers = np.fromiter(connection.execute(wanted).scalars(), np.int64)
    found: list[tuple[int, str]] = []
    for number, cells in rows_at(numbers.tolist()):
        found.append((number, json.dumps(list(cells), ensure_ascii=False)))
        if len(found) == _CELLS_PER_LOAD:
            staging.load_cells(connection, found)
            found.clear()
    staging.load_cells(connection, found)


_REJECTED = """
SELECT c.file_row, c.cells, GROUP_CONCAT(DISTINCT
  CONCAT(IF(p.column_name = '', '', CONCAT(p.column_name, ': ')), p.reason) SEPARATOR ' ')
FROM {cells} JOIN {problems} ON p.file_row = c.file_row {same} AND p.rejected
{where} GROUP BY c.file_row, c.cells ORDER BY c.file_row
"""


def rejected_rows(connection: Connection, delivery_id: int | None = None) -> Iterator[RejectedRow]:
    """Rejected rows with their reasons: of a delivery on record, else of the one that is staged."""
    staged = delivery_id is None
    query = _REJECTED.format(
        cells="staged_cells c" if staged else "rejected_cells c",
        problems="staged_problems p" if staged else "delivery_problems p",
        same="" if staged else "AND p.delivery_id = c.delivery_id",
        where="" if staged else "WHERE c.delivery_id = :delivery",
    )
    found = connection.execution_options(yield_per=1_000).execute(text(query), {"delivery": delivery_id})
    for row, cells, reasons in found:
        yield RejectedRow(row, json.loads(cells), reasons)


_KEEP_PROBLEMS = """
INSERT INTO delivery_problems (delivery_id, sequence, file_row, rejected, column_name, value, reason, remedy)
SELECT :delivery, ROW_NUMBER() OVER (ORDER BY file_row) - 1, file_row, rejected, column_name, value, reason, remedy
FROM staged_problems
"""
_KEEP_CELLS = """
INSERT INTO rejected_cells (delivery_id, file_row, cells) SELECT :delivery, file_row, cells FROM staged_cells
"""


def finish(
    connection: Connection,
    wanted: DeliveryOrder,
    report: DeliveryReport,
    next_order_id: int,
    last_order_id: int,
    amount_bound: Decimal,
) -> None:
    """Complete the line of a delivery with what was wrong, and what came of it."""
    connection.execute(text(_KEEP_PROBLEMS), {"delivery": report.delivery_id})
    connection.execute(text(_KEEP_CELLS), {"delivery": report.delivery_id})
    connection.execute(
        update(Delivery)
        .where(Delivery.id == report.delivery_id)
        .values(counts=report.counts(), first_order_id=next_order_id, last_order_id=last_order_id)
    )
    values = {"next_order_id": last_order_id + 1, "amount_bound": amount_bound}
    connection.execute(update(Book).where(Book.id == wanted.book_id).values(values))
