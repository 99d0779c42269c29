"""Intervals of shares and of their differences.

Wilson's score interval: E. B. Wilson, "Probable inference, the law of succession, and statistical inference",
Journal of the American Statistical Association 22 (1927), 209–212. The difference of two shares: R. G. Newcombe,
"Interval estimation for the difference between independent proportions", Statistics in Medicine 17 (1998), 873–890,
method 10.
"""

from __future__ import annotations

from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincc

Floats = NDArray[np.float64]

Z_95 = NormalDist().inv_cdf(0.975)


def wilson_interval(successes: NDArray[np.int64], trials: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """95 % interval of each share successes / trials; float64 in 0 … 1, NaN where there are no trials."""
    n = np.where(trials > 0, trials, np.nan).astype(np.float64)
    share = successes / n
    z2 = Z_95 * Z_95
    middle = (share + z2 / (2 * n)) / (1 + z2 / n)
    half = Z_95 / (1 + z2 / n) * np.sqrt(share * (1 - share) / n + z2 / (4 * n * n))
    return np.clip(middle - half, 0.0, 1.0), np.clip(middle + half, 0.0, 1.0)


def plain_mean_interval(
    successes: NDArray[np.int64], trials: NDArray[np.int64], included: NDArray[np.bool_]
) -> tuple[Floats, Floats]:
    """95 % interval of the unweighted mean of shares down each column; float64, shape (columns,).

    The variance of each share is taken at Agresti and Coull's adjusted share (x + z²/2) / (n + z²), so that a
    column of zeros does not claim to be certain (The American Statistician 52 (1998), 119–126). NaN for empty columns.
    """
    z2 = Z_95 * Z_95
    n = np.maximum(trials, 1) + z2
    adjusted = (successes + z2 / 2) / n
    variance = np.where(included, adjusted * (1 - adjusted) / n, 0.0).sum(axis=0)
    rows = np.where(included.any(axis=0), included.sum(axis=0), np.nan)
    mean = np.where(included, successes / np.maximum(trials, 1), 0.0).sum(axis=0) / rows
    half = Z_95 * np.sqrt(variance) / rows
    return np.clip(mean - half, 0.0, 1.0), np.clip(mean + half, 0.0, 1.0)


def difference_interval(
    successes: NDArray[np.int64],
    trials: NDArray[np.int64],
    other_successes: NDArray[np.int64],
    other_trials: NDArray[np.int64],
) -> tuple[Floats, Floats, Floats]:
    """One share less another, and its 95 % interval; float64 in −1 … 1, NaN where either has no trials."""
    share = successes / np.where(trials > 0, trials, np.nan)
    other = other_successes / np.where(other_trials > 0, other_trials, np.nan)
    return difference_of(
        (share, *wilson_interval(successes, trials)), (other, *wilson_interval(other_successes, other_trials))
    )


def difference_of(
    one: tuple[Floats, Floats, Floats], other: tuple[Floats, Floats, Floats]
) -> tuple[Floats, Floats, Floats]:
    """One share less another, and its 95 % interval, of two shares with the ends of their own intervals: Newcombe's
    hybrid score method (Statistics in Medicine 17 (1998), 873–890, method 10). Shares and result as in
    `difference_interval`."""
    (share, low, high), (before, lowest, highest) = one, other
    difference = share - before
    below = np.sqrt((share - low) ** 2 + (highest - before) ** 2)
    above = np.sqrt((high - share) ** 2 + (before - lowest) ** 2)
    return difference, difference - below, difference + above


def chi_square_of_shares(successes: NDArray[np.int64], trials: NDArray[np.int64]) -> tuple[float, float]:
    """Pearson's chi-square of several shares, and the chance of one as large where all are the same in truth; NaN for
    fewer than two groups with trials, or where all or none succeeded."""
    present = trials > 0
    found, of = successes[present].astype(np.float64), trials[present].astype(np.float64)
    if found.size < 2 or found.sum() in (0, of.sum()):
        return float("nan"), float("nan")
    share = found.sum() / of.sum()
    statistic = float((np.square(found - share * of) / (share * (1 - share) * of)).sum())
    return statistic, float(gammaincc((found.size - 1) / 2, statistic / 2))
