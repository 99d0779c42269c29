"""The records of a book as a file tells them, and what can be wrong with one (``docs/definitions.md``, section 1)."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
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


Progress = Callable[[str, int, int], None]
"""Told the phase of a piece of work, how much of it is done, and of how much; may raise `Stopped`."""


@dataclass(frozen=True)
class Problem:
    """A row with something wrong: where, what, why, and what to do.

    ``row`` counts the file's rows from 1, the header being row 1. ``rejected`` is false where the row came in
    all the same and only deserves a second look.
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


@dataclass(frozen=True)
class Rows:
    """Checked rows of one kind, column by column, as exact texts: ISO dates and times, plain decimals, JSON objects.

    ``columns`` has the names of `COLUMNS`. Customers are normalised for their `KeyKind`. An empty text means that the
    file gives nothing.
    """

    row: Sequence[int]
    columns: Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Piece:
    """Some rows of a file: those that can come in, what is wrong with others, and how many were read."""

    rows: Rows
    problems: list[Problem]
    read: int


_GUARDED = re.compile(r"'+[=+\-@\t\r]")
FORMULA_EXPRESSION = r"'*[=+\-@\t\r]"
PLAIN_NUMBER_EXPRESSION = r"[+-]?[0-9][0-9.,' ]*"
_FORMULA, _PLAIN_NUMBER = re.compile(FORMULA_EXPRESSION), re.compile(PLAIN_NUMBER_EXPRESSION)


def guarded(text: str) -> str:
    """A text that no spreadsheet takes for a formula: an apostrophe is put before one that looks like it."""
    return f"'{text}" if _FORMULA.match(text) and not _PLAIN_NUMBER.fullmatch(text) else text


def unguarded(text: str) -> str:
    """A text without the apostrophe that `guarded` put before it."""
    return text[1:] if _GUARDED.match(text) else text
