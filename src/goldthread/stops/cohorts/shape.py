"""The cohort table as JSON.

Shares are fractions, null where undefined. Money is a plain decimal text, exact; where it is a quotient, a number.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from goldthread.core import limits
from goldthread.core.book.periods import period_label
from goldthread.core.choices import AgeKind, CohortFigure, Period
from goldthread.core.cohorts.figures import COUNTS, Differences, FigureAverages, FigureTable
from goldthread.core.cohorts.outliers import Apart
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.money import MINOR_PER_UNIT, money_text
from goldthread.shape import Shape
from goldthread.stops.behind.evidence import Unit
from goldthread.stops.cohorts.answer import CohortAnswer, Split
from goldthread.stops.cohorts.question import CohortView
from goldthread.stops.cohorts.sheet import unit_of
from goldthread.stops.events_shape import EventShape
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.sheet import money_texts


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
    """A cohort unlike the adjacent ones: the share that came back up to ``age``, and theirs."""

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


class CohortsShape(AnswerShape):
    """The cohort table with its question in words and everything that can be changed about it."""

    period: Period
    ages: AgeKind
    figure: CohortFigure
    unit: Unit
    totalled: bool = Field(description="Whether the row over all cohorts holds totals; else averages.")
    first_column_shown: bool
    by_calendar: bool
    view: CohortView
    small_below: int
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
        limits.limit_cells(
            tables * int(table.observed.sum()),
            most=limits.CELLS_SHOWN_MOST,
            remedy="Choose a longer period, or download it as a file.",
            field="period",
        )
        return cls(
            **header(answer.read, answer.words),
            period=question.period.kind,
            ages=question.ages,
            figure=question.figure_shown,
            unit=unit_of(question.figure_shown),
            totalled=question.figure_shown in COUNTS,
            first_column_shown=question.first_column_shown,
            by_calendar=question.by_calendar,
            view=question.view_shown,
            small_below=question.small,
            customers=int(table.size.sum()),
            orders=int(table.orders.sum()),
            revenue=money_text(int(table.revenue_minor.sum())),
            left_out_by_rule=history.left_out_by_rule_count,
            left_out_after_as_of=history.left_out_after_as_of_count,
            left_out_by_condition=history.left_out_by_condition_count,
            ages_shown=table.age_count,
            periods=[period_label(table.first_cohort + place, table.period) for place in range(table.age_count)],
            cohorts=_rows(answer),
            all=_columns(table, answer.figure),
            rest=None if rest is None or answer.rest_table is None else _columns(answer.rest_table, rest),
            split=None if answer.split is None else _split(answer, answer.split),
            events=EventShape.each_of(answer.events),
        )


def _rows(answer: CohortAnswer) -> list[CohortRowShape]:
    table, figure = answer.table, answer.figure
    unit, came_back = unit_of(figure.figure), table.came_back.tolist()
    seen_of, complete = table.observed.sum(axis=1).tolist(), table.complete.sum(axis=1).tolist()
    apart = {each.row: ApartShape.of(each) for each in answer.apart}
    bounded = not np.isnan(figure.low).all()
    revenue = money_texts(table.revenue_minor.ravel())
    values, low, high = (_plain_value(each, unit) for each in (figure.values, figure.low, figure.high))
    rows = []
    for row, label in enumerate(table.labels):
        seen = seen_of[row]
        rows.append(
            CohortRowShape(
                cohort=label,
                size=int(table.size[row]),
                small=bool(table.small(answer.question.small)[row]),
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
    values, low, high = _plain_averages(averages, unit)
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
        cells = _plain_value(figure.values, unit)
        values, low, high = _plain_averages(figure.averages, unit)
        more, more_low, more_high = _differences(difference)
        groups.append(
            SplitGroupShape(
                label=part.label,
                customers=part.ordered,
                once=part.once,
                cohorts=[
                    SplitRowShape(
                        size=int(counts.size[row]),
                        small=bool(counts.small(answer.question.small)[row]),
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
    match answer.question.figure_shown:
        case CohortFigure.ORDERS | CohortFigure.AVERAGE_ORDER_VALUE:
            counted = counts.orders
        case CohortFigure.REVENUE | CohortFigure.REVENUE_PER_CUSTOMER | CohortFigure.PROFIT_PER_CUSTOMER:
            counted = counts.revenue_minor
        case CohortFigure.REVENUE_RETENTION:
            counted = counts.revenue_minor
        case _:
            counted = counts.customers
    scale = MINOR_PER_UNIT if counted is counts.revenue_minor else 1
    length = counts.age_count
    sums = np.zeros(length, np.int64)
    for row in range(min(counts.cohort_count, length)):
        sums[row:] += counted[row, : length - row]
    return [value / scale for value in sums.tolist()]


def _differences(found: Differences) -> tuple[list[float | None], list[float | None], list[float | None]]:
    return (
        _plain_value(found.difference, Unit.SHARE),
        _plain_value(found.low, Unit.SHARE),
        _plain_value(found.high, Unit.SHARE),
    )


def _plain_averages(
    averages: FigureAverages, unit: Unit
) -> tuple[list[float | None], list[float | None], list[float | None]]:
    values, low, high = (_plain_value(each, unit) for each in (averages.values, averages.low, averages.high))
    return values, low, high


def _overall(averages: FigureAverages, unit: Unit) -> float | None:
    return (
        None
        if np.isnan(averages.overall)
        else round(averages.overall / (MINOR_PER_UNIT if unit is Unit.MONEY else 1), 6)
    )


def _plain_value(values: NDArray[np.float64], unit: Unit) -> list[Any]:
    """Shares and counts as they are, amounts in the currency's unit; null where undefined."""
    rounded = np.round(values / MINOR_PER_UNIT, 4) if unit is Unit.MONEY else np.round(values, 6)
    listed = rounded.astype(object)
    listed[np.isnan(values)] = None
    found: list[Any] = listed.tolist()
    return found
