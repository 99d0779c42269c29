"""What goes over the wire about rhythm. Counts are whole numbers, days numbers, money a plain decimal text; null where
nothing applies."""

from __future__ import annotations

import datetime as dt

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.money import money_text
from goldthread.core.rhythm.counts import OrderCounts
from goldthread.core.survival import TimesToEvent, age_of_share
from goldthread.shape import Shape
from goldthread.stops.events_shape import EventShape
from goldthread.stops.rhythm.answer import CountsAnswer, NextOrderAnswer
from goldthread.stops.rhythm.evidence import count_labels
from goldthread.stops.sentences.chance import compared_words, number
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence_shape import AnswerShape, header

Floats = NDArray[np.float64]
AGES_DRAWN = 240
NEARLY_ALL, SHORTEST_DRAWN_DAYS = 0.99, 90
WATCHED_LEAST = 10
"""A curve is drawn as far as so many are watched still, or a tenth of a few."""


class CountGroupShape(Shape):
    """Customers who placed so many orders. ``reached`` placed so many or more at any time, ``went_on`` of them one
    more; null for the zero group."""

    orders: str
    customers: int
    order_count: int
    revenue: str
    reached: int | None
    went_on: int | None


class MonthOrdersShape(Shape):
    """The orders of one month of the book."""

    month: str
    first_date: dt.date
    orders: int


class OrderCountsShape(AnswerShape):
    """Customers by number of orders from ``first_date`` to ``last_date``.

    ``customers`` are looked at, ``with_orders`` ordered in the window. ``mean``, ``median`` and ``mode`` are of those.
    ``rest``: the same groups of everybody else, when a list is compared with them.
    """

    first_date: dt.date
    last_date: dt.date
    zero: Shown
    customers: int
    with_orders: int
    orders: int
    revenue: str
    mean: float | None
    median: float | None
    mode: int | None
    groups: list[CountGroupShape]
    rest: list[CountGroupShape]
    months: list[MonthOrdersShape]
    events: list[EventShape]

    @classmethod
    def of(cls, answer: CountsAnswer) -> OrderCountsShape:
        counts, read = answer.counts, answer.read
        return cls(
            **header(read, answer.words),
            first_date=to_date(counts.first_day),
            last_date=to_date(counts.last_day),
            zero=answer.question.zero,
            customers=int(counts.customers.sum()),
            with_orders=counts.with_orders,
            orders=int(counts.orders.sum()),
            revenue=money_text(int(counts.revenue_minor.sum())),
            mean=number(counts.mean),
            median=number(counts.median),
            mode=counts.mode or None,
            groups=_count_groups(answer, counts),
            rest=[] if answer.rest is None else _count_groups(answer, answer.rest),
            months=[
                MonthOrdersShape(month=month, first_date=first, orders=orders) for month, first, orders in answer.months
            ],
            events=EventShape.each_of(answer.events),
        )


def _count_groups(answer: CountsAnswer, counts: OrderCounts) -> list[CountGroupShape]:
    labels = count_labels(answer)
    return [
        CountGroupShape(
            orders=labels[group],
            customers=int(counts.customers[group]),
            order_count=int(counts.orders[group]),
            revenue=money_text(int(counts.revenue_minor[group])),
            reached=int(counts.ladder_reached[group - 1]) if group else None,
            went_on=int(counts.ladder_went_on[group - 1]) if group else None,
        )
        for group in range(0 if answer.question.zero is Shown.SHOWN else 1, counts.groups + 1)
    ]


class ByThenShape(Shape):
    """How many had ordered again by a day, and the share that had by then (Kaplan–Meier) with its 95 % interval."""

    customers: int
    share: float | None
    low: float | None
    high: float | None


class CurveShape(Shape):
    """Time to the next order of one group.

    ``by_then`` : those who had ordered again by the day up to which customers are counted, with the share that had (and
    its interval), null where nobody is watched that long.

    ``share`` had ordered again by the end of each of the answer's ``ages``, with a 95 % interval (``low``, ``high``);
    ``waiting`` had not and were watched still. Null where nobody is watched any more. ``half_by``: the first day by
    which half had; null while fewer have.
    """

    label: str
    customers: int
    ordered: int
    half_by: int | None
    by_then: ByThenShape
    share: list[float | None]
    low: list[float | None]
    high: list[float | None]
    waiting: list[int]


class NextOrderShape(AnswerShape):
    """Time to the next order after the order of rank ``step``.

    ``ages`` in days; drawn as far as somebody is watched. ``chi_square`` and ``chance``: the log-rank test of the
    groups, null for one; ``compared`` says the same in words.
    """

    step: int
    within: int
    split_title: str
    ages: list[int]
    curves: list[CurveShape]
    chi_square: float | None
    chance: float | None
    compared: str

    @classmethod
    def of(cls, answer: NextOrderAnswer) -> NextOrderShape:
        times, curve, question = answer.times, answer.curve, answer.question
        at_risk = times.at_risk
        ages = ages_drawn(times)
        halves = age_of_share(curve, 0.5)
        waiting = at_risk - times.events - times.censored
        return cls(
            **header(answer.read, answer.words),
            step=question.step,
            within=question.within,
            split_title=answer.read.fields.field(question.split).title if question.split else "",
            ages=ages.tolist(),
            curves=[
                CurveShape(
                    label=label,
                    customers=int(times.of_group[place]),
                    ordered=int(times.events[place].sum()),
                    half_by=halves[place],
                    by_then=_by_then(answer, place),
                    share=_numbers(curve.share[place, ages]),
                    low=_numbers(curve.low[place, ages]),
                    high=_numbers(curve.high[place, ages]),
                    waiting=waiting[place, ages].tolist(),
                )
                for place, label in enumerate(answer.labels)
            ],
            chi_square=number(answer.chi_square),
            chance=number(answer.chance),
            compared=compared_words(answer.chance),
        )


def _by_then(answer: NextOrderAnswer, place: int) -> ByThenShape:
    day, curve = answer.question.within, answer.curve
    bounds = curve.share, curve.low, curve.high
    share, low, high = (_numbers(values[place, day : day + 1]) or [None] for values in bounds)
    had = int(answer.times.events[place, : day + 1].sum())
    return ByThenShape(customers=had, share=share[0], low=low[0], high=high[0])


def ages_drawn(times: TimesToEvent) -> NDArray[np.int64]:
    """The ages at which curves are drawn: as far as somebody is watched, and not much beyond the time in which nearly
    everybody who ordered again has; round ones among them."""
    at_risk = times.at_risk.sum(axis=0)
    watched = np.flatnonzero(at_risk >= min(WATCHED_LEAST, max(1, at_risk[0] // WATCHED_LEAST)))
    last = int(watched[-1]) if watched.size else times.events.shape[1] - 1
    ordered = np.cumsum(times.events.sum(axis=0))
    nearly_all = int(np.searchsorted(ordered, NEARLY_ALL * ordered[-1]))
    last = min(last, max(2 * nearly_all, SHORTEST_DRAWN_DAYS))
    round_ages = np.array((7, 14, 365))
    even = np.linspace(0, last, AGES_DRAWN).astype(np.int64)
    return np.unique(np.concatenate((even, np.arange(0, last + 1, 30), round_ages[round_ages <= last])))


def _numbers(values: Floats) -> list[float | None]:
    return [None if np.isnan(value) else round(float(value), 6) for value in values]
