"""The same period, or the same days, a year earlier (``docs/definitions.md``, section 6)."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.periods import CellState, period_of_day, period_start
from goldthread.core.choices import Period, Span
from goldthread.core.history.history import History
from goldthread.core.newness.classes import Tally
from goldthread.core.newness.stretches import tally
from goldthread.core.newness.table import NewnessTable

_WEEKS_A_YEAR = 52
"""Weeks that begin on Sundays have no number: the one a year earlier is as many weeks before."""
_A_YEAR = {Span.MONTH: 12, Span.QUARTER: 4, Span.YEAR: 1, Span.FISCAL_QUARTER: 4, Span.FISCAL_YEAR: 1}


def year_earlier(day: int) -> int:
    """The same date a year earlier; 28 February for the 29th."""
    date = to_date(day)
    clipped = min(date.day, 28) if date.month == 2 else date.day
    return to_day(dt.date(date.year - 1, date.month, clipped))


def tally_before(history: History, begins: int, ends: int) -> Tally | None:
    """The same days a year earlier; None when the book begins later."""
    first, last = year_earlier(begins), year_earlier(ends)
    return tally(history, first, last) if first >= history.first_day else None


def years_before(table: NewnessTable) -> list[Tally | None]:
    """For each period the one a year earlier: weeks by their number, days by their date; the last period, while it
    runs, against the same days alone."""
    found: list[Tally | None] = []
    for place in range(table.state.size):
        before = _place_before(table, place)
        found.append(None if before < 0 else table.tally(before))
    if found and found[-1] is not None and int(table.state[-1]) == CellState.PARTIAL:
        first, last = table.days_of(table.state.size - 1)
        began = found[-1].first_day
        same_days = began + (last - first) if table.span.kind is Span.WEEK else year_earlier(last)
        found[-1] = tally(table.history, began, same_days)
    return found


def _place_before(table: NewnessTable, place: int) -> int:
    """The place of the period a year earlier; negative when the table begins later."""
    match table.span.kind:
        case Span.DAY:
            day = table.first + place
            return year_earlier(day) - table.first
        case Span.WEEK:
            index = table.first + place
            return place - _WEEKS_A_YEAR if table.span.begins_on_sunday else _week_before(index) - table.first
    return place - _A_YEAR[table.span.kind]


def _week_before(index: int) -> int:
    """The ISO week of the same number a year earlier; week 52 where that year has no week 53."""
    year, week, _ = to_date(int(period_start(index, Period.WEEK))).isocalendar()
    weeks = dt.date(year - 1, 12, 28).isocalendar().week
    return period_of_day(to_day(dt.date.fromisocalendar(year - 1, min(week, weeks), 1)), Period.WEEK)
