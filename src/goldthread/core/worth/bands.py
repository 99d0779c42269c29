"""How sure a mean over customers is: a bootstrap over customers, seeded.

Customers are put at random into bundles, a few hundred at the most; bundles are drawn again with replacement, and each
draw gives a mean at every age. With no more customers than bundles this is the bootstrap over customers itself; with
more it estimates the same spread from sums. Source: B. Efron and R. J. Tibshirani, *An Introduction to the Bootstrap*
(1993), chapters 6 and 13 (percentile interval).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, blocks
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.history.facts import revenue_minor
from goldthread.core.limits import CELLS_MOST
from goldthread.core.worth.margins import Margins

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Groups = NDArray[np.uint8]
Interval = tuple[Floats, Floats]
BUNDLES_MOST, BUNDLES_LEAST = 400, 100
DRAWS = 1_000
SEED = 20_230_102
_ENDS = [DRAWS * 25 // 1_000 - 1, DRAWS * 975 // 1_000 - 1]
"""Places of the 2.5 % and the 97.5 % of the draws, sorted."""
_AGES_AT_ONCE = 1_000
"""Ages whose draws are in memory together."""


@dataclass(frozen=True, eq=False)
class Bundles:
    """Bundles of customers; float64, shape (bundles, ages). At age k the customers of the cohorts complete at k count.

    ``customers`` : how many there are; ``gross_minor`` : what they had brought up to the age, less the cost of goods.
    """

    customers: Floats
    gross_minor: Floats

    def beside(self, other: Bundles) -> Bundles:
        """The bundles of both, which have no customer in common."""
        return Bundles(
            np.concatenate([self.customers, other.customers]), np.concatenate([self.gross_minor, other.gross_minor])
        )


def bundles(
    table: CohortTable, margins: Margins, cohorts: NDArray[np.bool_], groups: Groups | None = None, count: int = 1
) -> list[Bundles]:
    """Bundle the customers of some cohorts, group by group. Linear in the orders.

    ``cohorts`` : bool, shape (cohorts,). ``groups`` : uint8, shape (customers of the book,), the group of each,
    1 … ``count``, or 0 for who does not count; None for all in one group.

    A customer of a cohort complete up to age K counts at the ages 0 … K. So orders are added at their age, those after
    K at K + 1, and all that the customer brought is taken away at K + 1.
    """
    book, (cohort_count, ages) = table.history.book, table.customers.shape
    ends_at = np.where(cohorts, table.complete.sum(axis=1), 0)
    if groups is None:
        key = ("bundled", table.period, table.age_kind, ages, ends_at.tobytes())
        bundled = book.derived(key, lambda: _bundled(table, ends_at, None, 1))
    else:
        bundled = _bundled(table, ends_at, groups, count)
    rows = sum(bundled.of_each)
    added, brought = _added(table, margins, bundled.places, rows * (ages + 1))
    by_cohort = np.bincount(bundled.cohort_cells, brought, minlength=rows * cohort_count).reshape(rows, cohort_count)
    until = np.zeros((cohort_count, ages + 1))
    until[np.arange(cohort_count), ends_at] = 1
    gross = (added.reshape(rows, ages + 1) - by_cohort @ until).cumsum(axis=1)[:, :ages]
    size = np.bincount(bundled.cohort_cells, minlength=rows * cohort_count).reshape(rows, cohort_count)
    customers = size.astype(np.float64) @ (table.complete & cohorts[:, None]).astype(np.float64)
    edges = np.cumsum(bundled.of_each).tolist()
    return [Bundles(customers[start:end], gross[start:end]) for start, end in pairwise(edges)]


@dataclass(frozen=True, eq=False)
class _Bundled:
    """Who and what is in which bundle; int32.

    ``places`` : of each order, bundle · (ages + 1) + the age it counts at. ``cohort_cells`` : of each ordering
    customer, bundle · cohorts + cohort. ``of_each`` : bundles of each group, one for the customers who do not count.
    """

    places: Int32s
    cohort_cells: Int32s
    of_each: list[int]


def _bundled(table: CohortTable, ends_at: Int64s, groups: Groups | None, count: int) -> _Bundled:
    """Customers of a group have a bundle each while they are few, else they are put into bundles at random."""
    book, (cohort_count, ages) = table.history.book, table.customers.shape
    row = table.cohort_of_customers()
    group = (ends_at > 0).astype(np.uint8).take(row)
    if groups is not None:
        group *= groups.take(book.ordering)
    most = max(BUNDLES_LEAST, min(BUNDLES_MOST, CELLS_MOST // (ages + 1)))
    size = np.bincount(group, minlength=count + 1).tolist()
    of_each = [1, *(min(each, most) for each in size[1:])]
    first = np.cumsum([0, *of_each[:-1]]).astype(np.int32)
    drawn = _drawn_bundles(book, most)
    bundle = first.take(group)
    bundle += drawn * np.array([False, *(each > most for each in size[1:])]).take(group)
    for code in range(1, count + 1):
        if 0 < size[code] <= most:
            bundle[group == code] += np.arange(size[code], dtype=np.int32)

    cells = table.cells()
    late = (np.arange(ages) > ends_at[:, None]) & (ends_at > 0)[:, None]
    if table.orders[late].any():
        ends = np.arange(cohort_count) * ages + ends_at
        cells = np.where(late, ends[:, None], np.arange(late.size).reshape(late.shape)).astype(np.int32).take(cells)
    begins = np.zeros(book.customer_count, np.int32)
    begins[book.ordering] = bundle * np.int32(ages + 1) - row * np.int32(ages)
    places = np.empty(book.order_count, np.int32)
    for block in blocks(book.order_count):
        # filled in place, and not checked for customers out of range: half of the time
        begins.take(book.customer[block], out=places[block], mode="clip")
        places[block] += cells[block]
    return _Bundled(places, bundle * np.int32(cohort_count) + row, of_each)


@kept
def _drawn_bundles(book: OrderBook, most: int) -> NDArray[np.uint16]:
    """The bundle of each ordering customer, at random; uint16."""
    return np.random.default_rng(SEED).integers(0, most, book.ordering.size, np.uint16)


def _added(table: CohortTable, margins: Margins, places: Int32s, length: int) -> tuple[Floats, Floats]:
    """What the shown orders brought, less the cost of goods: by place, shape (length,), and by ordering customer."""
    history, book = table.history, table.history.book
    added, known = np.zeros(length), history.shown is None and not margins.changes
    brought: Floats = np.zeros(book.customer_count)
    if known:
        brought += revenue_minor(book) * margins.base
    for here, gross in margins.gross_blocks(history, max(BLOCK_ORDERS, length)):
        added += np.bincount(places[here], gross, minlength=length)
        if not known:
            customer = book.customer[here]
            low = customer[0]
            brought[low : customer[-1] + 1] += np.bincount(customer - low, gross)
    return added, brought.take(book.ordering)


def intervals(*sides: Bundles) -> list[Interval]:
    """The middle 95 % of the mean per customer at every age: of each side, each drawn by itself, and, where there are
    two, of what the first has more than the second. NaN where a draw is without customers."""
    found = []
    for start in range(0, max(1, sides[0].customers.shape[1]), _AGES_AT_ONCE):
        ages = slice(start, start + _AGES_AT_ONCE)
        draws = [_drawn_means(side, ages, SEED + place) for place, side in enumerate(sides)]
        if len(sides) == 2:
            draws.append(draws[0] - draws[1])
        found.append([_middle(each) for each in draws])
    together = [np.concatenate(parts, axis=1) for parts in zip(*found, strict=True)]
    return [(low, high) for low, high in together]


def _middle(draws: Floats) -> Floats:
    """The ends of the middle 95 % of some draws by column; float64, shape (2, ages)."""
    ordered = np.sort(draws, axis=0)
    return np.where(np.isnan(ordered[-1]), np.nan, ordered[_ENDS])


def _drawn_means(found: Bundles, ages: slice, seed: int) -> Floats:
    """The mean per customer at some ages in each of the draws; float64, shape (draws, ages), NaN without customers."""
    weights = _weights(found.customers.shape[0], seed)
    customers = weights @ found.customers[:, ages]
    return (weights @ found.gross_minor[:, ages]) / np.where(customers > 0, customers, np.nan)


@lru_cache(maxsize=4)
def _weights(count: int, seed: int) -> Floats:
    """How often each of so many bundles comes in each draw; float64, shape (draws, bundles)."""
    drawn = np.random.default_rng(seed).integers(0, max(count, 1), (DRAWS, count), np.uint16)
    places = drawn + np.arange(DRAWS)[:, None] * count
    return np.bincount(places.ravel(), minlength=DRAWS * count).reshape(DRAWS, count).astype(np.float64)
