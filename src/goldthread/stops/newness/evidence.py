"""What stands behind the figures of new and returning."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from goldthread.core.book.days import to_day
from goldthread.core.book.periods import CellState
from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.choices import Measure, Side, Span
from goldthread.core.counted import Counted
from goldthread.core.history.history import History
from goldthread.core.newness.stretches import stretch_behind
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened
from goldthread.stops.newness.answer import NewnessAnswer, groups_of
from goldthread.stops.newness.question import EVERYTHING, THIS_YEAR, NewnessFigureName
from goldthread.stops.sentences.sentence import count_words


@dataclass(frozen=True, eq=False)
class Stretch:
    """What a figure looks at: a stretch of days in a history, which shows the orders of one group alone for a group."""

    history: History
    first_day: int
    last_day: int
    counted: Counted


def stretch_of(answer: NewnessAnswer, figure: NewnessFigureName) -> Stretch:
    """The stretch of a figure and what it counts. Raises `InvalidInput` for a period or group that is not there."""
    history = answer.read.history
    if figure.group:
        known = dict(groups_of(history, answer.question.split)) if answer.question.split else {}
        if figure.group not in known:
            raise InvalidInput(f"There is no group {figure.group}.", remedy="Name one of the split.", field="group")
        history = known[figure.group]
    first, last = _days(answer, figure.at)
    measure, side = answer.question.measure, figure.side
    find = partial(stretch_behind, first_day=first, last_day=last, measure=measure, side=side)
    return Stretch(history, first, last, Counted(history, find))


def counted(answer: NewnessAnswer, figure: NewnessFigureName) -> Counted:
    """The customers and orders that a figure counts."""
    return stretch_of(answer, figure).counted


def _days(answer: NewnessAnswer, at: str) -> tuple[int, int]:
    table = answer.table
    if at == EVERYTHING:
        return answer.whole.first_day, answer.whole.last_day
    if at == THIS_YEAR:
        return answer.year.first_day, answer.year.last_day
    return table.days_of(table.labels.index(at) if at in table.labels else -1)


def open_newness_figure(answer: NewnessAnswer, figure: NewnessFigureName, offset: int, limit: int) -> Opened:
    """The customers and orders behind one figure."""
    stretch = stretch_of(answer, figure)
    counted, measure = stretch.counted, answer.question.measure
    unit, value = Unit.COUNT, float(counted.orders)
    beside = f"orders of {count_words(counted.customers, 'customer')}"
    if measure is Measure.CUSTOMERS:
        value, beside = float(counted.customers), "customers"
    elif measure is Measure.REVENUE:
        unit, value = Unit.MONEY, float(counted.revenue_minor)
        beside = f"from {count_words(counted.orders, 'order')}"
    runs = answer.table.labels[-1:] == [figure.at] and int(answer.table.state[-1]) == CellState.PARTIAL
    note = f"Still running: up to {date_words(stretch.last_day)}." if runs else ""
    shown = Figure(unit, value, beside, f"{figure_words(answer, figure)}.", note)
    days = min(stretch.first_day, stretch.history.first_day), answer.read.as_of_day
    return opened(shown, counted, days, offset, limit)


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


def customer_words(answer: NewnessAnswer, figure: NewnessFigureName) -> str:
    """Whose orders a figure counts, as a sentence without its full stop."""
    return _words(answer, figure, _OF_CUSTOMERS)


def figure_words(answer: NewnessAnswer, figure: NewnessFigureName) -> str:
    """Who and what a figure counts, as a sentence without its full stop."""
    return _words(answer, figure, _OF_CUSTOMERS if answer.question.measure is Measure.CUSTOMERS else _OF_ORDERS)


def _words(answer: NewnessAnswer, figure: NewnessFigureName, of_sides: Mapping[Side, str]) -> str:
    words = of_sides[figure.side]
    group = ""
    if figure.group:
        group = f" ({answer.read.fields.field(answer.question.split).title}: {figure.group})"
    return f"{words} {_when(answer, figure.at)}{group}"


def _when(answer: NewnessAnswer, at: str) -> str:
    if at in (EVERYTHING, THIS_YEAR):
        first, last = _days(answer, at)
        return f"from {date_words(first)} to {date_words(last)}, both included"
    return (
        f"on {date_words(to_day(dt.date.fromisoformat(at)))}"
        if answer.question.period is Span.DAY
        else f"in {period_words(at)}"
    )
