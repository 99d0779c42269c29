"""What Threads shows, as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field
from goldthread.core.threads.groups import Extremes
from goldthread.stops.behind.order_table import (
    field_column,
    number_column,
    order_number_column,
    orders_with_threads,
    who,
)
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, label_column
from goldthread.stops.threads.answer import FiguresAnswer, Listing, PairsAnswer
from goldthread.stops.threads.question import BackdatedQuestion, Extreme, OrdersQuestion
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]


def list_sheet(workspace: Workspace, listing: Listing) -> Sheet:
    """A whole list; of orders with every field there is."""
    read, question = listing.read, listing.question
    match question:
        case OrdersQuestion():
            table = orders_with_threads(workspace, read, listing.rows)
        case BackdatedQuestion():
            marked = np.zeros(0, np.int64) if listing.marked is None else listing.marked
            table = orders_with_threads(workspace, read, marked)
        case _:
            table = _orders(workspace, listing) if listing.of_orders else _customers(listing)
    return Sheet(sentences(read, listing.words), table)


def _customers(listing: Listing) -> pa.Table:
    return pa.table(
        who(listing.read.orders, listing.rows) | _fields(listing, [listing.by, *listing.columns], listing.rows)
    )


def _orders(workspace: Workspace, listing: Listing) -> pa.Table:
    rows = listing.rows
    fixed = {
        **who(listing.read.orders, listing.customers(rows)),
        "source": field_column(listing.read, "source", rows),
        "order": _numbers(workspace, listing, rows),
    }
    whole = [field for field in listing.read.fields.fields if field.name not in ("name", "number", "email")]
    return pa.table(fixed | _fields(listing, [field for field in whole if field.name not in fixed], rows))


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


def _fields(listing: Listing, fields: list[Field], rows: Int64s) -> dict[str, pa.Array]:
    customers = listing.customers(rows)
    return {
        field.name: field_column(listing.read, field.name, rows if field.level is Level.ORDER else customers)
        for field in fields
    }


def _numbers(workspace: Workspace, listing: Listing, rows: Int64s) -> pa.Array:
    return order_number_column(workspace, listing.read.book.id, listing.read.orders, rows)
