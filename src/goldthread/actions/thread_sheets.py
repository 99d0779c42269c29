"""What the Threads stop shows, as tables to take away; and every order with what its thread tells."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from goldthread.actions.customer import place_of
from goldthread.actions.reading import Read
from goldthread.actions.sheets import Sheet, column, exact_money, texts
from goldthread.actions.thread_questions import (
    BackdatedQuestion,
    CustomersQuestion,
    Extreme,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
)
from goldthread.actions.thread_wording import Question, thread_sentence
from goldthread.actions.threads import (
    Listing,
    date_pairs,
    figures,
    list_backdated,
    list_customers,
    list_orders,
)
from goldthread.actions.wording import plain, reading_line
from goldthread.actions.workspace import Workspace
from goldthread.core.conditions import Level
from goldthread.core.fields import Field
from goldthread.core.groups import Groups, positions_shown
from goldthread.core.threads import rank
from goldthread.store.orders_out import order_numbers

Int64s = NDArray[np.int64]
_FIRST_OF_ORDER = ("source", "date", "amount", "status", "rep", "channel", "category", "rank", "gap")
_LAST_OF_ORDER = ("revenue_to_date", "orders", "revenue")


def thread_sheet(workspace: Workspace, reading: Read, question: Question) -> Sheet:
    """The whole answer to a question, as a table."""
    match question:
        case CustomersQuestion():
            table = _customers(list_customers(workspace, reading, question))
        case OrdersQuestion():
            table = _orders(workspace, list_orders(workspace, reading, question))
        case FiguresQuestion():
            table = _figures(workspace, reading, figures(workspace, reading, reading.history, question))
        case PairsQuestion():
            table = _pairs(workspace, reading, question)
        case BackdatedQuestion():
            listing, positions = list_backdated(workspace, reading, question)
            table = _orders_at(workspace, listing.read, positions)
    return Sheet((plain(thread_sentence(reading, question)), plain(reading_line(reading))), table)


def all_orders_sheet(workspace: Workspace, reading: Read) -> Sheet:
    """Every shown order with the facts of its thread."""
    sentences = ("Every order with what its thread tells.", plain(reading_line(reading)))
    return Sheet(sentences, _orders_at(workspace, reading, positions_shown(reading.history)))


def one_thread_sheet(workspace: Workspace, reading: Read, customer_id: int) -> Sheet:
    """Every order of one customer."""
    place, book = place_of(workspace, reading, customer_id), reading.orders
    shown = positions_shown(reading.history)
    theirs = shown[(shown >= book.starts[place]) & (shown < book.starts[place + 1])]
    sentences = (f"The thread of {book.customers.name(place)}.", plain(reading_line(reading)))
    return Sheet(sentences, _orders_at(workspace, reading, theirs))


def _customers(listing: Listing) -> pa.Table:
    return pa.table(_who(listing.read, listing.rows) | _fields(listing, [listing.by, *listing.columns], listing.rows))


def _orders(workspace: Workspace, listing: Listing) -> pa.Table:
    rows = listing.rows
    fixed = {
        **_who(listing.read, listing.customers(rows)),
        "source": _column(listing.read, "source", rows),
        "order": _numbers(workspace, listing.read, rows),
    }
    whole = [field for field in listing.read.fields.fields if field.name not in ("name", "number", "email")]
    return pa.table(fixed | _fields(listing, [field for field in whole if field.name not in fixed], rows))


def _orders_at(workspace: Workspace, reading: Read, positions: Int64s) -> pa.Table:
    customers = reading.orders.customer.take(positions).astype(np.int64)
    first, *rest = _FIRST_OF_ORDER
    known = reading.fields.by_name
    columns = {
        **_who(reading, customers),
        first: _column(reading, first, positions),
        "order": _numbers(workspace, reading, positions),
        **{name: _column(reading, name, positions) for name in rest if name in known},
        **{
            name: _column(reading, name, customers)
            for name in known
            if name.startswith("first_") and known[name].level is Level.CUSTOMER
        },
        "orders_to_date": pa.array(rank(reading.orders).take(positions)),
    }
    for name in _LAST_OF_ORDER:
        at = positions if known[name].level is Level.ORDER else customers
        columns[name] = _column(reading, name, at)
    own = [name for name in reading.shelved.orders.customers.attributes if name in known]
    return pa.table(columns | {name: _column(reading, name, customers) for name in own if name not in columns})


def _figures(workspace: Workspace, reading: Read, groups: Groups) -> pa.Table:
    return pa.table(
        {
            "group": pa.array(groups.labels, pa.large_string()),
            "customers": groups.customers,
            "orders": groups.orders,
            "revenue": exact_money(groups.revenue_minor),
            "average": exact_money(np.round(groups.average_minor).astype(np.int64)),
            "smallest": exact_money(reading.orders.amount_minor.take(groups.smallest)),
            "smallest_order": _numbers(workspace, reading, groups.smallest),
            "largest": exact_money(reading.orders.amount_minor.take(groups.largest)),
            "largest_order": _numbers(workspace, reading, groups.largest),
            "earliest": pa.array(groups.first_day.astype(np.int32), pa.date32()),
            "latest": pa.array(groups.latest_day.astype(np.int32), pa.date32()),
        }
    )


def _pairs(workspace: Workspace, reading: Read, question: PairsQuestion) -> pa.Table:
    grid = date_pairs(workspace, reading, question)
    row, place = np.nonzero(grid.orders)
    if grid.row_labels is None:
        rows: dict[str, pa.Array] = _who(reading, grid.rows.take(row))
    else:
        named = pa.array(grid.row_labels, pa.large_string())
        rows = {question.rows: named.take(pa.array(grid.rows.take(row)))}
    labels = pa.array(grid.column_labels, pa.large_string())
    return pa.table(
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


def _who(reading: Read, customers: Int64s) -> dict[str, pa.Array]:
    about = reading.shelved.orders.customers.texts
    number, email = texts(about["number"], customers), texts(about["email"], customers)
    return {
        "customer": pc.if_else(pc.equal(number, ""), email, number),
        "name": texts(about["name"], customers),
    }


def _fields(listing: Listing, fields: list[Field], rows: Int64s) -> dict[str, pa.Array]:
    customers = listing.customers(rows)
    return {
        field.name: _column(listing.read, field.name, rows if field.level is Level.ORDER else customers)
        for field in fields
    }


def _column(reading: Read, name: str, rows: Int64s) -> pa.Array:
    field = reading.fields.field(name)
    return column(reading.fields.values(name), field.kind, rows)


def _numbers(workspace: Workspace, reading: Read, positions: Int64s) -> pa.Array:
    """Order numbers, from the record, in bulk."""
    return order_numbers(workspace.record, reading.book.id, reading.orders.order_id.take(positions))
