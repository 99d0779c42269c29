"""Gaps between orders (``docs/definitions.md``, section 7): how they are spread, by step, label or period.

A gap belongs to the order that ended it. Customers with one order have none, which is never a gap of 0 days.
Method: gaps are whole days, so that a histogram by group and day holds everything but the customers; quantiles are read
off it, exact, between the two nearest gaps (R. J. Hyndman and Y. Fan, "Sample quantiles in statistical packages", The
American Statistician 50 (1996), 361–365, definition 7).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.summing import blocks_of, count_and_sum, sums_by_code
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import sorted_gaps
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels
from goldthread.core.limits import limit_cells
from goldthread.core.parts import MadeLater, Sums, Together, adds_up
from goldthread.core.threads.gaps import NO_GAP, gap_days, quantile_of_each, rank, sorted_within

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
_TABLE_CELLS = 4_000_000
_COUNT_FROM = 32
_ONE, _COUNTED_BELOW = 1 << _COUNT_FROM, 1 << (53 - _COUNT_FROM)
"""More days than any customer's gaps come to, and gaps that a double still counts beside them."""
STEPS_APART = 10
"""Steps that have a group each: the last of them holds every later one too."""


@dataclass(frozen=True, eq=False)
class GapCounts:
    """Gaps by group; arrays have the shape (groups,), and every group has a gap.

    Attributes
    ----------
    codes : what the groups are called by in the label of orders; int64, ascending
    histogram : int64, shape (groups, longest gap + 1); gaps of each length in days
    each : the gaps of each customer in each group
    """

    labels: tuple[str, ...]
    codes: Int64s
    histogram: Int64s
    each: GapsOfEach

    def __add__(self, other: GapCounts) -> GapCounts:
        """The same question of two parts of a book."""
        on = Together.by_code(self.codes, other.codes)
        labels, histogram = on.labels(self.labels, other.labels), on.of(self.histogram, other.histogram)
        return GapCounts(labels, on.keys, histogram, self.each.plus(other.each, on))

    @cached_property
    def customers(self) -> Int64s:
        """Distinct customers of each group; int64, shape (groups,)."""
        return sums_by_code(self.each.group, self.each.customers, len(self.labels))

    @cached_property
    def mean_over_customers_days(self) -> Floats:
        """Mean of the means of each customer's gaps in a group; float64 days, shape (groups,)."""
        sums = np.bincount(self.each.group, self.each.days / self.each.gaps, len(self.labels))
        return sums / self.customers

    @property
    def counts(self) -> Int64s:
        """Gaps of each group; int64, shape (groups,)."""
        counts: Int64s = self.histogram.sum(axis=1)
        return counts

    @property
    def mean_days(self) -> Floats:
        """Mean over gaps; float64 days, shape (groups,)."""
        return self.histogram @ np.arange(self.histogram.shape[1]) / self.counts

    def quantile_days(self, share: float) -> Floats:
        """The length below which a share of each group's gaps lies; float64 days, shape (groups,)."""
        up_to = np.cumsum(self.histogram, axis=1)
        place = share * (up_to[:, -1] - 1)
        below = np.floor(place)
        low, high = ((up_to <= at[:, None]).sum(axis=1) for at in (below, np.ceil(place)))
        days: Floats = low + (high - low) * (place - below)
        return days


