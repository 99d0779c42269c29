"""The window of dates of the question about order counts."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_day
from goldthread.errors import InvalidInput
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.question import CountsQuestion


def window(read: Read, question: CountsQuestion) -> tuple[int, int]:
    """The first and the last day of the window, both included; without a date, that of the first order and the as-of
    date. Raises `InvalidInput`."""
    last = _day(question.to_date, "to", read.as_of_day)
    first = _day(question.from_date, "from", min(read.history.first_day, last))
    if last < first:
        raise InvalidInput(
            "The window ends before it begins.", remedy="Give a last date that is not before the first.", field="to"
        )
    return first, last


def _day(text: str, name: str, otherwise: int) -> int:
    if not text:
        return otherwise
    try:
        return to_day(dt.date.fromisoformat(text))
    except ValueError:
        raise InvalidInput(
            f"{text[:40]} is not a date.", remedy="Give a date such as 2026-01-31.", field=name
        ) from None
