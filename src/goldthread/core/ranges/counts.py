"""What came in a range of dates, by group (``docs/definitions.md``, section 13).

What is counted are the orders dated inside the range; rank and first order stay those of the whole thread.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.summing import blocks_of, count_and_sum, distinct, distinct_pairs, sums_by_code
from goldthread.core.choices import Measure, Side
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels
from goldthread.core.newness.stretches import side_of
from goldthread.core.parts import Sums, adds_up
from goldthread.core.threads.gaps import first_orders

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
BUNDLES = 400
DRAWS = 1_000
SEED = 20_230_102
_ENDS = [DRAWS * 25 // 1_000 - 1, DRAWS * 975 // 1_000 - 1]
"""Places of the 2.5 % and the 97.5 % of the draws, sorted."""


@dataclass(frozen=True, eq=False)
class RangeCounts(Sums):
    """What came in a range of dates; int64.

    ``customers``, ``orders``, ``new_orders``, ``revenue_minor`` : by group, shape (labels,); a customer may be in
    several groups of orders. ``customers_in_all`` : distinct ones, counted afresh, of whom ``new_in_all`` first ordered
    in the range. ``bundles`` : the same of bundles of customers.
    """

    labels: tuple[str, ...]
    customers: Int64s
    orders: Int64s
    new_orders: Int64s
    revenue_minor: Int64s
    customers_in_all: int
    new_in_all: int
    bundles: BundledCounts


@dataclass(frozen=True, eq=False)
class BundledCounts(Sums):
    """What came of bundles of customers; int64, shape (bundles,). Who is bundled with whom goes by a hash of the
    customer, so it is the same in every range and every part of a book."""

    customers: Int64s
    orders: Int64s
    revenue_minor: Int64s


@adds_up
def range_counts(history: History, first_day: int, last_day: int, by: Labels | None) -> RangeCounts:
    """Count the shown orders of a range, both ends inside, by a label of each; None for all together."""
    book = history.book
    positions = np.flatnonzero(history.within(first_day, last_day))
    who, amounts = book.customer.take(positions), book.amount_minor.take(positions)
    labels: tuple[str, ...] = ("",)
    group = np.zeros(positions.size, np.int64)
    if by is not None:
        found = by(history)
        labels, group = found.labels, found.codes.take(positions).astype(np.int64)
    orders, revenue = count_and_sum(blocks_of(amounts), group, len(labels))
    is_first = np.zeros(book.order_count, np.bool_)
    is_first[first_orders(book)] = True
    _, once = distinct_pairs(who, group, len(labels))
    bundle = bundle_of(book.customer_id).take(who)
    several = distinct(who)
    return RangeCounts(
        labels,
        np.bincount(once, minlength=len(labels)),
        orders,
        np.bincount(group[is_first.take(positions)], minlength=len(labels)),
        revenue,
        int(several.size),
        int(np.count_nonzero(book.day.take(book.starts.take(several)) >= first_day)),
        BundledCounts(
            np.bincount(bundle_of(book.customer_id).take(several), minlength=BUNDLES),
            np.bincount(bundle, minlength=BUNDLES),
            sums_by_code(bundle, amounts, BUNDLES),
        ),
    )


def bundle_of(customer_id: Int64s) -> Int64s:
    """The bundle of each customer, 0 … `BUNDLES` − 1; int64. A multiplicative hash (D. E. Knuth, *The Art of Computer
    Programming*, volume 3, section 6.4)."""
    mixed = customer_id.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    return ((mixed >> np.uint64(33)) % np.uint64(BUNDLES)).astype(np.int64)


def drawn_ratios(above: Int64s, below: Int64s) -> Floats:
    """A ratio of two sums over customers when bundles are drawn again with replacement; float64, shape (draws,), NaN
    where none was drawn that has anything below. Two ranges are drawn alike, so that their difference has the spread of
    the same customers twice (B. Efron and R. J. Tibshirani, *An Introduction to the Bootstrap*, 1993, chapter 13)."""
    there = np.random.default_rng(SEED).multinomial(BUNDLES, np.full(BUNDLES, 1 / BUNDLES), DRAWS)
    sums = there @ below.astype(np.float64)
    ratios: Floats = there @ above.astype(np.float64) / np.where(sums > 0, sums, np.nan)
    return ratios


def interval_of(draws: Floats) -> tuple[float, float]:
    """The 95 % interval of some draws; NaN where one of them has no value."""
    if np.isnan(draws).any():
        return float("nan"), float("nan")
    low, high = np.sort(draws)[_ENDS].tolist()
    return low, high


def range_behind(
    history: History, first_day: int, last_day: int, side: Side, by: Labels | None, label: str | None
) -> Behind:
    """The customers and orders of a range, of one side alone, of one label alone; None for every label."""
    positions = np.flatnonzero(history.within(first_day, last_day))
    if by is not None and label is not None:
        found = by(history)
        wanted = found.labels.index(label) if label in found.labels else -1
        positions = positions[found.codes.take(positions) == wanted]
    return side_of(history, positions, first_day, Measure.CUSTOMERS, side)
