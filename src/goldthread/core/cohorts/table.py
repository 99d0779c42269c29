"""The cohort table (``docs/definitions.md``, section 5).

The cohort of a customer is the period of the first counted order. Cell (c, k) looks at the orders that
customers of cohort c placed k periods after the first. Method: every order gets the number of its cell,
cohort · ages + age, by which orders and amounts are counted; customers are the orders less those that follow an
order of the same customer in the same cell (they stand together, because each customer's slice is sorted by day).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import OrderBook
from goldthread.core.history import History
from goldthread.core.limits import hold_cells
from goldthread.core.periods import (
    ELAPSED_DAYS,
    AgeKind,
    Period,
    period_end,
    period_label,
    period_of_day,
    period_start,
)
from goldthread.core.summing import AmountBlocks, blocks_of, count_and_sum, following
from goldthread.core.threads import first_orders
from goldthread.errors import InvalidInput

Int64s = NDArray[np.int64]
Cells = NDArray[np.uint16] | NDArray[np.int32]
SMALL_COHORT_BELOW = 30


class CellState(IntEnum):
    """Whether the period of a cell is over."""

    NOT_YET = 0
    PARTIAL = 1
    COMPLETE = 2


@dataclass(frozen=True, eq=False)
class CohortCounts:
    """What is counted by cohort and age. Arrays have the shape (cohorts, ages).

    Attributes
    ----------
    first_cohort : period index of row 0; rows follow without a gap, some may hold no customer
    size : int64, shape (cohorts,), customers whose first order falls in the cohort's period
    customers : distinct customers with at least one order in the cell
    orders : orders in the cell
    revenue_minor : sum of their amounts, ten-thousandths of the currency unit
    state : `CellState` of each cell
    reach : gives, when it is first needed, the customers by the age of their latest order, and by the age of the first
        one they placed at age 1 or later
    """

    period: Period
    age_kind: AgeKind
    first_cohort: int
    size: Int64s
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    state: NDArray[np.uint8]
    reach: Callable[[], Reach]

    @property
    def cohort_count(self) -> int:
        return int(self.customers.shape[0])

    @property
    def age_count(self) -> int:
        return int(self.customers.shape[1])

    @cached_property
    def labels(self) -> list[str]:
        """ISO names of the cohorts."""
        return [period_label(self.first_cohort + row, self.period) for row in range(self.cohort_count)]

    @cached_property
    def observed(self) -> NDArray[np.bool_]:
        """Cells whose period has at least begun, in cohorts that have customers."""
        begun: NDArray[np.bool_] = self.state != CellState.NOT_YET
        return begun & (self.size > 0)[:, None]

    @cached_property
    def complete(self) -> NDArray[np.bool_]:
        """Cells whose period is over, in cohorts that have customers."""
        over: NDArray[np.bool_] = self.state == CellState.COMPLETE
        return over & (self.size > 0)[:, None]

    @cached_property
    def small(self) -> NDArray[np.bool_]:
        """Cohorts too small to read a rate from without its interval; bool, shape (cohorts,)."""
        return (self.size > 0) & (self.size < SMALL_COHORT_BELOW)

    @cached_property
    def still_buying(self) -> Int64s:
        """Customers with at least one order at this age or any later one that has begun."""
        later: Int64s = self._reached.latest[:, ::-1].cumsum(axis=1)[:, ::-1]
        return later

    @cached_property
    def came_back_by(self) -> Int64s:
        """Customers with at least one order at an age from 1 to this one."""
        by: Int64s = self._reached.returned.cumsum(axis=1)
        return by

    @property
    def came_back(self) -> Int64s:
        """Customers with an order at any age from 1 on, counted afresh and never summed; int64, shape (cohorts,)."""
        ever: Int64s = self._reached.returned.sum(axis=1)
        return ever

    @cached_property
    def _reached(self) -> Reach:
        return self.reach()


@dataclass(frozen=True, eq=False)
class Reach:
    """Customers by the age of their latest order, and by the age of their first order at age 1 or later; int64, shape
    (cohorts, ages)."""

    latest: Int64s
    returned: Int64s


@dataclass(frozen=True, eq=False)
class CohortTable(CohortCounts):
    """Cohorts by age, and the history they were counted in."""

    history: History

    def behind(self, cohort: int, age: int) -> Behind:
        """The customers and orders that cell (row ``cohort``, column ``age``) counts.

        Raises `InvalidInput` when the cell is outside the table or its period has not begun.
        """
        if not (0 <= cohort < self.cohort_count and 0 <= age < self.age_count and self.observed[cohort, age]):
            raise InvalidInput(
                "That cell is not in the table.",
                remedy="Choose a cohort that has customers and an age that has begun by the as-of date.",
                field="age",
            )
        cells = self.cells()
        return self._behind(cells == cells.dtype.type(cohort * self.age_count + age))

    def behind_cells(self, wanted: NDArray[np.bool_]) -> Behind:
        """The customers and orders of several cells together, each once; ``wanted`` has the table's shape."""
        return self._behind(wanted.ravel().take(self.cells()))

    def cohort_of_customers(self) -> NDArray[np.int32]:
        """Row of each customer in ``history.book.ordering``; int32."""
        return _first_periods(self.history.book, self.period) - np.int32(self.first_cohort)

    def cells(self) -> Cells:
        """Cell number of each order of the history's book, cohort · ages + age."""
        return _cells(self.history.book, self.period, self.age_kind, self.first_cohort, self.age_count)

    def _behind(self, inside: NDArray[np.bool_]) -> Behind:
        shown = self.history.shown
        return Behind.of(self.history.book, np.flatnonzero(inside if shown is None else inside & shown))


