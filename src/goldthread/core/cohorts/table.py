"""The cohort table (``docs/definitions.md``, section 5).

The cohort of a customer is the period of the first counted order. Cell (c, k) looks at the orders that
customers of cohort c placed k periods after the first. Method: every order gets the number of its cell,
cohort · ages + age, by which orders and amounts are counted; customers are the orders less those that follow an
order of the same customer in the same cell (they stand together, because each customer's slice is sorted by day).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.filtered import Beginning
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.periods import CellState, period_label
from goldthread.core.book.summing import AmountBlocks, blocks_of, count_and_sum
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.cells import (
    NO_FIRST,
    Cells,
    FirstDays,
    again_at,
    age_count,
    cell_states,
    cells_of,
    first_days_of,
    first_periods,
    shown_again,
)
from goldthread.core.cohorts.reach import Reach, reach_of, reaching
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.limits import CELLS_MOST, limit_cells
from goldthread.core.parts import MadeLater, Together, adds_up
from goldthread.errors import InvalidInput

Int64s = NDArray[np.int64]
GroupsOf = Callable[[History], NDArray[np.integer[Any]]]
"""Gives the group of each customer of a history: 0 … groups − 1, shape (customers,)."""


@dataclass(frozen=True, eq=False)
class Known:
    """A reach that was found already."""

    reach: Reach

    def __call__(self) -> Reach:
        return self.reach


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
    as_of_day : days since 1970-01-01
    reach : gives, when it is first needed, the customers by the age of their latest order, and by the age of the first
        one they placed at age 1 or later
    first_days : between which days the first orders of each cohort lie, where ages are elapsed
    """

    period: Period
    age_kind: AgeKind
    first_cohort: int
    size: Int64s
    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s
    as_of_day: int
    reach: Callable[[], Reach]
    first_days: FirstDays | None

    def __add__(self, other: CohortCounts) -> CohortCounts:
        """The same question of two parts of a book."""
        on = Together.by_period((self.first_cohort, self.cohort_count), (other.first_cohort, other.cohort_count))
        between = None
        if self.first_days and other.first_days:
            merging = zip(self.first_days, other.first_days, (np.minimum, np.maximum), NO_FIRST, strict=True)
            earliest, latest = (on.of(one, another, how, nobody) for one, another, how, nobody in merging)
            between = earliest, latest
        return CohortCounts(
            self.period,
            self.age_kind,
            on.first,
            on.of(self.size, other.size),
            on.of(self.customers, other.customers),
            on.of(self.orders, other.orders),
            on.of(self.revenue_minor, other.revenue_minor),
            self.as_of_day,
            lambda: Reach(
                on.of(self.reached.latest, other.reached.latest), on.of(self.reached.returned, other.reached.returned)
            ),
            between,
        )

    def __reduce__(self) -> tuple[Any, ...]:
        """The counts are sent, and of the history the reach alone."""
        known = {each.name: getattr(self, each.name) for each in fields(CohortCounts)} | {"reach": Known(self.reached)}
        return CohortCounts, tuple(known.values())

    @cached_property
    def state(self) -> NDArray[np.uint8]:
        """`CellState` of each cell; uint8, shape (cohorts, ages)."""
        shape = (self.cohort_count, self.age_count)
        return cell_states(self.period, self.first_cohort, shape, self.as_of_day, self.first_days)

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
        """Cells whose period has at least begun, in cohorts that have customers; bool, shape (cohorts, ages)."""
        begun: NDArray[np.bool_] = self.state != CellState.NOT_YET
        return begun & (self.size > 0)[:, None]

    @cached_property
    def complete(self) -> NDArray[np.bool_]:
        """Cells whose period is over, in cohorts that have customers; bool, shape (cohorts, ages)."""
        over: NDArray[np.bool_] = self.state == CellState.COMPLETE
        return over & (self.size > 0)[:, None]

    def small(self, below: int) -> NDArray[np.bool_]:
        """Cohorts of fewer customers, too small to read a rate from without its interval; bool, shape (cohorts,)."""
        return (self.size > 0) & (self.size < below)

    @cached_property
    def still_buying(self) -> Int64s:
        """Customers with at least one order at this age or any later one that has begun; int64, shape (cohorts,
        ages)."""
        later: Int64s = self.reached.latest[:, ::-1].cumsum(axis=1)[:, ::-1]
        return later

    @cached_property
    def came_back_by(self) -> Int64s:
        """Customers with at least one order at an age from 1 to this one; int64, shape (cohorts, ages)."""
        by: Int64s = self.reached.returned.cumsum(axis=1)
        return by

    @property
    def came_back(self) -> Int64s:
        """Customers with an order at any age from 1 on, counted afresh and never summed; int64, shape (cohorts,)."""
        ever: Int64s = self.reached.returned.sum(axis=1)
        return ever

    @cached_property
    def reached(self) -> Reach:
        """What `reach` gives."""
        return self.reach()


