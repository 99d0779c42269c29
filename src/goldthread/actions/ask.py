"""Ask a question of a book, and open any figure of the answer."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.questions import ALL, CellChoice, CohortFigure, CohortQuestion, period_words
from goldthread.actions.reading import Read, read_book
from goldthread.actions.thread import Thread, thread_of
from goldthread.actions.wording import (
    Control,
    Part,
    age_phrase,
    cohort_controls,
    cohort_manner,
    cohort_sentence,
    count_words,
    reading_line,
)
from goldthread.actions.workspace import Shelved, Workspace
from goldthread.core.checks import Check, check_all, check_newness
from goldthread.core.cohorts import AverageRetention, Behind, CohortTable, cohort_table
from goldthread.core.history import History
from goldthread.core.intervals import wilson_interval
from goldthread.core.newness import Span, newness_table
from goldthread.core.periods import period_start, to_date
from goldthread.errors import InvalidInput
from goldthread.store import details
from goldthread.store.books import BookRow
from goldthread.store.details import OrderDetail
from goldthread.store.recount import recount_cohorts
from goldthread.store.recount_newness import recount_newness


@dataclass(frozen=True, eq=False)
class CohortAnswer:
    """A cohort table with its question, its sentences and what it was asked of."""

    read: Read
    question: CohortQuestion
    table: CohortTable
    averages: AverageRetention
    odd: NDArray[np.bool_]
    rest: CohortTable | None

    @property
    def book(self) -> BookRow:
        return self.read.book

    @property
    def shelved(self) -> Shelved:
        return self.read.shelved

    @property
    def reading(self) -> list[Part]:
        return reading_line(self.read)

    @property
    def sentence(self) -> list[Part]:
        return cohort_sentence(self.question)

    @property
    def manner(self) -> list[Part]:
        return cohort_manner(self.question)

    @property
    def controls(self) -> list[Control]:
        return cohort_controls(self.question, self.read)


def ask_cohorts(workspace: Workspace, book: BookRow, question: CohortQuestion, today: dt.date) -> CohortAnswer:
    """The cohort table of a book. Raises `InvalidInput` for a choice that does not fit the book."""
    read = read_book(workspace, book, question.history, today)

    def table_of(history: History) -> CohortTable:
        return cohort_table(history, question.period, question.ages)

    key = (*read.key, question.period, question.ages)
    table = workspace.answer(read.shelved, ("cohorts", *key), lambda: table_of(read.history))
    rest = read.rest
    other = None if rest is None else workspace.answer(read.shelved, ("others", *key), lambda: table_of(rest))
    return CohortAnswer(
        read, question, table, table.average_retention(question.average), table.odd(question.average), other
    )


@dataclass(frozen=True)
class Opened:
    """What stands behind one figure. Shares are fractions; None where the figure is no share.

    ``first_date`` and ``last_date`` span the time axis that all threads share.
    """

    figure: CohortFigure
    words: str
    note: str
    customers: int
    orders: int
    revenue_minor: int
    of_customers: int | None
    share: float | None
    low: float | None
    high: float | None
    first_date: dt.date
    last_date: dt.date
    threads: list[Thread]


def open_cohort_figure(answer: CohortAnswer, cell: CellChoice, offset: int, limit: int) -> Opened:
    """The customers and orders behind a cell, a column's average or total, or the overall average.

    ``offset`` and ``limit`` choose which customers are listed, in the order of their names.
    """
    behind, wanted = _behind(answer, cell)
    table = answer.table
    listed = behind.customers[offset : offset + limit]
    rows = np.flatnonzero(wanted.any(axis=1))
    start = period_start(table.first_cohort + int(rows[0]) if rows.size else table.first_cohort, table.period)
    opened = Opened(
        figure=answer.question.figure,
        words=_words(answer, cell),
        note="",
        customers=int(behind.customers.size),
        orders=int(behind.orders.size),
        revenue_minor=int(table.history.book.amount_minor.take(behind.orders).sum()),
        of_customers=None,
        share=None,
        low=None,
        high=None,
        first_date=to_date(int(start)),
        last_date=to_date(table.history.rule.as_of_day),
        threads=[thread_of(table.history.book, customer, behind.orders) for customer in listed.tolist()],
    )
    return _with_share(answer, cell, wanted, opened)


def customers_behind(answer: CohortAnswer, cell: CellChoice) -> tuple[NDArray[np.int32], str]:
    """The customers behind a figure, by their places in the book, and who they are in words."""
    words = _words(answer, cell).rstrip(".").removeprefix("Customers ")
    return _behind(answer, cell)[0].customers, words


def orders_behind(workspace: Workspace, answer: CohortAnswer, cell: CellChoice) -> list[tuple[str, str, OrderDetail]]:
    """Every order behind a figure with its customer's name and key, by customer, then in the order of the thread."""
    behind, _ = _behind(answer, cell)
    book = answer.table.history.book
    engine = workspace.record.engine
    customers, order_ids = book.customer.take(behind.orders).tolist(), book.order_id.take(behind.orders).tolist()
    about = {customer: (book.customers.name(customer), book.customers.key(customer)) for customer in set(customers)}
    found = details.order_details(engine, answer.book.id, order_ids)
    return [(*about[customer], found[order]) for customer, order in zip(customers, order_ids, strict=True)]


