"""Dates as days since 1970-01-01."""

from __future__ import annotations

import datetime as dt

EPOCH = dt.date(1970, 1, 1)


def to_day(date: dt.date) -> int:
    """Days since 1970-01-01."""
    return (date - EPOCH).days


def to_month(date: dt.date) -> int:
    """Months since January 1970."""
    return (date.year - EPOCH.year) * 12 + date.month - 1


def to_date(day: int) -> dt.date:
    """The date of a day number."""
    return EPOCH + dt.timedelta(days=int(day))
