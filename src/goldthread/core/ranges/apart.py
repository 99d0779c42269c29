"""A difference taken apart into what made it (``docs/definitions.md``, section 13).

A sum is a product of factors; what each contributes is its Shapley value, the mean over all sequences of replacing one
side's factors by the other's (A. F. Shorrocks, "Decomposition procedures for distributional analysis", Journal of
Economic Inequality 11 (2013), 99–126). A rate of groups differs by their mix and by the rate inside each (E. M.
Kitagawa, "Components of a difference between two rates", Journal of the American Statistical Association 50 (1955),
1168–1194).
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from itertools import permutations
from math import factorial, prod

import numpy as np
from numpy.typing import NDArray

from goldthread.core.intervals import difference_interval

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


def factors_apart(before: Sequence[int], after: Sequence[int]) -> list[int]:
    """What each factor contributes to the difference of two whole numbers, in the same unit; the parts add up to it.

    ``before``, ``after`` : a chain of totals such as customers, orders, revenue: the last one is the first, times each
    one per the one before. Where a side has none of the first, all of the difference is that of the first factor.
    """
    difference = after[-1] - before[-1]
    if not all((*before[:-1], *after[:-1])):
        return [difference, *(0 for _ in before[1:])]
    sides = [[Fraction(one, of) for one, of in zip(chain, (1, *chain), strict=False)] for chain in (before, after)]
    parts = [Fraction(0) for _ in before]
    for sequence in permutations(range(len(before))):
        now = list(sides[0])
        for factor in sequence:
            was = prod(now)
            now[factor] = sides[1][factor]
            parts[factor] += Fraction(prod(now) - was) / factorial(len(before))
    return largest_remainders(parts, difference)


def largest_remainders(parts: Sequence[Fraction], total: int) -> list[int]:
    """Whole numbers near to some that add up to a whole total: what is left over goes to the largest remainders."""
    whole = [int(part // 1) for part in parts]
    behind = sorted(range(len(parts)), key=lambda place: whole[place] - parts[place])
    for place in behind[: total - sum(whole)]:
        whole[place] += 1
    return whole


def rates_apart(above: tuple[Int64s, Int64s], below: tuple[Int64s, Int64s]) -> tuple[Floats, Floats]:
    """The part of the difference of two rates that is each group's mix, and the part that is its rate; float64, shape
    (groups,). All of them add up to the difference. NaN where a side has nothing below.

    ``above``, ``below`` : what is counted and what it is a share of, before and after. A group's mix is told against
    the average rate of both sides, so that a group of a low rate adds when it shrinks; the sum is Kitagawa's. A group
    that is empty on one side has the rate of the other there, so all of its part is mix.
    """
    shares, rates = [], []
    for part, of in zip(above, below, strict=True):
        whole = of.sum()
        shares.append(of / whole if whole else np.full(of.shape, np.nan))
        rates.append(part / np.where(of > 0, of, np.nan))
    one, other = (np.where(np.isnan(mine), theirs, mine) for mine, theirs in (rates, rates[::-1]))
    average = sum(part.sum() / of.sum() if of.sum() else np.nan for part, of in zip(above, below, strict=True)) / 2
    mix = (shares[1] - shares[0]) * ((one + other) / 2 - average)
    rate = (other - one) * (shares[0] + shares[1]) / 2
    nobody = (below[0] == 0) & (below[1] == 0)
    return np.where(nobody, 0.0, mix), np.where(nobody, 0.0, rate)


def stands_out(before: Int64s, after: Int64s) -> NDArray[np.bool_]:
    """Groups whose own change is not that of all others together: the interval of the difference between the share of
    its customers that are of the later range, and that share of all others, leaves zero out; bool, shape (groups,)."""
    both = before + after
    others, of_others = after.sum() - after, both.sum() - both
    _, low, high = difference_interval(after, both, others, of_others)
    with np.errstate(invalid="ignore"):
        found: NDArray[np.bool_] = (low > 0) | (high < 0)
    return found
