"""The loom: an even sample, the days of each thread, and tones that hold about as many threads each."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.history.conditions import Numbers
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.threads import loom
from goldthread.core.threads.loom import even_sample, toned, warp
from tests.support.random_books import AS_OF_DAY, book_of, random_rows, threads_of


class Warps(unittest.TestCase):
    def test_every_thread_has_its_days_in_the_wanted_sequence(self) -> None:
        book = read_history(book_of(random_rows(4)), HistoryRule(AS_OF_DAY)).book
        sequence = book.ordering[::-1]
        found, threads = warp(book, sequence), threads_of(random_rows(4))
        for place, customer in enumerate(sequence.tolist()):
            days = found.days[found.starts[place] : found.starts[place + 1]].tolist()
            self.assertEqual(days, [row.day for row in threads[customer]])

    def test_of_long_threads_the_first_and_the_latest_order_are_drawn(self) -> None:
        book = read_history(book_of(random_rows(4, customers=2)), HistoryRule(AS_OF_DAY)).book
        with mock.patch.object(loom, "KNOTS_MOST", 5):
            found = warp(book, book.ordering)
        for place, customer in enumerate(book.ordering.tolist()):
            days = found.days[found.starts[place] : found.starts[place + 1]]
            whole = book.day[book.starts[customer] : book.starts[customer + 1]]
            self.assertEqual((days.size, days[0], days[-1]), (min(5, whole.size), whole[0], whole[-1]))
            self.assertTrue((np.diff(days) >= 0).all())

    def test_a_sample_is_even_and_has_both_ends(self) -> None:
        self.assertEqual(even_sample(3, 5).tolist(), [0, 1, 2])
        places = even_sample(1_000, 7)
        self.assertEqual((places.size, places[0], places[-1]), (7, 0, 999))
        self.assertLessEqual(int(np.ptp(np.diff(places))), 1)
        self.assertEqual(even_sample(0, 5).size, 0)


class Tones(unittest.TestCase):
    def test_the_most_frequent_labels_have_a_tone_each_and_blanks_none(self) -> None:
        labels = ("", *"abcdefgh")
        codes = np.repeat(np.arange(9), [2, 9, 8, 7, 6, 5, 4, 3, 2]).astype(np.uint16)
        tones, known = toned(Attribute(codes, labels), np.arange(codes.size))
        self.assertEqual(known, ["a", "b", "c", "d", "e", None])
        self.assertEqual(np.bincount(tones + 1).tolist(), [2, 9, 8, 7, 6, 5, 9])

    def test_numbers_are_divided_into_parts_of_about_as_many(self) -> None:
        values = Numbers(np.append(np.arange(60), 0), np.append(np.zeros(60, np.bool_), True))
        tones, limits = toned(values, np.arange(61))
        self.assertEqual(np.bincount(tones[:-1]).tolist(), [9, 10, 10, 10, 10, 11])
        self.assertEqual((tones[-1], len(limits)), (-1, 5))
        same, none = toned(Numbers(np.zeros(5, np.int64)), np.arange(5))
        self.assertEqual((same.tolist(), none), ([0] * 5, []))


if __name__ == "__main__":
    unittest.main()
