"""What customers bring revenue with: products and categories from the order lines themselves (section 9)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.lines import OrderLines
from goldthread.core.book.summing import distinct
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import first_label
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells
from goldthread.core.threads.gaps import first_orders
from goldthread.core.threads.groups import distinct_by_code

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
        lines = shown_lines(self.history)
        codes = lines.labels(self.of)
        wanted = np.isin(codes.codes, [code for code, each in enumerate(codes.labels) if each == label])
        return Behind.of(self.history.book, distinct(lines.order[wanted]))


def shown_lines(history: History) -> OrderLines:
    """The lines of the shown orders; positions stay those of the history's book."""
    lines = history.book.order_lines()
    if history.shown is None:
        return lines
    kept = np.flatnonzero(history.shown.take(lines.order))
    return OrderLines(
        lines.order.take(kept), _taken(lines.product, kept), _taken(lines.category, kept), lines.amount_minor.take(kept)
    )


def _taken(labels: Attribute, places: Int64s) -> Attribute:
    return Attribute(labels.codes.take(places), labels.labels)


def bought(history: History, of: str) -> Bought:
    """Customers, orders and revenue by ``product`` or ``category``. One pass and a sort of pairs."""
    book, lines = history.book, shown_lines(history)
    labels = lines.labels(of)
    codes, count = labels.codes.astype(np.int64), len(labels.labels)
    amount = np.zeros(count, np.int64)
    np.add.at(amount, codes, lines.amount_minor)
    orders = distinct_by_code(codes, lines.order, count, book.order_count)
    customers = distinct_by_code(codes, book.customer.take(lines.order), count, book.customer_count)
    of_lines = np.bincount(codes, minlength=count)
    there = np.flatnonzero(of_lines)
    ranked = there.take(np.argsort(-amount.take(there), kind="stable"))
    bare = np.ones(book.order_count, np.bool_) if history.shown is None else history.shown.copy()
    bare[lines.order] = False
    return Bought(
        history,
        of,
        tuple(labels.labels[code] for code in ranked.tolist()),
        customers.take(ranked),
        orders.take(ranked),
        of_lines.take(ranked),
        amount.take(ranked),
        int(lines.amount_minor.sum()),
        int(book.amount_minor[bare].sum()),
    )


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
        codes = [code for code, each in enumerate(label.labels) if each == row]
        members = np.isin(label.codes, codes) & (book.counts > 0)
        later = _later(self.history)
        if column is None:
            places = np.flatnonzero(later & members.take(book.customer))
            return Behind.of(book, places)
        lines = book.order_lines()
        wanted = [code for code, each in enumerate(lines.category.labels) if each == column]
        lined = np.isin(lines.category.codes, wanted) & later.take(lines.order)
        lined &= members.take(book.customer.take(lines.order))
        return Behind.of(book, distinct(lines.order[lined]))


def _later(history: History) -> NDArray[np.bool_]:
    later = np.ones(history.book.order_count, np.bool_)
    later[first_orders(history.book)] = False
    return later if history.shown is None else later & history.shown


def leads_to(history: History) -> LeadsTo:
    """First category by later category. Raises `TooLarge` for more pairs than a table may have."""
    book, lines = history.book, history.book.order_lines()
    first = first_label(book, "category")
    rows, columns = len(first.labels), len(lines.category.labels)
    limit_cells(rows * columns, remedy="There are too many categories: filter to some.", field="where")
    own = first.codes.astype(np.int64)
    customers = np.bincount(own.take(book.ordering), minlength=rows)
    later = _later(history)
    again = np.zeros(book.customer_count, np.bool_)
    again[book.customer[later]] = True
    counted = np.flatnonzero(later.take(lines.order))
    who = book.customer.take(lines.order.take(counted))
    cell = own.take(who) * columns + lines.category.codes.take(counted)
    came_to = distinct_by_code(cell, who, rows * columns, book.customer_count).reshape(rows, columns)
    by_size = np.argsort(-customers, kind="stable")
    by_size = by_size[customers.take(by_size) > 0]
    reached = came_to.sum(axis=0)
    by_reach = np.argsort(-reached, kind="stable")
    by_reach = by_reach[reached.take(by_reach) > 0]
    return LeadsTo(
        history,
        tuple(first.labels[code] for code in by_size.tolist()),
        tuple(lines.category.labels[code] for code in by_reach.tolist()),
        customers.take(by_size),
        np.bincount(own[again], minlength=rows).take(by_size),
        came_to[np.ix_(by_size, by_reach)],
    )
