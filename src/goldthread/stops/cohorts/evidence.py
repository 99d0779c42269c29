"""Open a figure of the cohort table: who and which orders stand behind it, and does the database agree."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.book.periods import period_label, period_start
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import AgeKind, CohortFigure
from goldthread.core.cohorts.concentration import Concentration, concentrations
from goldthread.core.cohorts.covered import Covered, InGroup
from goldthread.core.cohorts.figures import AT_EACH_AGE, COUNTS, OF_CUSTOMERS, FigureTable
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.counted import Counted
from goldthread.core.intervals import wilson_interval
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened
from goldthread.stops.cohorts.answer import CohortAnswer
from goldthread.stops.cohorts.question import ALL, CellChoice
from goldthread.stops.cohorts.words import age_phrase, cell_words
from goldthread.stops.sentences.sentence import count_words

Mask = NDArray[np.bool_]
UNITS = {
    CohortFigure.CUSTOMERS: Unit.COUNT,
    CohortFigure.ORDERS: Unit.COUNT,
    CohortFigure.REVENUE: Unit.MONEY,
    CohortFigure.AVERAGE_ORDER_VALUE: Unit.MONEY,
    CohortFigure.REVENUE_PER_CUSTOMER: Unit.MONEY,
    CohortFigure.PROFIT_PER_CUSTOMER: Unit.MONEY,
}
"""All other figures are shares."""
_UP_TO = frozenset({CohortFigure.REVENUE_PER_CUSTOMER, CohortFigure.PROFIT_PER_CUSTOMER})


@dataclass(frozen=True, eq=False)
class Cells:
    """The cells that a figure covers.

    ``wanted`` : cells whose orders it counts; ``rows`` : cohorts it speaks of. ``counted`` : what it counts.
    ``among`` : the customers of its group; None for all.
    """

    counts: CohortCounts
    figure: FigureTable
    wanted: Mask
    rows: NDArray[np.int64]
    counted: Counted
    among: InGroup | None


def open_cohort_figure(answer: CohortAnswer, cell: CellChoice, offset: int, limit: int) -> Opened:
    """The customers and orders behind a cell, a row's later ages, a column's average or total, or the overall one."""
    cells = covered_cells(answer, cell)
    table = answer.table
    first = int(cells.rows[0]) if cells.rows.size else 0
    days = int(period_start(table.first_cohort + first, table.period)), table.history.rule.as_of_day
    return opened(_figure(answer, cell, cells), cells.counted, days, offset, limit)


def covered_cells(answer: CohortAnswer, cell: CellChoice) -> Cells:
    """What a figure covers; its mask is bool, shape (cohorts, ages). Raises `InvalidInput` for a cell not in the
    table."""
    counts, figure, among = _part(answer, cell)
    wanted, away = _wanted(answer, cell, counts), counts_those_away(answer, cell)
    cohorts: Mask = np.logical_or.reduce(wanted, axis=1)
    spread = spread_cells(answer, cell, counts, wanted)
    covered = Covered(answer.table.again, spread, among, cohorts if away else None, away)
    counted = Counted(answer.table.history, covered)
    return Cells(counts, figure, wanted, np.flatnonzero(cohorts), counted, among)


def counted(answer: CohortAnswer, cell: CellChoice) -> Counted:
    """The customers and orders that a figure counts."""
    return covered_cells(answer, cell).counted


def counts_those_away(answer: CohortAnswer, cell: CellChoice) -> bool:
    """Whether a figure counts the customers who did not order."""
    wanted = answer.question.figure_shown is CohortFigure.CHURN and not cell.period
    return wanted and (cell.cohort == ALL or cell.age is not None)


def _part(answer: CohortAnswer, cell: CellChoice) -> tuple[CohortCounts, FigureTable, InGroup | None]:
    if not cell.group:
        return answer.table, answer.figure, None
    split = answer.split
    if split is None or cell.group not in split.groups.labels:
        raise InvalidInput(f"There is no group {cell.group}.", remedy="Name a group of the split.", field="group")
    place = split.groups.labels.index(cell.group)
    return split.parts[place].counts, split.parts[place].figure, InGroup(split.groups.of, place)


def _wanted(answer: CohortAnswer, cell: CellChoice, counts: CohortCounts) -> Mask:
    """The cells that are named: one, a row's or all later ages, or a column. Averages rest on complete cells only."""
    wanted = np.zeros(counts.customers.shape, np.bool_)
    if cell.cohort != ALL:
        row = counts.labels.index(cell.cohort) if cell.cohort in counts.labels else -1
        if row < 0 or (cell.age is not None and not (cell.age < counts.age_count and counts.observed[row, cell.age])):
            raise _not_in_table()
        ages = slice(1, None) if cell.age is None else slice(cell.age, cell.age + 1)
        wanted[row, ages] = counts.observed[row, ages]
        return wanted
    if cell.period:
        return _diagonal(answer, counts, cell.period)
    if cell.age is not None and cell.age >= counts.age_count:
        raise _not_in_table()
    rests_on = counts.observed if answer.question.figure_shown in COUNTS else counts.complete
    if cell.age is None:
        wanted[:, 1:] = rests_on[:, 1:]
    else:
        wanted[:, cell.age] = rests_on[:, cell.age]
    return wanted


