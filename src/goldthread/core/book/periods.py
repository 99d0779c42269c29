"""Periods of the calendar: ISO weeks, months, quarters, years (``docs/definitions.md``, section 4).

Days are ``int32`` days since 1970-01-01; a period is named by its *index*, the number of whole periods since the one
that holds 1970-01-01 (for weeks: since Monday 1969-12-29). Indices of one kind can be subtracted, which gives ages.
"""

from __future__ import annotations

import datetime as dt
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date, to_day
from goldthread.core.choices import Period

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]

_MONDAY_OFFSET_DAYS = 3
_MONTHS = {"month": 1, "quarter": 3, "year": 12}


ELAPSED_DAYS = {Period.WEEK: 7, Period.MONTH: 30, Period.QUARTER: 91, Period.YEAR: 365}


def period_table(low: int, high: int, period: Period) -> Int32s:
    """Index of the period of every day from ``low`` to ``high`` inclusive; ``int32``, shape (high − low + 1,)."""
    span = np.arange(low, high + 1, dtype=np.int64)
    if period is Period.WEEK:
        return ((span + _MONDAY_OFFSET_DAYS) // 7).astype(np.int32)
    months = span.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    return (months // _MONTHS[period]).astype(np.int32)


def period_of_day(day: int, period: Period) -> int:
    """Index of the period that holds one day."""
    return int(period_table(day, day, period)[0])


def period_of_month(month: Int64s, period: Period) -> Int64s:
    """Index of the month, quarter or year that holds each month, by the month's index; int64, shape of ``month``."""
    return np.asarray(month, np.int64) // _MONTHS[period]


def period_start(index: Int64s | int, period: Period) -> Int64s:
    """First day of each period; ``int64``, shape of ``index``."""
    indices = np.asarray(index, np.int64)
    if period is Period.WEEK:
        return indices * 7 - _MONDAY_OFFSET_DAYS
    months = (indices * _MONTHS[period]).astype("datetime64[M]")
    return months.astype("datetime64[D]").astype(np.int64)


def period_end(index: Int64s | int, period: Period) -> Int64s:
    """Last day of each period; ``int64``, shape of ``index``."""
    return period_start(np.asarray(index, np.int64) + 1, period) - 1


def period_label(index: int, period: Period) -> str:
    """ISO 8601 name of a period: ``2024``, ``2024-Q1``, ``2024-03``, ``2024-W05``."""
    start = to_date(int(period_start(index, period)))
    if period is Period.WEEK:
        iso = start.isocalendar()
        return f"{iso.year:04d}-W{iso.week:02d}"
    if period is Period.MONTH:
        return f"{start.year:04d}-{start.month:02d}"
    if period is Period.QUARTER:
        return f"{start.year:04d}-Q{start.month // 3 + 1}"
    return f"{start.year:04d}"


def months_before(day: int, months: int) -> int:
    """The day ``months`` calendar months earlier, clipped to the month's end (31 Aug − 6 = 28 or 29 Feb)."""
    date = to_date(day)
    total = date.year * 12 + date.month - 1 - months
    first = dt.date(total // 12, total % 12 + 1, 1)
    following = dt.date((total + 1) // 12, (total + 1) % 12 + 1, 1)
    return to_day(first) + min(date.day, (following - first).days) - 1


class CellState(IntEnum):
    """Whether the period of a cell is over."""

    NOT_YET = 0
    PARTIAL = 1
    COMPLETE = 2
