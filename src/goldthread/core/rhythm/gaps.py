"""Gaps between orders (``docs/definitions.md``, section 7): how they are spread, by step, label or period.

A gap belongs to the order that ended it. Customers with one order have none, which is never a gap of 0 days.
Method: gaps are whole days, so that a histogram by group and day holds everything but the customers; quantiles are read
off it, exact, between the two nearest gaps (R. J. Hyndman and Y. Fan, "Sample quantiles in statistical packages", The
American Statistician 50 (1996), 361–365, definition 7).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import sorted_gaps
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells
from goldthread.core.threads.gaps import NO_GAP, gap_days, quantile_of_each, rank, sorted_within

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
_TABLE_CELLS = 4_000_000
STEPS_APART = 10
"""Steps that have a group each: the last of them holds every later one too."""


@dataclass(frozen=True, eq=False)
class GapTable:
    """Gaps by group; arrays have the shape (groups,), and every group has a gap.

    Attributes
    ----------
    positions : int64, shape (gaps,); the orders that ended a gap, ascending
    group : int64, shape (gaps,); the group of each
    histogram : int64, shape (groups, longest gap + 1); gaps of each length in days
    customers : distinct customers of each group
    mean_over_customers_days : mean of the means of each customer's gaps in the group
    """

    history: History
    labels: tuple[str, ...]
    positions: Int64s
    group: Int64s
    histogram: Int64s
    customers: Int64s
    mean_over_customers_days: Floats

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

    def behind(self, group: int | None, days: tuple[int, int] | None = None) -> Behind:
        """The orders that ended the gaps of a group, None for all; ``days`` : of such lengths only, both included."""
        wanted = np.ones(self.positions.size, np.bool_) if group is None else self.group == group
        if days is not None:
            gaps = gap_days(self.history.book).take(self.positions)
            wanted &= (gaps >= days[0]) & (gaps <= days[1])
        return Behind.of(self.history.book, self.positions[wanted])


@dataclass(frozen=True, eq=False)
class _Ended:
    """The orders that ended a gap, the gaps, and whose they are; one entry per gap, ascending by position.

    ``begins`` : where the gaps of each customer begin. ``mean_days`` : the mean gap of each of them.
    """

    positions: Int64s
    gap_days: Int64s
    customer: Int64s
    begins: Int64s
    mean_days: Floats

    @classmethod
    def of(cls, positions: Int64s, gaps: Int64s, customer: Int64s) -> _Ended:
        if positions.size == 0:
            return cls(positions, gaps, customer, positions, np.zeros(0))
        begins = np.flatnonzero(np.append(True, customer[1:] != customer[:-1]))
        sizes = np.diff(np.append(begins, positions.size))
        return cls(positions, gaps, customer, begins, np.add.reduceat(gaps, begins) / sizes)


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


def step_labels(book: OrderBook) -> Attribute:
    """The step that each order ended: 1 for that from the first to the second; later ones than `STEPS_APART` together.

    An order that ended none has the empty label.
    """
    codes = np.minimum(rank(book) - 1, STEPS_APART).astype(np.uint16)
    names = [str(step) for step in range(1, STEPS_APART)]
    return Attribute(codes, ("", *names, f"{STEPS_APART}+"))


def gap_table(history: History, labels: Attribute | None = None, once_below: int = 0) -> GapTable:
    """Gaps by a label of the orders that ended them, in the sequence of the labels; None for all together.

    ``once_below`` : of labels with a code below it, a customer has one gap at most, as of a step. Raises `TooLarge` for
    a label with so many values that their histogram would be larger than a table may.
    """
    ended = _ended(history)
    positions, gaps = ended.positions, ended.gap_days
    length = int(gaps.max(initial=0)) + 1
    if positions.size == 0:
        none = np.zeros(0, np.int64)
        return GapTable(history, (), positions, none, np.zeros((0, 1), np.int64), none, none.astype(np.float64))
    codes, names, below = _coded(labels, positions, once_below)
    count = len(names)
    limit_cells(count * length, remedy="Choose a field with fewer values.", field="by")
    histogram = np.bincount(codes * length + gaps, minlength=count * length).reshape(count, length)
    customers = histogram.sum(axis=1)
    mean = histogram @ np.arange(length) / customers
    if below < count:
        customers[below:], mean[below:] = _over_customers(ended, codes, count, below, history.book.customer_count)
    return GapTable(history, names, positions, codes, histogram, customers, mean)


def gaps_by_step(history: History) -> GapTable:
    """Gaps by the step that they lie in: from the first order to the second, and so on."""
    return gap_table(history, step_labels(history.book), STEPS_APART)


def _coded(labels: Attribute | None, positions: Int64s, limit: int) -> tuple[Int64s, tuple[str, ...], int]:
    """The labels that some orders have, in their sequence, the place of each order's among them, and how many of these
    labels have a code below a limit."""
    if labels is None:
        return np.zeros(positions.size, np.int64), ("all gaps",), 0
    codes = labels.codes.take(positions).astype(np.int64)
    having = np.flatnonzero(np.bincount(codes, minlength=len(labels.labels)))
    names, lowest = tuple(labels.labels[code] for code in having.tolist()), int(having[0])
    below = int(np.count_nonzero(having < limit))
    if having[-1] - lowest == having.size - 1:
        codes -= lowest
        return codes, names, below
    place = np.zeros(len(labels.labels), np.int64)
    place[having] = np.arange(having.size)
    return place.take(codes), names, below


def _over_customers(ended: _Ended, codes: Int64s, count: int, above: int, customers: int) -> tuple[Int64s, Floats]:
    """Distinct customers of each code from ``above`` on, and the mean of their mean gaps.

    A label of customers needs one look at each of them; any other a table of who has what, or sorting where that would
    be large.
    """
    changes = np.flatnonzero(codes[1:] != codes[:-1]) + 1
    if changes.size < ended.begins.size and np.isin(changes, ended.begins, assume_unique=True).all():
        group = codes.take(ended.begins)
        having = np.bincount(group, minlength=count)
        return having[above:], (np.bincount(group, ended.mean_days, count) / np.maximum(having, 1))[above:]
    at = np.flatnonzero(codes >= above) if above else slice(None)
    cells, gaps = ended.customer[at] + (codes[at] - above) * customers, ended.gap_days[at]
    rows = count - above
    if rows * customers <= _TABLE_CELLS:
        sizes = np.bincount(cells, minlength=rows * customers)
        of_each = np.bincount(cells, gaps, rows * customers) / np.maximum(sizes, 1)
        having = np.count_nonzero(sizes.reshape(rows, customers), axis=1)
        return having, of_each.reshape(rows, customers).sum(axis=1) / having
    bits = int(gaps.max()).bit_length()
    packed = cells << bits | gaps
    packed.sort()
    cells = packed >> bits
    begins = np.flatnonzero(np.append(True, cells[1:] != cells[:-1]))
    means = np.add.reduceat(packed & ((1 << bits) - 1), begins) / np.diff(np.append(begins, cells.size))
    group = cells.take(begins) // customers
    having = np.bincount(group, minlength=rows)
    return having, np.bincount(group, means, rows) / having


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
    begins = ended.begins
    sizes = np.diff(np.append(begins, ended.positions.size)) if begins.size else begins
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
