"""What customers bring revenue with: products and categories from the order lines themselves (section 9)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import blocks
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.summing import blocks_of, count_and_sum, distinct, distinct_pairs, repeated
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import first_label
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells
from goldthread.core.threads.gaps import first_orders

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Bought:
    """Products or categories, the one with the most revenue first; int64, shape (labels,). Labels that no shown line
    has are left out.

    ``customers``, ``orders`` : distinct ones with such a line. ``revenue_minor`` : of these lines alone.
    ``lines_minor`` : of all shown lines; ``without_lines_minor`` : revenue of shown orders that have none.
    """

    history: History
    of: str
    labels: tuple[str, ...]
    customers: Int64s
    orders: Int64s
    lines: Int64s
    revenue_minor: Int64s
    lines_minor: int
    without_lines_minor: int

    def behind(self, label: str) -> Behind:
        """The customers and shown orders with such a line."""
        book, shown = self.history.book, self.history.shown
        lines = book.order_lines()
        orders = distinct(lines.order.take(np.flatnonzero(lines.labels(self.of).having(label))))
        return Behind.of(book, orders if shown is None else orders[shown.take(orders)])


def bought(history: History, of: str) -> Bought:
    """Customers, orders and revenue by ``product`` or ``category``.

    One pass over the shown lines. Distinct orders and customers are the lines less those that repeat a label of the
    same order or customer, which are found by a sort: once for all lines, which the book keeps, and the customers' anew
    where only some orders are shown.
    """
    book, lines = history.book, history.book.order_lines()
    labels = lines.labels(of)
    count, bare = len(labels.labels), _without_lines(book)
    in_order, orders_again = _again_in_order(book, of)
    order, codes, amount = lines.order, labels.codes, lines.amount_minor
    if history.shown is not None:
        shown = np.flatnonzero(history.shown.take(order))
        order, codes, amount = order.take(shown), codes.take(shown), amount.take(shown)
        orders_again, bare = orders_again[history.shown.take(in_order)], bare & history.shown
    _, customers_again = history.derived(
        ("lines again of customer", of), lambda: repeated(book.customer.take(order), codes, count)
    )
    of_lines, revenue = count_and_sum(blocks_of(amount), codes, count)
    orders = of_lines - np.bincount(orders_again, minlength=count)
    customers = of_lines - np.bincount(customers_again, minlength=count)
    there = np.flatnonzero(of_lines)
    ranked = there.take(np.argsort(-revenue.take(there), kind="stable"))
    return Bought(
        history,
        of,
        tuple(labels.labels[code] for code in ranked.tolist()),
        customers.take(ranked),
        orders.take(ranked),
        of_lines.take(ranked),
        revenue.take(ranked),
        int(revenue.sum()),
        int(book.amount_minor.sum(where=bare)),
    )


@kept
def _without_lines(book: OrderBook) -> NDArray[np.bool_]:
    """Orders that have no line; bool, shape (orders,)."""
    bare = np.ones(book.order_count, np.bool_)
    bare[book.order_lines().order] = False
    return bare


@kept
def _again_in_order(book: OrderBook, of: str) -> tuple[Int32s, Int32s]:
    """The orders, and the label, of the lines that repeat a label of their order; int32."""
    lines = book.order_lines()
    labels = lines.labels(of)
    return repeated(lines.order, labels.codes, len(labels.labels))


@dataclass(frozen=True, eq=False)
class LeadsTo:
    """What a first purchase leads to. Rows are the categories of first orders, the most frequent first; columns those
    of the lines of later orders, likewise.

    ``customers`` : int64, shape (rows,), whose first order was of the category. ``later`` : int64, shape (rows,), of
    them with a later order. ``came_to`` : int64, shape (rows, columns), of them with such a line in a later order.
    """

    history: History
    rows: tuple[str, ...]
    columns: tuple[str, ...]
    customers: Int64s
    later: Int64s
    came_to: Int64s

    def behind(self, row: str, column: str | None) -> Behind:
        """The customers of a row with the later orders that have a line of a column; with any later one for None."""
        book = self.history.book
        label = first_label(book, "category")
        members = label.having(row) & (book.counts > 0)
        later = _later(self.history)
        if column is None:
            places = np.flatnonzero(later & members.take(book.customer))
            return Behind.of(book, places)
        lines = book.order_lines()
        lined = lines.category.having(column) & later.take(lines.order)
        lined &= members.take(book.customer.take(lines.order))
        return Behind.of(book, distinct(lines.order[lined]))


def _later(history: History) -> NDArray[np.bool_]:
    later = np.ones(history.book.order_count, np.bool_)
    later[first_orders(history.book)] = False
    return later if history.shown is None else later & history.shown


def leads_to(history: History) -> LeadsTo:
    """First category by later category. Raises `TooLarge` for more pairs than a table may have."""
    book = history.book
    first, lines = first_label(book, "category"), book.order_lines()
    rows, columns = len(first.labels), len(lines.category.labels)
    limit_cells(rows * columns, remedy="There are too many categories: filter to some.", field="where")
    own = first.codes.astype(np.int32)
    customers = np.bincount(own.take(book.ordering), minlength=rows)
    again = history.derived("customers with later orders", lambda: distinct(book.customer[_later(history)]))
    who, came_to = history.derived("categories of later orders", lambda: _came_to(history))
    cells = np.zeros(rows * columns, np.int64)
    for block in blocks(who.size):
        cells += np.bincount(own.take(who[block]) * columns + came_to[block], minlength=cells.size)
    table = cells.reshape(rows, columns)
    by_size = np.argsort(-customers, kind="stable")
    by_size = by_size[customers.take(by_size) > 0]
    reached = table.sum(axis=0)
    by_reach = np.argsort(-reached, kind="stable")
    by_reach = by_reach[reached.take(by_reach) > 0]
    return LeadsTo(
        history,
        tuple(first.labels[code] for code in by_size.tolist()),
        tuple(lines.category.labels[code] for code in by_reach.tolist()),
        customers.take(by_size),
        np.bincount(own.take(again), minlength=rows).take(by_size),
        table[np.ix_(by_size, by_reach)],
    )


def _came_to(history: History) -> tuple[Int32s, Int32s]:
    """Each customer with each category of the lines of their shown later orders, once; int32."""
    book = history.book
    lines = book.order_lines()
    counted = np.flatnonzero(_later(history).take(lines.order))
    who = book.customer.take(lines.order.take(counted))
    return distinct_pairs(who, lines.category.codes.take(counted), len(lines.category.labels))
