"""New and returning: ask for it, compare it with last year, open its figures."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np

from goldthread.actions.further import EventRow, events_of
from goldthread.actions.newness_questions import NewnessQuestion as NewnessQuestion
from goldthread.actions.newness_questions import NewnessView as NewnessView
from goldthread.actions.opened import Figure, Opened, Unit, opened
from goldthread.actions.questions import date_words, period_words
from goldthread.actions.reading import Read
from goldthread.actions.wording import count_words
from goldthread.actions.workspace import Workspace
from goldthread.core.book import Attribute
from goldthread.core.cohort_split import BANDED, NOT_TOLD, customer_groups
from goldthread.core.cohorts import Behind, CellState, cohort_table
from goldthread.core.fields import Kind
from goldthread.core.groups import order_labels
from goldthread.core.history import Firsts, History
from goldthread.core.newness import (
    Measure,
    NewnessTable,
    Side,
    Span,
    Tally,
    label_groups,
    newness_table,
    stretch_behind,
    tally,
)
from goldthread.core.periods import Period, period_of_day, period_start, to_date, to_day
from goldthread.errors import InvalidInput

MOST_GROUPS = 8
EVERYTHING = "all"
THIS_YEAR = "this_year"


@dataclass(frozen=True, eq=False)
class NewnessAnswer:
    """New and returning by period.

    ``groups`` : the same by the labels of a split, None without one. ``whole`` : everything together, counted afresh.
    ``year`` : since 1 January of the as-of date's year; ``year_before`` : the same days a year earlier. ``last_year`` :
    for each period the same one a year earlier, up to the same day where it is still running; None before the book
    begins. ``cohorts_agree`` : whether new customers are the sizes of the cohorts; None for days and under a condition
    that shows only some orders. ``rest`` : everything of those who are not in hand, when they are shown beside.
    """

    read: Read
    question: NewnessQuestion
    table: NewnessTable
    groups: list[tuple[str, NewnessTable]] | None
    whole: Tally
    year: Tally
    year_before: Tally | None
    last_year: list[Tally | None]
    cohorts_agree: bool | None
    events: list[EventRow]
    rest: Tally | None


@dataclass(frozen=True)
class NewnessChoice:
    """A figure to be opened: a period's ISO name, ``all`` or ``this_year``; a side; a group of the split or none."""

    at: str
    side: Side
    group: str = ""


def ask_newness(workspace: Workspace, read: Read, question: NewnessQuestion) -> NewnessAnswer:
    """New and returning orders, customers and revenue by period. Raises `InvalidInput` for an unknown split."""
    span, history = question.period, read.history
    table: NewnessTable = workspace.answer(
        read.shelved, ("newness", *read.key, span), lambda: newness_table(history, span)
    )
    groups = None
    if question.split:
        groups = workspace.answer(
            read.shelved,
            ("newness split", *read.key, span, question.split),
            lambda: [(label, newness_table(group, span)) for label, group in _groups(history, question.split)],
        )
    day = read.as_of_day
    begins = _first_of_year(day)
    year, year_before = workspace.answer(
        read.shelved,
        ("newness years", *read.key),
        lambda: (tally(history, begins, day), _tally_before(history, begins, day)),
    )
    last_year = workspace.answer(read.shelved, ("newness before", *read.key, span), lambda: _years_before(table))
    whole = table.whole(_first_day(history))
    events = events_of(workspace, read.shelved)
    rest = None if read.rest is None else tally(read.rest, _first_day(read.rest), day)
    agree = workspace.answer(read.shelved, ("newness agrees", *read.key, span), lambda: _cohorts_agree(table))
    return NewnessAnswer(read, question, table, groups, whole, year, year_before, last_year, agree, events, rest)


def split_names(read: Read) -> list[str]:
    """The fields by which new and returning can be split: labels of orders or of customers, first amounts in bands."""
    return [each.name for each in read.fields.fields if each.kind is Kind.LABEL or each.name == BANDED]


def _groups(history: History, name: str) -> list[tuple[str, History]]:
    if name == BANDED:
        bands = customer_groups(history, name)
        attribute = Attribute(bands.codes.astype(np.uint16).take(history.book.customer), bands.labels)
        found = dict(label_groups(history, attribute, bands.count))
        return [(label, found[label]) for label in bands.labels if label in found]
    attribute = order_labels(history, name)
    return [(label or NOT_TOLD, group) for label, group in label_groups(history, attribute, MOST_GROUPS)]


def _first_day(history: History) -> int:
    return history.book.day_span[0] if history.book.order_count else history.rule.as_of_day


def _first_of_year(day: int) -> int:
    return to_day(dt.date(to_date(day).year, 1, 1))


def year_earlier(day: int) -> int:
    """The same date a year earlier; 28 February for the 29th."""
    date = to_date(day)
    clipped = min(date.day, 28) if date.month == 2 else date.day
    return to_day(dt.date(date.year - 1, date.month, clipped))


def _tally_before(history: History, first_day: int, last_day: int) -> Tally | None:
    """The same days a year earlier; None when the book begins later."""
    first, last = year_earlier(first_day), year_earlier(last_day)
    return tally(history, first, last) if first >= _first_day(history) else None


