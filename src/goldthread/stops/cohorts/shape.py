"""What goes over the wire about cohorts, and how answers are put into it.

Shares are fractions, null where undefined. Money is a plain decimal text, exact; where it is a quotient, a number.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from goldthread.actions.cohort_questions import SPEND, CohortQuestion, CohortView, FirstColumn
from goldthread.actions.cohort_questions import Columns as TableColumns
from goldthread.actions.cohorts import CohortAnswer, EventRow, Split
from goldthread.actions.opened import Unit
from goldthread.actions.tables import MINOR, Layout, money, money_texts, unit_of
from goldthread.api.opened_shapes import PageQuery
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import Shape
from goldthread.api.thread_shapes import FormQuery
from goldthread.core import limits
from goldthread.core.cohort_figures import COUNTS, Average, CohortFigure, Differences, FigureAverages, FigureTable
from goldthread.core.cohorts import CohortCounts
from goldthread.core.periods import AgeKind, Period, period_label, to_date
from goldthread.core.second_look import Apart


class CohortQuery(HistoryQuery):
    """A question to the cohort table."""

    period: Period = Period.MONTH
    ages: AgeKind = AgeKind.CALENDAR
    figure: CohortFigure = CohortFigure.RETENTION
    average: Average = Average.WEIGHTED
    first_column: FirstColumn | None = None
    columns: TableColumns = TableColumns.AGES
    view: CohortView = CohortView.TABLE
    split: str = ""
    against: str = ""
    margin: str = "100"
    cac: str = SPEND

    def question(self) -> CohortQuestion:
        return CohortQuestion(
            self.choice(),
            self.period,
            self.ages,
            self.figure,
            self.average,
            self.first_column,
            self.columns,
            self.view,
            self.split,
            self.against,
            self.margin,
            self.cac,
        )


class CohortTableQuery(CohortQuery):
    layout: Layout = Layout.TIDY


class CohortFile(CohortTableQuery, FormQuery):
    pass


class CellQuery(CohortQuery):
    """One figure of the table. ``age`` is a number or ``all``, ``cohort`` an ISO name or ``all``."""

    cohort: str
    age: str
    group: str = ""


class BehindQuery(CellQuery, PageQuery):
    pass


class CohortRowShape(Shape):
    """One cohort. Lists run from age 0 to the last age that has begun; the first ``complete`` of them are over.

    ``values`` are the figure's: fractions, counts or amounts; ``low`` and ``high`` are empty where it has no interval.
    ``came_back`` are customers with an order at any age from 1 on, counted afresh. ``apart`` is what its neighbours'
    share is, for a cohort whose own differs from it.
    """

    cohort: str
    size: int
    small: bool
    complete: int
    customers: list[int]
    orders: list[int]
    revenue: list[str]
    values: list[float | None]
    low: list[float | None]
    high: list[float | None]
    odd: list[int]
    came_back: int
    apart: ApartShape | None


class ApartShape(Shape):
    """A cohort unlike its neighbours: the share that came back up to ``age``, and theirs."""

    age: int
    share: float
    neighbours_share: float

    @classmethod
    def of(cls, apart: Apart) -> ApartShape:
        return cls(age=apart.age, share=round(apart.share, 6), neighbours_share=round(apart.neighbours_share, 6))


class CohortColumnsShape(Shape):
    """Over all cohorts, by age. Averages are over complete cells, totals over all that have begun; ``cells`` is on how
    many cells ``overall`` rests."""

    values: list[float | None]
    low: list[float | None]
    high: list[float | None]
    cohorts: list[int]
    rests_on_customers: list[int]
    customers: list[int]
    orders: list[int]
    revenue: list[str]
    overall: float | None
    cells: int
    came_back: int


class SplitRowShape(Shape):
    """One cohort of a group."""

    size: int
    small: bool
    complete: int
    values: list[float | None]


class SplitGroupShape(Shape):
    """One group of a split. ``once`` of its customers ordered once only. ``more`` is its average share less that of the
    group it is compared with, by age, with its 95 % interval; null for figures that are no share of customers.

    ``periods`` are what its orders come to by calendar period, for stacked bars: orders, customers or revenue.
    """

    label: str
    customers: int
    once: int
    cohorts: list[SplitRowShape]
    values: list[float | None]
    low: list[float | None]
    high: list[float | None]
    rests_on_customers: list[int]
    overall: float | None
    more: list[float | None]
    more_low: list[float | None]
    more_high: list[float | None]
    periods: list[float]


class SplitShape(Shape):
    """The same table by groups of customers; ``against`` is the group that the others are compared with."""

    title: str
    against: str
    merged: int
    groups: list[SplitGroupShape]


class EventShape(Shape):
    """Something on the time axis; both dates are inside."""

    begins: dt.date
    ends: dt.date
    label: str

    @classmethod
    def list_of(cls, events: list[EventRow]) -> list[EventShape]:
        return [cls(begins=each.begins, ends=each.ends, label=each.label) for each in events]


class CohortsShape(Shape):
    """The cohort table with its question in words and everything that can be changed about it."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
    period: Period
    ages: AgeKind
    figure: CohortFigure
    unit: Unit
    totalled: bool = Field(description="Whether the row over all cohorts holds totals; else averages.")
    first_column_shown: bool
    by_calendar: bool
    view: CohortView
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
    periods: list[str]
    cohorts: list[CohortRowShape]
    all: CohortColumnsShape
    rest: CohortColumnsShape | None
    split: SplitShape | None
    events: list[EventShape]

    @classmethod
    def of(cls, answer: CohortAnswer) -> CohortsShape:
        table, question, history = answer.table, answer.question, answer.table.history
        rest = answer.rest
        tables = 1 if answer.split is None else 1 + answer.split.groups.count
        limits.hold_cells(
            tables * int(table.observed.sum()),
            most=limits.CELLS_SHOWN_MOST,
            remedy="Choose a longer period, or take it as a file.",
            field="period",
        )
        return cls(
            book=answer.book.name,
            currency=answer.book.currency,
            revision=answer.shelved.revision,
            as_of=to_date(history.rule.as_of_day),
            period=question.period,
            ages=question.ages,
            figure=question.figure,
            unit=unit_of(question.figure),
            totalled=question.figure in COUNTS,
            first_column_shown=question.first_column_shown,
            by_calendar=question.by_calendar,
            view=question.view,
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
            periods=[period_label(table.first_cohort + place, table.period) for place in range(table.age_count)],
            cohorts=_rows(answer),
            all=_columns(table, answer.figure),
            rest=None if rest is None or answer.rest_table is None else _columns(answer.rest_table, rest),
            split=None if answer.split is None else _split(answer, answer.split),
            events=EventShape.list_of(answer.events),
        )


