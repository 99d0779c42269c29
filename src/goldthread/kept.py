"""What is kept in memory: books, and one account of bytes for everything that was made of them.

Readings of a book, what was worked out of them, answers and their encoded replies share one bound for the whole
process: what was used longest ago goes first. A reading that something else still holds costs nothing more, so it
stays, and answers of one reading share it.
"""

from __future__ import annotations

import ctypes
import math
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, Generic, Protocol, TypeVar

from cachetools import LRUCache

from goldthread.askers import stop_when_gone
from goldthread.core.book.derived import Derived
from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.history import History
from goldthread.core.holding import Held
from goldthread.core.limits import LARGEST_REPLY_BYTES
from goldthread.store.revisions import Stamped

T = TypeVar("T")
MADE_MOST = 64
"""Readings and answers are few: each that is made means that all of them are looked at."""
_ADDED_BYTES, _ADDED_PER_ORDER = 1 << 18, 64
"""What one reading, answer or reply is taken to add: nothing is counted again until that could be too much."""
_ROOM_BYTES = 32 << 20
_ROOM_PER_COLUMN_BYTE = 0.6
"""With the columns themselves, questions add at most 110 MiB and 1.8 times the columns of the books in use to what a
process holds before the first: 2.2 times the columns of a book of ten million orders in all."""
_REPLIES_SHARE = 4
_GIVE_BACK_SECONDS = 1.0
_OVERDUE = 12
"""No question makes more readings and answers."""

Key = tuple[Hashable, ...]
"""Of what is kept: the book's id, its revision, and more."""


class Reply(Protocol):
    """What a reply must know of itself to be kept."""

    @property
    def size_bytes(self) -> int: ...


class Shelf(Generic[T]):
    """The last few values by book, revision and more; each is made by one thread while others that want it wait."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: OrderedDict[Key, T] = OrderedDict()
        self._making: dict[Key, _Making] = {}
        self._lock = threading.Lock()

    def __len__(self) -> int:
        return len(self._values)

    def has(self, key: Key) -> bool:
        with self._lock:
            return key in self._values

    def known(self, key: Key) -> T | None:
        with self._lock:
            return self._values.get(key)

    def get(self, key: Key, make: Callable[[], T]) -> T:
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

    def put_for(self, key: Key, value: T) -> bool:
        """Put a value in the place of the one that is kept; False where none is any more."""
        with self._lock:
            if key not in self._values:
                return False
            self._values[key] = value
            return True

    def newest(self, book_id: int) -> T | None:
        """What is kept of the newest revision of a book, of a shelf whose keys are book and revision alone."""
        with self._lock:
            mine = [(key[1].number, key) for key in self._values if key[0] == book_id and isinstance(key[1], Stamped)]
            return self._values[max(mine, key=lambda each: each[0])[1]] if mine else None

    def newest_first(self) -> list[T]:
        """The values, those used last first."""
        with self._lock:
            return list(reversed(self._values.values()))

    def let_go(self, values: list[T]) -> None:
        """Drop some values."""
        gone = {id(value) for value in values}
        with self._lock:
            for key in [key for key, value in self._values.items() if id(value) in gone]:
                del self._values[key]

    def clear(self) -> None:
        """Drop everything."""
        with self._lock:
            self._values.clear()

    def forget_other(self, book_id: int, at: Stamped | None) -> None:
        """Drop what was made of other revisions of a book; a large book must not be in memory twice."""
        with self._lock:
            for key in [key for key in self._values if key[0] == book_id and key[1] != at]:
                del self._values[key]


class _Making:
    """A value that is being made: the lock of its maker, and how many want it."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.wanted = 0