def _not_in_table() -> InvalidInput:
    return InvalidInput(
        "That cell is not in the table.",
        remedy="Choose a cohort that has customers and an age that has begun by the as-of date.",
        field="cohort",
    )


def _diagonal(answer: CohortAnswer, counts: CohortCounts, period: str) -> Mask:
    """The cells of one calendar period. Elapsed ages have no such diagonal."""
    names = [period_label(counts.first_cohort + place, counts.period) for place in range(counts.age_count)]
    if period not in names or answer.question.ages is AgeKind.ELAPSED:
        raise InvalidInput(
            "That period is not in the table.", remedy="Choose calendar ages and a period of the table.", field="age"
        )
    rows, ages = np.indices(counts.customers.shape)
    along: Mask = (rows + ages == names.index(period)) & counts.observed
    return along


def spread_cells(answer: CohortAnswer, cell: CellChoice, counts: CohortCounts, wanted: Mask) -> Mask:
    """Figures that look beyond their own age count the orders of further cells of the same cohorts; bool,
    shape (cohorts, ages)."""
    if cell.age is None:
        return wanted
    rows = wanted.any(axis=1, keepdims=True)
    ages = np.arange(counts.age_count)
    match answer.question.figure_shown:
        case CohortFigure.STILL_BUYING:
            further: Mask = ages >= cell.age
        case CohortFigure.CAME_BACK:
            further = (ages >= 1) & (ages <= cell.age)
        case CohortFigure.REVENUE_PER_CUSTOMER | CohortFigure.PROFIT_PER_CUSTOMER:
            further = ages <= cell.age
        case _:
            return wanted
    spread: Mask = rows & further & counts.observed
    return spread


def _figure(answer: CohortAnswer, cell: CellChoice, cells: Cells) -> Figure:
    question, counts, counted = answer.question, cells.counts, cells.counted
    words = f"{figure_words(answer, cell)}."
    if cell.cohort != ALL:
        size = (
            int(counts.size[cells.rows[0]]) if cells.rows.size else int(counts.size[counts.labels.index(cell.cohort)])
        )
        if cell.age is None:
            return _came_back(counted, size, words)
        return _of_cell(answer, cell, cells, size, words)
    averages = cells.figure.averages
    if cell.period and question.figure_shown not in COUNTS:
        orders = count_words(counted.orders, "order")
        return Figure(Unit.COUNT, float(counted.customers), f"customers with {orders}", words)
    if question.figure_shown in COUNTS:
        value = _total(question.figure_shown, counted)
        return Figure(UNITS[question.figure_shown], value, _beside(question.figure_shown, counted), words)
    cohorts = count_words(int(cells.rows.size), "cohort")
    if cell.age is None:
        return _overall(answer, cells, words, cohorts)
    return Figure(
        UNITS.get(question.figure_shown, Unit.SHARE),
        _number(averages.values[cell.age]),
        f"over {count_words(int(averages.customers[cell.age]), 'customer')}",
        words,
        f"Over the {cohorts} for which this age is complete.",
        _number(averages.low[cell.age]),
        _number(averages.high[cell.age]),
        averaged=True,
    )


