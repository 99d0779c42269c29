"""What made a difference: parts that add up, held to arithmetic by hand."""

from __future__ import annotations

import random
import unittest
from fractions import Fraction

import numpy as np

from goldthread.core.ranges.apart import factors_apart, largest_remainders, rates_apart, stands_out
from goldthread.core.ranges.counts import BUNDLES, bundle_of, drawn_ratios, interval_of


class Factors(unittest.TestCase):
    def test_two_factors_share_what_they_change_together(self) -> None:
        # 10 customers of 2 orders become 16 of 3: 6 more of 2, 1 more of 10, and 6 of both, halved
        self.assertEqual(factors_apart((10, 20), (16, 48)), [15, 13])
        self.assertEqual(factors_apart((10, 20), (15, 30)), [10, 0])

    def test_three_factors_add_up_whatever_they_are(self) -> None:
        draw = random.Random(5)
        for _ in range(200):
            sides = [tuple(draw.randrange(0, 50) for _ in range(3)) for _ in range(2)]
            self.assertEqual(sum(factors_apart(*sides)), sides[1][2] - sides[0][2])

    def test_each_factor_alone_makes_all_of_its_own_change(self) -> None:
        for place, after in enumerate([(20, 40, 400), (10, 40, 400), (10, 20, 400)]):
            parts = factors_apart((10, 20, 200), after)
            self.assertEqual([at for at, part in enumerate(parts) if part], [place])

    def test_nobody_before_leaves_it_all_to_customers(self) -> None:
        self.assertEqual(factors_apart((0, 0, 0), (3, 4, 100)), [100, 0, 0])

    def test_what_is_left_over_goes_to_the_largest_remainders(self) -> None:
        self.assertEqual(largest_remainders([Fraction(5, 3), Fraction(5, 3), Fraction(2, 3)], 4), [2, 2, 0])
        self.assertEqual(largest_remainders([Fraction(-1, 3), Fraction(-2, 3)], -1), [0, -1])


class Rates(unittest.TestCase):
    def test_mix_and_rate_add_up_to_the_difference(self) -> None:
        above, below = (np.array([10, 40]), np.array([30, 30])), (np.array([100, 100]), np.array([150, 50]))
        mix, rate = rates_apart(above, below)
        self.assertAlmostEqual(mix.sum() + rate.sum(), 60 / 200 - 50 / 200)
        # half and half become three to one; 0.1 and 0.4 become 0.2 and 0.6; the average rate is 0.275
        np.testing.assert_allclose(mix, [0.25 * (0.15 - 0.275), -0.25 * (0.5 - 0.275)])
        np.testing.assert_allclose(rate, [0.1 * 0.625, 0.2 * 0.375])

    def test_a_group_of_a_low_rate_adds_when_it_shrinks(self) -> None:
        mix, rate = rates_apart((np.array([1, 8]), np.array([0, 16])), (np.array([10, 10]), np.array([0, 20])))
        self.assertGreater(mix[0], 0)
        np.testing.assert_allclose(rate, [0, 0])
        self.assertAlmostEqual(mix.sum(), 16 / 20 - 9 / 20)

    def test_a_side_without_anything_has_no_rate(self) -> None:
        mix, _ = rates_apart((np.array([1]), np.array([0])), (np.array([2]), np.array([0])))
        self.assertTrue(np.isnan(mix).all())

    def test_a_group_stands_out_from_the_change_of_all_others(self) -> None:
        found = stands_out(np.array([100, 100, 100, 2]), np.array([102, 98, 300, 4]))
        self.assertEqual(found.tolist(), [True, True, True, False])
        self.assertFalse(stands_out(np.array([100, 100]), np.array([150, 151])).any())
        self.assertFalse(stands_out(np.array([0]), np.array([7])).any())


class Draws(unittest.TestCase):
    def test_bundles_are_the_customers_own_wherever_they_stand(self) -> None:
        keys = np.arange(1, 4_001)
        found = bundle_of(keys)
        np.testing.assert_array_equal(bundle_of(keys[::7]), found[::7])
        self.assertLess(np.bincount(found, minlength=BUNDLES).max(), 40)

    def test_the_spread_is_that_of_the_mean(self) -> None:
        values = np.random.default_rng(1).normal(100, 30, BUNDLES * 5).round().astype(np.int64)
        above = values.reshape(BUNDLES, 5).sum(axis=1)
        low, high = interval_of(drawn_ratios(above, np.full(BUNDLES, 5)))
        self.assertAlmostEqual(high - low, 2 * 1.96 * 30 / np.sqrt(values.size), delta=0.4)
        self.assertTrue(low < values.mean() < high)

    def test_draws_without_anybody_give_no_interval(self) -> None:
        few = np.zeros(BUNDLES, np.int64)
        few[0] = 1
        self.assertTrue(np.isnan(interval_of(drawn_ratios(few, few))).all())


if __name__ == "__main__":
    unittest.main()
