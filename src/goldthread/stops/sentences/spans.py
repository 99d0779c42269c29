"""Numbers of days as questions give them, 30d, and ranges of dates."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable

from goldthread.core.book.days import to_day
from goldthread.errors import InvalidInput

_DAYS = re.compile(r"([0-9]+)d")


def days_given(text: str, field: str, least: int, most: int, remedy: str) -> int:
    """The days that a choice gives. Raises `InvalidInput` for anything else than ``least`` to ``most`` days, written
    with no more digits than the most of them has."""
    found = _DAYS.fullmatch(text) if len(text) <= len(f"{most}d") else None
    if found is None or not least <= int(found[1]) <= most:
        raise InvalidInput(f"{text[:40] or 'Nothing'} is not a number of days.", remedy=remedy, field=field)
    return int(found[1])


def range_given(first: str, last: str, last_day: int, first_of: Callable[[int], int]) -> tuple[int, int]:
    """The first and the last day of a range, both included. ``last_day`` stands in for a last date that is not given,
    and what ``first_of`` makes of the last day for a first one. Raises `InvalidInput`."""
    ends = day_given(last, "to") if last else last_day
    begins = day_given(first, "from") if first else first_of(ends)
    if ends < begins:
        raise InvalidInput(
            "The range ends before it begins.", remedy="Give a last date that is not before the first.", field="to"
        )
    return begins, ends


def day_given(text: str, field: str) -> int:
    """The day of a date. Raises `InvalidInput`."""
    try:
        return to_day(dt.date.fromisoformat(text))
    except ValueError:
        raise InvalidInput(
            f"{text[:40]} is not a date.", remedy="Give a date such as 2026-01-31.", field=field
        ) from None
