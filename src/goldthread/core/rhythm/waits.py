"""Time to the next order (``docs/definitions.md``, section 7): how long after order i the next one comes.

The event is the next order; a gap that is still open is censored at the as-of date. Both may be orders of a kind.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, Codes, most_frequent
from goldthread.core.choices import BLANK, Waiting
from goldthread.core.evidence import Behind
from goldthread.core.history.conditions import Condition, Level, evaluate
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels
from goldthread.core.parts import MadeLater, Sums, adds_up
from goldthread.core.survival import Curve, TimesToEvent, product_limit, times_to_event

Int64s = NDArray[np.int64]
GROUPS_MOST = 8


@dataclass(frozen=True)
class Between:
    """The orders that waits lie between: each customer's order number ``step`` of those that meet a condition, and the
    first after it that meets another; None for any order."""

    step: int
    after: Condition | None = None
    then: Condition | None = None


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
def wait_labels(history: History, between: Between, by: Labels) -> WaitLabels:
    """Count the waits by the label of the order that each begins with."""
    labels = by(history)
    return WaitLabels(np.bincount(labels.codes.take(_begins(history, between)), minlength=len(labels.labels)))


@dataclass(frozen=True, eq=False)
class Waits(WaitCounts, MadeLater):
    """The same, and whose they are.

    Attributes
    ----------
    positions : int64, shape (customers with that order,); the orders that the waits begin with, ascending
    following : int64, the same shape; the order that ended the wait, where one did: ascending, as one customer's orders
        stand before the next one's
    days : int32, the same shape; to that order, or to the as-of date
    ordered : bool, the same shape; whether it came
    group : int64, the same shape; into ``labels``
    """

    history: History
    between: Between
    positions: Int64s
    following: Int64s
    days: NDArray[np.int32]
    ordered: NDArray[np.bool_]
    group: Int64s

    def behind(self, group: int | None, day: int, where: Waiting) -> Behind:
        """The customers of a group, None for all, who are so ``day`` days after the order; of those who ordered again
        the order that ended the wait, of everybody else the one that it began with."""
        wanted = np.ones(self.positions.size, np.bool_) if group is None else self.group == group
        match where:
            case Waiting.ORDERED:
                wanted &= self.ordered & (self.days <= day)
            case Waiting.WAITING:
                wanted &= self.days > day
            case Waiting.NOT_YET:
                wanted &= ~self.ordered & (self.days <= day)
        marked = self.following if where is Waiting.ORDERED else self.positions
        return Behind.of(self.history.book, marked[wanted])


def waits(history: History, between: Between, by: Labels | None = None, alone: str = "everybody") -> Waits:
    """The waits between two orders of each customer, by a label of the order that each begins with; None for all
    together, called ``alone``.

    The groups with the most waits first, those beyond `GROUPS_MOST` together last. Where a condition chooses orders and
    firsts are those of all orders, the wait begins with an order that is among the chosen.
    """
    return waits_among(history, between, by, alone, None if by is None else wait_labels(history, between, by))


@adds_up
def waits_among(history: History, between: Between, by: Labels | None, alone: str, of_all: WaitLabels | None) -> Waits:
    """The same where it is known how many waits there are of each label, over all parts of a book."""
    book = history.book
    positions = _begins(history, between)
    following, ordered = _following(history, positions, between.then)
    until = np.where(ordered, book.day.take(following), np.int32(history.rule.as_of_day))
    days = (until - book.day.take(positions)).astype(np.int32)
    group = np.zeros_like(positions)
    names: tuple[str, ...] = (alone,)
    if by is not None and of_all is not None and of_all.waits.any():
        labels = by(history)
        group, names = _grouped(labels, labels.codes.take(positions), of_all.waits)
    times = times_to_event(days, ordered, group, len(names))
    return Waits(names, times, history, between, positions, following, days, ordered, group)


def _begins(history: History, between: Between) -> Int64s:
    """The orders that the waits begin with; int64, ascending."""
    book, step = history.book, between.step
    if between.after is None:
        positions = book.starts.take(np.flatnonzero(book.counts >= step)) + (step - 1)
    else:
        fit, before = _meeting(history, between.after)
        starts = before.take(book.starts)
        positions = fit.take(starts[:-1][np.diff(starts) >= step] + (step - 1))
    return positions if history.shown is None else positions[history.shown.take(positions)]


def _following(history: History, positions: Int64s, then: Condition | None) -> tuple[Int64s, NDArray[np.bool_]]:
    """The first order after each of some that meets a condition, None for any, and whether the same customer has one;
    without one the order is any."""
    book = history.book
    if then is None:
        following = positions + 1
    else:
        fit, before = _meeting(history, then)
        following = np.append(fit, book.order_count).take(before.take(positions + 1))
    ordered = following < book.starts.take(book.customer.take(positions) + 1)
    return np.minimum(following, max(book.order_count - 1, 0)), ordered


def _meeting(history: History, condition: Condition) -> tuple[Int64s, NDArray[np.int32]]:
    """The orders that meet a condition, or whose customer does; int64, ascending; and how many of them stand before
    each order and before the end; int32, shape (orders + 1,)."""

    def found() -> tuple[Int64s, NDArray[np.int32]]:
        fields = history.fields
        truth = evaluate(condition, fields)
        meets = truth.true if truth.level is Level.ORDER else fields.to_orders(truth.true)
        return np.flatnonzero(meets), np.concatenate(([0], np.cumsum(meets, dtype=np.int32)), dtype=np.int32)

    return history.book.derived(("orders that meet", condition, history.rule.as_of_day, history.rule.lapse), found)


def _grouped(labels: Attribute, codes: Codes, counts: Int64s) -> tuple[Int64s, tuple[str, ...]]:
    apart, others = most_frequent(counts, labels.labels, GROUPS_MOST)
    place = np.full(len(labels.labels), apart.size, np.int64)
    place[apart] = np.arange(apart.size)
    names = [labels.labels[code] or BLANK for code in apart.tolist()]
    return place.take(codes), (*names, f"{others.size} others") if others.size else tuple(names)
