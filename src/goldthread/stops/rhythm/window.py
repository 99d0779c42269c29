"""The window of dates of the question about order counts."""

from __future__ import annotations

from goldthread.stops.reading import Read
from goldthread.stops.rhythm.question import CountsQuestion
from goldthread.stops.sentences.spans import range_given


def window(read: Read, question: CountsQuestion) -> tuple[int, int]:
    """The first and the last day of the window, both included; without a date, that of the first order and the as-of
    date. Raises `InvalidInput`."""
    first_day = read.history.first_day
    return range_given(question.from_date, question.to_date, read.as_of_day, lambda last: min(first_day, last))