@dataclass(frozen=True, eq=False)
class CohortTable(CohortCounts, MadeLater):
    """Cohorts by age, and the history they were counted in."""

    history: History

    def among(self, every: CohortCounts) -> CohortTable:
        """The table of a part with the cohorts, the ages and the states of all parts together."""
        nobody, nothing = np.zeros_like(every.size), np.zeros_like(every.customers)
        blank = replace(every, size=nobody, customers=nothing, orders=nothing, revenue_minor=nothing)
        laid = self + replace(blank, reach=lambda: Reach(nothing, nothing))
        return replace(self, **{each.name: getattr(laid, each.name) for each in fields(CohortCounts)})

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

    def behind_each(self) -> Iterator[tuple[int, int, Behind]]:
        """What `behind` gives for every observed cell, row by row, out of one sort of the orders by cell."""
        shown = self.history.shown_orders
        cells = self.cells() if shown is None else self.cells().take(shown)
        positions = np.argsort(cells, kind="stable")
        starts = np.zeros(self.observed.size + 1, np.int64)
        np.cumsum(np.bincount(cells, minlength=self.observed.size), out=starts[1:])
        for cell in np.flatnonzero(self.observed.ravel()).tolist():
            of_cell = positions[starts[cell] : starts[cell + 1]]
            behind = Behind.of(self.history.book, of_cell if shown is None else shown.take(of_cell))
            yield cell // self.age_count, cell % self.age_count, behind

    def behind_cells(self, wanted: NDArray[np.bool_]) -> Behind:
        """The customers and orders of several cells together, each once; ``wanted`` has the table's shape."""
        return self._behind(wanted.ravel().take(self.cells()))

    def cohort_of_customers(self) -> NDArray[np.int32]:
        """Row of each customer in ``history.book.ordering``; int32."""
        return first_periods(self.history.book, self.period) - np.int32(self.first_cohort)

    def cells(self) -> Cells:
        """Cell number of each order of the history's book, cohort · ages + age; uint16 or int32, shape (orders,)."""
        return cells_of(self.history.book, self.period, self.age_kind, self.first_cohort, self.age_count)

    def _behind(self, inside: NDArray[np.bool_]) -> Behind:
        shown = self.history.shown
        return Behind.of(self.history.book, np.flatnonzero(inside if shown is None else inside & shown))