@dataclass(frozen=True, eq=False)
class Behind:
    """What stands behind one figure.

    ``customers`` : int32, ascending, each once. ``orders`` : int64, positions in the history's book, ascending.
    """

    customers: NDArray[np.int32]
    orders: Int64s

    @classmethod
    def of(cls, book: OrderBook, positions: Int64s) -> Behind:
        """Some orders with their customers; ``positions`` ascend, so each customer's stand together."""
        who = book.customer.take(positions)
        first_of_each = np.ones(who.size, np.bool_)
        first_of_each[1:] = who[1:] != who[:-1]
        return cls(who[first_of_each], positions)


def cohort_table(history: History, period: Period, age_kind: AgeKind = AgeKind.CALENDAR) -> CohortTable:
    """Count customers, orders and revenue by cohort and age.

    Raises `TooLarge` when the span of the book would make more cells of this period than a table may.
    Linear in the orders: one pass over columns kept with the book.
    """
    book, as_of_day = history.book, history.rule.as_of_day
    if book.order_count == 0:
        empty = np.zeros((0, 0), np.int64)
        nobody, nothing = np.zeros(0, np.int64), empty.astype(np.uint8)
        return CohortTable(
            period, age_kind, 0, nobody, empty, empty, empty, nothing, lambda: Reach(empty, empty), history
        )
    first_period = _first_periods(book, period)
    first_cohort, last_cohort = int(first_period.min()), int(first_period.max())
    cohorts = last_cohort - first_cohort + 1
    ages = _age_count(book, period, age_kind, first_cohort, as_of_day)
    hold_cells(cohorts * ages, remedy="Choose a longer period, or an earlier as-of date.", field="period")
    cells = _cells(book, period, age_kind, first_cohort, ages)
    shape = (cohorts, ages)

    def again() -> Cells:
        key = ("cells again", period, age_kind, ages)
        return book.derived(key, lambda: cells.take(_again_at(book, period, age_kind, cells)))

    customers, orders, revenue = _counted(history, cells, again, cohorts * ages)
    return CohortTable(
        period,
        age_kind,
        first_cohort,
        np.bincount(first_period - np.int32(first_cohort), minlength=cohorts).astype(np.int64),
        customers.reshape(shape),
        orders.reshape(shape),
        revenue.reshape(shape),
        _states(book, period, age_kind, first_cohort, shape, as_of_day),
        lambda: _reach_of(reaching(history, period, age_kind, ages), shape),
        history,
    )


def _counted(history: History, cells: Cells, again: Callable[[], Cells], length: int) -> tuple[Int64s, Int64s, Int64s]:
    """Distinct customers, orders and revenue of the shown orders by cell; int64, shape (length,).

    ``again`` gives the cells of the orders that follow one of the same customer in the same cell, where all are shown.
    """
    book, shown = history.book, history.shown_orders
    if shown is None:
        repeated = again()
        amounts: AmountBlocks = book.amount_blocks
    else:
        cells = cells.take(shown)
        repeated = _shown_again(cells, book.customer.take(shown))
        amounts = blocks_of(book.amount_minor.take(shown))
    orders, revenue = count_and_sum(amounts, cells, length, book.largest_amount_minor)
    return orders - np.bincount(repeated, minlength=length), orders, revenue


