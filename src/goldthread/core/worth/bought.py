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
from goldthread.core.parts import Sums, adds_up
from goldthread.core.threads.gaps import first_orders

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class BoughtCounts(Sums):
    """What is counted by product or category; int64, shape (labels,).

    ``customers``, ``orders`` : distinct ones with such a line. ``revenue_minor`` : of these lines alone.
    ``without_lines_minor`` : revenue of shown orders that have none.
    """

    labels: tuple[str, ...]
    customers: Int64s
    orders: Int64s
    lines: Int64s
    revenue_minor: Int64s
    without_lines_minor: int

    @property
    def lines_minor(self) -> int:
        """What all shown lines come to, ten-thousandths of the currency unit."""
        return int(self.revenue_minor.sum())

    @property
    def ranked(self) -> Int64s:
        """Places of the labels that a shown line has, the one with the most revenue first; int64."""
        there = np.flatnonzero(self.lines)
        return there.take(np.argsort(-self.revenue_minor.take(there), kind="stable"))


@dataclass(frozen=True, eq=False)
class Bought(BoughtCounts):
    """Products or categories that some shown line has, the one with the most revenue first."""

    of: str


def who_bought(history: History, of: str, label: str) -> Behind:
    """The customers and shown orders with a line of a product or category."""
    book, shown = history.book, history.shown
    lines = book.order_lines()
    orders = distinct(lines.order.take(np.flatnonzero(lines.labels(of).having(label))))
    return Behind.of(book, orders if shown is None else orders[shown.take(orders)])


def bought(history: History, of: str) -> Bought:
    """Customers, orders and revenue by ``product`` or ``category``."""
    found = bought_counts(history, of)
    ranked = found.ranked
    return Bought(
        tuple(found.labels[place] for place in ranked.tolist()),
        found.customers.take(ranked),
        found.orders.take(ranked),
        found.lines.take(ranked),
        found.revenue_minor.take(ranked),
        found.without_lines_minor,
        of,
    )


@adds_up
def bought_counts(history: History, of: str) -> BoughtCounts:
    """The same of every label, in their sequence.

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
    return BoughtCounts(
        labels.labels,
        of_lines - np.bincount(customers_again, minlength=count),
        of_lines - np.bincount(orders_again, minlength=count),
        of_lines,
        revenue,
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
class LeadsTo(Sums):
    """What a first purchase leads to. Rows are the categories of first orders, columns those of the lines of later
    orders.

    ``customers`` : int64, shape (rows,), whose first order was of the category. ``later`` : int64, shape (rows,), of
    them with a later order. ``came_to`` : int64, shape (rows, columns), of them with such a line in a later order.
    """

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    customers: Int64s
    later: Int64s
    came_to: Int64s

    @property
    def by_size(self) -> Int64s:
        """Places of the rows that have customers, the most frequent first; int64."""
        ranked = np.argsort(-self.customers, kind="stable")
        return ranked[self.customers.take(ranked) > 0]

    @property
    def by_reach(self) -> Int64s:
        """Places of the columns that somebody came to, the most frequent first; int64."""
        reached: Int64s = self.came_to.sum(axis=0)
        ranked = np.argsort(-reached, kind="stable")
        return ranked[reached.take(ranked) > 0]


def who_came_to(history: History, row: str, column: str | None) -> Behind:
    """The customers of a row with the later orders that have a line of a column; with any later one for None."""
    book = history.book
    label = first_label(book, "category")
    members = label.having(row) & (book.counts > 0)
    later = _later(history)
    if column is None:
        return Behind.of(book, np.flatnonzero(later & members.take(book.customer)))
    lines = book.order_lines()
    lined = lines.category.having(column) & later.take(lines.order)
    lined &= members.take(book.customer.take(lines.order))
    return Behind.of(book, distinct(lines.order[lined]))


def _later(history: History) -> NDArray[np.bool_]:
    later = np.ones(history.book.order_count, np.bool_)
    later[first_orders(history.book)] = False
    return later if history.shown is None else later & history.shown


def leads_to(history: History) -> LeadsTo:
    """First category by later category, the most frequent row, and column, first; those without anybody are left out.
    Raises `TooLarge` for more pairs than a table may have."""
    found = leads_to_counts(history)
    rows, columns = found.by_size, found.by_reach
    return LeadsTo(
        tuple(found.rows[place] for place in rows.tolist()),
        tuple(found.columns[place] for place in columns.tolist()),
        found.customers.take(rows),
        found.later.take(rows),
        found.came_to[np.ix_(rows, columns)],
    )


@adds_up
def leads_to_counts(history: History) -> LeadsTo:
    """The same of every category, in their sequence."""
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
    later = np.bincount(own.take(again), minlength=rows)
    return LeadsTo(first.labels, lines.category.labels, customers, later, cells.reshape(rows, columns))


def _came_to(history: History) -> tuple[Int32s, Int32s]:
    """Each customer with each category of the lines of their shown later orders, once; int32."""
    book = history.book
    lines = book.order_lines()
    counted = np.flatnonzero(_later(history).take(lines.order))
    who = book.customer.take(lines.order.take(counted))
    return distinct_pairs(who, lines.category.codes.take(counted), len(lines.category.labels))
