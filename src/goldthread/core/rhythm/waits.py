"""Time to the next order (``docs/definitions.md``, section 7): how long after order i the next one comes.

The event is the next order; a gap that is still open is censored at the as-of date.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, Codes, most_frequent
from goldthread.core.choices import BLANK, Waiting
from goldthread.core.evidence import Behind
from goldthread.core.history.history import History
from goldthread.core.parts import Sums
from goldthread.core.survival import Curve, TimesToEvent, product_limit, times_to_event

Int64s = NDArray[np.int64]
GROUPS_MOST = 8


@dataclass(frozen=True, eq=False)
class WaitCounts(Sums):
    """How many waited how long from the order of a rank to the next, or wait so far, by group."""

    labels: tuple[str, ...]
    times: TimesToEvent

    @cached_property
    def curve(self) -> Curve:
        """The share who ordered again by the end of each age."""
        return product_limit(self.times)


@dataclass(frozen=True, eq=False)
class WaitLabels(Sums):
    """How many waits begin with an order of each label; int64, shape (labels,). Parts of a book must know those of all
    parts before the most frequent labels stand apart."""

    waits: Int64s

    @classmethod
    def of(cls, history: History, step: int, labels: Attribute) -> WaitLabels:
        """Those of the waits after each customer's order of a rank."""
        return cls(_counts(labels, labels.codes.take(_positions(history, step))))


@dataclass(frozen=True, eq=False)
class Waits(WaitCounts):
    """The same, and whose they are.

    Attributes
    ----------
    positions : int64, shape (customers with that order,); the orders that the waits begin with, ascending
    days : int32, the same shape; to the next order, or to the as-of date
    ordered : bool, the same shape; whether the next order came
    group : int64, the same shape; into ``labels``
    """

    history: History
    step: int
    positions: Int64s
    days: NDArray[np.int32]
    ordered: NDArray[np.bool_]
    group: Int64s

    def behind(self, group: int | None, day: int, where: Waiting) -> Behind:
        """The customers of a group, None for all, who are so ``day`` days after the order; of those who ordered again
        the next order, of everybody else the one that the wait began with."""
        wanted = np.ones(self.positions.size, np.bool_) if group is None else self.group == group
        match where:
            case Waiting.ORDERED:
                wanted &= self.ordered & (self.days <= day)
            case Waiting.WAITING:
                wanted &= self.days > day
            case Waiting.NOT_YET:
                wanted &= ~self.ordered & (self.days <= day)
        return Behind.of(self.history.book, self.positions[wanted] + (where is Waiting.ORDERED))


def waits(
    history: History,
    step: int,
    labels: Attribute | None = None,
    alone: str = "everybody",
    of_all: WaitLabels | None = None,
) -> Waits:
    """The waits after each customer's order of rank ``step``, by a label of that order; None for all together,
    called ``alone``. ``of_all`` : over all parts of a book, where this is one.

    The groups with the most waits first, those beyond `GROUPS_MOST` together last. Where a condition chooses orders and
    firsts are those of all orders, the wait begins with an order that is among the chosen.
    """
    book = history.book
    positions = _positions(history, step)
    rank_is_last = positions + 1 == book.starts.take(book.customer.take(positions) + 1)
    following = np.minimum(positions + 1, max(book.order_count - 1, 0))
    until = np.where(rank_is_last, np.int32(history.rule.as_of_day), book.day.take(following))
    days = (until - book.day.take(positions)).astype(np.int32)
    group = np.zeros_like(positions)
    names: tuple[str, ...] = (alone,)
    if labels is not None:
        codes = labels.codes.take(positions)
        counts = _counts(labels, codes) if of_all is None else of_all.waits
        if counts.any():
            group, names = _grouped(labels, codes, counts)
    times = times_to_event(days, ~rank_is_last, group, len(names))
    return Waits(names, times, history, step, positions, days, ~rank_is_last, group)


def _positions(history: History, step: int) -> Int64s:
    """The orders that the waits begin with; int64, ascending."""
    book = history.book
    positions = book.starts.take(np.flatnonzero(book.counts >= step)) + (step - 1)
    return positions if history.shown is None else positions[history.shown.take(positions)]


def _counts(labels: Attribute, codes: Codes) -> Int64s:
    return np.bincount(codes, minlength=len(labels.labels))


def _grouped(labels: Attribute, codes: Codes, counts: Int64s) -> tuple[Int64s, tuple[str, ...]]:
    apart, others = most_frequent(counts, labels.labels, GROUPS_MOST)
    place = np.full(len(labels.labels), apart.size, np.int64)
    place[apart] = np.arange(apart.size)
    names = [labels.labels[code] or BLANK for code in apart.tolist()]
    return place.take(codes), (*names, f"{others.size} others") if others.size else tuple(names)