def _rows(answer: CohortAnswer) -> list[CohortRowShape]:
    table, figure = answer.table, answer.figure
    unit, came_back = unit_of(figure.figure), table.came_back.tolist()
    seen_of, complete = table.observed.sum(axis=1).tolist(), table.complete.sum(axis=1).tolist()
    apart = {each.row: ApartShape.of(each) for each in answer.apart}
    bounded = not np.isnan(figure.low).all()
    revenue = money_texts(table.revenue_minor.ravel())
    values, low, high = (_told(each, unit) for each in (figure.values, figure.low, figure.high))
    rows = []
    for row, label in enumerate(table.labels):
        seen = seen_of[row]
        rows.append(
            CohortRowShape(
                cohort=label,
                size=int(table.size[row]),
                small=bool(table.small[row]),
                complete=complete[row],
                customers=table.customers[row, :seen].tolist(),
                orders=table.orders[row, :seen].tolist(),
                revenue=revenue[row * table.age_count : row * table.age_count + seen],
                values=values[row][:seen],
                low=low[row][:seen] if bounded else [],
                high=high[row][:seen] if bounded else [],
                odd=np.flatnonzero(figure.odd[row]).tolist(),
                came_back=came_back[row],
                apart=apart.get(row),
            )
        )
    return rows


