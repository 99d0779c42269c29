"""The cohort table for a terminal."""

from __future__ import annotations

import numpy as np

from goldthread.core.book.periods import CellState
from goldthread.core.cohorts.figures import FigureTable
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.money import money_text, whole_cents
from goldthread.stops.behind.evidence import Unit
from goldthread.stops.cohorts.answer import CohortAnswer
from goldthread.stops.cohorts.sheet import unit_of
from goldthread.stops.sentences.sentence import count_words, sentences


def cohort_text(answer: CohortAnswer) -> str:
    """Aligned columns under the sentences; with a split, one table under the other.

    ``*`` marks a period still running, ``!`` an odd cell, ``~`` a small cohort.
    """
    heading = [*sentences(answer.read, answer.words), ""]
    if answer.split is None:
        body = _grid_lines(answer, answer.table, answer.figure)
    else:
        body = []
        for group in answer.split.parts:
            once = f"{count_words(group.ordered, 'customer')}, {group.once} of them with one order"
            body += [f"{group.label}: {once}", *_grid_lines(answer, group.counts, group.figure), ""]
    marks = "* still running   ! odd: check this   ~ small cohort"
    return "\n".join([*heading, *body, "", marks, ""])


def _grid_lines(answer: CohortAnswer, counts: CohortCounts, figure: FigureTable) -> list[str]:
    first, unit = 0 if answer.question.first_column_shown else 1, unit_of(figure.figure)
    ages = range(first, counts.age_count)
    averages = [_value(figure.averages.values[age], unit, 1) for age in ages]
    lines = [["first order", "customers", *map(str, ages)], ["all", str(int(counts.size.sum())), *averages]]
    for row, label in enumerate(counts.labels):
        size = f"{counts.size[row]}{'~' if counts.small(answer.question.small)[row] else ''}"
        lines.append([label, size, *(_cell(counts, figure, unit, row, age) for age in ages)])
    widths = [max(len(line[place]) for line in lines) for place in range(len(lines[0]))]
    return ["  ".join(text.rjust(width) for text, width in zip(line, widths, strict=True)).rstrip() for line in lines]


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
        case Unit.COUNT | Unit.NUMBER:
            return str(round(value))
        case Unit.MONEY:
            return money_text(whole_cents(value))
