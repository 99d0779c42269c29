"""The cohort table to download: tidy, one row per cell, or the grid as people read it."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.book.periods import CellState, period_label
from goldthread.core.choices import CohortFigure
from goldthread.core.cohorts.figures import COUNTS, FigureTable
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.intervals import wilson_interval
from goldthread.stops.behind.evidence import Unit
from goldthread.stops.cohorts.answer import CohortAnswer
from goldthread.stops.cohorts.evidence import UNITS
from goldthread.stops.cohorts.question import Layout
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, one_under_the_other, with_first_days
from goldthread.workspace import Workspace

_SHARES = frozenset({"retention_rate", "low", "high"})
_IN_EVERY_ROW = frozenset({CohortFigure.RETENTION, *COUNTS})


def unit_of(figure: CohortFigure) -> Unit:
    """What a figure is counted in."""
    return UNITS.get(figure, Unit.SHARE)


def cohort_sheet(_workspace: Workspace, answer: CohortAnswer) -> Sheet:
    """The cohort table; with a split, one table under the other, distinguished by their first column."""
    said, layout = sentences(answer.read, answer.words), answer.question.layout
    write = _tidy if layout is Layout.TIDY else _grid
    if answer.split is None:
        table = write(answer, answer.table, answer.figure)
    else:
        table = one_under_the_other(
            (group.label, write(answer, group.counts, group.figure)) for group in answer.split.parts
        )
    own = unit_of(answer.question.figure_shown) is Unit.SHARE
    named = (
        set(table.column_names) - {"group", "cohort", "customers"} if layout is Layout.GRID else {_value_name(answer)}
    )
    return Sheet(said, table, _SHARES | named if own else _SHARES, headed=layout is Layout.GRID)


def _value_name(answer: CohortAnswer) -> str:
    return answer.question.figure_shown.value


def _tidy(answer: CohortAnswer, counts: CohortCounts, figure: FigureTable) -> pa.Table:
    """The columns that every figure has in common, and that of the figure which was asked for."""
    rows, ages = np.nonzero(counts.observed)
    labels = pa.array(counts.labels, pa.large_string())
    states = pa.array([state.name.lower() for state in CellState], pa.large_string())
    with np.errstate(invalid="ignore", divide="ignore"):
        rate = counts.customers[rows, ages] / counts.size[rows]
    columns: dict[str, object] = {
        "cohort": labels.take(pa.array(rows)),
        "size": counts.size[rows],
        "age": ages,
        "state": states.take(pa.array(counts.state[rows, ages])),
        "customers": counts.customers[rows, ages],
        "orders": counts.orders[rows, ages],
        "revenue": exact_money(counts.revenue_minor[rows, ages]),
        "retention_rate": rate,
    }
    low, high = wilson_interval(counts.customers, np.broadcast_to(counts.size[:, None], counts.customers.shape))
    columns |= {"low": low[rows, ages], "high": high[rows, ages]}
    if answer.question.figure_shown not in _IN_EVERY_ROW:
        columns[_value_name(answer)] = _column(answer, figure.values[rows, ages])
    return with_first_days(pa.table(columns), "cohort", counts.period)


def _grid(answer: CohortAnswer, counts: CohortCounts, figure: FigureTable) -> pa.Table:
    question = answer.question
    first = 0 if question.first_column_shown else 1
    columns: dict[str, object] = {
        "cohort": pa.array(["all", *counts.labels], pa.large_string()),
        "customers": np.concatenate(([counts.size.sum()], counts.size)),
    }
    if question.by_calendar:
        by_period = calendar_values(counts, figure.values, first)
        for place in range(counts.age_count):
            name = period_label(counts.first_cohort + place, counts.period)
            columns[name] = _column(answer, np.concatenate(([np.nan], by_period[:, place])))
    else:
        for age in range(first, counts.age_count):
            columns[str(age)] = _column(answer, np.concatenate(([figure.averages.values[age]], figure.values[:, age])))
    return pa.table(columns)


def calendar_values(counts: CohortCounts, values: NDArray[np.float64], first_age: int) -> NDArray[np.float64]:
    """Values by cohort and calendar period instead of age; float64, same shape, NaN where there is no cell."""
    moved = np.full(values.shape, np.nan)
    for row in range(min(counts.cohort_count, counts.age_count)):
        moved[row, row + first_age :] = values[row, first_age : counts.age_count - row]
    return moved


def _column(answer: CohortAnswer, values: NDArray[np.float64]) -> pa.Array:
    missing = np.isnan(values)
    match unit_of(answer.question.figure_shown):
        case Unit.SHARE:
            return pa.array(np.where(missing, 0.0, values), mask=missing)
        case Unit.COUNT:
            return pa.array(np.where(missing, 0, values).astype(np.int64), mask=missing)
        case Unit.MONEY:
            return exact_money(np.rint(np.where(missing, 0, values)).astype(np.int64), missing)