@dataclass(frozen=True, eq=False)
class GapsOfEach:
    """How many customers have how many gaps in each group; int64, one entry for each group and number of gaps, by both.

    ``days`` : of all these gaps together, from which a mean over customers follows exactly.
    """

    group: Int64s
    gaps: Int64s
    customers: Int64s
    days: Int64s

    @classmethod
    def of(cls, group: Int64s, gaps: Int64s, days: Int64s, customers: Int64s | None = None) -> GapsOfEach:
        """From one entry for each customer and group; or for so many ``customers``, who are told apart no more."""
        width = int(gaps.max(initial=0)) + 1
        place = group * width + gaps
        cells = np.arange(int(place.max(initial=-1)) + 1)
        if cells.size > _TABLE_CELLS:
            cells, place = np.unique(place, return_inverse=True)
        counts, of_days = count_and_sum(blocks_of(days), place, cells.size)
        if customers is not None:
            counts = sums_by_code(place, customers, cells.size)
        having = np.flatnonzero(counts)
        cells = cells.take(having)
        return cls(cells // width, cells % width, counts.take(having), of_days.take(having))

    def plus(self, other: GapsOfEach, on: Together) -> GapsOfEach:
        """Those of two parts of a book, whose groups lie on one axis."""
        mine, theirs = (
            replace(each, group=np.searchsorted(on.keys, codes).take(each.group))
            for codes, each in ((on.one, self), (on.other, other))
        )
        return mine.joined(theirs)

    def joined(self, other: GapsOfEach) -> GapsOfEach:
        """Those of other customers too, or in other groups."""
        names = ("group", "gaps", "days", "customers")
        return GapsOfEach.of(*(np.concatenate((getattr(self, name), getattr(other, name))) for name in names))


@dataclass(frozen=True, eq=False)
class GapTable(GapCounts, MadeLater):
    """The same, and which orders ended the gaps.

    ``positions`` : int64, shape (gaps,); these orders, ascending. ``code`` : int64, shape (gaps,); what the group of
    each is called by.
    """

    history: History
    positions: Int64s
    code: Int64s

    def behind(self, group: int | None, days: tuple[int, int] | None = None) -> Behind:
        """The orders that ended the gaps of a group, None for all; ``days`` : of such lengths only, both included."""
        wanted = np.ones(self.positions.size, np.bool_) if group is None else self.code == self.codes[group]
        if days is not None:
            gaps = gap_days(self.history.book).take(self.positions)
            wanted &= (gaps >= days[0]) & (gaps <= days[1])
        return Behind.of(self.history.book, self.positions[wanted])


@dataclass(frozen=True, eq=False)
class _Ended:
    """The orders that ended a gap, the gaps, and whose they are; one entry per gap, ascending by position.

    ``begins`` : where the gaps of each customer begin. ``counts``, ``days`` : how many gaps each of them has, and how
    long these are together.
    """

    positions: Int64s
    gap_days: Int64s
    customer: Int64s
    begins: Int64s
    counts: Int64s
    days: Int64s

    @property
    def mean_days(self) -> Floats:
        """The mean gap of each customer who has one; float64, shape (customers with a gap,)."""
        return self.days / self.counts

    @classmethod
    def of(cls, positions: Int64s, gaps: Int64s, customer: Int64s) -> _Ended:
        if positions.size == 0:
            return cls(positions, gaps, customer, positions, positions, positions)
        begins = np.flatnonzero(np.append(True, customer[1:] != customer[:-1]))
        sizes = np.diff(np.append(begins, positions.size))
        return cls(positions, gaps, customer, begins, sizes, np.add.reduceat(gaps, begins))


def _ended(history: History) -> _Ended:
    """Those of the shown orders."""
    every = _ended_of(history.book)
    if history.shown is None:
        return every
    at = np.flatnonzero(history.shown.take(every.positions))
    return _Ended.of(every.positions.take(at), every.gap_days.take(at), every.customer.take(at))


@kept
def _ended_of(book: OrderBook) -> _Ended:
    positions = np.flatnonzero(gap_days(book) != NO_GAP)
    gaps, customer = (column.take(positions).astype(np.int64) for column in (gap_days(book), book.customer))
    return _Ended.of(positions, gaps, customer)


def step_labels(history: History) -> Attribute:
    """The step that each order ended: 1 for that from the first to the second; later ones than `STEPS_APART` together.

    An order that ended none has the empty label.
    """
    codes = np.minimum(rank(history.book) - 1, STEPS_APART).astype(np.uint16)
    names = [str(step) for step in range(1, STEPS_APART)]
    return Attribute(codes, ("", *names, f"{STEPS_APART}+"))


@adds_up
def gap_table(history: History, by: Labels | None = None, once_below: int = 0) -> GapTable:
    """Gaps by a label of the orders that ended them, in the sequence of the labels; None for all together.

    ``once_below`` : of labels with a code below it, a customer has one gap at most, as of a step. Raises `TooLarge` for
    a label with so many values that their histogram would be larger than a table may.
    """
    ended = _ended(history)
    positions, gaps = ended.positions, ended.gap_days
    length = int(gaps.max(initial=0)) + 1
    if positions.size == 0:
        none = np.zeros(0, np.int64)
        return GapTable((), none, np.zeros((0, 1), np.int64), GapsOfEach(*[none] * 4), history, positions, none)
    codes, having, names = _coded(None if by is None else by(history), positions)
    count, below = len(names), int(np.count_nonzero(having < once_below))
    limit_cells(count * length, remedy="Choose a field with fewer values.", field="by")
    histogram = np.bincount(codes * length + gaps, minlength=count * length).reshape(count, length)
    once = histogram[:below].sum(axis=1), histogram[:below] @ np.arange(length)
    of_each = GapsOfEach(np.arange(below), np.ones(below, np.int64), *once)
    if below < count:
        of_each = of_each.joined(_of_each(ended, codes, count, below, history.book.customer_count))
    return GapTable(names, having, histogram, of_each, history, positions, having.take(codes))


@dataclass(frozen=True, eq=False)
class WithoutGaps(Sums):
    """Customers who have no gap: those with one order, and those with none."""

    one_order: int
    no_order: int


@adds_up
def without_gaps(history: History) -> WithoutGaps:
    """Count the customers who are looked at and have no gap."""
    counts = history.book.counts.take(history.customers)
    return WithoutGaps(int(np.count_nonzero(counts == 1)), int(np.count_nonzero(counts == 0)))


def gaps_by_step(history: History) -> GapTable:
    """Gaps by the step that they lie in: from the first order to the second, and so on."""
    return gap_table(history, step_labels, STEPS_APART)


def _coded(labels: Attribute | None, positions: Int64s) -> tuple[Int64s, Int64s, tuple[str, ...]]:
    """The place of each order's label among those that some orders have, the codes of these, and they themselves."""
    if labels is None:
        return np.zeros(positions.size, np.int64), np.zeros(1, np.int64), ("all gaps",)
    codes = labels.codes.take(positions).astype(np.int64)
    having = np.flatnonzero(np.bincount(codes, minlength=len(labels.labels)))
    names, lowest = tuple(labels.labels[code] for code in having.tolist()), int(having[0])
    if having[-1] - lowest == having.size - 1:
        codes -= lowest
        return codes, having, names
    place = np.zeros(len(labels.labels), np.int64)
    place[having] = np.arange(having.size)
    return place.take(codes), having, names


def _of_each(ended: _Ended, codes: Int64s, count: int, above: int, customers: int) -> GapsOfEach:
    """The gaps of each customer in the groups from ``above`` on.

    A label of customers needs one look at each of them; any other a table of who has what, or sorting where that would
    be large.
    """
    changes = np.flatnonzero(codes[1:] != codes[:-1]) + 1
    if changes.size < ended.begins.size and np.isin(changes, ended.begins, assume_unique=True).all():
        group = codes.take(ended.begins)
        theirs = np.flatnonzero(group >= above) if above else slice(None)
        return GapsOfEach.of(group[theirs], ended.counts[theirs], ended.days[theirs])
    at = np.flatnonzero(codes >= above) if above else slice(None)
    cells, gaps = ended.customer[at] + (codes[at] - above) * customers, ended.gap_days[at]
    rows = count - above
    if rows * customers <= _TABLE_CELLS and int(ended.counts.max()) < _COUNTED_BELOW:
        # both at once: how many in the upper half of a number, which doubles hold exactly, how long in the lower one
        together = np.bincount(cells, gaps + _ONE)
        having = np.flatnonzero(together)
        counted = together.take(having).astype(np.int64)
        of_rows = np.diff(np.searchsorted(having, np.arange(rows + 1) * customers))
        return GapsOfEach.of(np.repeat(np.arange(above, count), of_rows), counted >> _COUNT_FROM, counted & (_ONE - 1))
    bits = int(gaps.max()).bit_length()
    packed = cells << bits | gaps
    packed.sort()
    cells = packed >> bits
    begins = np.flatnonzero(np.append(True, cells[1:] != cells[:-1]))
    days = np.add.reduceat(packed & ((1 << bits) - 1), begins)
    return GapsOfEach.of(cells.take(begins) // customers + above, np.diff(np.append(begins, cells.size)), days)


@dataclass(frozen=True, eq=False)
class CustomerGaps:
    """The gaps of every customer who has one; arrays have the shape (customers,), days are float64.

    ``customers`` : int64, ascending places in the book. ``counts`` : int64, gaps of each.
    """

    customers: Int64s
    counts: Int64s
    mean_days: Floats
    lower_quartile_days: Floats
    median_days: Floats
    upper_quartile_days: Floats

    def columns(self) -> dict[str, Int64s | Floats]:
        """The statistics by their names in files."""
        return {
            "count": self.counts,
            "mean": self.mean_days,
            "median": self.median_days,
            "lower_quartile": self.lower_quartile_days,
            "upper_quartile": self.upper_quartile_days,
        }


def gaps_by_customer(history: History) -> CustomerGaps:
    """The same statistics for each customer, from gaps sorted within each."""
    ended = _ended(history)
    begins, sizes = ended.begins, ended.counts
    ordered = sorted_gaps(history.book)[0] if history.shown is None else sorted_within(ended.customer, ended.gap_days)
    quartiles = (quantile_of_each(ordered, begins, sizes, share) for share in (0.25, 0.5, 0.75))
    return CustomerGaps(ended.customer.take(begins), sizes, ended.mean_days, *quartiles)


def bin_edges(longest: int, bins: int = 48) -> Int64s:
    """Where about so many bins of gaps begin, from 0 days on: every day by itself at first, then ever wider; int64,
    days."""
    wide = np.geomspace(1, max(longest, 1) + 1, bins)
    edges: Int64s = np.unique(np.append(0, np.round(wide).astype(np.int64)))
    return edges[edges <= longest]


def binned(histogram: Int64s, edges: Int64s) -> Int64s:
    """Gaps of each group by bin; int64, shape (groups, bins)."""
    counts: Int64s = np.add.reduceat(histogram, edges, axis=1)
    return counts
