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
from goldthread.core.history.labels import Labels
from goldthread.core.parts import MadeLater, Sums, adds_up
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


@adds_up
def wait_labels(history: History, step: int, by: Labels) -> WaitLabels:
    """Count the waits after each customer's order of a rank by the label of that order."""
    labels = by(history)
    return WaitLabels(np.bincount(labels.codes.take(_positions(history, step)), minlength=len(labels.labels)))


@dataclass(frozen=True, eq=False)
class Waits(WaitCounts, MadeLater):
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


def waits(history: History, step: int, by: Labels | None = None, alone: str = "everybody") -> Waits:
    """The waits after each customer's order of rank ``step``, by a label of that order; None for all together,
    called ``alone``.

    The groups with the most waits first, those beyond `GROUPS_MOST` together last. Where a condition chooses orders and
    firsts are those of all orders, the wait begins with an order that is among the chosen.
    """
    return waits_among(history, step, by, alone, None if by is None else wait_labels(history, step, by))


@adds_up
def waits_among(history: History, step: int, by: Labels | None, alone: str, of_all: WaitLabels | None) -> Waits:
    """The same where it is known how many waits there are of each label, over all parts of a book."""
    book = history.book
    positions = _positions(history, step)
    rank_is_last = positions + 1 == book.starts.take(book.customer.take(positions) + 1)
    following = np.minimum(positions + 1, max(book.order_count - 1, 0))
    until = np.where(rank_is_last, np.int32(history.rule.as_of_day), book.day.take(following))
    days = (until - book.day.take(positions)).astype(np.int32)
    group = np.zeros_like(positions)
    names: tuple[str, ...] = (alone,)
    if by is not None and of_all is not None and of_all.waits.any():
        labels = by(history)
        group, names = _grouped(labels, labels.codes.take(positions), of_all.waits)
    times = times_to_event(days, ~rank_is_last, group, len(names))
    return Waits(names, times, history, step, positions, days, ~rank_is_last, group)


def _positions(history: History, step: int) -> Int64s:
    """The orders that the waits begin with; int64, ascending."""
    book = history.book
    positions = book.starts.take(np.flatnonzero(book.counts >= step)) + (step - 1)
    return positions if history.shown is None else positions[history.shown.take(positions)]


def _grouped(labels: Attribute, codes: Codes, counts: Int64s) -> tuple[Int64s, tuple[str, ...]]:
    apart, others = most_frequent(counts, labels.labels, GROUPS_MOST)
    place = np.full(len(labels.labels), apart.size, np.int64)
    place[apart] = np.arange(apart.size)
    names = [labels.labels[code] or BLANK for code in apart.tolist()]
    return place.take(codes), (*names, f"{others.size} others") if others.size else tuple(names)