def split_table(table: CohortTable, codes: NDArray[np.integer[Any]], groups: int) -> list[CohortCounts]:
    """The same table for groups of customers, counted in one pass; every customer is in one group.

    ``codes`` : the group of each customer of the book, 0 … groups − 1, shape (customers,). The groups' tables add up to
    ``table``. Whether a cell is complete is told for the whole table, so for the elapsed kind with the customers of
    all groups in mind. Raises `TooLarge` beyond the cells of a table.
    """
    history, (cohorts, ages) = table.history, table.customers.shape
    book, length = history.book, cohorts * ages
    hold_cells(groups * length, remedy="Choose a longer period, or an attribute with fewer values.", field="split")
    if length == 0:
        return [table] * groups
    own = codes.take(book.ordering).astype(np.int32)
    cells = table.cells()
    dtype: type[np.uint16] | type[np.int32] = np.uint16 if groups * length <= 1 << 16 else np.int32
    placed: Cells = np.repeat((own * np.int32(length)).astype(dtype), book.counts.take(book.ordering))
    placed += cells.astype(dtype, copy=False)

    def again() -> Cells:
        return placed.take(_again_at(book, table.period, table.age_kind, cells))

    customers, orders, revenue = _counted(history, placed, again, groups * length)
    row = _first_periods(book, table.period) - np.int32(table.first_cohort)
    sizes = np.bincount(own * np.int32(cohorts) + row, minlength=groups * cohorts).reshape(groups, cohorts)
    shape = (groups, cohorts, ages)
    customers, orders, revenue = customers.reshape(shape), orders.reshape(shape), revenue.reshape(shape)
    reached = reaching(history, table.period, table.age_kind, ages)

    def counts(group: int) -> CohortCounts:
        return CohortCounts(
            table.period,
            table.age_kind,
            table.first_cohort,
            sizes[group].astype(np.int64),
            customers[group],
            orders[group],
            revenue[group],
            table.state,
            lambda: _reach_of(reached.among(codes == group), (cohorts, ages)),
        )

    return [counts(group) for group in range(groups)]


@dataclass(frozen=True, eq=False)
class Reaching:
    """How far each customer came; arrays have one place per customer with a shown order.

    ``customer`` : int, places of customers in the book. ``latest``, ``returned`` : cell of the latest order and of the
    first order at age 1 or later, −1 where there is none; int64.
    """

    customer: Int64s
    latest: Int64s
    returned: Int64s

    def among(self, wanted: NDArray[np.bool_]) -> Reaching:
        """Those of some customers; bool, shape (customers of the book,)."""
        kept = np.flatnonzero(wanted.take(self.customer))
        return Reaching(self.customer.take(kept), self.latest.take(kept), self.returned.take(kept))


def reaching(history: History, period: Period, age_kind: AgeKind, ages: int) -> Reaching:
    """The cells in which each customer's shown orders begin again and end.

    Within a customer's slice ages never fall, so the orders at age 0 stand first: counting them gives the place of the
    first later one.
    """
    book, shown = history.book, history.shown_orders
    cells = _cells(book, period, age_kind, int(_first_periods(book, period).min()), ages)
    if shown is None:
        key = ("reaching", period, age_kind, ages)
        return book.derived(key, lambda: _reaching_all(book, period, age_kind, cells))
    who = book.customer.take(shown)
    if who.size == 0:
        none = np.zeros(0, np.int64)
        return Reaching(none, none, none)
    starts = np.flatnonzero(np.append(True, who[1:] != who[:-1]))
    customer, inside = who.take(starts).astype(np.int64), cells.take(shown)
    counts = np.diff(np.append(starts, who.size))
    home = cells.take(book.starts.take(customer))
    at_home = np.add.reduceat(np.repeat(home, counts) == inside, starts, dtype=np.int64)
    return _reached(customer, inside, starts, counts, at_home)


def _reaching_all(book: OrderBook, period: Period, age_kind: AgeKind, cells: Cells) -> Reaching:
    """As `reaching` where every order is shown: what stands at age 0 beyond the first follows an order in its cell."""
    customer, starts = book.ordering, first_orders(book)
    again = _again_at(book, period, age_kind, cells)
    who = book.customer.take(again)
    at_first = cells.take(again) == cells.take(book.starts.take(who))
    at_home = np.bincount(who[at_first], minlength=book.customer_count).take(customer) + 1
    return _reached(customer, cells, starts, book.counts.take(customer), at_home)


def _reached(customer: Int64s, inside: Cells, starts: Int64s, counts: Int64s, at_home: Int64s) -> Reaching:
    returned = np.full(starts.size, -1, np.int64)
    later = np.flatnonzero(at_home < counts)
    returned[later] = inside.take((starts + at_home).take(later))
    return Reaching(customer, inside.take(starts + counts - 1).astype(np.int64), returned)


