"""The chain ladder with its standard error: held to a published triangle, and to sums by hand."""

from __future__ import annotations

import unittest

import numpy as np

from goldthread.core.forecast.checked import checked, outlook
from goldthread.core.forecast.ladder import Ladder, Manner, known_before, ladder_of

TAYLOR_AND_ASHE = """
357848 1124788 1735330 2218270 2745596 3319994 3466336 3606286 3833515 3901463
352118 1236139 2170033 3353322 3799067 4120063 4647867 4914039 5339085
290507 1292306 2218525 3235179 3985995 4132918 4628910 4909315
310608 1418858 2195047 3757447 4029929 4381982 4588268
443160 1136350 2128333 2897821 3402672 3873311
396132 1333217 2180715 2985752 3691712
440832 1288463 2419861 3483130
359480 1421128 2864498
376686 1363294
344014
"""
"""Cumulative payments, as Mack (1993) prints them."""
RESERVES = (0, 94634, 469511, 709638, 984889, 1419459, 2177641, 3920301, 4278972, 4625811)
ERRORS = (0, 75535, 121699, 133549, 261406, 411010, 558317, 875328, 971258, 1363155)
FACTORS = (3.491, 1.747, 1.457, 1.174, 1.104, 1.086, 1.054, 1.077, 1.018)


def triangle() -> tuple[np.ndarray, np.ndarray]:
    rows = [list(map(float, line.split())) for line in TAYLOR_AND_ASHE.strip().splitlines()]
    cumulative = np.array([row + [np.nan] * (len(rows) - len(row)) for row in rows])
    complete = ~np.isnan(cumulative)
    increments = np.diff(np.where(complete, cumulative, 0.0), axis=1, prepend=0.0)
    return np.where(complete, increments, 0.0), complete


def published() -> Ladder:
    return ladder_of(*triangle(), np.full(10, 1000, np.int64))


class TaylorAndAshe(unittest.TestCase):
    def test_factors_reserves_and_errors_are_the_printed_ones(self) -> None:
        found = published()
        np.testing.assert_allclose(found.factors, FACTORS, atol=5e-4)
        forecast = found.forecast(9)
        reserves = forecast.values[1:, 9] - forecast.ladder.cumulative[np.arange(1, 10), found.last_age[1:]]
        self.assertEqual(np.rint(reserves).astype(int).tolist(), list(RESERVES[1:]))
        self.assertEqual(np.rint(forecast.errors[1:, 9]).astype(int).tolist(), list(ERRORS[1:]))

    def test_all_together_are_as_printed(self) -> None:
        total = published().forecast(9).total(9)
        self.assertEqual((round(total.value), round(total.error), total.cohorts), (18_680_856, 2_447_095, 9))
        low, high = total.interval
        self.assertTrue(low < total.value < high)
        self.assertAlmostEqual(
            np.log(high / low), 2 * 1.959964 * np.sqrt(np.log1p((total.error / total.value) ** 2)), 5
        )


class ByHand(unittest.TestCase):
    """Three cohorts of a book: 10, then 5, then 3 more; 20, then 12; 40."""

    INCREMENTS = np.array([[10.0, 5.0, 3.0], [20.0, 12.0, 0.0], [40.0, 0.0, 0.0]])
    COMPLETE = np.array([[True, True, True], [True, True, False], [True, False, False]])
    SIZE = np.array([10, 20, 40], np.int64)

    def ladder(self) -> Ladder:
        return ladder_of(self.INCREMENTS, self.COMPLETE, self.SIZE)

    def test_the_factors_are_ratios_of_sums(self) -> None:
        found = self.ladder()
        np.testing.assert_allclose(found.factors, [47 / 30, 18 / 15])
        np.testing.assert_allclose(found.carried, [30, 15])
        self.assertEqual((found.cohorts.tolist(), found.customers.tolist()), ([2, 1], [30, 10]))
        values = found.forecast(2).values
        np.testing.assert_allclose(values[1:, 1:], [[np.nan, 32 * 1.2], [40 * 47 / 30, 40 * 47 / 30 * 1.2]])
        self.assertTrue(np.isnan(values[0]).all())

    def test_the_next_periods_are_of_cohorts_on_record_alone(self) -> None:
        forecast = self.ladder().forecast(2)
        self.assertAlmostEqual(forecast.total(1).value, 32 * 0.2 + 40 * 17 / 30)
        self.assertAlmostEqual(forecast.total(9).value, 32 * 0.2 + 40 * (47 / 30 * 1.2 - 1))
        self.assertEqual([forecast.total(steps).cohorts for steps in (1, 9)], [2, 2])

    def test_a_forecast_ends_before_a_factor_that_few_carry(self) -> None:
        found = self.ladder()
        self.assertEqual([found.end(30, few_shown=shown) for shown in (False, True)], [0, 2])
        nothing = found.forecast(0)
        self.assertEqual((nothing.total(3).value, nothing.total(3).cohorts), (0.0, 0))
        self.assertTrue(np.isnan(nothing.values).all())

    def test_cohorts_that_begin_with_nothing_or_fall_below_it_take_no_part(self) -> None:
        increments = np.array([[10.0, 5.0], [0.0, 9.0], [5.0, -6.0], [0.0, 0.0], [8.0, 0.0]])
        complete = np.array([[True, True]] * 3 + [[True, False], [True, False]])
        found = ladder_of(increments, complete, np.array([4, 4, 4, 0, 4], np.int64))
        self.assertEqual(found.takes_part.tolist(), [True, False, False, False, True])
        self.assertEqual(found.factors.tolist(), [1.5])
        self.assertEqual(found.forecast(1).total(1).value, 4.0)

    def test_nobody_has_nothing_to_forecast(self) -> None:
        none = np.zeros((0, 0))
        found = ladder_of(none.reshape(0, 1), none.reshape(0, 1).astype(np.bool_), np.zeros(0, np.int64))
        self.assertEqual((found.end(30, few_shown=True), found.forecast(0).total(3).value), (0, 0.0))


