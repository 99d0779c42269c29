"""What goes over the wire about cohorts, and how answers are put into it.

Shares are fractions, null where undefined. Money is a plain decimal text, exact.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from goldthread.actions.ask import CohortAnswer, Opened
from goldthread.actions.questions import CohortFigure, CohortQuestion, FirstColumn
from goldthread.actions.tables import Layout, money
from goldthread.actions.thread import Thread
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import Shape
from goldthread.core.cohorts import Average, AverageRetention, CohortTable
from goldthread.core.periods import AgeKind, Period, to_date


class CohortQuery(HistoryQuery):
    """A question to the cohort table."""

    period: Period = Period.MONTH
    ages: AgeKind = AgeKind.CALENDAR
    figure: CohortFigure = CohortFigure.RETENTION
    average: Average = Average.WEIGHTED
    first_column: FirstColumn | None = None

    def question(self) -> CohortQuestion:
        return CohortQuestion(self.choice(), self.period, self.ages, self.figure, self.average, self.first_column)


class CohortTableQuery(CohortQuery):
    layout: Layout = Layout.TIDY


class BehindQuery(CohortQuery):
    cohort: str
    age: str
    offset: Annotated[int, Field(ge=0)] = 0
    limit: Annotated[int, Field(ge=1, le=200)] = 60


class CohortRowShape(Shape):
    """One cohort. Lists run from age 0 to the last age that has begun; the first ``complete`` of them are over."""

    cohort: str
    size: int
    small: bool
    complete: int
    customers: list[int]
    orders: list[int]
    revenue: list[str]
    retention_rate: list[float | None]
    low: list[float | None]
    high: list[float | None]
    odd: list[int]


class CohortColumnsShape(Shape):
    """Over all cohorts, by age. Averages are over complete cells, totals over all that have begun."""

    retention_rate: list[float | None]
    low: list[float | None]
    high: list[float | None]
    cohorts: list[int]
    rests_on_customers: list[int]
    customers: list[int]
    orders: list[int]
    revenue: list[str]
    overall_retention_rate: float | None


class CohortsShape(Shape):
    """The cohort table with its question in words and everything that can be changed about it."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
    period: Period
    ages: AgeKind
    figure: CohortFigure
    first_column_shown: bool
    reading: list[PartShape]
    sentence: list[PartShape]
    manner: list[PartShape]
    controls: list[ControlShape]
    customers: int
    orders: int
    revenue: str
    left_out_by_rule: int
    left_out_after_as_of: int
    left_out_by_condition: int
    ages_shown: int
    cohorts: list[CohortRowShape]
    all: CohortColumnsShape
    rest: CohortColumnsShape | None

    @classmethod
    def of(cls, answer: CohortAnswer) -> CohortsShape:
        table, question, history = answer.table, answer.question, answer.table.history
        return cls(
            book=answer.book.name,
            currency=answer.book.currency,
            revision=answer.shelved.revision,
            as_of=to_date(history.rule.as_of_day),
            period=question.period,
            ages=question.ages,
            figure=question.figure,
            first_column_shown=question.first_column_shown,
            reading=PartShape.list_of(answer.reading),
            sentence=PartShape.list_of(answer.sentence),
            manner=PartShape.list_of(answer.manner),
            controls=[ControlShape.of(control) for control in answer.controls],
            customers=int(table.size.sum()),
            orders=int(table.orders.sum()),
            revenue=money(int(table.revenue_minor.sum())),
            left_out_by_rule=history.left_out_by_rule_count,
            left_out_after_as_of=history.left_out_after_as_of_count,
            left_out_by_condition=history.left_out_by_condition_count,
            ages_shown=table.age_count,
            cohorts=[_cohort_row(answer, row, label) for row, label in enumerate(table.labels)],
            all=_columns(answer.table, answer.averages),
            rest=_rest(answer),
        )


def _cohort_row(answer: CohortAnswer, row: int, label: str) -> CohortRowShape:
    table = answer.table
    seen = int(table.observed[row].sum())
    low, high = table.retention_interval
    return CohortRowShape(
        cohort=label,
        size=int(table.size[row]),
        small=bool(table.small[row]),
        complete=int(table.complete[row].sum()),
        customers=table.customers[row, :seen].tolist(),
        orders=table.orders[row, :seen].tolist(),
        revenue=[money(minor) for minor in table.revenue_minor[row, :seen].tolist()],
        retention_rate=_shares(table.retention_rate[row, :seen]),
        low=_shares(low[row, :seen]),
        high=_shares(high[row, :seen]),
        odd=np.flatnonzero(answer.odd[row]).tolist(),
    )


def _rest(answer: CohortAnswer) -> CohortColumnsShape | None:
    if answer.rest is None:
        return None
    return _columns(answer.rest, answer.rest.average_retention(answer.question.average))


def _columns(table: CohortTable, averages: AverageRetention) -> CohortColumnsShape:
    return CohortColumnsShape(
        retention_rate=_shares(averages.rate),
        low=_shares(averages.low),
        high=_shares(averages.high),
        cohorts=averages.cohorts.tolist(),
        rests_on_customers=averages.customers.tolist(),
        customers=table.customers.sum(axis=0).tolist(),
        orders=table.orders.sum(axis=0).tolist(),
        revenue=[money(minor) for minor in table.revenue_minor.sum(axis=0).tolist()],
        overall_retention_rate=None if np.isnan(averages.overall) else round(averages.overall, 6),
    )


def _shares(values: NDArray[np.float64]) -> list[float | None]:
    listed = np.round(values, 6).astype(object)
    listed[np.isnan(values)] = None
    shares: list[float | None] = listed.tolist()
    return shares


class KnotShape(Shape):
    """One order on a thread; ``inside`` when the opened figure counts it."""

    date: dt.date
    amount: str
    inside: bool


class ThreadShape(Shape):
    customer: int
    name: str
    key: str
    knots: list[KnotShape]

    @classmethod
    def of(cls, thread: Thread) -> ThreadShape:
        return cls(
            customer=thread.customer_id,
            name=thread.name,
            key=thread.key,
            knots=[
                KnotShape(date=knot.date, amount=money(knot.amount_minor), inside=knot.inside) for knot in thread.knots
            ],
        )


class OpenedShape(Shape):
    """What stands behind one figure: how many, how sure, and some of the customers with their threads."""

    figure: CohortFigure
    words: str
    note: str
    customers: int
    orders: int
    revenue: str
    of_customers: int | None
    share: float | None
    low: float | None
    high: float | None
    first_date: dt.date
    last_date: dt.date
    offset: int
    threads: list[ThreadShape]

    @classmethod
    def of(cls, opened: Opened, offset: int) -> OpenedShape:
        return cls(
            figure=opened.figure,
            words=opened.words,
            note=opened.note,
            customers=opened.customers,
            orders=opened.orders,
            revenue=money(opened.revenue_minor),
            of_customers=opened.of_customers,
            share=opened.share,
            low=opened.low,
            high=opened.high,
            first_date=opened.first_date,
            last_date=opened.last_date,
            offset=offset,
            threads=[ThreadShape.of(thread) for thread in opened.threads],
        )
