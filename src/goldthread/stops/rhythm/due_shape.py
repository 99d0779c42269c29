"""What goes over the wire about who is due."""

from __future__ import annotations

import datetime as dt

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.counted import Having, numbers_of
from goldthread.core.history import facts
from goldthread.core.money import money_text
from goldthread.core.rhythm.due import days_late
from goldthread.shape import Shape
from goldthread.stops.behind.evidence_shape import ThreadShape
from goldthread.stops.behind.thread import thread_of
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.answer import DueAnswer
from goldthread.stops.rhythm.evidence import LATENESS_WORDS
from goldthread.stops.sentences.chance import number
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window


class DueDayShape(Shape):
    """How many are expected on one day."""

    date: dt.date
    customers: int


class LatenessShape(Shape):
    """How many are late by so many usual gaps, as ``words`` say; those whose expected gap is 0 days are by themselves.
    ``at`` names them."""

    at: str
    words: str
    customers: int


class DueRowShape(Shape):
    """One customer whose next order is expected. ``own_gap``: whether the expected gap is the customer's own;
    ``overdue`` is the open gap in expected gaps, null where that is 0 days."""

    thread: ThreadShape
    latest_date: dt.date
    expected_gap: float
    own_gap: bool
    next_due: dt.date
    days_late: int
    overdue: float | None
    revenue: str


class DueShape(AnswerShape):
    """Whose next order is expected in the coming ``days``, and who is late; ``count`` rows there are in all, ``rows``
    begin at ``offset``."""

    days: list[DueDayShape]
    coming: int
    late: int
    lateness: list[LatenessShape]
    slowed_down: int
    overdue: Shown
    count: int
    offset: int
    first_date: dt.date
    last_date: dt.date
    rows: list[DueRowShape]

    @classmethod
    def of(cls, answer: DueAnswer, window: Window) -> DueShape:
        read, due = answer.read, answer.due
        slowed = numbers_of(read.history, (Having("slowed_down", "yes"),))
        return cls(
            **header(read, answer.words),
            days=[
                DueDayShape(date=to_date(read.as_of_day + place), customers=customers)
                for place, customers in enumerate(due.per_day.tolist())
            ],
            coming=int(due.per_day.sum()),
            late=int(due.per_lateness.sum()),
            lateness=[
                LatenessShape(at=f"late-{place + 1}", words=words, customers=customers)
                for place, (words, customers) in enumerate(zip(LATENESS_WORDS, due.per_lateness.tolist(), strict=True))
            ],
            slowed_down=int(slowed.customers[0]),
            overdue=answer.question.overdue,
            count=answer.found.count,
            offset=window.offset,
            first_date=to_date(read.history.first_day),
            last_date=to_date(read.as_of_day),
            rows=_due_rows(*read.of_a_few(answer.found.window(window.offset, window.limit))),
        )


def _due_rows(read: Read, rows: NDArray[np.int64]) -> list[DueRowShape]:
    book = read.orders
    latest, due, gap = facts.latest_day(book), facts.next_due_day(book), facts.expected_gap_days(book)
    overdue, revenue = facts.overdue_ratio(book, read.as_of_day), facts.revenue_minor(book)
    return [
        DueRowShape(
            thread=ThreadShape.of(thread_of(book, row)),
            latest_date=to_date(int(latest[row])),
            expected_gap=float(gap[row]),
            own_gap=bool(book.counts[row] >= facts.OWN_MEDIAN_FROM_ORDERS),
            next_due=to_date(int(due[row])),
            days_late=late,
            overdue=number(float(overdue[row])),
            revenue=money_text(int(revenue[row])),
        )
        for row, late in zip(rows.tolist(), days_late(read.history, rows).tolist(), strict=True)
    ]
