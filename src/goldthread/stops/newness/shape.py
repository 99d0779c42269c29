"""What goes over the wire about new and returning. Counts are whole numbers, money is a plain decimal text."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import CellState
from goldthread.core.choices import Measure, Span
from goldthread.core.money import MINOR_PER_UNIT, money_text
from goldthread.core.newness.classes import Parts, Tally
from goldthread.core.newness.table import NewnessTable
from goldthread.shape import Shape
from goldthread.stops.events_shape import EventShape
from goldthread.stops.newness.answer import NewnessAnswer
from goldthread.stops.newness.question import NewnessView
from goldthread.stops.sentences.sentence_shape import AnswerShape, header


class CountPartsShape(Shape):
    """A count, split. ``won_back`` is a part of ``returning``."""

    new: int
    returning: int
    won_back: int

    @classmethod
    def of(cls, parts: Parts, place: int) -> CountPartsShape:
        return cls.of_parts((int(parts.new[place]), int(parts.returning[place]), int(parts.won_back[place])))

    @classmethod
    def of_parts(cls, parts: tuple[int, int, int]) -> CountPartsShape:
        return cls(new=parts[0], returning=parts[1], won_back=parts[2])


class MoneyPartsShape(Shape):
    """An amount, split, as plain decimals."""

    new: str
    returning: str
    won_back: str

    @classmethod
    def of(cls, parts: Parts, place: int) -> MoneyPartsShape:
        return cls.of_parts((int(parts.new[place]), int(parts.returning[place]), int(parts.won_back[place])))

    @classmethod
    def of_parts(cls, parts: tuple[int, int, int]) -> MoneyPartsShape:
        return cls(new=money_text(parts[0]), returning=money_text(parts[1]), won_back=money_text(parts[2]))


class StretchShape(Shape):
    """A stretch of days, both ends inside, split; customers are distinct in the whole stretch."""

    first_date: dt.date
    last_date: dt.date
    orders: CountPartsShape
    customers: CountPartsShape
    revenue: MoneyPartsShape

    @classmethod
    def of(cls, tally: Tally) -> StretchShape:
        return cls(
            first_date=to_date(tally.first_day),
            last_date=to_date(tally.last_day),
            orders=CountPartsShape.of_parts(tally.orders),
            customers=CountPartsShape.of_parts(tally.customers),
            revenue=MoneyPartsShape.of_parts(tally.revenue_minor),
        )


class NewnessPeriodShape(Shape):
    """One period; ``partial`` while it runs. ``last_year`` is the same one a year earlier, up to the same day while
    this one runs; null before the book begins."""

    period: str
    partial: bool
    orders: CountPartsShape
    customers: CountPartsShape
    revenue: MoneyPartsShape
    last_year: StretchShape | None


class NewnessGroupShape(Shape):
    """The periods of one group of the split, for the measure that was asked for; amounts in the currency's unit."""

    label: str
    new: list[float]
    returning: list[float]


class NewnessShape(AnswerShape):
    """New and returning. ``whole`` is everything at once: its customers are counted afresh, never summed.

    ``cohorts_agree`` says whether the new customers of each period are the size of its cohort; null where there are no
    such cohorts. ``groups`` stand in the sequence of ``periods``.
    """

    period: Span
    measure: Measure
    view: NewnessView
    customers_in_all: int
    periods: list[NewnessPeriodShape]
    whole: StretchShape
    year: StretchShape
    year_before: StretchShape | None
    rest: StretchShape | None
    cohorts_agree: bool | None
    split_title: str
    groups: list[NewnessGroupShape]
    events: list[EventShape]

    @classmethod
    def of(cls, answer: NewnessAnswer) -> NewnessShape:
        read, question, table = answer.read, answer.question, answer.table
        return cls(
            **header(read, answer.words),
            period=question.period.kind,
            measure=question.measure,
            view=question.view,
            customers_in_all=table.customers_in_all,
            periods=[_period(answer, place, label) for place, label in enumerate(table.labels)],
            whole=StretchShape.of(answer.whole),
            year=StretchShape.of(answer.year),
            year_before=None if answer.year_before is None else StretchShape.of(answer.year_before),
            rest=None if answer.rest is None else StretchShape.of(answer.rest),
            cohorts_agree=answer.cohorts_agree,
            split_title=read.fields.field(question.split).title if question.split else "",
            groups=[_group(answer, label, group) for label, group in answer.groups or []],
            events=EventShape.each_of(answer.events),
        )


def _period(answer: NewnessAnswer, place: int, label: str) -> NewnessPeriodShape:
    table, before = answer.table, answer.last_year[place]
    return NewnessPeriodShape(
        period=label,
        partial=int(table.state[place]) == CellState.PARTIAL,
        orders=CountPartsShape.of(table.orders, place),
        customers=CountPartsShape.of(table.customers, place),
        revenue=MoneyPartsShape.of(table.revenue_minor, place),
        last_year=None if before is None else StretchShape.of(before),
    )


def _group(answer: NewnessAnswer, label: str, group: NewnessTable) -> NewnessGroupShape:
    """A group's periods in the places of the whole table; it may begin later."""
    measure, length = answer.question.measure, answer.table.state.size
    parts, scale = group.parts(measure), MINOR_PER_UNIT if measure is Measure.REVENUE else 1
    missing = [0.0] * (length - group.state.size)
    return NewnessGroupShape(
        label=label,
        new=[*missing, *(value / scale for value in parts.new.tolist())],
        returning=[*missing, *(value / scale for value in parts.returning.tolist())],
    )
