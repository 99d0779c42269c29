"""What every action needs: the settings, the record, and books kept in memory by revision."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from typing import Any, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.askers import stop_when_gone
from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.search import SearchIndex
from goldthread.errors import Outdated, Unavailable
from goldthread.settings import Settings
from goldthread.store.lists import members_mask
from goldthread.store.read.lines_out import lines_on_record
from goldthread.store.read.orders_out import load_book
from goldthread.store.read.orders_since import book_since
from goldthread.store.read.own_out import own_attributes
from goldthread.store.revisions import Stamped, present_revision, read_at
from goldthread.store.server.bulk import Record
from goldthread.store.server.engine import migrate, open_engine
from goldthread.store.server.instance import Address, PrivateDatabase
from goldthread.store.snapshot import open_snapshot, save_snapshot

T = TypeVar("T")
BOOKS_KEPT = 4
ANSWERS_KEPT = 32
HISTORIES_KEPT = 8
_READ_ANEW_MOST = 5


@dataclass(frozen=True, eq=False)
class Shelved:
    """A book as of one revision."""

    book_id: int
    at: Stamped
    orders: OrderBook

    @property
    def revision(self) -> int:
        return self.at.number


class Workspace:
    """One running Gold Thread. Safe to use from several threads."""

    def __init__(self, settings: Settings, record: Record) -> None:
        self.settings = settings
        self.record = record
        self._books: _Kept[Shelved] = _Kept(BOOKS_KEPT)
        self._histories: _Kept[History] = _Kept(HISTORIES_KEPT)
        self._answers: _Kept[Any] = _Kept(ANSWERS_KEPT)
        self._indices: OrderedDict[int, SearchIndex] = OrderedDict()
        self._indexing = threading.Lock()

    def orders(self, book_id: int) -> Shelved:
        """The book at its present revision: from memory, brought forward by what was put in by hand since, else from
        its snapshot, else from the record."""
        at = present_revision(self.record.engine, book_id)
        return self._books.get((book_id, at), lambda: self._load(book_id, at))

    def has_at_hand(self, book_id: int, at: Stamped) -> bool:
        """Whether a book is in memory at a revision, so that a question of it is answered at once."""
        return self._books.has((book_id, at))

    def bound(self, shelved: Shelved, read: Callable[[], T]) -> T:
        """What is read of the record for a book as of its revision. Raises `Outdated` when the book moved on
        meanwhile, so that what was read may be of a later one."""
        return read_at(self.record.engine, shelved.book_id, shelved.at, read)

    def history(
        self, shelved: Shelved, rule: HistoryRule, selection: Hashable = None, among: NDArray[np.bool_] | None = None
    ) -> History:
        """The book as a rule reads it, kept for the next question. ``selection`` names the customers of ``among``."""
        key = (shelved.book_id, shelved.at, rule, selection)
        return self._histories.get(key, lambda: read_history(shelved.orders, rule, among))

    def search_index(self, shelved: Shelved) -> SearchIndex:
        """What customers are found by. A change that leaves that as it is leaves the index as it is."""
        with self._indexing:
            known, lines = self._indices.pop(shelved.book_id, None), shelved.orders.customers.found_by
            if known is None or not known.lines.same_as(lines):
                known = SearchIndex.of(lines)
            elif known.lines is not lines:
                known = SearchIndex(lines, known.blocks)
            self._indices[shelved.book_id] = known
            while len(self._indices) > BOOKS_KEPT:
                self._indices.popitem(last=False)
            return known

    def answer(self, shelved: Shelved, question: Hashable, work: Callable[[], T]) -> T:
        """An answer, kept by revision and question."""
        answer: T = self._answers.get((shelved.book_id, shelved.at, question), work)
        return answer

    def list_members(self, shelved: Shelved, list_id: int) -> NDArray[np.bool_]:
        """Which customers of a book are on a list; bool, shape (customers,). Raises `NotFound`."""
        engine, book = self.record.engine, shelved.book_id
        return self.answer(shelved, ("list", list_id), lambda: members_mask(engine, book, list_id, shelved.orders))

    def _load(self, book_id: int, at: Stamped) -> Shelved:
        known = self._books.newest(book_id)
        if known is not None and known.revision < at.number:
            brought = book_since(self.record, book_id, known.orders, known.at, at)
            if brought is not None:
                self._forget_older(book_id, at)
                return self._shelved(book_id, at, brought)
        self._forget_older(book_id, at)
        del known
        found = open_snapshot(self.settings.snapshots, book_id, at)
        if found is not None:
            return self._shelved(book_id, at, found)
        read_at, orders = load_book(self.record, book_id)
        save_snapshot(self.settings.snapshots, book_id, read_at, orders)
        return self._shelved(book_id, read_at, orders)

    def _shelved(self, book_id: int, at: Stamped, orders: OrderBook) -> Shelved:
        own = own_attributes(self.record, book_id, at, self.settings.snapshots)
        lines = lines_on_record(self.record, book_id, at, self.settings.snapshots)
        return Shelved(book_id, at, replace(orders, own=own, on_record=lines))

    def _forget_older(self, book_id: int, at: Stamped) -> None:
        for kept in (self._books, self._histories, self._answers):
            kept.forget_older(book_id, at)


def asked_anew(ask: Callable[[], T]) -> T:
    """An answer, asked for again on the book as it is by then when the book moved on meanwhile. Raises `Outdated`
    when it keeps moving."""
    for _ in range(_READ_ANEW_MOST - 1):
        try:
            return ask()
        except Outdated:
            continue
    return ask()


_Key = tuple[Hashable, ...]


class _Kept(Generic[T]):
    """The last few values by book, revision and more; each is made by one thread while others that want it wait."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[_Key, T] = OrderedDict()
        self._making: dict[_Key, _Making] = {}
        self._lock = threading.Lock()

    def has(self, key: _Key) -> bool:
        with self._lock:
            return key in self._values

    def get(self, key: _Key, make: Callable[[], T]) -> T:
        stop_when_gone()
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
            making = self._making.setdefault(key, _Making())
            making.wanted += 1
        try:
            with making.lock:
                with self._lock:
                    if key in self._values:
                        return self._values[key]
                value = make()
                with self._lock:
                    self._values[key] = value
                    while len(self._values) > self._most:
                        self._values.popitem(last=False)
                return value
        finally:
            with self._lock:
                making.wanted -= 1
                if making.wanted == 0:
                    self._making.pop(key, None)

    def newest(self, book_id: int) -> T | None:
        """What is kept of the newest revision of a book, of a shelf whose keys are book and revision alone."""
        with self._lock:
            mine = [(key[1].number, key) for key in self._values if key[0] == book_id and isinstance(key[1], Stamped)]
            return self._values[max(mine, key=lambda each: each[0])[1]] if mine else None

    def forget_older(self, book_id: int, at: Stamped) -> None:
        """Drop what was made of other revisions of a book; a large book must not be in memory twice."""
        with self._lock:
            for key in [key for key in self._values if key[0] == book_id and key[1] != at]:
                del self._values[key]


class _Making:
    """A value that is being made: the lock of its maker, and how many want it."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.wanted = 0


def private_database(settings: Settings) -> PrivateDatabase:
    """The database that belongs to these settings."""
    return PrivateDatabase(settings.database, settings.database_memory_mib)


def detached_workspace(settings: Settings) -> Workspace:
    """A workspace without a database, enough to describe what an application accepts."""
    nowhere = Address(port_file=None, password="")
    return Workspace(settings, Record(open_engine(nowhere), nowhere))


def open_workspace(settings: Settings) -> Workspace:
    """A workspace on the running private database, its schema brought up to date. Raises `Unavailable`."""
    address = private_database(settings).running()
    if address is None:
        raise Unavailable("The database is not running.", remedy="Start it with make start, or goldthread database up.")
    record = Record(open_engine(address), address)
    migrate(record.engine)
    return Workspace(settings, record)