def check_book(workspace: Workspace, book: BookRow, question: CohortQuestion, today: dt.date) -> list[Check]:
    """Every identity of the definitions, and the cohort table recounted by SQL inside the database.

    The recount knows neither conditions nor customers in hand, so it is left out under either.
    """
    answer = ask_cohorts(workspace, book, question, today)
    table = answer.table
    newness = newness_table(table.history, Span(table.period.value))
    checks = [*check_all(table, table.history.rule.lapse), *check_newness(table, newness)]
    checks.sort(key=lambda check: check.number)
    if table.history.chosen is not None:
        return checks
    engine = workspace.record.engine
    recounted, periods = recount_cohorts(engine, book.id, table), recount_newness(engine, book.id, newness)
    return [
        *checks,
        Check(8, "Cells in which the database's own recount differs", 0, recounted.differing_count),
        Check(8, "Periods in which its recount of new and returning differs", 0, periods),
    ]


def _behind(answer: CohortAnswer, cell: CellChoice) -> tuple[Behind, NDArray[np.bool_]]:
    """What a figure counts, and which cells it covers. An average rests on complete cells only."""
    table = answer.table
    wanted = np.zeros(table.customers.shape, np.bool_)
    if cell.cohort != ALL:
        if cell.age is None or cell.cohort not in table.labels:
            raise InvalidInput(
                "That cell is not in the table.", remedy="Name a cohort of the table and an age.", field="cohort"
            )
        row = table.labels.index(cell.cohort)
        behind = table.behind(row, cell.age)
        wanted[row, cell.age] = True
        return behind, wanted
    rests_on = table.complete if answer.question.figure is CohortFigure.RETENTION else table.observed
    if cell.age is None:
        wanted[:, 1:] = rests_on[:, 1:]
    elif cell.age < table.age_count:
        wanted[:, cell.age] = rests_on[:, cell.age]
    return table.behind_cells(wanted), wanted


def _with_share(answer: CohortAnswer, cell: CellChoice, wanted: NDArray[np.bool_], opened: Opened) -> Opened:
    if answer.question.figure is not CohortFigure.RETENTION:
        return opened
    table, averages = answer.table, answer.averages
    if cell.cohort != ALL and cell.age is not None:
        size = int(table.size[table.labels.index(cell.cohort)])
        low, high = wilson_interval(np.array(opened.customers), np.array(size))
        note = "This cohort is small: read the range, not the rate." if size < 30 else ""
        return replace(
            opened, of_customers=size, share=opened.customers / size, low=float(low), high=float(high), note=note
        )
    cohorts = count_words(int(wanted.any(axis=1).sum()), "cohort")
    if cell.age is None:
        pairs, trials = int(table.customers[wanted].sum()), int((wanted * table.size[:, None]).sum())
        note = (
            f"Over {count_words(int(wanted.sum()), 'complete cell')} of {cohorts}: {pairs} of {trials} chances to come "
            f"back were taken, by {count_words(opened.customers, 'customer')}."
        )
        return replace(opened, share=_number(averages.overall), note=note)
    note = f"Over the {cohorts} for which this age is complete."
    return replace(
        opened,
        of_customers=int(averages.customers[cell.age]),
        share=_number(averages.rate[cell.age]),
        low=_number(averages.low[cell.age]),
        high=_number(averages.high[cell.age]),
        note=note,
    )


def _number(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _words(answer: CohortAnswer, cell: CellChoice) -> str:
    period, ages = answer.question.period, answer.question.ages
    who = "All customers" if cell.cohort == ALL else f"Customers who first ordered in {period_words(cell.cohort)}"
    if cell.age is None:
        return f"{who}, at every age after the first {period}."
    if cell.age == 0:
        return f"{who}, and what they ordered {age_phrase(period, ages, 0)}."
    return (
        f"{who} and ordered {age_phrase(period, ages, cell.age)}."
        if cell.cohort != ALL
        else (f"{who} who ordered {age_phrase(period, ages, cell.age)}.")
    )
