"""Orders as rows of a table: who placed them, and what their threads show."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Kind
from goldthread.core.counted import Counted
from goldthread.core.history.conditions import Level
from goldthread.core.threads.gaps import rank
from goldthread.core.threads.listing import RANK_BITS, positions_of_rows
from goldthread.core.threads.windows import RowsInSequence
from goldthread.stops.reading import Read
from goldthread.stops.sheet import column, exact_money, texts
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
_PHONE_NAMES = ("phone", "telephone", "tel", "mobile", "phone_number", "telefon", "telefono", "téléphone")
_FIRST_OF_ORDER = ("source", "date", "amount", "status", "rep", "channel", "category", "rank", "gap")
_LAST_OF_ORDER = ("revenue_to_date", "orders", "revenue")


def orders_with_threads(workspace: Workspace, read: Read, positions: Int64s) -> pa.Table:
    """Orders, one a row, with everything that their threads show."""
    customers = read.orders.customer.take(positions).astype(np.int64)
    first, *rest = _FIRST_OF_ORDER
    known = read.fields.by_name
    columns = {
        **who(read.orders, customers),
        first: field_column(read, first, positions),
        "order": order_number_column(workspace, read.book.id, read.orders, positions),
        **{name: field_column(read, name, positions) for name in rest if name in known},
        **{
            name: field_column(read, name, positions)
            for name, field in known.items()
            if field.own and field.level is Level.ORDER and not field.hidden
        },
        **{
            name: field_column(read, name, customers)
            for name, field in known.items()
            if name.startswith("first_") and field.level is Level.CUSTOMER and not field.hidden
        },
        "orders_to_date": pa.array(rank(read.orders).take(positions)),
    }
    for name in _LAST_OF_ORDER:
        at = positions if known[name].level is Level.ORDER else customers
        columns[name] = field_column(read, name, at)
    own = [name for name in read.shelved.orders.customers.attributes if name in known]
    return pa.table(columns | {name: field_column(read, name, customers) for name in own if name not in columns})


def orders_behind(workspace: Workspace, book_id: int, counted: Counted) -> pa.Table:
    """The orders behind a figure, one a row, by customer, then in the order of the thread."""
    shown = counted.each()
    return together(_orders(workspace, book_id, each.history.book, each.behind.orders) for each in shown)


def of_customers(read: Read, found: RowsInSequence, make: Callable[[Read, Int64s], pa.Table]) -> pa.Table:
    """The table of a long list of customers. ``make`` : gives that of some of them, by where they stand in what is read
    of them alone."""
    return together(make(*read.of_a_few(customers)) for customers in found.pieces())


def of_orders(read: Read, found: RowsInSequence, make: Callable[[Read, Int64s], pa.Table]) -> pa.Table:
    """The same of a list of orders (`order_rows`)."""

    def of_some(rows: Int64s) -> pa.Table:
        some, customers = read.of_a_few(rows >> RANK_BITS)
        return make(some, positions_of_rows(some.orders, customers, rows))

    return together(map(of_some, found.pieces()))


def together(tables: Iterable[pa.Table]) -> pa.Table:
    """Tables one after another as one."""
    return pa.concat_tables(tables).combine_chunks()


def _orders(workspace: Workspace, book_id: int, book: OrderBook, positions: Int64s) -> pa.Table:
    return pa.table(
        {
            **who(book, book.customer.take(positions).astype(np.int64)),
            "source": column(book.attributes["source"], Kind.LABEL, positions),
            "order": order_number_column(workspace, book_id, book, positions),
            "date": pa.array(book.day.take(positions), pa.date32()),
            "amount": exact_money(book.amount_minor.take(positions)),
            "status": column(book.attributes["status"], Kind.LABEL, positions),
        }
    )


def who(book: OrderBook, customers: Int64s) -> dict[str, pa.Array]:
    """Columns that say who customers are: number, else e-mail, and name."""
    about = book.customers.texts
    number, email = texts(about["number"], customers), texts(about["email"], customers)
    return {
        "customer": pc.if_else(pc.equal(number, ""), email, number),
        "name": texts(about["name"], customers),
    }


def phone_name(book: OrderBook) -> str | None:
    """The attribute of customers that holds their telephone number; None for a book without one."""
    known = {name.casefold().replace(" ", "_"): name for name in book.customers.attributes}
    return next((known[name] for name in _PHONE_NAMES if name in known), None)


def field_column(read: Read, name: str, rows: Int64s) -> pa.Array:
    """A field in some rows."""
    field = read.fields.field(name)
    return column(read.fields.values(name), field.kind, rows)


def order_number_column(workspace: Workspace, book_id: int, book: OrderBook, positions: Int64s) -> pa.Array:
    """Order numbers, from the record, in bulk; of a purchase day that of its first order, and how many more it has."""
    joined = None if book.joined is None else book.joined.take(positions)
    return number_column(workspace, book_id, book.ids_of(positions), joined)


def number_column(workspace: Workspace, book_id: int, order_id: Int64s, joined: Int64s | None) -> pa.Array:
    """The same of orders by their ids; ``joined`` : how many each stands for, where some stand for several."""
    numbers = workspace.order_numbers(book_id, order_id)
    if joined is None:
        return numbers
    more = pa.array(joined - 1)
    between, and_, more_ = (pa.scalar(each, pa.large_string()) for each in (" ", "and", "more"))
    and_more = pc.binary_join_element_wise(numbers, and_, more.cast(pa.large_string()), more_, between)
    return pc.if_else(pc.less_equal(more, 0), numbers, and_more)