def _years_before(table: NewnessTable) -> list[Tally | None]:
    """For each period the one a year earlier: weeks by their number, days by their date; the last period, while it
    runs, against the same days alone."""
    found: list[Tally | None] = []
    for place in range(table.state.size):
        before = _place_before(table, place)
        found.append(None if before < 0 else table.tally(before))
    if found and found[-1] is not None and int(table.state[-1]) == CellState.PARTIAL:
        first, last = table.days_of(table.state.size - 1)
        began = found[-1].first_day
        same_days = began + (last - first) if table.span is Span.WEEK else year_earlier(last)
        found[-1] = tally(table.history, began, same_days)
    return found


def _place_before(table: NewnessTable, place: int) -> int:
    """The place of the period a year earlier; negative when the table begins later."""
    match table.span:
        case Span.DAY:
            day = table.first + place
            return year_earlier(day) - table.first
        case Span.WEEK:
            return _week_before(table.first + place) - table.first
    return place - {Span.MONTH: 12, Span.QUARTER: 4, Span.YEAR: 1}[table.span]


def _week_before(index: int) -> int:
    """The ISO week of the same number a year earlier; week 52 where that year has no week 53."""
    year, week, _ = to_date(int(period_start(index, Period.WEEK))).isocalendar()
    weeks = dt.date(year - 1, 12, 28).isocalendar().week
    return period_of_day(to_day(dt.date.fromisocalendar(year - 1, min(week, weeks), 1)), Period.WEEK)


def _cohorts_agree(table: NewnessTable) -> bool | None:
    if table.span is Span.DAY or table.history.shown is not None or table.history.rule.firsts is Firsts.MATCHING:
        return None
    cohorts = cohort_table(table.history, Period(table.span.value))
    sizes = dict(zip(cohorts.labels, cohorts.size.tolist(), strict=True))
    new = dict(zip(table.labels, table.customers.new.tolist(), strict=True))
    return all(new.get(label, 0) == sizes.get(label, 0) for label in new.keys() | sizes.keys())


@dataclass(frozen=True, eq=False)
class Stretch:
    """What a figure looks at: a stretch of days in a history, which shows the orders of one group alone for a group."""

    history: History
    first_day: int
    last_day: int
    behind: Behind


def stretch_of(answer: NewnessAnswer, choice: NewnessChoice) -> Stretch:
    """The stretch of a figure and what it counts. Raises `InvalidInput` for a period or group that is not there."""
    history = answer.read.history
    if choice.group:
        known = dict(_groups(history, answer.question.split)) if answer.question.split else {}
        if choice.group not in known:
            raise InvalidInput(f"There is no group {choice.group}.", remedy="Name one of the split.", field="group")
        history = known[choice.group]
    first, last = _days(answer, choice.at)
    behind = stretch_behind(history, first, last, answer.question.measure, choice.side)
    return Stretch(history, first, last, behind)


def _days(answer: NewnessAnswer, at: str) -> tuple[int, int]:
    table = answer.table
    if at == EVERYTHING:
        return answer.whole.first_day, answer.whole.last_day
    if at == THIS_YEAR:
        return answer.year.first_day, answer.year.last_day
    return table.days_of(table.labels.index(at) if at in table.labels else -1)


def open_newness_figure(answer: NewnessAnswer, choice: NewnessChoice, offset: int, limit: int) -> Opened:
    """The customers and orders behind one figure."""
    stretch = stretch_of(answer, choice)
    book, behind, measure = stretch.history.book, stretch.behind, answer.question.measure
    customers, orders = int(behind.customers.size), int(behind.orders.size)
    unit, value, beside = Unit.COUNT, float(orders), f"orders of {count_words(customers, 'customer')}"
    if measure is Measure.CUSTOMERS:
        value, beside = float(customers), "customers"
    elif measure is Measure.REVENUE:
        unit, value = Unit.MONEY, float(book.amount_minor.take(behind.orders).sum())
        beside = f"from {count_words(orders, 'order')}"
    runs = answer.table.labels[-1:] == [choice.at] and int(answer.table.state[-1]) == CellState.PARTIAL
    note = f"Still running: up to {date_words(stretch.last_day)}." if runs else ""
    figure = Figure(unit, value, beside, f"{choice_words(answer, choice)}.", note)
    days = min(stretch.first_day, _first_day(stretch.history)), answer.read.as_of_day
    return opened(figure, book, behind, days, offset, limit)


_OF_ORDERS = {
    Side.NEW: "First orders",
    Side.RETURNING: "Orders that follow an earlier one",
    Side.WON_BACK: "Orders of customers who had lapsed",
    Side.ALL: "Orders",
}
_OF_CUSTOMERS = {
    Side.NEW: "Customers whose first order falls",
    Side.RETURNING: "Customers who ordered, and had before it,",
    Side.WON_BACK: "Customers who had lapsed and came back",
    Side.ALL: "Customers who ordered",
}


def choice_words(answer: NewnessAnswer, choice: NewnessChoice) -> str:
    """Who and what a figure counts, as a sentence without its full stop."""
    words = (_OF_CUSTOMERS if answer.question.measure is Measure.CUSTOMERS else _OF_ORDERS)[choice.side]
    group = ""
    if choice.group:
        group = f" ({answer.read.fields.field(answer.question.split).title}: {choice.group})"
    return f"{words} {_when(answer, choice.at)}{group}"


def _when(answer: NewnessAnswer, at: str) -> str:
    if at in (EVERYTHING, THIS_YEAR):
        first, last = _days(answer, at)
        return f"from {date_words(first)} to {date_words(last)}, both included"
    return (
        f"on {date_words(to_day(dt.date.fromisoformat(at)))}"
        if answer.question.period is Span.DAY
        else f"in {period_words(at)}"
    )