def _of_cell(answer: CohortAnswer, cell: CellChoice, cells: Cells, size: int, words: str) -> Figure:
    row, age = int(cells.rows[0]), cell.age or 0
    figure, kind = cells.figure, answer.question.figure_shown
    unusual = () if cell.group else _unusual(answer, cells.counted, row, age)
    made = Figure(
        UNITS.get(kind, Unit.SHARE),
        _number(figure.values[row, age]),
        _beside(kind, cells.counted, size),
        words,
        low=_number(figure.low[row, age]),
        high=_number(figure.high[row, age]),
        unusual=unusual,
    )
    small = kind in OF_CUSTOMERS and bool(cells.counts.small(answer.question.small)[row])
    return replace(made, note="This cohort is small: read the range, not the rate.") if small else made


def _came_back(counted: Counted, size: int, words: str) -> Figure:
    low, high = wilson_interval(np.array(counted.customers), np.array(size))
    share = counted.customers / size if size else None
    beside = f"{counted.customers} of {count_words(size, 'customer')}"
    note = "Counted afresh: somebody who came back at several ages is one customer here."
    return Figure(Unit.SHARE, share, beside, words, note, _number(float(low)), _number(float(high)))


def _overall(answer: CohortAnswer, cells: Cells, words: str, cohorts: str) -> Figure:
    counts, figure = cells.counts, answer.question.figure_shown
    who = count_words(cells.counted.customers, "customer")
    note = f"Over {count_words(int(cells.wanted.sum()), 'complete cell')} of {cohorts}"
    if figure in (CohortFigure.RETENTION, CohortFigure.CHURN):
        taken, chances = int(counts.customers[cells.wanted].sum()), int((cells.wanted * counts.size[:, None]).sum())
        note += f": {count_words(taken, 'chance')} to come back of {chances} were taken"
    value = _number(cells.figure.averages.overall) if figure in AT_EACH_AGE else None
    beside = f"{'by' if figure is not CohortFigure.CHURN else 'never:'} {who}"
    return Figure(UNITS.get(figure, Unit.SHARE), value, beside, words, f"{note}.", averaged=True)


def _total(figure: CohortFigure, counted: Counted) -> float:
    if figure is CohortFigure.REVENUE:
        return float(counted.revenue_minor)
    return float(counted.customers if figure is CohortFigure.CUSTOMERS else counted.orders)


def _beside(figure: CohortFigure, counted: Counted, size: int | None = None) -> str:
    customers = count_words(counted.customers, "customer")
    if figure in OF_CUSTOMERS and size is not None:
        return f"{counted.customers} of {count_words(size, 'customer')}"
    if figure is CohortFigure.ORDERS:
        return f"orders of {customers}"
    if figure is CohortFigure.CUSTOMERS:
        return "customers"
    if figure in _UP_TO and size is not None:
        return f"for each of {count_words(size, 'customer')}"
    return f"from {count_words(counted.orders, 'order')} of {customers}"


def _unusual(answer: CohortAnswer, counted: Counted, row: int, age: int) -> tuple[str, ...]:
    """What the customers of a cell have in common, in words. An odd cell in which nothing is found says so."""
    if answer.question.figure_shown in _UP_TO or counted.orders == 0:
        return ()
    found = concentrations(answer.table, counted, row, age)[:3]
    if not found:
        return (
            ("Its customers have no day, source or other label in common more than others at this age.",)
            if answer.figure.odd[row, age]
            else ()
        )
    when = age_phrase(answer.question.period, answer.question.ages, age)
    return tuple(_concentration_words(answer, each, when) for each in found)


def _concentration_words(answer: CohortAnswer, found: Concentration, when: str) -> str:
    usual = f"{100 * found.expected_share:.0f} %"
    here = f"{100 * found.customers / found.of:.0f} % of its customers ({found.customers} of {found.of})"
    if found.field == "day":
        day = date_words(to_day(dt.date.fromisoformat(found.label)))
        return f"{here} ordered on one day, {day}; spread evenly it were {usual}."
    title = answer.read.fields.field(found.field).title
    return f"{here} have {title} {found.label}; of others {when} {usual}."


def figure_words(answer: CohortAnswer, cell: CellChoice) -> str:
    """Who and what a figure counts, as a sentence without its full stop."""
    title = "" if answer.split is None else answer.split.groups.field.title
    return cell_words(answer.question, cell, title)


def _number(value: float) -> float | None:
    return None if np.isnan(value) else float(value)
