"""What is kept in memory: counted in bytes, shared, let go by last use, and never without end."""

from __future__ import annotations

import gc
import tempfile
import unittest
import weakref
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from goldthread import kept
from goldthread.api.app import create_app
from goldthread.core.book.derived import Derived
from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.holding import Held
from goldthread.core.limits import LARGEST_REPLY_BYTES
from goldthread.core.rhythm.counts import order_counts
from goldthread.kept import Account
from goldthread.stops.registry import questions
from goldthread.store.revisions import Stamped
from tests.support import synthetic
from tests.support.large import MIB, QUESTIONS, filed, held_after
from tests.support.sharing import shared_place, shared_workspace, tiny_book

AT = Stamped(1, "a")
LAST_DAY = synthetic.FIRST_DAY + synthetic.SPAN_DAYS
ORDERS = 20_000


def a_book() -> OrderBook:
    columns, customers = synthetic.orders(ORDERS)
    return OrderBook.build(columns, np.arange(customers, dtype=np.int64))


def reading(book: OrderBook, ago: int) -> History:
    history = read_history(book, HistoryRule(LAST_DAY - 1 - ago))
    for column in ("day", "amount_minor", "order_id", "number_key", "counts"):
        getattr(history.book, column)
    return history


@dataclass(frozen=True)
class Sized:
    size_bytes: int


