"""Answers as text for a terminal."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import numpy as np
import pyarrow as pa

from goldthread.actions.ask import CohortAnswer
from goldthread.actions.questions import CohortFigure
from goldthread.actions.sheets import Sheet
from goldthread.actions.tables import money, plain_amount
from goldthread.actions.wording import plain
from goldthread.core.cohorts import CellState


def cohort_text(answer: CohortAnswer) -> str:
    """Aligned columns under the sentences.

    ``*`` marks a period still running, ``!`` an odd cell, ``~`` a small cohort.
    """
    table = answer.table
    first = 0 if answer.question.first_column_shown else 1
    ages = range(first, table.age_count)
    lines = [["first order", "customers", *(str(age) for age in ages)]]
    if answer.question.figure is CohortFigure.RETENTION:
        lines.append(["all", str(int(table.size.sum())), *(_percent(rate, 1) for rate in answer.averages.rate[first:])])
    for row, label in enumerate(table.labels):
        size = f"{table.size[row]}{'~' if table.small[row] else ''}"
        lines.append([label, size, *(_cell(answer, row, age) for age in ages)])
    widths = [max(len(line[place]) for line in lines) for place in range(len(lines[0]))]
    body = ["  ".join(text.rjust(width) for text, width in zip(line, widths, strict=True)).rstrip() for line in lines]
    marks = "* still running   ! out of line, look twice   ~ small cohort"
    heading = [plain(answer.reading), plain(answer.sentence), plain(answer.manner), ""]
    return "\n".join([*heading, *body, "", marks, ""])


def sheet_rows(sheet: Sheet) -> list[dict[str, str | int | float | None]]:
    """A table as rows of texts and numbers: ISO dates, exact decimals as texts, None where nothing applies."""
    return [{name: _told(value) for name, value in row.items()} for row in sheet.table.to_pylist()]


def sheet_text(sheet: Sheet) -> str:
    """A table as aligned columns under its sentences; figures to the right."""
    rows = sheet_rows(sheet)
    names = sheet.table.column_names
    lines = [names, *(["—" if row[name] is None else str(row[name]) for name in names] for row in rows)]
    widths = [max(len(line[place]) for line in lines) for place in range(len(names))]
    to_right = [not pa.types.is_large_string(kind) for kind in sheet.table.schema.types]
    body = [
        "  ".join(
            text.rjust(width) if right else text.ljust(width)
            for text, width, right in zip(line, widths, to_right, strict=True)
        ).rstrip()
        for line in lines
    ]
    return "\n".join([*sheet.sentences, "", *body, "", f"{len(rows)} rows", ""])


def _told(value: object) -> str | int | float | None:
    if isinstance(value, Decimal):
        return plain_amount(value)
    if isinstance(value, dt.date):
        return value.isoformat()
    return value if isinstance(value, str | int | float) else None


def _cell(answer: CohortAnswer, row: int, age: int) -> str:
    table = answer.table
    if not table.observed[row, age]:
        return ""
    mark = "!" if answer.odd[row, age] else "*" if table.state[row, age] == CellState.PARTIAL else ""
    if answer.question.figure is CohortFigure.RETENTION:
        return _percent(table.retention_rate[row, age], 0) + mark
    if answer.question.figure is CohortFigure.REVENUE:
        return money(int(table.revenue_minor[row, age])) + mark
    counts = table.customers if answer.question.figure is CohortFigure.CUSTOMERS else table.orders
    return f"{counts[row, age]}{mark}"


def _percent(rate: float, decimals: int) -> str:
    return "—" if np.isnan(rate) else f"{100 * rate:.{decimals}f}"