@adds_up
def cohort_table(history: History, period: Period, age_kind: AgeKind = AgeKind.CALENDAR) -> CohortTable:
    """Count customers, orders and revenue by cohort and age.

    Raises `TooLarge` when the span of the book would make more cells of this period than a table may.
    Linear in the orders: one pass over columns kept with the book.
    """
    book, as_of_day = history.book, history.rule.as_of_day
    if book.order_count == 0:
        empty = np.zeros((0, 0), np.int64)
        nobody = np.zeros(0, np.int64)
        return CohortTable(
            period,
            age_kind,
            0,
            nobody,
            empty,
            empty,
            empty,
            as_of_day,
            lambda: Reach(empty, empty),
            None if age_kind is AgeKind.CALENDAR else (nobody, nobody),
            history,
        )
    first_period = first_periods(book, period)
    first_cohort, last_cohort = int(first_period.min()), int(first_period.max())
    cohorts = last_cohort - first_cohort + 1
    ages = age_count(book, period, age_kind, first_cohort, as_of_day)
    limit_cells(cohorts * ages, remedy="Choose a longer period, or an earlier as-of date.", field="period")
    shape = (cohorts, ages)
    shown = history.shown_orders
    if shown is None:
        customers, orders, revenue = counted(book, period, age_kind, first_cohort, shape)
    else:
        cells = cells_of(book, period, age_kind, first_cohort, ages)
        customers, orders, revenue = _counted_shown(history, cells, shown, cohorts * ages)
    return CohortTable(
        period,
        age_kind,
        first_cohort,
        np.bincount(first_period - np.int32(first_cohort), minlength=cohorts).astype(np.int64),
        customers.reshape(shape),
        orders.reshape(shape),
        revenue.reshape(shape),
        as_of_day,
        lambda: reach_of(reaching(history, period, age_kind, first_cohort, ages), shape),
        first_days_of(book, period, age_kind, first_cohort, cohorts),
        history,
    )


@kept
def counted(
    book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, shape: tuple[int, int]
) -> tuple[Int64s, Int64s, Int64s]:
    """Distinct customers, orders and revenue of a book by cell; int64, shape (cohorts, ages).

    Of a book whose threads end at a day: what the longer threads count, less the orders behind the day, where these are
    fewer than those before it.
    """
    length = shape[0] * shape[1]
    if isinstance(book, Beginning) and book.ended is not None:
        longer, ended = book.beginning_of, book.ended
        wide = _shape_of(longer, period, age_kind, first_cohort)
        if wide[0] * wide[1] <= CELLS_MOST:
            whole = counted(longer, period, age_kind, first_cohort, wide)
            behind = _of_orders(longer, ended, (period, age_kind, first_cohort), wide)
            customers, orders, revenue = (
                (all_of - later)[: shape[0], : shape[1]] for all_of, later in zip(whole, behind, strict=True)
            )
            return customers, orders, revenue
    cells = cells_of(book, period, age_kind, first_cohort, shape[1])
    repeated = cells.take(again_at(book, period, age_kind, cells))
    customers, orders, revenue = _totals(book.amount_blocks, cells, repeated, length, book)
    return customers.reshape(shape), orders.reshape(shape), revenue.reshape(shape)


def _shape_of(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int) -> tuple[int, int]:
    """Cohorts and ages up to the latest order of a book."""
    cohorts = int(first_periods(book, period).max()) - first_cohort + 1
    return cohorts, age_count(book, period, age_kind, first_cohort, book.day_span[1])


def _of_orders(
    longer: OrderBook, ended: Int64s, way: tuple[Period, AgeKind, int], shape: tuple[int, int]
) -> tuple[Int64s, Int64s, Int64s]:
    """What some orders of a book, the last ones of their threads, add to its cells: customers, orders, revenue;
    int64."""
    length, of_longer = shape[0] * shape[1], cells_of(longer, *way, shape[1])
    cells = of_longer.take(ended)
    is_new = of_longer.take(ended - 1) != cells
    is_new |= longer.customer.take(ended - 1) != longer.customer.take(ended)
    amounts = blocks_of(longer.amount_minor.take(ended))
    orders, revenue = count_and_sum(amounts, cells, length, longer.largest_amount_minor)
    customers = np.bincount(cells[is_new], minlength=length)
    return customers.reshape(shape), orders.reshape(shape), revenue.reshape(shape)


def _counted_shown(history: History, cells: Cells, shown: Int64s, length: int) -> tuple[Int64s, Int64s, Int64s]:
    """Distinct customers, orders and revenue of the shown orders by cell; int64, shape (length,)."""
    book, inside = history.book, cells.take(shown)
    repeated = shown_again(inside, book.customer.take(shown))
    return _totals(blocks_of(book.amount_minor.take(shown)), inside, repeated, length, book)