class Counting(unittest.TestCase):
    def test_arrays_count_once_however_often_they_are_held_and_views_as_what_they_keep(self) -> None:
        array = np.zeros(1 << 20, np.uint8)
        held = Held()
        self.assertAlmostEqual(held.bytes_of({"a": array, "b": [array, array[:10]]}), 1 << 20, delta=2_000)
        self.assertEqual(held.bytes_of(array), 0)
        self.assertAlmostEqual(Held().bytes_of(array[:10]), 1 << 20, delta=200)

    def test_what_a_function_holds_counts(self) -> None:
        array = np.zeros(1 << 20, np.uint8)
        self.assertAlmostEqual(Held().bytes_of({"later": lambda: array.sum()}), 1 << 20, delta=2_000)

    def test_long_sequences_count_by_some_of_their_entries(self) -> None:
        texts = tuple(f"a customer called {place}" for place in range(100_000))
        self.assertAlmostEqual(Held().bytes_of(texts) / (100_000 * (8 + 72)), 1, delta=0.1)
        rows = [(np.zeros(1_000, np.uint8),) for _ in range(1_000)]
        self.assertAlmostEqual(Held().bytes_of(rows) / 1_160_000, 1, delta=0.1)

    def test_objects_of_other_libraries_are_not_looked_into(self) -> None:
        record = shared_workspace().record
        self.assertLess(Held().bytes_of(lambda: record.engine), 10_000)

    def test_columns_mapped_from_a_file_are_counted_apart(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            np.save(Path(folder) / "column.npy", np.zeros(1 << 20, np.uint8))
            held = Held()
            self.assertLess(held.bytes_of([np.load(Path(folder) / "column.npy", mmap_mode="r")]), 2_000)
            self.assertEqual(held.mapped_bytes, 1 << 20)

    def test_what_is_taken_back_counts_again(self) -> None:
        held, array = Held(), np.zeros(1 << 20, np.uint8)
        mark = held.mark()
        first = held.bytes_of([array])
        held.undo(mark)
        self.assertFalse(held.knows(array))
        self.assertEqual(held.bytes_of([array]), first)

    def test_measuring_what_was_worked_out_gathers_no_further_column(self) -> None:
        history = read_history(a_book(), HistoryRule(LAST_DAY - 100))
        order_counts(history, LAST_DAY - 500, LAST_DAY - 100, 5)
        self.assertNotIn("number_key", vars(history.book))
        self.assertNotIn("order_id", vars(history.book))


class OneAccount(unittest.TestCase):
    def setUp(self) -> None:
        self.book = a_book()
        self.account = Account(1 << 40, lambda: [self.book])
        self.one = Held().bytes_of(reading(self.book, 1).book) - Held().bytes_of(self.book)
        room, per_column = kept._ROOM_BYTES, kept._ROOM_PER_COLUMN_BYTE
        kept._ROOM_PER_COLUMN_BYTE = 0
        self.addCleanup(setattr, kept, "_ROOM_BYTES", room)
        self.addCleanup(setattr, kept, "_ROOM_PER_COLUMN_BYTE", per_column)

    def read(self, ago: int) -> History:
        history: History = self.account.get((1, AT, ago), lambda: reading(self.book, ago))
        return history

    def test_what_was_used_longest_ago_goes_first(self) -> None:
        kept._ROOM_BYTES = int(3.5 * self.one)
        for ago in (1, 2, 3):
            self.read(ago)
        self.read(1)
        self.read(4)
        self.account.settle()
        known = [ago for ago in (1, 2, 3, 4) if self.account.known((1, AT, ago)) is not None]
        self.assertEqual(known, [1, 3, 4])
        self.assertLessEqual(self.account.held_bytes, kept._ROOM_BYTES)

    def test_what_grew_since_it_was_kept_is_counted(self) -> None:
        kept._ROOM_BYTES = int(2.5 * self.one)
        self.read(1)
        second = self.read(2)
        self.account.settle()
        self.assertIsNotNone(self.account.known((1, AT, 1)))
        second.book.derived("a column", lambda: np.zeros(self.one, np.uint8))
        self.account.settle()
        self.assertIsNone(self.account.known((1, AT, 1)))

    def test_answers_of_a_reading_share_it_and_it_stays_with_them(self) -> None:
        kept._ROOM_BYTES = int(1.5 * self.one)
        history = self.read(1)
        self.account.settle()
        alone = self.account.held_bytes
        for name in "abc":
            self.account.get((1, AT, name), lambda: [history])
        self.account.settle()
        self.assertLess(self.account.held_bytes - alone, 1_000)
        self.assertIs(self.read(1), history)

    def test_the_last_reading_stays_and_lets_go_of_what_was_worked_out_of_it(self) -> None:
        kept._ROOM_BYTES = int(1.5 * self.one)
        history = self.read(1)
        for name in "abcd":
            history.book.derived(name, lambda: np.zeros(self.one // 3, np.uint8))
        self.account.get((1, AT, "answer"), lambda: [history])
        self.account.settle()
        self.assertIs(self.account.known((1, AT, 1)), history)
        self.assertIsNotNone(self.account.known((1, AT, "answer")))
        self.assertEqual(len(history.book.worked_out), 1)
        self.assertLessEqual(self.account.held_bytes, kept._ROOM_BYTES)

    def test_replies_have_a_share_and_none_is_kept_that_would_take_it_all(self) -> None:
        kept._ROOM_BYTES = 40_000
        for place in range(40):
            self.account.keep_reply(str(place), Sized(1_000))
        self.assertEqual([place for place in range(40) if self.account.reply(str(place))], list(range(30, 40)))
        self.account.keep_reply("large", Sized(LARGEST_REPLY_BYTES + 1))
        self.assertIsNone(self.account.reply("large"))

    def test_a_setting_bounds_it_whatever_the_books_are(self) -> None:
        kept._ROOM_BYTES = 100 * self.one
        self.account = Account(int(1.5 * self.one), lambda: [self.book])
        for ago in range(5):
            self.read(ago)
        self.account.settle()
        self.assertLessEqual(self.account.held_bytes, 1.5 * self.one)

    def test_a_derived_column_larger_than_its_room_is_given_and_kept_until_the_next(self) -> None:
        derived = Derived()
        made: list[int] = []

        def make(size: int) -> NDArray[np.uint8]:
            made.append(size)
            return np.zeros(size, np.uint8)

        for size in (5_000, 5_000, 100, 5_000):
            derived.get(size, partial(make, size), 1_000, self)
        self.assertEqual(made, [5_000, 100, 5_000])


class AServer(unittest.TestCase):
    def test_a_reading_that_is_let_go_is_gone_at_once(self) -> None:
        """Nothing of a book may hold itself: what does waits for Python to look for it, which may take thousands of
        questions."""
        workspace = shared_workspace()
        with tempfile.TemporaryDirectory() as folder:
            book = tiny_book(workspace, Path(folder))
        client = create_app(workspace).test_client()
        further = {"nth": "&rank=2", "thread": "&find=ofallon", "pairs": "&columns=source"}
        gc.collect()
        gc.disable()
        self.addCleanup(gc.enable)
        for _, kind in questions():
            for more in ("", "&where=amount%20%3E%2020", "&unit=purchase-day"):
                path = f"/api/books/{book.id}/ask/{kind.name}?as_of=2025-08-30{further.get(kind.name, '')}{more}"
                reply = client.get(path)
                if kind.name != "worked":
                    self.assertEqual(reply.status_code, 200, f"{path}: {reply.text}")
                made = workspace.account._made
                readings = [weakref.ref(each.book) for each in made.newest_first() if isinstance(each, History)]
                del reply
                workspace.finish()
                made.let_go(made.newest_first())
                self.assertEqual([each() for each in readings if each() is not None], [], kind.name + more)

    def test_many_questions_leave_the_memory_within_its_bound(self) -> None:
        place = shared_place()
        book_id = filed(shared_workspace(), 300_000)
        held = held_after(place, book_id, 12 * len(QUESTIONS))
        self.assertLess(held.resident - held.before, 110 * MIB + 1.8 * held.columns)
