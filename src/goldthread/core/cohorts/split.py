"""Groups of customers for splitting a table: by a label that a customer carries, or by first amounts in bands.

The attributes are those that every order carries from its thread (``docs/definitions.md``, section 3): what the
customer's record says, and what the first order was.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, most_frequent
from goldthread.core.choices import BLANK
from goldthread.core.cohorts.table import GroupsOf
from goldthread.core.history.conditions import Level
from goldthread.core.history.facts import first_amount_minor
from goldthread.core.history.fields import Field, FieldValues, is_grouping
from goldthread.core.history.history import History
from goldthread.core.history.labels import LabelCounts, OfField
from goldthread.core.money import MINOR_PER_UNIT, round_number
from goldthread.core.parts import Sums, Together, adds_up
from goldthread.errors import InvalidInput

Int64s = NDArray[np.int64]
MOST_GROUPS = 8
BANDED = "first_amount"


@dataclass(frozen=True)
class ByLabel:
    """The group of each customer by a label. ``places`` : the group of each label."""

    labels: OfField
    places: tuple[int, ...]

    def __call__(self, history: History) -> Int64s:
        return np.array(self.places, np.int64).take(self.labels(history).codes)


@dataclass(frozen=True)
class ByAmount:
    """The group of each customer by the first amount. ``limits`` : where a group ends and the next begins,
    ten-thousandths of the currency unit."""

    limits: tuple[int, ...]

    def __call__(self, history: History) -> Int64s:
        limits = np.array(self.limits, np.int64)
        return np.searchsorted(limits, first_amount_minor(history.book), side="right").astype(np.int64)


@dataclass(frozen=True)
class OfGroups:
    """The group of its customer as a label of every order; ``labels`` : what each group is called."""

    of: ByLabel | ByAmount
    labels: tuple[str, ...]

    def __call__(self, history: History) -> Attribute:
        return Attribute(self.of(history).astype(np.uint16).take(history.book.customer), self.labels)


@dataclass(frozen=True, eq=False)
class CustomerGroups:
    """Every customer in one group.

    ``of`` : gives the group of each customer of a history. ``labels`` : what each group is called. ``merged`` : how
    many labels stand together in the last group; 0 when none do.
    """

    field: Field
    of: ByLabel | ByAmount
    labels: tuple[str, ...]
    merged: int
    history: History

    @property
    def count(self) -> int:
        return len(self.labels)

    @cached_property
    def codes(self) -> Int64s:
        """The group of each customer; int64, shape (customers,)."""
        return self.of(self.history)


def split_fields(fields: FieldValues) -> list[Field]:
    """The fields by which customers can be split."""
    return [f for f in fields.fields if f.level is Level.CUSTOMER and (is_grouping(f) or f.name == BANDED)]


def customer_groups(history: History, name: str, most: int = MOST_GROUPS) -> CustomerGroups:
    """Customers by a field: the groups with the most ordering customers first, what is beyond ``most`` together last.

    Raises `InvalidInput` for a field that does not divide customers.
    """
    fields = history.fields
    known = {field.name: field for field in split_fields(fields)}
    if name not in known:
        raise InvalidInput(
            f"Customers cannot be split by {name or 'nothing'}.",
            remedy=f"Choose one of: {', '.join(known)}.",
            field="split",
        )
    return _bands(known[name], history) if name == BANDED else _labels(known[name], history, most)


@adds_up
def ordering_by_label(history: History, by: OfField) -> LabelCounts:
    """Count the customers with an order by a label of theirs."""
    return LabelCounts.of(by(history), history.book.ordering)


def _labels(field: Field, history: History, most: int) -> CustomerGroups:
    by = OfField.asked(history, field.name)
    ordering = ordering_by_label(history, by)
    apart, others = most_frequent(ordering.counts, ordering.labels, most)
    alone, merged = apart.tolist(), int(others.size)
    place = np.full(len(ordering.labels), max(0, len(alone) - (merged == 0)), np.int64)
    place[alone] = np.arange(len(alone))
    labels = [ordering.labels[code] or BLANK for code in alone]
    if merged:
        labels.append(f"{merged} others")
    return CustomerGroups(field, ByLabel(by, tuple(place.tolist())), tuple(labels), merged, history)


@dataclass(frozen=True, eq=False)
class FirstAmounts:
    """The first amounts that occur, ascending, ten-thousandths of the currency unit, and of how many customers; int64,
    shape (amounts,)."""

    amount_minor: Int64s
    customers: Int64s

    def __add__(self, other: FirstAmounts) -> FirstAmounts:
        """Those of two parts of a book."""
        on = Together.by_code(self.amount_minor, other.amount_minor)
        return FirstAmounts(on.keys, on.of(self.customers, other.customers))


@adds_up
def first_amounts(history: History) -> FirstAmounts:
    """Count the customers with an order by what the first one came to."""
    return FirstAmounts(*np.unique(first_amount_minor(history.book).take(history.book.ordering), return_counts=True))


def _bands(field: Field, history: History) -> CustomerGroups:
    """Four bands or fewer that hold about as many customers each, between round amounts: the quartiles are amounts that
    occur."""
    found = first_amounts(history)
    up_to = np.cumsum(found.customers)
    limits: list[int] = []
    if up_to.size:
        places = ((int(up_to[-1]) - 1) * quarter // 4 for quarter in (1, 2, 3))
        quartiles = (int(found.amount_minor[np.searchsorted(up_to, place, side="right")]) for place in places)
        limits = sorted({round_number(each) for each in quartiles if each > 0})
    of, names = ByAmount(tuple(limits)), [_amount(limit) for limit in limits]
    if not names:
        return CustomerGroups(field, of, ("any amount",), 0, history)
    between = [f"{low} to under {high}" for low, high in pairwise(names)]
    return CustomerGroups(field, of, (f"under {names[0]}", *between, f"{names[-1]} and more"), 0, history)


def _amount(minor: int) -> str:
    whole, part = divmod(minor, MINOR_PER_UNIT)
    return f"{whole}" if part == 0 else f"{minor / MINOR_PER_UNIT:.2f}"


@dataclass(frozen=True, eq=False)
class BoughtOnce(Sums):
    """Customers with an order, and those of them with exactly one, by group; int64, shape (groups,)."""

    ordered: Int64s
    once: Int64s


@adds_up
def bought_once(history: History, of: GroupsOf, groups: int) -> BoughtOnce:
    """Count the customers of so many groups who ordered, and who did once."""
    book = history.book
    own = of(history).take(book.ordering)
    once = own[book.counts.take(book.ordering) == 1]
    return BoughtOnce(np.bincount(own, minlength=groups), np.bincount(once, minlength=groups))
