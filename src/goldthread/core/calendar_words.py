"""Dates and periods as people read them."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date, to_day


def period_words(label: str) -> str:
    """A period's name as people read it: Mar 2024, quarter 1 of 2024, week 5 of 2024, 2024, FY2024; the week of 3 Mar
    2024 where weeks begin on Sundays."""
    first_day, between, _ = label.partition("/")
    if between:
        return f"the week of {date_words(to_day(dt.date.fromisoformat(first_day)))}"
    year, _, rest = label.partition("-")
    if rest.startswith("W"):
        return f"week {int(rest[1:])} of {year}"
    if rest.startswith("Q"):
        return f"quarter {rest[1:]} of {year}"
    return f"{dt.date(int(year), int(rest), 1):%b} {year}" if rest else year


def date_words(day: int) -> str:
    """A date as people read it: 12 Jul 2026."""
    date = to_date(day)
    return f"{date.day} {date:%b} {date.year}"
