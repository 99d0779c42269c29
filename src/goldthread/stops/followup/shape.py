"""What goes over the wire about where customers stand. Money is a plain decimal text; null where nothing applies."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np

from goldthread.core.book.days import to_date
from goldthread.core.choices import Flow, Period, Stands
from goldthread.core.history.standing import Standing
from goldthread.core.intervals import wilson_interval
from goldthread.core.limits import GROUPS_SHOWN_MOST, limit_groups
from goldthread.core.money import money_text
from goldthread.core.standing.limits import WATCHED_LEAST, LapseCurve
from goldthread.core.standing.over_time import StandingsOverTime
from goldthread.core.standing.tally import StandingTable
from goldthread.shape import Shape
from goldthread.stops.events_shape import EventShape
from goldthread.stops.followup.answer import LapseCurveAnswer, StandingAnswer
from goldthread.stops.followup.evidence import STANDING_OF
from goldthread.stops.followup.words import boundary_words
from goldthread.stops.reading import Read
from goldthread.stops.sentences.chance import CHI_SQUARE, compared_words, number
from goldthread.stops.sentences.sentence import count_words
from goldthread.stops.sentences.sentence_shape import AnswerShape, header

LIMITS_DRAWN = 1_000


class StandsShape(Shape):
    """How many customers are in one standing, and what they brought in all."""

    stands: Stands
    customers: int
    revenue: str

    @classmethod
    def list_of(cls, table: StandingTable, place: int) -> list[StandsShape]:
        return [
            cls(
                stands=stands,
                customers=int(table.customers[place, code]),
                revenue=money_text(int(table.revenue_minor[place, code])),
            )
            for stands, code in STANDING_OF.items()
        ]


class BoundaryShape(Shape):
    """Where the lapse rule draws the line, in words; ``last_lapsed``: a latest order on that date or earlier is lapsed,
    null under a rule that is another one for every customer."""

    words: str
    last_lapsed: dt.date | None

    @classmethod
    def of(cls, read: Read) -> BoundaryShape:
        rule = read.history.rule.lapse
        last = to_date(rule.last_lapsed_day(read.as_of_day)) if rule.is_span else None
        return cls(words=boundary_words(read), last_lapsed=last)


class StandingGroupShape(Shape):
    """One group: all of it, by standing, and what share of those with counted orders lapsed (95 % interval)."""

    label: str
    customers: int
    standings: list[StandsShape]
    lapsed_share: float | None
    low: float | None
    high: float | None


class StandingPeriodShape(Shape):
    """The end of one period: customers by standing, and whom each flow moved since the end before, in the sequence of
    ``Stands`` and ``Flow``."""

    period: str
    end_date: dt.date
    customers: list[int]
    flows: list[int]


class StandingsOverShape(Shape):
    """Standings at the end of every period. ``opening``: before the first. ``undated``: customers who count as on file
    throughout. ``partial``: the last period has not ended."""

    period: Period
    opening: list[int]
    periods: list[StandingPeriodShape]
    flows: list[Flow]
    undated: int
    partial: bool

    @classmethod
    def of(cls, period: Period, table: StandingsOverTime) -> StandingsOverShape:
        flows = np.stack([table.flow(flow) for flow in Flow], axis=1).tolist()
        rows = zip(table.labels, table.end_day.tolist(), table.customers.T.tolist(), flows, strict=True)
        return cls(
            period=period.kind,
            opening=table.opening.tolist(),
            periods=[
                StandingPeriodShape(period=label, end_date=to_date(end), customers=customers, flows=moved)
                for label, end, customers, moved in rows
            ],
            flows=list(Flow),
            undated=table.undated,
            partial=table.is_partial,
        )


class StandingShape(AnswerShape):
    """Where customers stand: ``standings`` of all together, and by ``groups``.

    ``compared``: how much the groups differ, in words; empty where there are none to compare.
    """

    boundary: BoundaryShape
    standings: list[StandsShape]
    groups: list[StandingGroupShape]
    compared: str
    over: StandingsOverShape | None
    events: list[EventShape]

    @classmethod
    def of(cls, answer: StandingAnswer) -> StandingShape:
        read, question = answer.read, answer.question
        groups = answer.groups() if question.by or answer.rest is not None else []
        limit_groups(len(groups), GROUPS_SHOWN_MOST, "by")
        whole = answer.table if not question.by else None
        return cls(
            **header(read, answer.words),
            boundary=BoundaryShape.of(read),
            standings=StandsShape.list_of(whole, 0) if whole is not None else _together(answer.table),
            groups=[_group(label, table, place) for label, table, place in groups],
            compared=compared_words(answer.chance, CHI_SQUARE),
            over=None if answer.over is None else StandingsOverShape.of(answer.over.period, answer.over),
            events=EventShape.each_of(answer.events),
        )


def _together(table: StandingTable) -> list[StandsShape]:
    customers, revenue = table.customers.sum(axis=0), table.revenue_minor.sum(axis=0)
    return [
        StandsShape(stands=stands, customers=int(customers[code]), revenue=money_text(int(revenue[code])))
        for stands, code in STANDING_OF.items()
    ]


def _group(label: str, table: StandingTable, place: int) -> StandingGroupShape:
    customers = table.customers[place]
    return StandingGroupShape(
        label=label,
        customers=int(customers.sum()),
        standings=StandsShape.list_of(table, place),
        **_lapsed_share(int(customers[Standing.LAPSED]), int(customers[Standing.ACTIVE] + customers[Standing.LAPSED])),
    )


def _lapsed_share(lapsed: int, with_orders: int) -> dict[str, Any]:
    low, high = wilson_interval(np.array([lapsed]), np.array([with_orders]))
    share = lapsed / with_orders if with_orders else None
    return {"lapsed_share": share, "low": number(float(low[0])), "high": number(float(high[0]))}


class LapseCurveShape(AnswerShape):
    """How many of the ``customers`` with orders would count as lapsed at a limit of so many ``days``.

    ``chosen_days``: the limit in force, null where every customer has another; ``suggested_days``: the book's own, null
    where the gaps say nothing; ``suggestion``: its reading, or why there is none.
    """

    boundary: BoundaryShape
    customers: int
    days: list[int]
    lapsed: list[int]
    chosen_days: int | None
    chosen_lapsed: int | None
    suggested_days: int | None
    suggested_lapsed: int | None
    suggestion: str

    @classmethod
    def of(cls, answer: LapseCurveAnswer) -> LapseCurveShape:
        curve = answer.curve
        chosen, suggested = curve.chosen_days, curve.suggested_days
        longest = curve.lapsed.size - 1
        days = np.unique(np.linspace(0, longest, min(longest + 1, LIMITS_DRAWN)).astype(np.int64))
        return cls(
            **header(answer.read, answer.words),
            boundary=BoundaryShape.of(answer.read),
            customers=int(curve.lapsed[0]),
            days=days.tolist(),
            lapsed=curve.lapsed.take(days).tolist(),
            chosen_days=chosen,
            chosen_lapsed=None if chosen is None else curve.lapsed_at(chosen),
            suggested_days=suggested,
            suggested_lapsed=None if suggested is None else curve.lapsed_at(suggested),
            suggestion=suggestion_words(curve),
        )


def suggestion_words(curve: LapseCurve) -> str:
    """How the suggested limit reads, or why there is none."""
    if curve.suggested_days is None:
        watched = curve.history.threads.order_count
        if watched < WATCHED_LEAST:
            return (
                f"The book suggests none: {count_words(watched, 'order')} are fewer than the {WATCHED_LEAST} it takes."
            )
        return "The book suggests none: nobody has ordered again while so many were watched."
    days = count_words(curve.suggested_days, "day")
    return f"After {days} without an order only 1 in 10 of those who come back are still to come."
