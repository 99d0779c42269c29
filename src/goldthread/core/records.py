"""The records of a book as a file gives them, and what can be wrong with one (``docs/definitions.md``, section 1)."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum


class FileKind(StrEnum):
    """What one row of a delivery is. Matches come in by hand only: two customers are one, or are kept apart."""

    ORDERS = "orders"
    LINES = "lines"
    CUSTOMERS = "customers"
    PAYMENTS = "payments"
    SPEND = "spend"
    EVENTS = "events"
    MATCHES = "matches"


OF_ORDERS = (FileKind.ORDERS, FileKind.LINES)
"""The kinds whose rows make orders."""


class KeyKind(StrEnum):
    """What a source knows its customers by."""

    NUMBER = "number"
    EMAIL = "email"


class OrderStatus(StrEnum):
    """What a source's own status label comes down to."""

    OPEN = "open"
    PAID = "paid"
    CANCELLED = "cancelled"
    REFUNDED = "refunded"


class Verdict(StrEnum):
    """What was said of two customers that look alike."""

    ONE = "one"
    APART = "apart"


class AttributeType(StrEnum):
    """What the values of an attribute of the file's own are."""

    TEXT = "text"
    NUMBER = "number"
    DATE = "date"
    MARK = "mark"


MARKS = ("no", "yes")
"""The two values of a mark."""


Progress = Callable[[str, int, int], None]
"""Called with the phase of a piece of work, how much of it is done, and of how much; may raise `Stopped`."""


def unreported(_phase: str, _done: int, _total: int) -> None:
    """Progress of work that nobody follows."""


@dataclass(frozen=True)
class Problem:
    """A row with something wrong: where, what, why, and what to do.

    ``row`` counts the file's rows from 1, the header being row 1. ``rejected`` is false where the row was
    imported all the same and only needs checking.
    """

    row: int
    column: str
    value: str
    reason: str
    remedy: str
    rejected: bool = True


_HEADERS = ("order_number", "customer", "date", "time", "amount", "status", "rep", "channel")
COLUMNS: Mapping[FileKind, tuple[str, ...]] = {
    FileKind.ORDERS: _HEADERS,
    FileKind.LINES: (*_HEADERS, "line_number", "product", "category", "quantity"),
    FileKind.CUSTOMERS: ("number", "email", "name", "town", "closed", "do_not_contact", "attributes"),
    FileKind.PAYMENTS: ("reference", "customer", "order_number", "date", "amount"),
    FileKind.SPEND: ("month", "channel", "amount"),
    FileKind.EVENTS: ("date", "until", "label"),
    FileKind.MATCHES: ("kind", "customer", "other_kind", "other", "verdict"),
}
"""The columns of checked rows by kind, in the sequence in which they are stored."""
ABOUT_CUSTOMER = ("email", "name", "town", "closed", "do_not_contact")
"""Columns of a customer that rows of orders and lines can have too."""


@dataclass(frozen=True)
class Rows:
    """Checked rows of one kind, column by column, as exact texts: ISO dates and times, plain decimals, JSON objects.

    ``columns`` has the names of `COLUMNS`. Customers are normalised for their `KeyKind`. An empty text means that the
    file gives nothing. Of orders and lines, ``attributes`` are further columns by name, as their `AttributeType` writes
    them: plain decimals, ISO dates, no and yes; ``about_customer`` is what rows say of their customers, by the names of
    a customer's columns, and ``customer_attributes`` further columns of theirs.
    """

    row: Sequence[int]
    columns: Mapping[str, Sequence[str]]
    attributes: Mapping[str, Sequence[str]] = field(default_factory=dict)
    about_customer: Mapping[str, Sequence[str]] = field(default_factory=dict)
    customer_attributes: Mapping[str, Sequence[str]] = field(default_factory=dict)


@dataclass(frozen=True)
class Piece:
    """Some rows of a file: those that are accepted, what is wrong with others, and how many were read.

    ``rejected_amount`` is what the absolute amounts of the rejected ones come to, as far as they can be read.
    """

    rows: Rows
    problems: list[Problem]
    read: int
    rejected_amount: Decimal = Decimal(0)


_SIGNS = "[=+\\-@\t\r\uff1d\uff0b\uff0d\uff20]"
"""What a formula may begin with, in wide letters too."""
GUARDED_PLACE = f"((?:^|;)[ \u00a0]*)('*{_SIGNS})"
"""Where one may begin: at the beginning of a value, behind blanks, and behind a ``;``, which separates cells where
decimals have a comma."""
PLAIN_NUMBER_EXPRESSION = r"[+-]?[0-9][0-9.,' ]*"
_PLACE, _GUARDED = re.compile(GUARDED_PLACE), re.compile(f"((?:^|;)[ \u00a0]*)'('*{_SIGNS})")
_PLAIN_NUMBER = re.compile(PLAIN_NUMBER_EXPRESSION)
HIDDEN = re.compile("[\x00-\x1f\x7f-\x9f\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufeff]")
"""Characters that nobody sees: control characters, line breaks, marks that turn the direction of writing."""


def guarded(text: str) -> str:
    """A text that no spreadsheet takes for a formula, whatever it takes for a separator: an apostrophe is put before
    what looks like one."""
    return text if _PLAIN_NUMBER.fullmatch(text) else _PLACE.sub(r"\1'\2", text)


def unguarded(text: str) -> str:
    """A text without the apostrophes that `guarded` put into it."""
    return _GUARDED.sub(r"\1\2", text)
