"""What every action needs: the settings, the record, and books kept in memory by revision."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import OrderBook
from goldthread.core.finding import SearchIndex
from goldthread.core.history import History, HistoryRule, read_history
from goldthread.errors import Unavailable
from goldthread.settings import Settings
from goldthread.store.bulk import Record
from goldthread.store.engine import migrate, open_engine
from goldthread.store.instance import Address, PrivateDatabase
from goldthread.store.orders_out import book_revision, load_book
from goldthread.store.orders_since import book_since
from goldthread.store.snapshot import open_snapshot, save_snapshot

T = TypeVar("T")
BOOKS_KEPT = 4
ANSWERS_KEPT = 32
HISTORIES_KEPT = 8


@dataclass(frozen=True, eq=False)
class Shelved:
    """A book as of one revision."""

    book_id: int
    revision: int
    orders: OrderBook


class Workspace:
    """One running Gold Thread. Safe to use from several threads."""

    def __init__(self, settings: Settings, record: Record) -> None:
        self.settings = settings
        self.record = record
        self._books: _Kept[Shelved] = _Kept(BOOKS_KEPT)
        self._histories: _Kept[History] = _Kept(HISTORIES_KEPT)
        self._answers: _Kept[Any] = _Kept(ANSWERS_KEPT)
        self._indices: dict[int, SearchIndex] = {}
        self._indexing = threading.Lock()

    def orders(self, book_id: int) -> Shelved:
        """The book at its present revision: from memory, brought forward by what was put in by hand since, else from
        its snapshot, else from the record."""
        revision = book_revision(self.record.engine, book_id)
        return self._books.get((book_id, revision), lambda: self._load(book_id, revision))

    def history(
        self, shelved: Shelved, rule: HistoryRule, selection: Hashable = None, among: NDArray[np.bool_] | None = None
    ) -> History:
        """The book as a rule reads it, kept for the next question. ``selection`` names the customers of ``among``."""
        key = (shelved.book_id, shelved.revision, rule, selection)
        return self._histories.get(key, lambda: read_history(shelved.orders, rule, among))

    def search_index(self, shelved: Shelved) -> SearchIndex:
        """What customers are found by. A change that leaves that as it is leaves the index as it is."""
        with self._indexing:
            known, lines = self._indices.get(shelved.book_id), shelved.orders.customers.found_by
            if known is None or not known.lines.same_as(lines):
                known = SearchIndex.of(lines)
            elif known.lines is not lines:
                known = SearchIndex(lines, known.blocks)
            self._indices[shelved.book_id] = known
            return known

    def answer(self, shelved: Shelved, question: Hashable, work: Callable[[], T]) -> T:
        """An answer, kept by revision and question."""
        answer: T = self._answers.get((shelved.book_id, shelved.revision, question), work)
        return answer

    def _load(self, book_id: int, revision: int) -> Shelved:
        known = self._books.newest(book_id)
        if known is not None and known.revision < revision:
            brought = book_since(self.record, book_id, known.orders, known.revision, revision)
            if brought is not None:
                self._forget_older(book_id, revision)
                return Shelved(book_id, revision, brought)
        self._forget_older(book_id, revision)
        found = open_snapshot(self.settings.snapshots, book_id, revision)
        if found is not None:
            return Shelved(book_id, revision, found)
        read_revision, orders = load_book(self.record, book_id)
        save_snapshot(self.settings.snapshots, book_id, read_revision, orders)
        return Shelved(book_id, read_revision, orders)

    def _forget_older(self, book_id: int, revision: int) -> None:
        for kept in (self._books, self._histories, self._answers):
            kept.forget_older(book_id, revision)


_Key = tuple[Hashable, ...]


class _Kept(Generic[T]):
    """The last few values by book, revision and more; each is made by one thread while others that want it wait."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[_Key, T] = OrderedDict()
        self._making: dict[_Key, threading.Lock] = {}
        self._lock = threading.Lock()

    def get(self, key: _Key, make: Callable[[], T]) -> T:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
            making = self._making.setdefault(key, threading.Lock())
        with making:
            with self._lock:
                if key in self._values:
                    return self._values[key]
            value = make()
            with self._lock:
                self._values[key] = value
                self._making.pop(key, None)
                while len(self._values) > self._most:
                    self._values.popitem(last=False)
            return value

    def newest(self, book_id: int) -> T | None:
        """What is kept of the newest revision of a book, of a shelf whose keys are book and revision alone."""
        with self._lock:
            mine = [key for key in self._values if key[0] == book_id]
            return self._values[max(mine, key=lambda key: int(str(key[1])))] if mine else None

    def forget_older(self, book_id: int, revision: int) -> None:
        """Drop what was made of other revisions of a book; a large book must not be in memory twice."""
        with self._lock:
            for key in [key for key in self._values if key[0] == book_id and key[1] != revision]:
                del self._values[key]


def private_database(settings: Settings) -> PrivateDatabase:
    """The database that belongs to these settings."""
    return PrivateDatabase(settings.database, settings.database_memory_mib)


def detached_workspace(settings: Settings) -> Workspace:
    """A workspace without a database, enough to describe what an application accepts."""
    nowhere = Address(port=0, password="")
    return Workspace(settings, Record(open_engine(nowhere), nowhere))


def open_workspace(settings: Settings) -> Workspace:
    """A workspace on the running private database, its schema brought up to date. Raises `Unavailable`."""
    address = private_database(settings).running()
    if address is None:
        raise Unavailable("The database is not running.", remedy="Start it with make start, or goldthread database up.")
    record = Record(open_engine(address), address)
    migrate(record.engine)
    return Workspace(settings, record)
