"""Groups of customers for splitting a table: by a label that a customer carries, or by first amounts in bands.

The attributes are those that every order carries from its thread (``docs/definitions.md``, section 3): what the
customer's record says, and what the first order was.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, most_frequent
from goldthread.core.choices import BLANK
from goldthread.core.history.conditions import Level, Numbers
from goldthread.core.history.fields import Field, FieldValues, is_grouping
from goldthread.core.history.history import History
from goldthread.core.money import MINOR_PER_UNIT, round_number
from goldthread.errors import InvalidInput

Int64s = NDArray[np.int64]
MOST_GROUPS = 8
BANDED = "first_amount"


@dataclass(frozen=True, eq=False)
class CustomerGroups:
    """Every customer in one group.

    ``codes`` : int64, shape (customers,), the group of each. ``labels`` : what each group is called. ``merged`` : how
    many labels stand together in the last group; 0 when none do.
    """

    field: Field
    codes: Int64s
    labels: tuple[str, ...]
    merged: int

    @property
    def count(self) -> int:
        return len(self.labels)


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
    values = fields.values(name)
    if name == BANDED and isinstance(values, Numbers):
        return _bands(known[name], history, values)
    return _labels(known[name], history, fields.grouping(name).labels, most)


def _labels(field: Field, history: History, values: Attribute, most: int) -> CustomerGroups:
    codes = values.codes.astype(np.int64)
    ordering = np.bincount(codes.take(history.book.ordering), minlength=len(values.labels))
    apart, others = most_frequent(ordering, values.labels, most)
    alone, merged = apart.tolist(), int(others.size)
    place = np.full(len(values.labels), max(0, len(alone) - (merged == 0)), np.int64)
    place[alone] = np.arange(len(alone))
    labels = [values.labels[code] or BLANK for code in alone]
    if merged:
        labels.append(f"{merged} others")
    return CustomerGroups(field, place.take(codes), tuple(labels), merged)


def _bands(field: Field, history: History, values: Numbers) -> CustomerGroups:
    """Four bands or fewer that hold about as many customers each, between round amounts."""
    ordering = history.book.ordering
    amounts = values.values.take(ordering)
    limits: list[int] = []
    if amounts.size:
        quartiles = np.quantile(amounts, [0.25, 0.5, 0.75], method="lower").tolist()
        limits = sorted({round_number(int(each)) for each in quartiles if each > 0})
    codes = np.searchsorted(np.array(limits, np.int64), values.values, side="right").astype(np.int64)
    names = [_amount(limit) for limit in limits]
    if not names:
        return CustomerGroups(field, codes, ("any amount",), 0)
    between = [f"{low} to under {high}" for low, high in pairwise(names)]
    return CustomerGroups(field, codes, (f"under {names[0]}", *between, f"{names[-1]} and more"), 0)


def _amount(minor: int) -> str:
    whole, part = divmod(minor, MINOR_PER_UNIT)
    return f"{whole}" if part == 0 else f"{minor / MINOR_PER_UNIT:.2f}"


def bought_once(history: History, groups: CustomerGroups) -> tuple[Int64s, Int64s]:
    """Customers with an order, and those of them with exactly one, by group; int64, shape (groups,)."""
    book = history.book
    own = groups.codes.take(book.ordering)
    once = own[book.counts.take(book.ordering) == 1]
    return np.bincount(own, minlength=groups.count), np.bincount(once, minlength=groups.count)