def _reach_of(reached: Reaching, shape: tuple[int, int]) -> Reach:
    length = shape[0] * shape[1]
    returned = reached.returned[reached.returned >= 0]
    return Reach(
        np.bincount(reached.latest, minlength=length).reshape(shape),
        np.bincount(returned, minlength=length).reshape(shape),
    )


def _first_periods(book: OrderBook, period: Period) -> NDArray[np.int32]:
    """Cohort of each ordering customer, as a period index."""
    return book.derived(("first periods", period), lambda: _make_first_periods(book, period))


def _make_first_periods(book: OrderBook, period: Period) -> NDArray[np.int32]:
    first, codes = book.period(period)
    return codes.take(first_orders(book)).astype(np.int32) + np.int32(first)


def _age_count(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, as_of_day: int) -> int:
    if age_kind is AgeKind.CALENDAR:
        return period_of_day(as_of_day, period) - first_cohort + 1
    earliest = int(book.day.take(first_orders(book)).min())
    return (as_of_day - earliest) // ELAPSED_DAYS[period] + 1


def _cells(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, ages: int) -> Cells:
    """Cell number of each order, cohort · ages + age."""
    return book.derived(
        ("cells", period, age_kind, ages), lambda: _make_cells(book, period, age_kind, first_cohort, ages)
    )


def _make_cells(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, ages: int) -> Cells:
    if book.order_count == 0:
        return np.zeros(0, np.uint16)
    origin, codes = book.period(period)
    cohort = _first_periods(book, period) - np.int32(first_cohort)
    narrow = (int(cohort.max()) + 1) * ages <= 1 << 16
    dtype: type[np.uint16] | type[np.int32] = np.uint16 if narrow else np.int32
    counts = book.counts.take(book.ordering)
    if age_kind is AgeKind.CALENDAR:
        # cohort · ages + (period − cohort): the part that is one value per customer, plus the order's own period
        own = cohort * np.int32(ages - 1) + np.int32(origin - first_cohort)
        cells = np.repeat(own.astype(dtype), counts)
        cells += codes
        return cells
    length = np.int32(ELAPSED_DAYS[period])
    cells = np.repeat((cohort * np.int32(ages)).astype(dtype), counts)
    since = book.day - np.repeat(book.day.take(first_orders(book)), counts)
    since //= length
    cells += since.astype(dtype)
    return cells


def _again_at(book: OrderBook, period: Period, age_kind: AgeKind, cells: Cells) -> Int64s:
    """Positions of the orders that follow an order of the same customer in the same cell: a short list, kept."""

    return book.derived(("again at", period, age_kind), lambda: following(cells, first_orders(book)))


def _shown_again(cells: Cells, customer: NDArray[np.int32]) -> Cells:
    """As `_cells_again`, where only some orders of each customer are looked at."""
    follows = (cells[1:] == cells[:-1]) & (customer[1:] == customer[:-1])
    again: Cells = cells[1:][follows]
    return again


def _states(
    book: OrderBook,
    period: Period,
    age_kind: AgeKind,
    first_cohort: int,
    shape: tuple[int, int],
    as_of_day: int,
) -> NDArray[np.uint8]:
    rows, ages = np.arange(shape[0])[:, None], np.arange(shape[1])[None, :]
    if age_kind is AgeKind.CALENDAR:
        begins = period_start(first_cohort + rows + ages, period)
        ends = period_end(first_cohort + rows + ages, period)
    else:
        length = ELAPSED_DAYS[period]
        earliest, latest = book.derived(
            ("first days", period), lambda: _first_day_range(book, period, first_cohort, shape[0])
        )
        begins = earliest[:, None] + ages * length
        ends = latest[:, None] + (ages + 1) * length - 1
    state = np.full(shape, CellState.PARTIAL, np.uint8)
    state[ends <= as_of_day] = CellState.COMPLETE
    state[begins > as_of_day] = CellState.NOT_YET
    return state


def _first_day_range(book: OrderBook, period: Period, first_cohort: int, cohorts: int) -> tuple[Int64s, Int64s]:
    """Earliest and latest first-order day of each cohort; of an empty cohort, its own first day."""
    row = _first_periods(book, period) - np.int32(first_cohort)
    day = book.day.take(first_orders(book)).astype(np.int64)
    beyond = np.iinfo(np.int64)
    earliest, latest = np.full(cohorts, beyond.max), np.full(cohorts, beyond.min)
    np.minimum.at(earliest, row, day)
    np.maximum.at(latest, row, day)
    nobody = latest < earliest
    own = period_start(first_cohort + np.arange(cohorts), period)
    return np.where(nobody, own, earliest), np.where(nobody, own, latest)
