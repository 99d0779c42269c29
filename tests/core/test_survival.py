"""Time to an event: a published worked example typed in by hand, and SciPy's own estimator."""

from __future__ import annotations

import unittest
import warnings

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from goldthread.core.survival import TimesToEvent, age_of_share, log_rank, product_limit, stacked, times_to_event

TREATED = (
    *((6, 3, 1), (7, 1, 0), (9, 0, 1), (10, 1, 1), (11, 0, 1), (13, 1, 0), (16, 1, 0), (17, 0, 1), (19, 0, 1)),
    *((20, 0, 1), (22, 1, 0), (23, 1, 0), (25, 0, 1), (32, 0, 2), (34, 0, 1), (35, 0, 1)),
)
UNTREATED = ((1, 2), (2, 2), (3, 1), (4, 2), (5, 2), (8, 4), (11, 2), (12, 2), (15, 1), (17, 1), (22, 1), (23, 1))
"""Weeks of remission (age, relapses, last seen without one) of E. J. Freireich and others, "The effect of
6-mercaptopurine on the duration of steroid-induced remissions in acute leukemia", Blood 21 (1963), 699–716."""
WITHOUT_RELAPSE = {
    6: (0.857, 0.620, 0.952),
    7: (0.807, 0.563, 0.923),
    10: (0.753, 0.503, 0.889),
    13: (0.690, 0.432, 0.849),
    16: (0.627, 0.368, 0.805),
    22: (0.538, 0.268, 0.747),
    23: (0.448, 0.188, 0.680),
}
"""The estimate with its log(−log) interval, as D. R. Cox and D. Oakes work it, Analysis of Survival Data (1984)."""
LOG_RANK = 16.79


def counted(rows: tuple[tuple[int, ...], ...]) -> TimesToEvent:
    """Rows of age, events and, where there is one, censored, as one group."""
    events, censored = np.zeros((1, 36), np.int64), np.zeros((1, 36), np.int64)
    for age, happened, *lost in rows:
        events[0, age], censored[0, age] = happened, sum(lost)
    return TimesToEvent(events, censored)


def drawn(seed: int) -> tuple[NDArray[np.int32], NDArray[np.bool_]]:
    """Ages with many ties, on the first day too, and whether the event came."""
    draw = np.random.default_rng(seed)
    return draw.integers(0, 40, 120).astype(np.int32), draw.random(120) < 0.6


class Published(unittest.TestCase):
    def test_the_estimate_and_its_interval(self) -> None:
        curve = product_limit(counted(TREATED))
        for age, (share, low, high) in WITHOUT_RELAPSE.items():
            with self.subTest(age=age):
                found = [1 - float(values[0, age]) for values in (curve.share, curve.high, curve.low)]
                for value, wanted in zip(found, (share, low, high), strict=True):
                    self.assertAlmostEqual(value, wanted, delta=0.00051)
        self.assertEqual(age_of_share(curve, 0.5), [23])

    def test_two_groups_compared(self) -> None:
        statistic, chance = log_rank(stacked(counted(TREATED), counted(UNTREATED)))
        self.assertAlmostEqual(statistic, LOG_RANK, delta=0.005)
        self.assertAlmostEqual(chance, 4.2e-5, delta=1e-6)


class AgainstScipy(unittest.TestCase):
    def test_the_estimate_and_its_interval_at_every_age(self) -> None:
        for seed in range(5):
            ages, happened = drawn(seed)
            times = times_to_event(ages, happened, np.zeros(ages.size, np.int64), 1)
            curve = product_limit(times)
            sample = stats.CensoredData.right_censored(ages.astype(np.float64), ~happened)
            known = stats.ecdf(sample).sf
            with warnings.catch_warnings():
                # it says so where nobody, or everybody, had the event: there is no interval there
                warnings.simplefilter("ignore", RuntimeWarning)
                bounds = known.confidence_interval(0.95, method="log-log")
            at = np.arange(curve.share.shape[1], dtype=np.float64)
            np.testing.assert_allclose(1 - curve.share[0], known.evaluate(at), atol=1e-12)
            certain = np.isnan(curve.low[0])
            np.testing.assert_allclose((1 - curve.high[0])[~certain], bounds.low.evaluate(at)[~certain], atol=1e-9)
            np.testing.assert_allclose((1 - curve.low[0])[~certain], bounds.high.evaluate(at)[~certain], atol=1e-9)

    def test_two_groups_compared(self) -> None:
        for seed in range(5):
            (one, hit), (other, missed) = drawn(seed), drawn(seed + 50)
            group = np.repeat([0, 1], one.size)
            times = times_to_event(np.append(one, other), np.append(hit, missed), group, 2)
            known = stats.logrank(
                stats.CensoredData.right_censored(one, ~hit), stats.CensoredData.right_censored(other, ~missed)
            )
            statistic, chance = log_rank(times)
            self.assertAlmostEqual(statistic, known.statistic**2, places=9)
            self.assertAlmostEqual(chance, known.pvalue, places=9)


class Edges(unittest.TestCase):
    def test_a_group_that_nobody_is_in_and_one_that_everybody_left(self) -> None:
        times = times_to_event(np.array([0, 2, 2], np.int32), np.array([True, True, False]), np.zeros(3, np.int64), 2)
        curve = product_limit(times)
        np.testing.assert_allclose(curve.share[0], [1 / 3, 1 / 3, 2 / 3])
        self.assertTrue(np.isnan(curve.share[1]).all())
        self.assertEqual(age_of_share(curve, 0.5), [2, None])
        self.assertTrue(np.isnan(log_rank(times)[0]))

    def test_equal_groups_do_not_differ(self) -> None:
        ages, happened = drawn(3)
        group = np.repeat([0, 1, 2], ages.size)
        times = times_to_event(np.tile(ages, 3), np.tile(happened, 3), group, 3)
        statistic, chance = log_rank(times)
        self.assertAlmostEqual(statistic, 0.0, places=9)
        self.assertAlmostEqual(chance, 1.0, places=9)


if __name__ == "__main__":
    unittest.main()
