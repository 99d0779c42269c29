"""The reading line applied: a book as a choice of history reads it, with customers in hand alone or beside the rest."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.questions import HeldAs, HistoryChoice
from goldthread.actions.workspace import Shelved, Workspace
from goldthread.core.book import OrderBook
from goldthread.core.fields import FieldValues, fields_by_name
from goldthread.core.history import History
from goldthread.cql2.meaning import choosing_orders
from goldthread.cql2.nodes import as_text
from goldthread.cql2.reading import read_condition
from goldthread.store import holds
from goldthread.store.books import BookRow
from goldthread.store.holds import HoldRow


@dataclass(frozen=True, eq=False)
class Read:
    """A book as it is read for one question.

    Attributes
    ----------
    history : what the question is asked of
    rest : the same for all customers who are not in hand; None unless the held are shown against the rest
    hold : the customers in hand, None when there are none
    holds : every hold of the book, newest first
    held : bool, shape (customers,), who is in hand
    key : what tells this reading from others of the same book, for keeping answers
    """

    book: BookRow
    shelved: Shelved
    choice: HistoryChoice
    history: History
    rest: History | None
    hold: HoldRow | None
    holds: list[HoldRow]
    held: NDArray[np.bool_] | None
    key: tuple[object, ...]

    @property
    def orders(self) -> OrderBook:
        return self.history.book

    @property
    def as_of_day(self) -> int:
        return self.history.rule.as_of_day

    @property
    def stamp(self) -> tuple[object, ...]:
        """What answers depend on beside the book's revision and the question: the as-of date and the holds."""
        return self.as_of_day, *(hold.id for hold in self.holds)

    @cached_property
    def fields(self) -> FieldValues:
        return self.history.fields


def read_book(workspace: Workspace, book: BookRow, choice: HistoryChoice, today: dt.date) -> Read:
    """A book as a choice reads it. Raises `InvalidInput` or `NotFound` for a choice that does not fit the book."""
    shelved = workspace.orders(book.id)
    rule = choice.rule(shelved.orders, today)
    engine = workspace.record.engine
    known = holds.list_holds(engine, book.id)
    if choice.held is None:
        history = workspace.history(shelved, rule)
        return Read(book, shelved, choice, history, None, None, known, None, (rule,))
    hold = holds.find_hold(engine, book.id, choice.held)
    held = workspace.answer(
        shelved, ("held", hold.id), lambda: holds.held_mask(engine, book.id, hold.id, shelved.orders)
    )
    others = choice.held_as is HeldAs.OTHERS
    history = workspace.history(shelved, rule, (hold.id, others), ~held if others else held)
    against = choice.held_as is HeldAs.AGAINST
    rest = workspace.history(shelved, rule, (hold.id, True), ~held) if against else None
    return Read(book, shelved, choice, history, rest, hold, known, held, (rule, hold.id, choice.held_as))


def read_for_one(workspace: Workspace, book: BookRow, choice: HistoryChoice, today: dt.date) -> Read:
    """A book as it is read for somebody who was asked for by name.

    What chooses customers, a part of the condition or who is in hand, does not hide the one who is looked for; what
    chooses orders holds.
    """
    where = choice.where
    if where.strip():
        fields = fields_by_name(workspace.orders(book.id).orders)
        of_orders = choosing_orders(read_condition(where), fields)
        where = "" if of_orders is None else as_text(of_orders)
    return read_book(workspace, book, replace(choice, where=where, held=None), today)