def _columns(table: CohortCounts, figure: FigureTable) -> CohortColumnsShape:
    averages, unit = figure.averages, unit_of(figure.figure)
    values, low, high = _told_averages(averages, unit)
    return CohortColumnsShape(
        values=values,
        low=low,
        high=high,
        cohorts=averages.cohorts.tolist(),
        rests_on_customers=averages.customers.tolist(),
        customers=table.customers.sum(axis=0).tolist(),
        orders=table.orders.sum(axis=0).tolist(),
        revenue=money_texts(table.revenue_minor.sum(axis=0)),
        overall=_overall(averages, unit),
        cells=averages.cells,
        came_back=int(table.came_back.sum()),
    )


def _split(answer: CohortAnswer, split: Split) -> SplitShape:
    groups = []
    for part, difference in zip(split.parts, split.differences, strict=True):
        counts, figure, unit = part.counts, part.figure, unit_of(part.figure.figure)
        seen, complete = counts.observed.sum(axis=1).tolist(), counts.complete.sum(axis=1).tolist()
        cells = _told(figure.values, unit)
        values, low, high = _told_averages(figure.averages, unit)
        more, more_low, more_high = _differences(difference)
        groups.append(
            SplitGroupShape(
                label=part.label,
                customers=part.ordered,
                once=part.once,
                cohorts=[
                    SplitRowShape(
                        size=int(counts.size[row]),
                        small=bool(counts.small[row]),
                        complete=complete[row],
                        values=cells[row][: seen[row]],
                    )
                    for row in range(counts.cohort_count)
                ],
                values=values,
                low=low,
                high=high,
                rests_on_customers=figure.averages.customers.tolist(),
                overall=_overall(figure.averages, unit),
                more=more,
                more_low=more_low,
                more_high=more_high,
                periods=_by_period(answer, counts),
            )
        )
    return SplitShape(
        title=split.groups.field.title,
        against=split.groups.labels[split.base] if split.groups.labels else "",
        merged=split.groups.merged,
        groups=groups,
    )


def _by_period(answer: CohortAnswer, counts: CohortCounts) -> list[float]:
    """The diagonals: what comes to each calendar period over all cohorts; none for elapsed ages."""
    if answer.question.ages is AgeKind.ELAPSED:
        return []
    match answer.question.figure:
        case CohortFigure.ORDERS | CohortFigure.AVERAGE_ORDER_VALUE:
            counted = counts.orders
        case CohortFigure.REVENUE | CohortFigure.REVENUE_PER_CUSTOMER | CohortFigure.PROFIT_PER_CUSTOMER:
            counted = counts.revenue_minor
        case CohortFigure.REVENUE_RETENTION:
            counted = counts.revenue_minor
        case _:
            counted = counts.customers
    scale = MINOR if counted is counts.revenue_minor else 1
    length = counts.age_count
    sums = np.zeros(length, np.int64)
    for row in range(min(counts.cohort_count, length)):
        sums[row:] += counted[row, : length - row]
    return [value / scale for value in sums.tolist()]


def _differences(found: Differences) -> tuple[list[float | None], list[float | None], list[float | None]]:
    return _told(found.difference, Unit.SHARE), _told(found.low, Unit.SHARE), _told(found.high, Unit.SHARE)


def _told_averages(
    averages: FigureAverages, unit: Unit
) -> tuple[list[float | None], list[float | None], list[float | None]]:
    values, low, high = (_told(each, unit) for each in (averages.values, averages.low, averages.high))
    return values, low, high


def _overall(averages: FigureAverages, unit: Unit) -> float | None:
    return None if np.isnan(averages.overall) else round(averages.overall / (MINOR if unit is Unit.MONEY else 1), 6)


def _told(values: NDArray[np.float64], unit: Unit) -> list[Any]:
    """Shares and counts as they are, amounts in the currency's unit; null where undefined."""
    told = np.round(values / MINOR, 4) if unit is Unit.MONEY else np.round(values, 6)
    listed = told.astype(object)
    listed[np.isnan(values)] = None
    found: list[Any] = listed.tolist()
    return found
