"""What goes over the wire about new and returning. Counts are whole numbers, money is a plain decimal text."""

from __future__ import annotations

import datetime as dt

from goldthread.actions.newness import NewnessAnswer, NewnessQuestion, NewnessView
from goldthread.actions.newness_wording import newness_controls, newness_manner, newness_sentence
from goldthread.actions.tables import money
from goldthread.actions.wording import reading_line
from goldthread.api.cohort_shapes import EventShape
from goldthread.api.opened_shapes import PageQuery
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import Shape
from goldthread.api.thread_shapes import FormQuery
from goldthread.core.cohorts import CellState
from goldthread.core.newness import Measure, NewnessTable, Parts, Side, Span, Tally
from goldthread.core.periods import to_date


class NewnessQuery(HistoryQuery):
    """New and returning by day, week, month, quarter or year."""

    period: Span = Span.MONTH
    measure: Measure = Measure.ORDERS
    view: NewnessView = NewnessView.COLUMNS
    split: str = ""

    def question(self) -> NewnessQuestion:
        return NewnessQuestion(self.choice(), self.period, self.measure, self.view, self.split)


class NewnessFile(NewnessQuery, FormQuery):
    pass


class StretchQuery(NewnessQuery):
    """One figure: ``at`` is a period's ISO name, ``all``, or ``this_year``."""

    at: str
    side: Side = Side.ALL
    group: str = ""


class NewnessBehindQuery(StretchQuery, PageQuery):
    pass


class CountPartsShape(Shape):
    """A count told apart. ``won_back`` is a part of ``returning``."""

    new: int
    returning: int
    won_back: int

    @classmethod
    def of(cls, parts: Parts, place: int) -> CountPartsShape:
        return cls.told((int(parts.new[place]), int(parts.returning[place]), int(parts.won_back[place])))

    @classmethod
    def told(cls, parts: tuple[int, int, int]) -> CountPartsShape:
        return cls(new=parts[0], returning=parts[1], won_back=parts[2])


class MoneyPartsShape(Shape):
    """An amount told apart, as plain decimals."""

    new: str
    returning: str
    won_back: str

    @classmethod
    def of(cls, parts: Parts, place: int) -> MoneyPartsShape:
        return cls.told((int(parts.new[place]), int(parts.returning[place]), int(parts.won_back[place])))

    @classmethod
    def told(cls, parts: tuple[int, int, int]) -> MoneyPartsShape:
        return cls(new=money(parts[0]), returning=money(parts[1]), won_back=money(parts[2]))


class StretchShape(Shape):
    """A stretch of days, both ends inside, told apart; customers are distinct in the whole stretch."""

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
            orders=CountPartsShape.told(tally.orders),
            customers=CountPartsShape.told(tally.customers),
            revenue=MoneyPartsShape.told(tally.revenue_minor),
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


class NewnessShape(Shape):
    """New and returning. ``whole`` is everything at once: its customers are counted afresh, never summed.

    ``cohorts_agree`` says whether the new customers of each period are the size of its cohort; null where there are no
    such cohorts. ``groups`` stand in the sequence of ``periods``.
    """

    book: str
    currency: str
    revision: int
    as_of: dt.date
    period: Span
    measure: Measure
    view: NewnessView
    reading: list[PartShape]
    sentence: list[PartShape]
    manner: list[PartShape]
    controls: list[ControlShape]
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
            book=read.book.name,
            currency=read.book.currency,
            revision=read.shelved.revision,
            as_of=to_date(read.as_of_day),
            period=question.period,
            measure=question.measure,
            view=question.view,
            reading=PartShape.list_of(reading_line(read)),
            sentence=PartShape.list_of(newness_sentence(question)),
            manner=PartShape.list_of(newness_manner(read, question)),
            controls=[ControlShape.of(control) for control in newness_controls(read, question)],
            customers_in_all=table.customers_in_all,
            periods=[_period(answer, place, label) for place, label in enumerate(table.labels)],
            whole=StretchShape.of(answer.whole),
            year=StretchShape.of(answer.year),
            year_before=None if answer.year_before is None else StretchShape.of(answer.year_before),
            rest=None if answer.rest is None else StretchShape.of(answer.rest),
            cohorts_agree=answer.cohorts_agree,
            split_title=read.fields.field(question.split).title if question.split else "",
            groups=[_group(answer, label, group) for label, group in answer.groups or []],
            events=EventShape.list_of(answer.events),
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
    parts, scale = group.parts(measure), 10_000 if measure is Measure.REVENUE else 1
    missing = [0.0] * (length - group.state.size)
    return NewnessGroupShape(
        label=label,
        new=[*missing, *(value / scale for value in parts.new.tolist())],
        returning=[*missing, *(value / scale for value in parts.returning.tolist())],
    )
