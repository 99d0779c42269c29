"""What customers bring the revenue with, and what a first purchase leads to: answers, and what stands behind them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import BLANK, OrderUnit
from goldthread.core.counted import Counted
from goldthread.core.intervals import wilson_interval
from goldthread.core.worth.bought import Bought, LeadsTo, bought, leads_to, who_bought, who_came_to
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.behind.recount import Recounted, asked_of
from goldthread.stops.reading import Read
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import Words, count_words
from goldthread.stops.sentences.sequence import Columns, by_column
from goldthread.stops.worth.question import (
    BoughtFigureName,
    BoughtQuestion,
    LeadsToFigureName,
    LeadsToQuestion,
)
from goldthread.stops.worth.words import bought_words, leads_to_words
from goldthread.store.recount.worth import recount_bought
from goldthread.workspace import Workspace

_NO_DAYS = "The database's recount knows lines of orders, not of purchase days."


@dataclass(frozen=True, eq=False)
class BoughtAnswer:
    """Products or categories. ``rows`` : places of them in the sequence in which they are shown."""

    read: Read
    question: BoughtQuestion
    bought: Bought
    rows: NDArray[np.int64]

    @property
    def words(self) -> Words:
        """The question in words."""
        return bought_words(self.question)


@dataclass(frozen=True, eq=False)
class LeadsToAnswer:
    """First category by later category."""

    read: Read
    question: LeadsToQuestion
    found: LeadsTo

    @property
    def words(self) -> Words:
        """The question in words."""
        return leads_to_words()


def ask_bought(workspace: Workspace, read: Read, question: BoughtQuestion) -> BoughtAnswer:
    """What customers bring the revenue with. Raises `Outdated`."""
    key = ("bought", *read.key, question.by)
    found = workspace.answer(read.shelved, key, lambda: bought(read.history, question.by.value))
    columns: Columns = {
        "label": lambda: found.labels,
        "customers": lambda: found.customers,
        "orders": lambda: found.orders,
        "lines": lambda: found.lines,
        "revenue": lambda: found.revenue_minor,
    }
    return BoughtAnswer(read, question, found, by_column(question.sort, np.arange(len(found.labels)), columns))


def ask_leads_to(workspace: Workspace, read: Read, question: LeadsToQuestion) -> LeadsToAnswer:
    """What a first purchase leads to. Raises `TooLarge` or `Outdated`."""
    found = workspace.answer(read.shelved, ("leads to", *read.key), lambda: leads_to(read.history))
    return LeadsToAnswer(read, question, found)


def named(label: str) -> str:
    """A label as it is shown: a blank one has a name."""
    return label or BLANK


def _known(label: str, labels: tuple[str, ...], of: str) -> str:
    """A label as it is on record. Raises `InvalidInput`."""
    for each in labels:
        if named(each) == label:
            return each
    raise InvalidInput(f"There is no {label[:80]} here.", remedy="Name one that is shown.", field=of)


def bought_counted(answer: BoughtAnswer, figure: BoughtFigureName) -> Counted:
    """The customers and orders with a line of a product or category."""
    label = _known(figure.label, answer.bought.labels, "label")
    return Counted(answer.read.history, partial(who_bought, of=answer.question.by.value, label=label))


def bought_words_of(answer: BoughtAnswer, figure: BoughtFigureName) -> str:
    """Who is counted, as a sentence without its full stop."""
    return f"Customers with an order that has a line of {answer.question.by} {figure.label}"


def open_bought(answer: BoughtAnswer, figure: BoughtFigureName, offset: int, limit: int) -> Opened:
    """A product or category: the orders with such a line, and what these lines came to."""
    found = answer.bought
    place = found.labels.index(_known(figure.label, found.labels, "label"))
    revenue = int(found.revenue_minor[place])
    lines, orders = count_words(int(found.lines[place]), "line"), count_words(int(found.orders[place]), "order")
    shown = Figure(
        Unit.MONEY,
        float(revenue),
        f"from {lines} of {orders}",
        f"{bought_words_of(answer, figure)}.",
        "Of the orders below the whole amount is given, whatever else they hold.",
    )
    return opened_of(answer.read, shown, bought_counted(answer, figure), offset, limit)


def recount_bought_figure(workspace: Workspace, answer: BoughtAnswer, figure: BoughtFigureName) -> Recounted:
    """Count the orders with a line of a product or category again."""
    label = _known(figure.label, answer.bought.labels, "label")
    return _recounted(workspace, answer.read, bought_counted(answer, figure), answer.question.by.value, label, 1, None)


def leads_to_counted(answer: LeadsToAnswer, figure: LeadsToFigureName) -> Counted:
    """The customers of a first category with the later orders that came to another one."""
    first, later = _pair(answer, figure)
    return Counted(answer.read.history, partial(who_came_to, row=first, column=later))


def _pair(answer: LeadsToAnswer, figure: LeadsToFigureName) -> tuple[str, str | None]:
    first = _known(figure.first, answer.found.rows, "first")
    return first, None if figure.later is None else _known(figure.later, answer.found.columns, "later")


def leads_to_words_of(_answer: LeadsToAnswer, figure: LeadsToFigureName) -> str:
    """Who is counted, as a sentence without its full stop."""
    whom = f"Customers whose first order was mainly of category {figure.first}"
    return f"{whom} and who ordered {'again' if figure.later is None else f'category {figure.later}'} later"


def open_leads_to(answer: LeadsToAnswer, figure: LeadsToFigureName, offset: int, limit: int) -> Opened:
    """Of those of a first category, the share who came to another one."""
    found, first = answer.found, _pair(answer, figure)[0]
    row = found.rows.index(first)
    whole = int(found.customers[row])
    counted = leads_to_counted(answer, figure)
    part = counted.customers
    low, high = wilson_interval(np.array(part), np.array(whole))
    shown = Figure(
        Unit.SHARE,
        part / whole if whole else None,
        f"{part} of {count_words(whole, 'customer')}",
        f"{leads_to_words_of(answer, figure)}.",
        "So far: those who came late had less time.",
        float(low) if whole else None,
        float(high) if whole else None,
    )
    return opened_of(answer.read, shown, counted, offset, limit)


def recount_leads_to(workspace: Workspace, answer: LeadsToAnswer, figure: LeadsToFigureName) -> Recounted:
    """Count the later orders of those of a first category again; the database is given their numbers."""
    first, later = _pair(answer, figure)
    members = answer.read.fields.grouping("first_category").having(first)
    counted = leads_to_counted(answer, figure)
    return _recounted(workspace, answer.read, counted, "category", later, 2, members & (answer.read.orders.counts > 0))


def _recounted(
    workspace: Workspace,
    read: Read,
    counted: Counted,
    of: str,
    label: str | None,
    least: int,
    members: np.ndarray[tuple[int], np.dtype[np.bool_]] | None,
) -> Recounted:
    page = counted.tally
    if read.line.unit is OrderUnit.PURCHASE_DAY and label is not None:
        return Recounted(page, None, _NO_DAYS)
    asked, reason = asked_of(workspace, read, counted.history, members)
    if asked is None:
        return Recounted(page, None, reason)
    return Recounted(page, recount_bought(asked, of, label, least))


def revenue_words(answer: BoughtAnswer) -> str:
    """What the lines came to, and what orders without any did."""
    found = answer.bought
    lines = f"The lines come to {amount_words(found.lines_minor)}"
    bare = amount_words(found.without_lines_minor)
    return f"{lines}; orders without lines to {bare}." if found.without_lines_minor else f"{lines}."
