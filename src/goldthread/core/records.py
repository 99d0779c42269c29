"""The records of a book as a file tells them, and what can be wrong with one (``docs/definitions.md``, section 1)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum


class FileKind(StrEnum):
    """What one row of a file is."""

    ORDERS = "orders"
    LINES = "lines"
    CUSTOMERS = "customers"


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


@dataclass
class OrderRows:
    """Checked order headers, column by column, as exact texts: ISO dates, plain decimals, one entry per row.

    ``customer`` is normalised for its `KeyKind`; ``time`` is ISO or empty where the file gives none.
    """

    row: list[int] = field(default_factory=list)
    order_number: list[str] = field(default_factory=list)
    customer: list[str] = field(default_factory=list)
    date: list[str] = field(default_factory=list)
    time: list[str] = field(default_factory=list)
    amount: list[str] = field(default_factory=list)
    status: list[str] = field(default_factory=list)


@dataclass
class LineRows(OrderRows):
    """Checked order lines; ``amount`` is the line's. Empty texts where the file gives nothing."""

    line_number: list[str] = field(default_factory=list)
    product: list[str] = field(default_factory=list)
    category: list[str] = field(default_factory=list)
    quantity: list[str] = field(default_factory=list)


@dataclass
class CustomerRows:
    """Checked customer records; number or e-mail may be empty, not both. Further columns are ``attributes``."""

    row: list[int] = field(default_factory=list)
    number: list[str] = field(default_factory=list)
    email: list[str] = field(default_factory=list)
    name: list[str] = field(default_factory=list)
    attributes: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Piece:
    """Some rows of a file: those that can come in, what is wrong with others, and how many were read."""

    rows: OrderRows | LineRows | CustomerRows
    problems: list[Problem]
    read: int
