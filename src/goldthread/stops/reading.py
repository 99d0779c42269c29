"""The reading line applied: a book as it is read for a question, with a customer list alone, compared or left out."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Firsts
from goldthread.core.history.fields import FieldValues, fields_by_name
from goldthread.core.history.history import History, HistoryRule
from goldthread.core.limits import as_of_date
from goldthread.cql2.meaning import choosing_orders, meaning_of
from goldthread.cql2.nodes import as_text
from goldthread.cql2.reading import read_condition
from goldthread.errors import InvalidInput, NotFound
from goldthread.stops.sentences.lapse import lapse_rule
from goldthread.stops.sentences.reading_line import LATEST, TODAY, ListAs, ReadingLine
from goldthread.stops.usual import as_usual
from goldthread.store import lists
from goldthread.store.books import BookRow
from goldthread.store.lists import ListRow
from goldthread.store.read.details import owners_of_keys
from goldthread.workspace import Shelved, Workspace


@dataclass(frozen=True, eq=False)
class Read:
    """A book as it is read for one question.

    Attributes
    ----------
    history : what the question is asked of
    rest : the same for all customers who are not on the list; None unless the list is compared with them
    chosen_list : the customer list in use, None without one
    lists : every list of the book, newest first
    key : what distinguishes this reading from others of the same book, for keeping answers
    """

    book: BookRow
    shelved: Shelved
    line: ReadingLine
    history: History
    rest: History | None
    chosen_list: ListRow | None
    lists: list[ListRow]
    key: tuple[object, ...]

    @property
    def orders(self) -> OrderBook:
        return self.history.book

    @property
    def as_of_day(self) -> int:
        return self.history.rule.as_of_day

    @property
    def date_span(self) -> tuple[dt.date, dt.date]:
        """The time axis that all threads of a list share: from the first order in the book to the as-of date."""
        low, _ = self.shelved.orders.day_span
        return to_date(min(low, self.as_of_day)), to_date(self.as_of_day)

    @property
    def database_counts(self) -> bool:
        """Whether the database can count whole tables of it again."""
        return self.history.chosen is None and not self.shelved.uncountable

    @cached_property
    def fields(self) -> FieldValues:
        return self.history.fields

    def of_a_few(self, customers: NDArray[np.int64]) -> tuple[Read, NDArray[np.int64]]:
        """The same of a few customers at least, by their places, and where each of them stands in it."""
        history, rows = self.history.of_a_few(customers)
        return (self if history is self.history else replace(self, history=history)), rows


def read_book(workspace: Workspace, book: BookRow, line: ReadingLine, today: dt.date) -> Read:
    """A book as a line reads it. Raises `InvalidInput` or `NotFound` for a choice that does not fit the book."""
    line = as_usual(book, line)
    shelved = workspace.orders(book.id)
    rule = history_rule(line, shelved.orders, today)
    known = lists.list_lists(workspace.record.engine, book.id)
    if not line.list:
        return Read(book, shelved, line, workspace.history(shelved, rule), None, None, known, (rule,))
    used = lists.list_called(known, line.list)
    members = workspace.list_members(shelved, used.id)
    seen = lists.list_key(workspace.record.engine, used.id)
    without = line.list_as is ListAs.WITHOUT
    history = workspace.history(shelved, rule, (*seen, without), ~members if without else members)
    against = line.list_as is ListAs.AGAINST
    rest = workspace.history(shelved, rule, (*seen, True), ~members) if against else None
    return Read(book, shelved, line, history, rest, used, known, (rule, *seen, line.list_as))


def read_for_one(workspace: Workspace, book: BookRow, line: ReadingLine, today: dt.date) -> Read:
    """A book as it is read for somebody who was asked for by name.

    What chooses customers, a part of the condition or a list, does not hide the one who is looked for; what chooses
    orders holds.
    """
    where = line.where
    if where.strip():
        fields = fields_by_name(workspace.orders(book.id).orders)
        of_orders = choosing_orders(read_condition(where), fields)
        where = "" if of_orders is None else as_text(of_orders)
    return read_book(workspace, book, line.model_copy(update={"where": where, "list": ""}), today)


def history_rule(line: ReadingLine, book: OrderBook, today: dt.date) -> HistoryRule:
    """The rule that a reading line means for a book on a day. Raises `InvalidInput`."""
    if not line.status:
        raise InvalidInput("No status counts, so there is nothing to read.", remedy="Let one count.", field="status")
    known = book.attributes["source"].labels
    unknown = sorted(set(line.source) - set(known))
    if unknown:
        raise InvalidInput(
            f"No source is called {', '.join(unknown)}.", remedy=f"Sources: {', '.join(known)}.", field="source"
        )
    sources = None if not line.source or set(line.source) == set(known) else frozenset(line.source)
    where = meaning_of(read_condition(line.where), fields_by_name(book)) if line.where.strip() else None
    # without a condition there is nothing to stand in either layer, and answers can be shared
    firsts = line.firsts if where is not None else Firsts.ALL
    as_of_day = _as_of_day(line.as_of, book, today)
    return HistoryRule(as_of_day, frozenset(line.status), sources, where, firsts, lapse_rule(line), line.unit)


def _as_of_day(as_of: str, book: OrderBook, today: dt.date) -> int:
    if as_of == TODAY:
        return to_day(as_of_date(today))
    if as_of == LATEST:
        past = book.day[book.day <= to_day(today)]
        return int(past.max()) if past.size else to_day(today)
    try:
        chosen = dt.date.fromisoformat(as_of)
    except ValueError:
        raise InvalidInput(
            f"{as_of[:40]} is not a date.", remedy="Give latest, today, or a date such as 2026-10-31.", field="as_of"
        ) from None
    return to_day(as_of_date(chosen))


def place_of(workspace: Workspace, read: Read, customer_id: int) -> int:
    """A customer's place in the book, by id, also by one that it had before. Raises `NotFound`."""
    ids = read.history.whole.customer_id
    found = np.flatnonzero(ids == customer_id)
    if found.size == 0:
        found = np.flatnonzero(np.isin(ids, owners_of_keys(workspace.record.engine, [customer_id])))
    if found.size == 0:
        raise NotFound("There is no such customer in this book.", remedy="Find the customer by name.", field="customer")
    return int(found[0])
