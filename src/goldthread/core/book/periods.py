"""Periods of the calendar: weeks, months, quarters, years, also fiscal ones (``docs/definitions.md``, section 4).

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
_MONTHS = {
    Period.MONTH: 1,
    Period.QUARTER: 3,
    Period.YEAR: 12,
    Period.FISCAL_QUARTER: 3,
    Period.FISCAL_YEAR: 12,
}
_ELAPSED_DAYS = {Period.WEEK: 7, Period.MONTH: 30, Period.QUARTER: 91, Period.YEAR: 365}


def elapsed_days(period: Period) -> int:
    """How many days stand for a period where ages are counted in days."""
    kind = period.kind
    return _ELAPSED_DAYS[Period(kind.removeprefix("fiscal-"))]


def _week_offset(period: Period) -> int:
    """How many days after the first day of its week 1970-01-01 lies."""
    return _MONDAY_OFFSET_DAYS + period.begins_on_sunday


def _is_week(period: Period) -> bool:
    return period.kind is Period.WEEK


def period_table(low: int, high: int, period: Period) -> Int32s:
    """Index of the period of every day from ``low`` to ``high`` inclusive; ``int32``, shape (high − low + 1,)."""
    span = np.arange(low, high + 1, dtype=np.int64)
    if _is_week(period):
        return ((span + _week_offset(period)) // 7).astype(np.int32)
    months = span.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    return period_of_month(months, period).astype(np.int32)


def period_of_day(day: int, period: Period) -> int:
    """Index of the period that holds one day."""
    return int(period_table(day, day, period)[0])


def period_of_month(month: Int64s, period: Period) -> Int64s:
    """Index of the month, quarter or year that holds each month, by the month's index; int64, shape of ``month``."""
    return (np.asarray(month, np.int64) - (period.first_month - 1)) // _MONTHS[period.kind]


def period_start(index: Int64s | int, period: Period) -> Int64s:
    """First day of each period; ``int64``, shape of ``index``."""
    indices = np.asarray(index, np.int64)
    if _is_week(period):
        return indices * 7 - _week_offset(period)
    months = (indices * _MONTHS[period.kind] + (period.first_month - 1)).astype("datetime64[M]")
    return months.astype("datetime64[D]").astype(np.int64)


def period_end(index: Int64s | int, period: Period) -> Int64s:
    """Last day of each period; ``int64``, shape of ``index``."""
    return period_start(np.asarray(index, np.int64) + 1, period) - 1


def period_label(index: int, period: Period) -> str:
    """ISO 8601 name of a period: ``2024``, ``2024-Q1``, ``2024-03``, ``2024-W05``; ``2024-02-04/P7D`` for a week that
    begins on a Sunday. Fiscal ones are ``FY2024`` and ``FY2024-Q1``, by the calendar year in which their year ends."""
    start = to_date(int(period_start(index, period)))
    match period.kind:
        case Period.WEEK:
            iso = start.isocalendar()
            return f"{start}/P7D" if period.begins_on_sunday else f"{iso.year:04d}-W{iso.week:02d}"
        case Period.MONTH:
            return f"{start.year:04d}-{start.month:02d}"
        case Period.QUARTER:
            return f"{start.year:04d}-Q{start.month // 3 + 1}"
        case Period.FISCAL_QUARTER:
            return f"{period_label(index // 4, fiscal_year_of(period))}-Q{index % 4 + 1}"
        case Period.FISCAL_YEAR:
            return f"FY{to_date(int(period_end(index, period))).year:04d}"
    return f"{start.year:04d}"


def first_day_of(label: str, period: Period) -> int:
    """The first day of a fiscal period, or of a week that begins on a Sunday, by its name."""
    if period.begins_on_sunday:
        return to_day(dt.date.fromisoformat(label.partition("/")[0]))
    year, _, quarter = label.removeprefix("FY").partition("-Q")
    years = int(year) - 1970 - (period.first_month > 1)
    months = years * 12 + period.first_month - 1 + 3 * (int(quarter or 1) - 1)
    return int(period_start(months, Period.MONTH))


def fiscal_year_of(period: Period) -> Period:
    """The fiscal year that a fiscal quarter is a part of."""
    return Period.FISCAL_YEAR.within(period.first_month, sundays=False)


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