class Account:
    """Readings, what was worked out of them, answers and replies, under one bound. Safe to use from several threads."""

    def __init__(self, most_bytes: int, books_in_use: Callable[[], list[OrderBook]]) -> None:
        self._most_bytes = most_bytes
        self._books_in_use = books_in_use
        self._made: Shelf[Any] = Shelf(MADE_MOST)
        self._replies: LRUCache[str, Reply] = LRUCache(math.inf, getsizeof=lambda reply: reply.size_bytes)
        self._lock = threading.Lock()
        self._until_settled = 0
        self._gave_back_at = -math.inf
        self.held_bytes = 0
        """About what was held without the columns of the books, when it was last looked at."""

    def get(self, key: Key, make: Callable[[], T]) -> T:
        """A reading or an answer, made when it is not kept."""

        fresh = False

        def made() -> T:
            nonlocal fresh
            fresh = True
            return make()

        value: T = self._made.get(key, made)
        if fresh:
            self._settle_in_time(_OVERDUE)
        return value

    def known(self, key: Key) -> Any:
        """What is kept under a key; None where nothing is."""
        return self._made.known(key)

    def let_go(self, value: object) -> None:
        """Drop a value."""
        self._made.let_go([value])

    def reply(self, tag: str) -> Any:
        """A reply by its tag; None where it is not kept."""
        with self._lock:
            return self._replies.get(tag)

    def keep_reply(self, tag: str, reply: Reply) -> None:
        """Keep a reply, unless it alone would take the room of many."""
        if reply.size_bytes <= LARGEST_REPLY_BYTES:
            with self._lock:
                self._replies[tag] = reply
        self._settle_in_time(0)

    def clear(self) -> None:
        """Drop everything."""
        self._made.clear()
        with self._lock:
            self._replies.clear()
        self.settle()

    def forget_other(self, book_id: int, at: Stamped) -> None:
        """Drop what was made of other revisions of a book."""
        self._made.forget_other(book_id, at)

    def forget(self, book_id: int) -> None:
        """Drop what was made of a book, but for the replies."""
        self._made.forget_other(book_id, None)
        self.settle()

    def _settle_in_time(self, overdue: int) -> None:
        """Settle when that may be needed; what one question makes is in use until it is answered, so that is soon
        enough, but for ``overdue`` values."""
        self._until_settled -= 1
        if self._until_settled < -overdue:
            self.settle()

    def settle(self) -> None:
        """Let go of what was used longest ago until the rest is within the bound.

        Where what was used last is too much by itself, columns are let go that were worked out of it.
        """
        with self._lock:
            held, books = Held(), self._books_in_use()
            for book in books:
                held.leave_out(book.worked_out)
            columns = sum(map(held.bytes_of, books)) + held.mapped_bytes
            room = min(self._most_bytes, _ROOM_BYTES + int(_ROOM_PER_COLUMN_BYTE * columns))
            while self._replies.currsize > room // _REPLIES_SHARE:
                self._replies.popitem()
            worked_out = [book.worked_out for book in books]
            total = int(self._replies.currsize) + sum(held.bytes_of(each.values()) for each in worked_out)
            made, gone = self._within(room - total, held, worked_out)
            self._made.let_go(gone)
            total += made
            del held
            for each in worked_out:
                before = each.held_bytes
                each.shrink(max(before - max(total - room, 0), 0))
                total -= before - each.held_bytes
            self.held_bytes = total
            most_orders = max((book.order_count for book in books), default=0)
            self._until_settled = max(room - total, 0) // (_ADDED_BYTES + _ADDED_PER_ORDER * most_orders)
        gone.clear()
        now = time.monotonic()
        if now - self._gave_back_at > _GIVE_BACK_SECONDS:
            self._gave_back_at = now
            _give_back()

    def _within(self, room: int, held: Held, worked_out: list[Derived]) -> tuple[int, list[Any]]:
        """What the values hold that were used last and have room, and the values that go: those beyond it which none of
        the others holds. The last reading stays, with the answers that were made of it since."""
        total, gone, read = 0, list[Any](), False
        for value in self._made.newest_first():
            is_read = isinstance(value, History) and value.was_read_here
            if not held.knows(value):
                mark = held.mark()
                size = 0 if gone else held.bytes_of(value)
                if gone or (read and total + size > room):
                    held.undo(mark)
                    gone.append(value)
                    continue
                total += size
            if is_read:
                read = True
                worked_out[:0] = [value.book.worked_out, (value.book.beginning_of or value.book).worked_out]
        return total, gone


def _give_back() -> None:
    """Give memory that was let go, by a question too, back to the machine, where the C library can; some 2 ms."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
