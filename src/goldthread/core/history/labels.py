"""Labels of orders or customers as values that can be sent: what gives them of any part of a book.

A part cannot know by itself between which numbers the bands of all lie, nor in which period the first order of all was:
such a value brings that along.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, paired
from goldthread.core.book.periods import period_label, period_of_day
from goldthread.core.choices import Period
from goldthread.core.history.bands import Bands
from goldthread.core.history.conditions import Level
from goldthread.core.history.history import History
from goldthread.core.limits import limit_cells, limit_periods
from goldthread.core.parts import Sums, adds_up

Labels = Callable[[History], Attribute]
"""Gives a label for each order of the history's book, or for each of its customers. Raises `InvalidInput` for a field
that has none."""


@dataclass(frozen=True)
class OfField:
    """Labels by a field; ``bands`` : between which values numbers and dates are told apart."""

    name: str
    bands: Bands | None = None

    @classmethod
    def asked(cls, history: History, name: str) -> OfField:
        """By a field of a history, with the bands of all that is on record."""
        return cls(name, history.fields.bands(name))

    def __call__(self, history: History) -> Attribute:
        return history.fields.labels(self.name, self.bands)


@dataclass(frozen=True)
class OfOrders:
    """The same for every order: its own label, or its customer's."""

    field: OfField

    @classmethod
    def asked(cls, history: History, name: str) -> OfOrders:
        """By a field of a history, with the bands of all that is on record."""
        return cls(OfField.asked(history, name))

    def __call__(self, history: History) -> Attribute:
        labels = self.field(history)
        if history.fields.level(self.field.name) is Level.ORDER:
            return labels
        return Attribute(labels.codes.take(history.book.customer), labels.labels)


@dataclass(frozen=True)
class OfPairs:
    """Every pair of the labels of two fields. Raises `TooLarge` where there would be more than a table may have."""

    one: Labels
    other: Labels

    def __call__(self, history: History) -> Attribute:
        first, second = self.one(history), self.other(history)
        cells = len(first.labels) * len(second.labels)
        limit_cells(cells, remedy="Choose fields with fewer labels.", field="and_by")
        return paired(first, second)


@dataclass(frozen=True)
class OfPeriods:
    """The period of each order, by its name; ``first`` : index of the first one that has a label."""

    period: Period
    first: int

    @classmethod
    def asked(cls, history: History, period: Period) -> OfPeriods:
        """From the first order on record on."""
        return cls(period, int(period_of_day(history.whole.day_span[0], period)))

    def __call__(self, history: History) -> Attribute:
        first, codes = history.book.period(self.period)
        last = int(period_of_day(max(history.book.day_span[1], 0), self.period))
        limit_periods(max(last - first + 1, 1))
        ahead = max(first - self.first, 0)
        labels = tuple(period_label(index, self.period) for index in range(self.first, max(last, self.first) + 1))
        return Attribute(codes + np.uint16(ahead) if ahead else codes, labels)


@dataclass(frozen=True, eq=False)
class LabelCounts(Sums):
    """How many orders or customers have each label; ``counts`` : int64, shape (labels,)."""

    labels: tuple[str, ...]
    counts: NDArray[np.int64]

    @classmethod
    def of(cls, labels: Attribute, places: NDArray[np.int64]) -> LabelCounts:
        """Of some of them, by their places."""
        return cls(labels.labels, np.bincount(labels.codes.take(places), minlength=len(labels.labels)))


@dataclass(frozen=True)
class FieldLabels:
    """The labels of some fields, which all parts of a book have in common."""

    labels: tuple[tuple[str, ...], ...]

    def __add__(self, _other: FieldLabels) -> FieldLabels:
        """Those of two parts of a book."""
        return self


@adds_up
def field_labels(history: History, by: tuple[OfField, ...]) -> FieldLabels:
    """The labels of some fields."""
    return FieldLabels(tuple(each(history).labels for each in by))


def order_labels(history: History, name: str) -> Attribute:
    """A label for every order, its own or its customer's. Raises `InvalidInput` for a field that makes no groups."""
    return OfOrders.asked(history, name)(history)
