"""What Threads shows, as tables to download."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field
from goldthread.core.threads.groups import Extremes
from goldthread.core.threads.listing import owner
from goldthread.stops.behind.order_table import (
    field_column,
    number_column,
    of_customers,
    of_orders,
    order_number_column,
    orders_with_threads,
    together,
    who,
)
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, label_column
from goldthread.stops.threads.answer import FiguresAnswer, Listing, PairsAnswer
from goldthread.stops.threads.question import BackdatedQuestion, Extreme, OrdersQuestion
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]


def list_sheet(workspace: Workspace, listing: Listing) -> Sheet:
    """A whole list; of orders with every field there is."""
    read, found = listing.read, listing.found
    match listing.question:
        case OrdersQuestion():
            table = of_orders(read, found, partial(orders_with_threads, workspace))
        case BackdatedQuestion() if listing.marked is not None:
            marked = listing.marked.each()
            table = together(
                orders_with_threads(workspace, replace(read, history=each.history), each.behind.orders)
                for each in marked
            )
        case _ if listing.of_orders:
            table = of_orders(read, found, partial(_orders, workspace))
        case _:
            fields = [listing.by, *listing.columns]
            table = of_customers(read, found, lambda some, customers: _customers(some, fields, customers))
    return Sheet(sentences(read, listing.words), table)


def _customers(read: Read, fields: list[Field], customers: Int64s) -> pa.Table:
    return pa.table(
        who(read.orders, customers) | {field.name: field_column(read, field.name, customers) for field in fields}
    )


def _orders(workspace: Workspace, read: Read, positions: Int64s) -> pa.Table:
    customers = owner(read.orders, positions)
    fixed = {
        **who(read.orders, customers),
        "source": field_column(read, "source", positions),
        "order": order_number_column(workspace, read.book.id, read.orders, positions),
    }
    return pa.table(
        fixed
        | {
            field.name: field_column(read, field.name, positions if field.level is Level.ORDER else customers)
            for field in read.fields.fields
            if field.name not in ("name", "number", "email", *fixed)
        }
    )


def figures_sheet(workspace: Workspace, answer: FiguresAnswer) -> Sheet:
    """One row per group."""
    groups, book_id = answer.groups, answer.read.book.id

    def numbers(extremes: Extremes) -> pa.Array:
        return number_column(workspace, book_id, extremes.order_id, extremes.joined)

    table = pa.table(
        {
            "group": label_column(groups.labels),
            "customers": groups.customers,
            "orders": groups.orders,
            "revenue": exact_money(groups.revenue_minor),
            "average": exact_money(np.round(groups.average_minor).astype(np.int64)),
            "smallest": exact_money(groups.smallest.amount_minor),
            "smallest_order": numbers(groups.smallest),
            "largest": exact_money(groups.largest.amount_minor),
            "largest_order": numbers(groups.largest),
            "earliest": pa.array(groups.first_day.astype(np.int32), pa.date32()),
            "latest": pa.array(groups.latest_day.astype(np.int32), pa.date32()),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table)


def pairs_sheet(_workspace: Workspace, answer: PairsAnswer) -> Sheet:
    """The pairs that have an order, one per row."""
    read, question, grid = answer.read, answer.question, answer.grid
    row, place = np.nonzero(grid.orders)
    if grid.row_labels is None:
        rows: dict[str, pa.Array] = who(read.history.whole, grid.rows.take(row))
    else:
        named = label_column(grid.row_labels)
        rows = {question.rows: named.take(pa.array(grid.rows.take(row)))}
    labels = label_column(grid.column_labels)
    table = pa.table(
        {
            **rows,
            question.columns: labels.take(pa.array(place)),
            "orders": grid.orders[row, place],
            **{
                extreme.value: pa.array(days[row, place], pa.date32())
                for extreme, days in ((Extreme.EARLIEST, grid.earliest), (Extreme.LATEST, grid.latest))
                if question.extreme in (extreme, Extreme.BOTH)
            },
        }
    )
    return Sheet(sentences(read, answer.words), table)
