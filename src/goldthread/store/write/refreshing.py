"""A refresh on record: which files a book has now, and the customers whom the orders of the new ones name."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from sqlalchemy import Engine, select

from goldthread.core.records import FileKind, Piece, Progress, Rows
from goldthread.store.datasets import FileRow, Refresh, insert_files
from goldthread.store.orders_in_files import OrdersChanged
from goldthread.store.revisions import keep_others_out, step_to
from goldthread.store.schema.models import Book
from goldthread.store.server.engine import transaction
from goldthread.store.write import staged_customers, staging
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport, Place
from goldthread.store.write.erasing import ErasedPeople
from goldthread.store.write.orders_in import finish, known_source, made_source, record_delivery


@dataclass(frozen=True)
class WantedRefresh:
    """``order`` : as which delivery it goes into the log. ``files`` : all that the book has from now on. ``report`` :
    what became of the rows of those that were read for it, ``orders`` of their orders."""

    order: DeliveryOrder
    files: tuple[FileRow, ...]
    report: DeliveryReport
    orders: OrdersChanged


def refresh(engine: Engine, wanted: WantedRefresh, customers: Iterable[Rows], progress: Progress) -> DeliveryReport:
    """Put a refresh on record, in one transaction. ``customers`` : records of customers, each customer once."""
    order, report = wanted.order, wanted.report
    with transaction(engine) as connection:
        staging.create(connection, FileKind.CUSTOMERS)
        erased = ErasedPeople(connection, order.book_id, order.erasing_key)
        for rows in customers:
            piece = Piece(rows, [], 0)
            piece = erased.left_out_of(piece, FileKind.CUSTOMERS, order.customer_key) if erased else piece
            staging.load_rows(connection, FileKind.CUSTOMERS, piece.rows, [])
            progress("customers", int(rows.row[-1]), int(rows.row[-1]))
        if erased:
            report.unreported[:] = [erased.left_out(problem) for problem in report.unreported]
        staging.load_problems(connection, report)
        keep_others_out(connection, order.book_id)
        revision, next_order_id, bound = connection.execute(
            select(Book.revision, Book.next_order_id, Book.amount_bound).where(Book.id == order.book_id)
        ).one()
        source_id = known_source(connection, order) or made_source(connection, order)
        place = Place(order.book_id, source_id, 0, next_order_id, order.customer_key, FileKind.CUSTOMERS)
        staged_customers.compare(connection, place, report)
        report.added, report.changed, report.same = wanted.orders.added, wanted.orders.changed, wanted.orders.same
        report.book_revision = revision + 1
        report.delivery_id = record_delivery(connection, order, report, source_id)
        staged_customers.write(connection, replace(place, delivery_id=report.delivery_id), progress)
        insert_files(connection, Refresh(report.delivery_id, wanted.files))
        finish(connection, order, report, next_order_id, next_order_id - 1, bound)
        step_to(connection, order.book_id, report.book_revision)
        connection.commit()
    return report
