"""How sure a mean over customers is: a bootstrap over customers, seeded.

Customers are put at random into bundles, a few hundred at the most; bundles are drawn again with replacement, and each
draw gives a mean at every age. With no more customers than bundles this is the bootstrap over customers itself; with
more it estimates the same spread from sums. Source: B. Efron and R. J. Tibshirani, *An Introduction to the Bootstrap*
(1993), chapters 6 and 13 (percentile interval).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache, reduce
from itertools import pairwise
from operator import add

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import blocks
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.summing import sums_by_code
from goldthread.core.cohorts.table import CohortCounts, CohortTable, table_among
from goldthread.core.history.facts import revenue_minor
from goldthread.core.history.history import History
from goldthread.core.limits import CELLS_MOST
from goldthread.core.parts import Several, Sums, adds_up
from goldthread.core.worth.margins import Margins

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Groups = NDArray[np.uint8]
BundledBy = Callable[[History], Groups]
"""Gives the group of each customer of a history. It can be sent."""
Interval = tuple[Floats, Floats]
BUNDLES_MOST, BUNDLES_LEAST = 400, 100
DRAWS = 1_000
SEED = 20_230_102
_ENDS = [DRAWS * 25 // 1_000 - 1, DRAWS * 975 // 1_000 - 1]
"""Places of the 2.5 % and the 97.5 % of the draws, sorted."""
_AGES_AT_ONCE = 1_000
"""Ages whose draws are in memory together."""


@dataclass(frozen=True, eq=False)
class Bundles(Sums):
    """Bundles of customers; int64. At age k the customers of the cohorts complete at k count.

    ``customers`` : how many there are; shape (bundles, ages). ``revenue_minor`` : what they had brought up to the age,
    by margin; shape (shares, bundles, ages).
    """

    margins: Margins
    customers: Int64s
    revenue_minor: Int64s

    @cached_property
    def gross_minor(self) -> Floats:
        """What they had brought up to the age, less the cost of goods; float64, shape (bundles, ages)."""
        return self.margins.gross(self.revenue_minor)

    def beside(self, other: Bundles) -> Bundles:
        """The bundles of both, which have no customer in common."""
        return Bundles(
            self.margins,
            np.concatenate([self.customers, other.customers]),
            np.concatenate([self.revenue_minor, other.revenue_minor], axis=1),
        )


@dataclass(frozen=True, eq=False)
class GroupSizes(Sums):
    """How many customers each group has, first those who do not count; int64. A customer of a small group has a bundle
    alone, so parts of a book must know the sizes of all parts before they are bundled."""

    customers: Int64s


@dataclass(frozen=True, eq=False)
class Bundling:
    """Which customers are bundled with whom.

    ``cohorts`` : bool, shape (cohorts,); those that count. ``groups`` : uint8, shape (customers of the book,), the
    group of each, 1 … ``count``, or 0 for who does not count; None for all in one group.
    """

    cohorts: NDArray[np.bool_]
    groups: Groups | None = None
    count: int = 1

    def of_ordering(self, table: CohortTable) -> Groups:
        """The group of each ordering customer; uint8."""
        counts = (self.ends_at(table) > 0).astype(np.uint8).take(table.cohort_of_customers())
        return counts if self.groups is None else counts * self.groups.take(table.history.book.ordering)

    def ends_at(self, table: CohortTable) -> Int64s:
        """How many ages each cohort has completed, 0 where it does not count; int64, shape (cohorts,)."""
        return np.where(self.cohorts, table.complete.sum(axis=1), 0)

    def sizes(self, table: CohortTable) -> GroupSizes:
        """Customers of each group."""
        return GroupSizes(np.bincount(self.of_ordering(table), minlength=self.count + 1))


@dataclass(frozen=True)
class SizesByPart:
    """The sizes of the groups of each part, by the place of its first customer in the whole."""

    of_parts: Mapping[int, GroupSizes]

    def __add__(self, other: SizesByPart) -> SizesByPart:
        """Those of two parts of a book; of two parts of nobody that begin alike, either."""
        mine, theirs = self.of_parts, other.of_parts
        return SizesByPart({**mine, **theirs, **{at: mine[at] + theirs[at] for at in mine.keys() & theirs.keys()}})

    @property
    def of_all(self) -> GroupSizes:
        """Over all parts."""
        return reduce(add, self.of_parts.values())

    def before(self, first_customer: int) -> GroupSizes:
        """Over the parts before the one that begins with a customer."""
        earlier = [sizes for at, sizes in self.of_parts.items() if at < first_customer]
        return reduce(add, earlier, GroupSizes(np.zeros_like(self.of_all.customers)))


@adds_up
def sizes_by_part(
    history: History, every: CohortCounts, cohorts: NDArray[np.bool_], of: BundledBy | None, count: int
) -> SizesByPart:
    """Customers of the cohorts that count, part by part. ``every`` : the table of all parts."""
    grouping = _grouping(history, cohorts, of, count)
    return SizesByPart({history.book.first_customer: grouping.sizes(table_among(history, every))})


def _grouping(history: History, cohorts: NDArray[np.bool_], of: BundledBy | None, count: int) -> Bundling:
    return Bundling(cohorts, None if of is None else of(history), count)


def bundles_of_groups(
    table: CohortTable, margins: Margins, cohorts: NDArray[np.bool_], of: BundledBy | None = None, count: int = 1
) -> tuple[Bundles, ...]:
    """Bundle the customers of the cohorts that count, group by group. ``of`` : gives the group of each customer,
    1 … ``count``, or 0 for who does not count; None for all in one."""
    history = table.history
    if history.elsewhere is None:
        return tuple(bundles(table, margins, _grouping(history, cohorts, of, count)))
    sizes = sizes_by_part(history, table, cohorts, of, count)
    return bundles_of_part(history, table, margins, cohorts, of, count, sizes).found


@adds_up
def bundles_of_part(
    history: History,
    every: CohortCounts,
    margins: Margins,
    cohorts: NDArray[np.bool_],
    of: BundledBy | None,
    count: int,
    sizes: SizesByPart,
) -> Several:
    """The same of a part, whose customers are put into the bundles of all parts."""
    table, before = table_among(history, every), sizes.before(history.book.first_customer)
    grouping = _grouping(history, cohorts, of, count)
    return Several(tuple(bundles(table, margins, grouping, sizes.of_all, before)))


def bundles(
    table: CohortTable,
    margins: Margins,
    grouping: Bundling,
    of_all: GroupSizes | None = None,
    before: GroupSizes | None = None,
) -> list[Bundles]:
    """Bundle customers group by group. Linear in the orders.

    ``of_all``, ``before`` : sizes over all parts of a book, and over those before this one, where it is a part.

    A customer of a cohort complete up to age K counts at the ages 0 … K. So orders are added at their age, those after
    K at K + 1, and all that the customer brought is taken away at K + 1.
    """
    history, book, ages = table.history, table.history.book, table.age_count
    most = max(BUNDLES_LEAST, min(BUNDLES_MOST, CELLS_MOST // (ages + 1) // margins.shares.size))
    if grouping.groups is None and of_all is None:
        key = ("bundled", table.period, table.age_kind, ages, grouping.ends_at(table).tobytes(), most)
        bundled = book.derived(key, lambda: _bundled(table, grouping, most, None, None))
    else:
        bundled = _bundled(table, grouping, most, of_all, before)
    rows, width = sum(bundled.of_each), ages + 1
    added = margins.revenue(history, bundled.places.__getitem__, rows * width)
    if history.shown is None and not margins.changes:
        taken = sums_by_code(bundled.ends, revenue_minor(book).take(book.ordering), rows * width)[None]
    else:
        ends = np.zeros(book.customer_count, np.int32)
        ends[book.ordering] = bundled.ends
        taken = margins.revenue(history, lambda here: ends.take(book.customer[here]), rows * width)
    brought = (added - taken).reshape(-1, rows, width).cumsum(axis=2)[:, :, :ages]
    leaving = np.bincount(bundled.ends, minlength=rows * width).reshape(rows, width)
    customers = leaving[:, :0:-1].cumsum(axis=1)[:, ::-1]
    edges = np.cumsum(bundled.of_each).tolist()
    return [Bundles(margins, customers[start:end], brought[:, start:end]) for start, end in pairwise(edges)]


@dataclass(frozen=True, eq=False)
class _Bundled:
    """Who and what is in which bundle; int32.

    ``places`` : of each order, bundle · (ages + 1) + the age it counts at. ``ends`` : of each ordering customer,
    bundle · (ages + 1) + the age at which they count no more. ``of_each`` : bundles of each group, one for the
    customers who do not count.
    """

    places: Int32s
    ends: Int32s
    of_each: list[int]


def _bundled(
    table: CohortTable, grouping: Bundling, most: int, of_all: GroupSizes | None, before: GroupSizes | None
) -> _Bundled:
    """Customers of a group have a bundle each while they are few, else they are put into bundles at random."""
    book, (cohort_count, ages) = table.history.book, table.customers.shape
    row, ends_at, group = table.cohort_of_customers(), grouping.ends_at(table), grouping.of_ordering(table)
    width = np.int32(ages + 1)
    size = (of_all or GroupSizes(np.bincount(group, minlength=grouping.count + 1))).customers.tolist()
    of_each = [1, *(min(each, most) for each in size[1:])]
    first = np.cumsum([0, *of_each[:-1]]).astype(np.int32)
    bundle = first.take(group)
    bundle += _drawn_bundles(book, most) * np.array([False, *(each > most for each in size[1:])]).take(group)
    for code in range(1, grouping.count + 1):
        if 0 < size[code] <= most:
            theirs = np.flatnonzero(group == code)
            bundle[theirs] += np.arange(theirs.size, dtype=np.int32)
            bundle[theirs] += np.int32(0 if before is None else before.customers[code])

    cells = table.cells()
    late = (np.arange(ages) > ends_at[:, None]) & (ends_at > 0)[:, None]
    if table.orders[late].any():
        ends = np.arange(cohort_count) * ages + ends_at
        cells = np.where(late, ends[:, None], np.arange(late.size).reshape(late.shape)).astype(np.int32).take(cells)
    begins = np.zeros(book.customer_count, np.int32)
    begins[book.ordering] = bundle * width - row * np.int32(ages)
    places = np.empty(book.order_count, np.int32)
    for block in blocks(book.order_count):
        # filled in place, and not checked for customers out of range: half of the time
        begins.take(book.customer[block], out=places[block], mode="clip")
        places[block] += cells[block]
    return _Bundled(places, bundle * width + ends_at.astype(np.int32).take(row), of_each)


@kept
def _drawn_bundles(book: OrderBook, most: int) -> NDArray[np.uint16]:
    """The bundle of each ordering customer, by a hash of who it is, so that it is the same in every part and every
    state of a book; uint16. Source: G. L. Steele, D. Lea and C. H. Flood, "Fast splittable pseudorandom number
    generators", OOPSLA (2014), whose mixing function it is."""
    mixed = book.customer_id.take(book.ordering).astype(np.uint64) + np.uint64(SEED)
    mixed *= np.uint64(0x9E3779B97F4A7C15)
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        mixed ^= mixed >> np.uint64(shift)
        mixed *= np.uint64(factor)
    mixed ^= mixed >> np.uint64(31)
    return (mixed % np.uint64(most)).astype(np.uint16)


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
