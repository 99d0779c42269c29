"""Answers as text for a terminal."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import numpy as np
import pyarrow as pa

from goldthread.actions.cohorts import CohortAnswer
from goldthread.actions.opened import Unit
from goldthread.actions.sheets import Sheet
from goldthread.actions.tables import money, plain_amount, unit_of
from goldthread.actions.wording import count_words, plain
from goldthread.core.cohort_figures import FigureTable
from goldthread.core.cohorts import CellState, CohortCounts


def cohort_text(answer: CohortAnswer) -> str:
    """Aligned columns under the sentences; with a split, one table under the other.

    ``*`` marks a period still running, ``!`` an odd cell, ``~`` a small cohort.
    """
    heading = [plain(answer.reading), plain(answer.sentence), plain(answer.manner), ""]
    if answer.split is None:
        body = _grid_lines(answer, answer.table, answer.figure)
    else:
        body = []
        for group in answer.split.parts:
            once = f"{count_words(group.ordered, 'customer')}, {group.once} of them with one order"
            body += [f"{group.label}: {once}", *_grid_lines(answer, group.counts, group.figure), ""]
    marks = "* still running   ! out of line, look twice   ~ small cohort"
    return "\n".join([*heading, *body, "", marks, ""])


def _grid_lines(answer: CohortAnswer, counts: CohortCounts, figure: FigureTable) -> list[str]:
    first, unit = 0 if answer.question.first_column_shown else 1, unit_of(figure.figure)
    ages = range(first, counts.age_count)
    averages = [_value(figure.averages.values[age], unit, 1) for age in ages]
    lines = [["first order", "customers", *map(str, ages)], ["all", str(int(counts.size.sum())), *averages]]
    for row, label in enumerate(counts.labels):
        size = f"{counts.size[row]}{'~' if counts.small[row] else ''}"
        lines.append([label, size, *(_cell(counts, figure, unit, row, age) for age in ages)])
    widths = [max(len(line[place]) for line in lines) for place in range(len(lines[0]))]
    return ["  ".join(text.rjust(width) for text, width in zip(line, widths, strict=True)).rstrip() for line in lines]


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


def _cell(counts: CohortCounts, figure: FigureTable, unit: Unit, row: int, age: int) -> str:
    if not counts.observed[row, age]:
        return ""
    mark = "!" if figure.odd[row, age] else "*" if counts.state[row, age] == CellState.PARTIAL else ""
    return _value(figure.values[row, age], unit, 0) + mark


def _value(value: float, unit: Unit, decimals: int) -> str:
    if np.isnan(value):
        return "—"
    match unit:
        case Unit.SHARE:
            return f"{100 * value:.{decimals}f}"
        case Unit.COUNT:
            return str(round(value))
        case Unit.MONEY:
            return money(round(value / 100) * 100)
