"""The columns that a book is built of."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.texts import TextColumn
from goldthread.core.choices import BLANK
from goldthread.core.records import AttributeType

Int32s = NDArray[np.int32]

Int64s = NDArray[np.int64]

Codes = NDArray[np.unsignedinteger[Any]]

_ISO_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
BLOCK_ORDERS = 1 << 16
"""Orders per block of a pass: temporaries of this size stay in the processor's cache."""


@dataclass(frozen=True, eq=False)
class Attribute:
    """A label per order or customer: small-integer codes into ``labels``. The empty label means blank."""

    codes: Codes
    labels: tuple[str, ...]

    def sliced(self, here: slice) -> Attribute:
        """Some orders or customers that follow each other; the codes are a view."""
        return Attribute(self.codes[here], self.labels)

    def having(self, label: str) -> NDArray[np.bool_]:
        """Which orders or customers have a label; bool, one entry each."""
        return np.isin(self.codes, [code for code, each in enumerate(self.labels) if each == label])


def without_unused(attribute: Attribute, keeps: str | None = None) -> Attribute:
    """The same with no label that nothing has, but for ``keeps``; the empty label alone where nothing is left."""
    codes, labels = attribute.codes, attribute.labels
    used = np.array([label == keeps for label in labels], np.bool_)
    for block in blocks(codes.size):
        if used.all():
            return attribute
        used |= np.bincount(codes[block], minlength=len(labels)) > 0
    if used.all():
        return attribute
    if not used.any():
        return Attribute(codes, ("",))
    left = tuple(label for label, is_used in zip(labels, used.tolist(), strict=True) if is_used)
    return Attribute((np.cumsum(used) - 1).astype(codes.dtype).take(codes), left)


def most_frequent(counts: Int64s, labels: Sequence[str], most: int) -> tuple[Int64s, Int64s]:
    """Codes that occur, the most frequent first: those that stand alone, and those beyond ``most`` groups, which stand
    together in the last of them. Equally frequent ones stand in the sequence of their codes, the blank one last."""
    having = np.flatnonzero(counts)
    blank = np.array([labels[code] == "" for code in having.tolist()], np.bool_)
    ranked = having[np.lexsort((having, blank, -counts.take(having)))]
    alone = ranked.size if ranked.size <= most else most - 1
    return ranked[:alone], ranked[alone:]


FOUND_BY = "found by"
"""What `CustomerColumns.found_by` is called among the texts."""


@dataclass(frozen=True, eq=False)
class CustomerColumns:
    """What is known of the customers, one entry per customer.

    Attributes
    ----------
    attributes : town, marks and own attributes, by name
    texts : ``name``, ``number`` and ``email``, of which nearly every one is different, and `FOUND_BY`
    numbers : the own attributes whose every label is a plain decimal of up to four places, or empty
    """

    attributes: Mapping[str, Attribute] = field(default_factory=dict)
    texts: Mapping[str, TextColumn] = field(default_factory=dict)
    numbers: frozenset[str] = frozenset()

    @property
    def found_by(self) -> TextColumn:
        """All that a customer can be found by, folded for searching; without any text where nothing is."""
        return self.texts[FOUND_BY] if FOUND_BY in self.texts else TextColumn.of([])

    def type(self, name: str) -> AttributeType:
        """What the labels of an own attribute are: numbers, dates where all of them are ISO dates, else texts."""
        return AttributeType.NUMBER if name in self.numbers else self._dated.get(name, AttributeType.TEXT)

    @cached_property
    def _dated(self) -> dict[str, AttributeType]:
        """The attributes that hold dates; the first label that is none ends the look at a text."""
        return {
            name: AttributeType.DATE
            for name, attribute in self.attributes.items()
            if any(attribute.labels) and all(map(_is_date, filter(None, attribute.labels)))
        }

    def name(self, customer: int) -> str:
        """The name of a customer."""
        return self.texts["name"].at(customer)

    def key(self, customer: int) -> str:
        """The number of a customer, or the e-mail of one without a number."""
        return self.texts["number"].at(customer) or self.texts["email"].at(customer)


def _is_date(label: str) -> bool:
    try:
        return _ISO_DATE.fullmatch(label) is not None and bool(dt.date.fromisoformat(label))
    except ValueError:
        return False


PAIR = " · "
"""Between the two labels of a pair."""


def paired(one: Attribute, other: Attribute) -> Attribute:
    """Every pair of two labels as a label, the blank one as it is called."""
    labels = [[label or BLANK for label in each.labels] for each in (one, other)]
    codes = one.codes.astype(np.uint32) * np.uint32(len(other.labels)) + other.codes
    return Attribute(codes, tuple(f"{first}{PAIR}{second}" for first in labels[0] for second in labels[1]))


@dataclass(frozen=True, eq=False)
class OrderColumns:
    """Orders as they come, in any sequence; one entry per order.

    Attributes
    ----------
    customer : int32, shape (n,), 0 … customers − 1
    day : int32, shape (n,), days since 1970-01-01
    amount_minor : int64, shape (n,), ten-thousandths of the currency unit
    order_id : int64, shape (n,), the record's own key
    attributes : codes per order; ``source`` and ``status`` are needed by the history rule
    number_key : int64, shape (n,), ascending as order numbers do in natural order (`natural_key`)
    seconds : int32, shape (n,), time of day or −1; None when no order has a time
    """

    customer: Int32s
    day: Int32s
    amount_minor: Int64s
    order_id: Int64s
    attributes: Mapping[str, Attribute]
    number_key: Int64s
    seconds: Int32s | None = None


def blocks(count: int, size: int = BLOCK_ORDERS) -> list[slice]:
    """Slices of at most ``size`` that cover ``count`` orders."""
    return [slice(start, min(start + size, count)) for start in range(0, count, size)]
