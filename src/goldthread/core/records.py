"""The records of a book as a file tells them, and what can be wrong with one (``docs/definitions.md``, section 1)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
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


@dataclass(frozen=True)
class OrderRows:
    """Checked order headers, column by column, as exact texts: ISO dates, plain decimals, one entry per row.

    ``customer`` is normalised for its `KeyKind`; ``time`` is ISO or empty where the file gives none.
    """

    row: Sequence[int] = ()
    order_number: Sequence[str] = ()
    customer: Sequence[str] = ()
    date: Sequence[str] = ()
    time: Sequence[str] = ()
    amount: Sequence[str] = ()
    status: Sequence[str] = ()


@dataclass(frozen=True)
class LineRows(OrderRows):
    """Checked order lines; ``amount`` is the line's. Empty texts where the file gives nothing."""

    line_number: Sequence[str] = ()
    product: Sequence[str] = ()
    category: Sequence[str] = ()
    quantity: Sequence[str] = ()


@dataclass(frozen=True)
class CustomerRows:
    """Checked customer records; number or e-mail may be empty, not both. Further columns are ``attributes``."""

    row: Sequence[int] = ()
    number: Sequence[str] = ()
    email: Sequence[str] = ()
    name: Sequence[str] = ()
    attributes: Sequence[str] = ()


@dataclass(frozen=True)
class Piece:
    """Some rows of a file: those that can come in, what is wrong with others, and how many were read."""

    rows: OrderRows | LineRows | CustomerRows
    problems: list[Problem]
    read: int
