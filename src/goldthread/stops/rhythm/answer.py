"""Rhythm: order counts in a window, gaps between orders, time to the next order, who is due."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_label, period_start
from goldthread.core.choices import CUSTOMER, Period
from goldthread.core.history.facts import expected_gap_days
from goldthread.core.history.fields import is_grouping
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels, OfOrders, OfPeriods
from goldthread.core.rhythm.counts import OrderCounts, monthly_orders, order_counts
from goldthread.core.rhythm.due import Due, DueBy, DueCounts, days_late, who_is_due
from goldthread.core.rhythm.gaps import (
    CustomerGaps,
    GapTable,
    WithoutGaps,
    gap_table,
    gaps_by_customer,
    gaps_by_step,
    without_gaps,
)
from goldthread.core.rhythm.waits import Between, Waits, waits
from goldthread.core.survival import Curve, TimesToEvent, log_rank, product_limit, stacked
from goldthread.core.threads.gaps import gap_days
from goldthread.core.threads.windows import RowsInSequence, listed_rows
from goldthread.errors import InvalidInput
from goldthread.stops.events import events_of
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.question import (
    ORDER,
    PERIODS,
    STEP,
    TOGETHER,
    CountsQuestion,
    DueQuestion,
    GapsQuestion,
    NextOrderQuestion,
)
from goldthread.stops.rhythm.window import window
from goldthread.stops.rhythm.words import rhythm_words
from goldthread.stops.sentences.conditions import condition_of
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence import EVERYBODY_ELSE, LISTED, Words
from goldthread.stops.sentences.sequence import Columns, by_column, of_customers
from goldthread.stops.sentences.spans import days_given
from goldthread.stops.usual import in_calendar
from goldthread.store.read.details import EventRow
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
DUE_DAYS_MOST = 366


@dataclass(frozen=True, eq=False)
class CountsAnswer:
    """Customers by number of orders in a window; ``rest``: the same of everybody else, when a list is compared.

    ``months``: every month of the book, its first date, and its orders.
    """

    read: Read
    question: CountsQuestion
    counts: OrderCounts
    rest: OrderCounts | None
    months: list[tuple[str, dt.date, int]]
    events: list[EventRow]

    @property
    def words(self) -> Words:
        """The question in words."""
        return rhythm_words(self.read, self.question)


@dataclass(frozen=True, eq=False)
class GapsAnswer:
    """Gaps by group.

    ``together``: all gaps as one group. ``table``: the groups, None where each customer or gap is a row. ``rows``: the
    groups in the sequence in which they are shown, or the customers or orders. ``by_customer``: statistics of each
    customer, where they are the rows. ``one_order``, ``no_order``: customers who have no gap.
    """

    read: Read
    question: GapsQuestion
    together: GapTable
    table: GapTable | None
    by_customer: CustomerGaps | None
    rows: Int64s
    same_day: int
    one_order: int
    no_order: int

    @property
    def words(self) -> Words:
        """The question in words."""
        return rhythm_words(self.read, self.question)

    def customers(self, rows: Int64s) -> Int64s:
        """The customer of each of some rows, where rows are customers or orders; int64."""
        if self.by_customer is not None:
            return self.by_customer.customers.take(rows)
        return self.read.orders.customer.take(rows).astype(np.int64)


@dataclass(frozen=True, eq=False)
class NextOrderAnswer:
    """Time to the next order.

    ``waits``: those that are looked at; ``rest``: everybody else, when a list is compared with them. ``labels``,
    ``times``, ``curve``: all groups together, those of the rest last. ``chi_square`` and ``chance`` compare them; NaN
    for one group.
    """

    read: Read
    question: NextOrderQuestion
    waits: Waits
    rest: Waits | None
    labels: tuple[str, ...]
    times: TimesToEvent
    curve: Curve
    chi_square: float
    chance: float

    @property
    def words(self) -> Words:
        """The question in words."""
        return rhythm_words(self.read, self.question)

    def group(self, label: str | None) -> tuple[Waits, int | None]:
        """Whose waits a group is among, and its place there; all that are looked at for None. Raises `InvalidInput`."""
        if label is None:
            return self.waits, None
        if label not in self.labels:
            raise InvalidInput(f"There is no group {label}.", remedy="Name one of the split.", field="group")
        place, mine = self.labels.index(label), len(self.waits.labels)
        return (self.waits, place) if self.rest is None or place < mine else (self.rest, place - mine)


@dataclass(frozen=True, eq=False)
class DueAnswer:
    """Whose next order is expected within so many days. ``found``: the customers who are listed, those just late first,
    then by day."""

    read: Read
    question: DueQuestion
    days: int
    due: DueCounts
    found: RowsInSequence

    @property
    def words(self) -> Words:
        """The question in words."""
        return rhythm_words(self.read, self.question)


def ask_counts(workspace: Workspace, read: Read, question: CountsQuestion) -> CountsAnswer:
    """Customers by number of orders in a window. Raises `InvalidInput` for a window that ends before it begins."""
    first, last = window(read, question)
    history = read.history
    months = workspace.answer(read.shelved, ("months", *read.key), lambda: _months(history))
    return CountsAnswer(
        read,
        question,
        order_counts(history, first, last, question.groups),
        None if read.rest is None else order_counts(read.rest, first, last, question.groups),
        months,
        events_of(workspace, read.shelved),
    )


def _months(history: History) -> list[tuple[str, dt.date, int]]:
    found = monthly_orders(history)
    months = found.first + np.arange(found.orders.size)
    begins = period_start(months, Period.MONTH).tolist()
    return [
        (period_label(month, Period.MONTH), to_date(day), count)
        for month, day, count in zip(months.tolist(), begins, found.orders.tolist(), strict=True)
    ]


def ask_gaps(workspace: Workspace, read: Read, question: GapsQuestion) -> GapsAnswer:
    """Gaps by group, customer or order. Raises `InvalidInput` for an unknown field, `TooLarge` for one with too many
    values."""
    history, by = read.history, question.by
    together: GapTable = workspace.answer(read.shelved, ("gaps", *read.key), lambda: gap_table(history))
    table: GapTable | None = None
    by_customer: CustomerGaps | None = None
    columns: Columns
    if by == CUSTOMER:
        key = ("gaps of customers", *read.key)
        customers: CustomerGaps = workspace.answer(read.shelved, key, lambda: gaps_by_customer(history))
        by_customer, rows = customers, np.argsort(-customers.median_days, kind="stable")
        columns = {
            "name": lambda: of_customers(read, "name", customers.customers.take(rows)),
            **{name: partial(np.take, values, rows) for name, values in customers.columns().items()},
        }
    elif by == ORDER:
        gaps = gap_days(read.orders).take(together.positions)
        rows = together.positions.take(np.argsort(-gaps, kind="stable"))
        columns = {
            "name": lambda: of_customers(read, "name", read.orders.customer.take(rows).astype(np.int64)),
            "gap": lambda: gap_days(read.orders).take(rows),
            "date": lambda: read.orders.day.take(rows),
        }
    else:
        key = ("gaps by", *read.key, by, period_of(read, by))
        table = workspace.answer(read.shelved, key, lambda: _gaps_by(read, by))
        rows = np.arange(len(table.labels))
        if not in_sequence(by):
            rows = np.argsort(-table.quantile_days(0.5), kind="stable")
        columns = _group_columns(table, rows, by)
    rows = by_column(question.sort, rows, columns)
    without: WithoutGaps = workspace.answer(read.shelved, ("without gaps", *read.key), lambda: without_gaps(history))
    return GapsAnswer(
        read,
        question,
        together,
        table,
        by_customer,
        rows,
        same_day=int(together.histogram[:, 0].sum()),
        one_order=without.one_order,
        no_order=without.no_order,
    )


def _group_columns(table: GapTable, rows: Int64s, by: str) -> Columns:
    return {
        "group": lambda: np.arange(rows.size) if in_sequence(by) else [table.labels[row] for row in rows.tolist()],
        "count": lambda: table.counts.take(rows),
        "mean": lambda: table.mean_days.take(rows),
        "median": lambda: table.quantile_days(0.5).take(rows),
        "customers": lambda: table.customers.take(rows),
    }


def in_sequence(by: str) -> bool:
    """Whether the groups have a sequence of their own, as steps and periods; others are shown the longest first."""
    return by in (STEP, TOGETHER) or by in PERIODS


def period_of(read: Read, by: str) -> Period | None:
    """The period in which gaps ended that they are shown by, in the calendar of the book; None for other groups."""
    return in_calendar(read.book, Period(by)) if by in PERIODS else None


def _gaps_by(read: Read, by: str) -> GapTable:
    history = read.history
    if by == STEP:
        return gaps_by_step(history)
    if by == TOGETHER:
        return gap_table(history)
    period = period_of(read, by)
    if period is not None:
        return gap_table(history, OfPeriods.asked(history, period))
    field = history.fields.field(by, "by")
    if not is_grouping(field):
        raise InvalidInput(
            f"{field.title} has no labels to group gaps by.",
            remedy=f"Give {STEP}, {CUSTOMER}, {ORDER}, a period, or a field such as source or region.",
            field="by",
        )
    return gap_table(history, OfOrders.asked(history, by))


def ask_next_order(workspace: Workspace, read: Read, question: NextOrderQuestion) -> NextOrderAnswer:
    """Time to the next order by group. Raises `InvalidInput` for an unknown split or a condition that does not fit."""
    fields = read.fields.by_name
    between = Between(
        question.step,
        condition_of(question.after, fields, "after"),
        condition_of(question.then, fields, "then"),
    )

    def found(history: History, alone: str) -> Waits:
        labels = _split(history, question.split)
        key = ("waits", *read.key, history is read.rest, between, question.split)
        taken: Waits = workspace.answer(read.shelved, key, lambda: waits(history, between, labels, alone))
        return taken

    if read.rest is None:
        mine = found(read.history, "everybody")
        chi_square, chance = log_rank(mine.times)
        return NextOrderAnswer(read, question, mine, None, mine.labels, mine.times, mine.curve, chi_square, chance)
    mine, rest = found(read.history, LISTED), found(read.rest, EVERYBODY_ELSE)
    labels = mine.labels + rest.labels
    if question.split:
        labels = tuple(
            f"{label}, {whose}" for each, whose in ((mine, LISTED), (rest, EVERYBODY_ELSE)) for label in each.labels
        )
    times = stacked(mine.times, rest.times)
    return NextOrderAnswer(read, question, mine, rest, labels, times, product_limit(times), *log_rank(times))


def _split(history: History, name: str) -> Labels | None:
    if not name:
        return None
    field = history.fields.field(name, "split")
    if not is_grouping(field):
        raise InvalidInput(
            f"Customers cannot be split by {field.title}.",
            remedy="Choose a field such as source or region.",
            field="split",
        )
    return OfOrders.asked(history, name)


def ask_due(workspace: Workspace, read: Read, question: DueQuestion) -> DueAnswer:
    """Whose next order is expected in the coming days, and who is late. Raises `InvalidInput`."""
    days = due_days(question)
    due: Due = workspace.answer(read.shelved, ("due", *read.key, days), lambda: who_is_due(read.history, days))
    with_late, history = question.overdue is Shown.SHOWN, read.history

    def ordered() -> Int64s:
        return np.concatenate((due.late if with_late else due.late[:0], due.coming))

    by = DueBy(days, with_late)
    if not question.sort:
        count = int(due.per_day.sum()) + with_late * int(due.per_lateness.sum())
        return DueAnswer(read, question, days, due, listed_rows(history, by, ordered, lambda: count))
    rows, named = ordered(), ("name", "next_due", "overdue", "revenue")
    columns: Columns = {
        **{name: partial(of_customers, read, name, rows) for name in named},
        "days_late": lambda: days_late(history, rows),
        "expected_gap": lambda: expected_gap_days(read.orders).take(rows),
    }
    rows = by_column(question.sort, rows, columns)
    return DueAnswer(read, question, days, due, RowsInSequence(int(rows.size), history, by, rows))


def due_days(question: DueQuestion) -> int:
    """How many days ahead a question looks. Raises `InvalidInput`."""
    return days_given(question.within, "within", 1, DUE_DAYS_MOST, f"Give 1d to {DUE_DAYS_MOST}d, such as 28d.")
