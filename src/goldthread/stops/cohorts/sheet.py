"""The cohort table as a sheet: tidy, one row per cell, or the grid as people read it; orders behind a figure as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from decimal import Decimal

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.actions.cohort_behind import UNITS
from goldthread.actions.cohort_questions import Layout as Layout
from goldthread.actions.cohorts import CohortAnswer
from goldthread.actions.opened import Unit
from goldthread.actions.sheets import Sheet, csv_lines, exact_money, money_text_column, one_under_the_other
from goldthread.actions.wording import plain
from goldthread.core.cohort_figures import COUNTS, CohortFigure, FigureTable
from goldthread.core.cohorts import CellState, CohortCounts
from goldthread.core.intervals import wilson_interval
from goldthread.core.periods import period_label
from goldthread.core.records import guarded
from goldthread.store.details import OrderDetail

MINOR = 10_000
_SHARES = frozenset({"retention_rate", "low", "high"})
_IN_EVERY_ROW = frozenset({CohortFigure.RETENTION, *COUNTS})


def money(minor: int) -> str:
    """An exact amount as a plain decimal, with at least two decimals."""
    units, part = divmod(abs(minor), MINOR)
    text = f"{'-' if minor < 0 else ''}{units}.{part:04d}"
    return text if part % 100 else text[:-2]


def money_texts(minor: NDArray[np.int64]) -> list[str]:
    """Exact amounts as `money` writes them, all at once."""
    texts: list[str] = money_text_column(exact_money(np.ascontiguousarray(minor))).to_pylist()
    return texts


def plain_amount(amount: Decimal) -> str:
    """An exact amount as a plain decimal, with at least two decimals."""
    text = f"{amount:.4f}"
    return text[:-2] if text.endswith("00") else text


def unit_of(figure: CohortFigure) -> Unit:
    """What a figure is counted in."""
    return UNITS.get(figure, Unit.SHARE)


def cohort_sheet(answer: CohortAnswer, layout: Layout) -> Sheet:
    """The cohort table; with a split, one table under the other, told apart by their first column."""
    sentences = tuple(plain(each) for each in (answer.sentence, answer.reading, answer.manner))
    write = _tidy if layout is Layout.TIDY else _grid
    if answer.split is None:
        table = write(answer, answer.table, answer.figure)
    else:
        table = one_under_the_other(
            (group.label, write(answer, group.counts, group.figure)) for group in answer.split.parts
        )
    own = unit_of(answer.question.figure) is Unit.SHARE
    named = (
        set(table.column_names) - {"group", "cohort", "customers"} if layout is Layout.GRID else {_value_name(answer)}
    )
    return Sheet(sentences, table, _SHARES | named if own else _SHARES)


def cohorts_csv(answer: CohortAnswer, layout: Layout) -> bytes:
    """The cohort table as CSV. The grid's first line is the sentence that the figures answer."""
    sheet = cohort_sheet(answer, layout)
    lines = b"".join(csv_lines(sheet.table))
    if layout is Layout.TIDY:
        return lines
    return _written([[" ".join(sheet.sentences)]]).encode() + lines


def orders_csv(orders: Iterable[tuple[str, str, OrderDetail]]) -> str:
    """The orders behind a figure, one per row."""
    header = ("customer", "name", "source", "order", "date", "amount", "status")
    rows = (
        (
            guarded(key),
            guarded(name),
            guarded(order.source),
            guarded(order.number),
            order.date.isoformat(),
            money(int(order.amount * MINOR)),
            order.status.value,
        )
        for name, key, order in orders
    )
    return _written([header, *rows])


def _written(rows: Iterable[Sequence[object]]) -> str:
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\r\n").writerows(rows)
    return out.getvalue()


def _value_name(answer: CohortAnswer) -> str:
    return answer.question.figure.value


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
    if answer.question.figure not in _IN_EVERY_ROW:
        columns[_value_name(answer)] = _column(answer, figure.values[rows, ages])
    return pa.table(columns)


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
    match unit_of(answer.question.figure):
        case Unit.SHARE:
            return pa.array(np.where(missing, 0.0, values), mask=missing)
        case Unit.COUNT:
            return pa.array(np.where(missing, 0, values).astype(np.int64), mask=missing)
        case Unit.MONEY:
            return exact_money(np.rint(np.where(missing, 0, values)).astype(np.int64), missing)
