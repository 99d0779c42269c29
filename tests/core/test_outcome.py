"""What became of a list, against plain loops; who is held back is drawn by a seed."""

from __future__ import annotations

import math
import statistics
import unittest

import numpy as np

from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.intervals import wilson_interval
from goldthread.core.standing.outcome import difference_of, drawn, outcomes, share_of
from tests.support.random_books import AS_OF_DAY, FIRST_DAY, book_of, random_rows, threads_of

SEEDS = range(6)


class Became(unittest.TestCase):
    def test_every_member_by_hand(self) -> None:
        for seed in SEEDS:
            draw = np.random.default_rng(seed)
            history = read_history(book_of(random_rows(seed), 12), HistoryRule(AS_OF_DAY))
            threads = threads_of(random_rows(seed), 12)
            members = np.sort(draw.permutation(12)[:9]).astype(np.int64)
            start = draw.integers(FIRST_DAY, AS_OF_DAY, 9)
            since = start + draw.integers(0, 2, 9)
            found = outcomes(history, members, start, since, 60)
            for place, member in enumerate(members.tolist()):
                inside = [r for r in threads[member] if since[place] <= r.day <= start[place] + 60]
                wanted = inside[0].day if inside else NO_DAY
                self.assertEqual(int(found.ordered_day[place]), wanted)
                self.assertEqual(int(found.amount_minor[place]), sum(row.amount for row in inside))
                self.assertEqual(bool(found.over[place]), start[place] + 60 <= AS_OF_DAY)
            everybody = np.ones(9, np.bool_)
            behind = found.behind(found.ordered)
            self.assertEqual(behind.customers.tolist(), members[found.ordered].tolist())
            self.assertEqual(int(history.book.amount_minor.take(behind.orders).sum()), int(found.amount_minor.sum()))
            share = share_of(found, everybody, start)
            self.assertEqual(share.over + share.still_open, share.customers)
            self.assertEqual(share.ordered + share.open_ordered, int(found.ordered.sum()))
            days = (found.ordered_day - start)[found.ordered].tolist()
            if days:
                self.assertEqual(share.median_days, statistics.median(days))
            low, high = wilson_interval(np.array([share.ordered]), np.array([share.over]))
            self.assertEqual((share.low, share.high), (float(low[0]), float(high[0])))

    def test_open_days_are_never_a_no(self) -> None:
        history = read_history(book_of(random_rows(1), 12), HistoryRule(AS_OF_DAY))
        members, start = np.arange(12), np.full(12, AS_OF_DAY - 5)
        share = share_of(outcomes(history, members, start, start, 30), np.ones(12, np.bool_), start)
        self.assertEqual((share.over, share.ordered, share.still_open), (0, 0, 12))
        self.assertTrue(math.isnan(share.low))
        self.assertTrue(math.isnan(difference_of(share, share)[0]))

    def test_the_difference_of_two_groups_has_newcombes_interval(self) -> None:
        # 56 of 70 against 48 of 80: the example of Newcombe (1998), table II, method 10
        history = read_history(book_of([], 1), HistoryRule(AS_OF_DAY))
        empty = share_of(
            outcomes(history, np.zeros(0, np.int64), *(np.zeros(0, np.int64),) * 2, 1),
            np.zeros(0, bool),
            np.zeros(0, np.int64),
        )
        one, other = (type(empty)(n, n, x, 0, 0, 0, 0, 0, 0) for x, n in ((56, 70), (48, 80)))
        difference, low, high = difference_of(one, other)
        self.assertAlmostEqual(difference, 0.2)
        self.assertEqual((round(low, 4), round(high, 4)), (0.0524, 0.3339))


class HeldBack(unittest.TestCase):
    def test_the_same_seed_draws_the_same_share(self) -> None:
        ids = np.random.default_rng(3).permutation(1_000).astype(np.int64)
        one, again, other = drawn(ids, 0.2, 7), drawn(np.sort(ids), 0.2, 7), drawn(ids, 0.2, 8)
        self.assertEqual((one.size, one.tolist()), (200, again.tolist()))
        self.assertEqual(one.tolist(), sorted(set(one.tolist())))
        self.assertNotEqual(one.tolist(), other.tolist())
        # chance alone decides: over many seeds everybody is drawn about as often
        often = np.bincount(np.concatenate([drawn(ids[:20], 0.25, seed) % 1_000 for seed in range(400)]), minlength=1)
        self.assertLess(often.max(), 150)
        self.assertEqual(drawn(ids, 0.0, 1).size, 0)


if __name__ == "__main__":
    unittest.main()