def _totals(
    amounts: AmountBlocks, cells: Cells, repeated: Cells, length: int, book: OrderBook
) -> tuple[Int64s, Int64s, Int64s]:
    """``repeated`` : the cells of the orders that follow one of the same customer in the same cell."""
    orders, revenue = count_and_sum(amounts, cells, length, book.largest_amount_minor)
    return orders - np.bincount(repeated, minlength=length), orders, revenue


def table_among(history: History, every: CohortCounts) -> CohortTable:
    """The table of a history with the cohorts and ages of ``every`` part; that itself where it is the history's own."""
    if isinstance(every, CohortTable):
        return every
    return cohort_table(history, every.period, every.age_kind).among(every)


@dataclass(frozen=True, eq=False)
class SplitCounts:
    """One table for each of some groups of customers."""

    tables: tuple[CohortCounts, ...]

    def __add__(self, other: SplitCounts) -> SplitCounts:
        """The same question of two parts of a book."""
        return SplitCounts(tuple(one + another for one, another in zip(self.tables, other.tables, strict=True)))


def split_table(
    table: CohortTable, of: GroupsOf, groups: int, *, each_by_itself: bool = False
) -> tuple[CohortCounts, ...]:
    """The same table for groups of customers, counted in one pass; every customer is in one group.

    The groups' tables add up to ``table``. Whether a cell is complete is said for the whole table, so for the elapsed
    kind with the customers of all groups in mind; of each group for itself where ``each_by_itself``.

    Raises `TooLarge` beyond the cells of a table.
    """
    return split_counts(table.history, table, of, groups, each_by_itself).tables


@adds_up
def split_counts(history: History, every: CohortCounts, of: GroupsOf, groups: int, each_by_itself: bool) -> SplitCounts:
    """The same of a history. ``every`` : the table of all its customers; of a part, that of all parts."""
    table = table_among(history, every)
    cohorts, ages = table.customers.shape
    book, length = history.book, cohorts * ages
    limit_cells(groups * length, remedy="Choose a longer period, or an attribute with fewer values.", field="split")
    if book.order_count == 0:
        if each_by_itself and table.first_days is not None:
            nobody = np.full(cohorts, NO_FIRST[0]), np.full(cohorts, NO_FIRST[1])
            table = replace(table, first_days=nobody)
        return SplitCounts((table,) * groups)
    codes = of(history)
    own = codes.take(book.ordering).astype(np.int32)
    cells = table.cells()
    dtype: type[np.uint16] | type[np.int32] = np.uint16 if groups * length <= 1 << 16 else np.int32
    placed: Cells = np.repeat((own * np.int32(length)).astype(dtype), book.counts.take(book.ordering))
    placed += cells.astype(dtype, copy=False)

    shown = history.shown_orders
    if shown is None:
        repeated = placed.take(again_at(book, table.period, table.age_kind, cells))
        customers, orders, revenue = _totals(book.amount_blocks, placed, repeated, groups * length, book)
    else:
        customers, orders, revenue = _counted_shown(history, placed, shown, groups * length)
    row = first_periods(book, table.period) - np.int32(table.first_cohort)
    sizes = np.bincount(own * np.int32(cohorts) + row, minlength=groups * cohorts).reshape(groups, cohorts)
    shape = (groups, cohorts, ages)
    customers, orders, revenue = customers.reshape(shape), orders.reshape(shape), revenue.reshape(shape)
    reached = reaching(history, table.period, table.age_kind, table.first_cohort, ages)

    def first_days(group: int) -> FirstDays | None:
        if not each_by_itself:
            return table.first_days
        return first_days_of(book, table.period, table.age_kind, table.first_cohort, cohorts, own == group)

    def counts(group: int) -> CohortCounts:
        return CohortCounts(
            table.period,
            table.age_kind,
            table.first_cohort,
            sizes[group].astype(np.int64),
            customers[group],
            orders[group],
            revenue[group],
            table.as_of_day,
            lambda: reach_of(reached.among(codes == group), (cohorts, ages)),
            first_days(group),
        )

    return SplitCounts(tuple(counts(group) for group in range(groups)))
