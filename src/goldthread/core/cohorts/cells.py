"""The cell of each order: cohort and age as one number (``docs/definitions.md``, section 5)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.periods import CellState, elapsed_days, period_end, period_of_day, period_start
from goldthread.core.book.summing import following
from goldthread.core.choices import AgeKind, Period
from goldthread.core.threads.gaps import first_days, first_orders

Int64s = NDArray[np.int64]

Cells = NDArray[np.uint16] | NDArray[np.int32]
FirstDays = tuple[Int64s, Int64s]
"""The earliest and the latest day of the first orders of each cohort; int64, shape (cohorts,)."""
NO_FIRST = np.iinfo(np.int64).max, np.iinfo(np.int64).min
"""In `FirstDays`: of a cohort that has nobody."""


@kept
def first_periods(book: OrderBook, period: Period) -> NDArray[np.int32]:
    """Cohort of each ordering customer, as a period index; int32, shape (ordering customers,)."""
    longer = book.beginning_of
    if longer is not None:
        return book.of_ordering(first_periods(longer, period))
    first, codes = book.period(period)
    return codes.take(first_orders(book)).astype(np.int32) + np.int32(first)


def age_count(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, as_of_day: int) -> int:
    if age_kind is AgeKind.CALENDAR:
        return period_of_day(as_of_day, period) - first_cohort + 1
    return (as_of_day - book.day_span[0]) // elapsed_days(period) + 1


@kept
def cells_of(book: OrderBook, period: Period, age_kind: AgeKind, first_cohort: int, ages: int) -> Cells:
    """Cell number of each order, cohort · ages + age; uint16, or int32 where there are many; shape (orders,)."""
    if book.order_count == 0:
        return np.zeros(0, np.uint16)
    origin, codes = book.period(period)
    cohort = first_periods(book, period) - np.int32(first_cohort)
    narrow = (int(cohort.max()) + 1) * ages <= 1 << 16
    dtype: type[np.uint16] | type[np.int32] = np.uint16 if narrow else np.int32
    counts = book.counts.take(book.ordering)
    if age_kind is AgeKind.CALENDAR:
        # cohort · ages + (period − cohort): the part that is one value per customer, plus the order's own period
        own = cohort * np.int32(ages - 1) + np.int32(origin - first_cohort)
        cells = np.repeat(own.astype(dtype), counts)
        cells += codes
        return cells
    length = np.int32(elapsed_days(period))
    cells = np.repeat((cohort * np.int32(ages)).astype(dtype), counts)
    since = book.day - np.repeat(first_days(book), counts)
    since //= length
    cells += since.astype(dtype)
    return cells


def again_at(book: OrderBook, period: Period, age_kind: AgeKind, cells: Cells) -> Int64s:
    """Positions of the orders that follow an order of the same customer in the same cell: a short list, kept; int64."""

    return book.derived(("again at", period, age_kind), lambda: following(cells, first_orders(book)))


def shown_again(cells: Cells, customer: NDArray[np.int32]) -> Cells:
    """The cells of the orders that follow one of the same customer in the same cell, where only some orders of each are
    looked at; uint16 or int32, as ``cells``."""
    follows = (cells[1:] == cells[:-1]) & (customer[1:] == customer[:-1])
    again: Cells = cells[1:][follows]
    return again


def cell_states(
    period: Period,
    first_cohort: int,
    shape: tuple[int, int],
    as_of_day: int,
    first_days_between: FirstDays | None,
) -> NDArray[np.uint8]:
    """`CellState` of each cell; uint8. ``first_days_between`` : by which elapsed ages are over; None for others."""
    rows, ages = np.arange(shape[0])[:, None], np.arange(shape[1])[None, :]
    if first_days_between is None:
        begins = period_start(first_cohort + rows + ages, period)
        ends = period_end(first_cohort + rows + ages, period)
    else:
        length, (earliest, latest) = elapsed_days(period), first_days_between
        own = period_start(first_cohort + np.arange(shape[0]), period)
        nobody = latest < earliest
        begins = np.where(nobody, own, earliest)[:, None] + ages * length
        ends = np.where(nobody, own, latest)[:, None] + (ages + 1) * length - 1
    state = np.full(shape, CellState.PARTIAL, np.uint8)
    state[ends <= as_of_day] = CellState.COMPLETE
    state[begins > as_of_day] = CellState.NOT_YET
    return state


def first_days_of(
    book: OrderBook,
    period: Period,
    age_kind: AgeKind,
    first_cohort: int,
    cohorts: int,
    among: NDArray[np.bool_] | None = None,
) -> FirstDays | None:
    """Between which days the first orders of each cohort lie, `NO_FIRST` where it has nobody; None for calendar ages,
    which do not ask. ``among`` : bool, shape (ordering customers,); all without."""
    if age_kind is AgeKind.CALENDAR:
        return None
    if among is None:
        return book.derived(("first days", period), lambda: _first_days_of(book, period, first_cohort, cohorts))
    return _first_days_of(book, period, first_cohort, cohorts, among)


def _first_days_of(
    book: OrderBook, period: Period, first_cohort: int, cohorts: int, among: NDArray[np.bool_] | None = None
) -> FirstDays:
    row = first_periods(book, period) - np.int32(first_cohort)
    day = first_days(book).astype(np.int64)
    if among is not None:
        row, day = row[among], day[among]
    earliest, latest = (np.full(cohorts, nobody) for nobody in NO_FIRST)
    np.minimum.at(earliest, row, day)
    np.maximum.at(latest, row, day)
    return earliest, latest
