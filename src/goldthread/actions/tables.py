"""Answers as CSV (RFC 4180): tidy, one row per cell, or the grid as people read it. Safe to open in a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from decimal import Decimal
from enum import StrEnum

import numpy as np

from goldthread.actions.ask import CohortAnswer
from goldthread.actions.questions import CohortFigure
from goldthread.actions.wording import plain
from goldthread.core.cohorts import CellState
from goldthread.core.records import guarded
from goldthread.store.details import OrderDetail

MINOR = 10_000
TIDY_COLUMNS = (
    "cohort",
    "size",
    "age",
    "state",
    "customers",
    "orders",
    "revenue",
    "retention_rate",
    "low",
    "high",
)


class Layout(StrEnum):
    """How a table is written: one row per cell, or as people read it."""

    TIDY = "tidy"
    GRID = "grid"


def money(minor: int) -> str:
    """An exact amount as a plain decimal, with at least two decimals."""
    return plain_amount(Decimal(minor) / MINOR)


def plain_amount(amount: Decimal) -> str:
    """An exact amount as a plain decimal, with at least two decimals."""
    text = f"{amount:.4f}"
    return text[:-2] if text.endswith("00") else text


def share(value: float) -> str:
    """A fraction with six decimals; empty where undefined."""
    return "" if np.isnan(value) else f"{value:.6f}"


def cohorts_csv(answer: CohortAnswer, layout: Layout) -> str:
    """The cohort table as CSV. The grid's first line is the sentence that the figures answer."""
    return _written(_tidy(answer) if layout is Layout.TIDY else _grid(answer))


def orders_csv(orders: Sequence[tuple[str, str, OrderDetail]]) -> str:
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


def _tidy(answer: CohortAnswer) -> Iterable[Sequence[object]]:
    table = answer.table
    rate, (low, high) = table.retention_rate, table.retention_interval
    yield TIDY_COLUMNS
    for row, label in enumerate(table.labels):
        for age in np.flatnonzero(table.observed[row]).tolist():
            yield (
                label,
                int(table.size[row]),
                age,
                CellState(int(table.state[row, age])).name.lower(),
                int(table.customers[row, age]),
                int(table.orders[row, age]),
                money(int(table.revenue_minor[row, age])),
                share(rate[row, age]),
                share(low[row, age]),
                share(high[row, age]),
            )


def _grid(answer: CohortAnswer) -> Iterable[Sequence[object]]:
    table, figure = answer.table, answer.question.figure
    first = 0 if answer.question.first_column_shown else 1
    yield [f"{plain(answer.sentence)} {plain(answer.reading)} {plain(answer.manner)}"]
    yield ["cohort", "customers", *range(first, table.age_count)]
    if figure is CohortFigure.RETENTION:
        yield ["all", int(table.size.sum()), *(share(rate) for rate in answer.averages.rate[first:])]
    for row, label in enumerate(table.labels):
        cells = (_cell(answer, row, age) for age in range(first, table.age_count))
        yield [label, int(table.size[row]), *cells]


def _cell(answer: CohortAnswer, row: int, age: int) -> str | int:
    table = answer.table
    if not table.observed[row, age]:
        return ""
    if answer.question.figure is CohortFigure.RETENTION:
        return share(table.retention_rate[row, age])
    if answer.question.figure is CohortFigure.REVENUE:
        return money(int(table.revenue_minor[row, age]))
    counts = table.customers if answer.question.figure is CohortFigure.CUSTOMERS else table.orders
    return int(counts[row, age])