class Past(unittest.TestCase):
    def test_the_past_knows_what_was_over_then_alone(self) -> None:
        _, complete = triangle()
        before = known_before(complete, 3)
        self.assertEqual(before.sum(axis=1).tolist(), [7, 6, 5, 4, 3, 2, 1, 0, 0, 0])

    def test_a_forecast_of_the_past_is_held_against_what_came(self) -> None:
        increments, complete = triangle()
        found = checked(increments, complete, np.full(10, 1000, np.int64), 2, Manner(30, few_shown=True))
        self.assertEqual([each.steps for each in found.horizons], [1, 2])
        before = ladder_of(increments, known_before(complete, 2), np.full(10, 1000, np.int64))
        first = found.horizons[0]
        self.assertEqual(first.forecast.cohorts, 7)
        came = sum(increments[row, before.last_age[row] + 1] for row in range(1, 8))
        self.assertAlmostEqual(first.came, came)
        self.assertTrue(all(each.held for each in found.horizons))
        self.assertEqual((found.held_count / len(found.horizons), found.is_bad), (1.0, False))

    def test_a_change_of_customers_makes_the_method_bad_and_it_says_so(self) -> None:
        increments = np.tile([100.0, 50.0, 50.0, 50.0, 50.0, 50.0], (6, 1))
        complete = np.add.outer(np.arange(6), np.arange(6)) < 6
        # from the fifth period on nobody comes back
        increments[np.add.outer(np.arange(6), np.arange(6)) >= 4] = 0
        increments[:, 0] = 100
        found = checked(increments, complete, np.full(6, 100, np.int64), 2, Manner(30, few_shown=True))
        self.assertEqual([each.came for each in found.horizons], [0.0, 0.0])
        self.assertTrue(found.is_bad)

    def test_seasons_are_used_where_they_did_better_on_every_past_date(self) -> None:
        """Quarters of five years; every fourth brings three times as much of whoever came before."""
        count = 20
        period = np.add.outer(np.arange(count), np.arange(count))
        increments = np.where(period % 4 == 3, 30.0, 10.0)
        increments[:, 0] = 100.0
        complete, size = period < count, np.full(count, 50, np.int64)
        seasonal = outlook(increments, complete, size, 4, Manner(30, first_season=0, seasons=4))
        plain = outlook(increments, complete, size, 4, Manner(30))
        self.assertEqual((seasonal.by_season, plain.by_season), (True, False))
        for steps_ago, with_seasons, without in zip((4, 2), seasonal.checks, plain.checks, strict=True):
            self.assertEqual(with_seasons.steps_ago, steps_ago)
            self.assertLess(abs(with_seasons.horizons[-1].error), abs(without.horizons[-1].error))
        even = np.full((count, count), 10.0)
        even[:, 0] = 100.0
        self.assertFalse(outlook(even, complete, size, 4, Manner(30, seasons=4)).by_season)
        short = slice(0, 10)
        few_years = outlook(increments[short, short], period[short, short] < 10, size[short], 4, Manner(30, seasons=4))
        self.assertFalse(few_years.by_season)
        years = outlook(increments, complete, size, 1, Manner(30))
        self.assertEqual([each.steps_ago for each in years.checks], [1])


if __name__ == "__main__":
    unittest.main()
