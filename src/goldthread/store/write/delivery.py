"""What is to be imported, and what became of it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from sqlalchemy import Connection

from goldthread.core.records import AttributeType, FileKind, KeyKind, Problem

PROBLEMS_KEPT = 1_000
EXAMPLES_KEPT = 5
CHANGES_SHOWN = 50
LEFT_OUT_MOST = Decimal("0.02")
"""The share of a file's rows, or of their absolute amounts, that may be rejected without anybody's yes."""


@dataclass(frozen=True)
class RejectedRow:
    """A rejected row, as it stands in the file, and why."""

    row: int
    cells: Sequence[str]
    reasons: str


RowsAt = Callable[[Sequence[int]], Iterator[tuple[int, Sequence[str]]]]
"""Gives the cells of some rows of the file, by their numbers in ascending order."""

Unless = Callable[[Connection], None]
"""Asked of a book that nobody else can change any more; raises what keeps a change from being made."""


@dataclass(frozen=True)
class DeliveryOrder:
    """What is to be imported, and where.

    ``reading`` and ``header`` are kept with the delivery: the next file of the source is read alike. A delivery
    ``by_hand`` has neither. ``attributes`` are the own attributes of its orders by name, ``about_customer`` and
    ``customer_attributes`` what its orders say of customers. ``rows_at`` finds the cells of rejected rows;
    ``on_rejected`` is given them in a dry run, and when the delivery is held back. ``unless`` is asked when nobody else
    can change the book any more; what it raises, the delivery raises. Unless ``accept_rejected``, nothing is imported
    when more than `LEFT_OUT_MOST` of the rows or of their amount would be left out. By the ``erasing_key`` it is known
    who was erased.
    """

    book_id: int
    source_name: str
    kind: FileKind
    customer_key: KeyKind
    file_name: str
    fingerprint: str
    header: Sequence[str] = ()
    reading: Mapping[str, Any] = field(default_factory=dict)
    attributes: Mapping[str, AttributeType] = field(default_factory=dict)
    about_customer: Sequence[str] = ()
    customer_attributes: Mapping[str, AttributeType] = field(default_factory=dict)
    by_hand: bool = False
    dry_run: bool = False
    rows_at: RowsAt | None = None
    on_rejected: Callable[[Iterator[RejectedRow]], None] | None = None
    unless: Unless | None = None
    accept_rejected: bool = True
    erasing_key: str = ""


@dataclass(frozen=True)
class Place:
    """Where staged rows go. New orders get ids from ``first_order_id`` on."""

    book_id: int
    source_id: int
    delivery_id: int
    first_order_id: int
    customer_key: KeyKind
    kind: FileKind

    @property
    def values(self) -> dict[str, Any]:
        return {
            "book": self.book_id,
            "source": self.source_id,
            "delivery": self.delivery_id,
            "base": self.first_order_id,
            "key_kind": self.customer_key.value,
            "from_lines": self.kind is FileKind.LINES,
        }


@dataclass
class ProblemGroup:
    """Problems of one column and reason: how many, and some of the values."""

    column: str
    reason: str
    remedy: str
    rejected: bool
    count: int = 0
    examples: list[Problem] = field(default_factory=list)


@dataclass(frozen=True)
class Change:
    """A record that the book has otherwise: what differs, as it was and as the file gives it."""

    number: str
    was: str
    becomes: str


def shown(value: object) -> str:
    """A value of a record as people read it: 26 Aug 2026, 4.80."""
    if isinstance(value, dt.date):
        return f"{value.day} {value:%b} {value.year}"
    if isinstance(value, Decimal):
        return f"{value:.4f}".removesuffix("00")
    return "" if value is None else str(value)


@dataclass
class DeliveryReport:
    """What became of a file, or would. ``rows_read = rows_in + rows_repeated + rows_rejected``.

    ``added``, ``changed`` and ``same`` count the records that the rows make (orders, customers, payments ...);
    ``amount_added``, ``amount_changed`` (new minus old) and ``amount_same`` say what they do to the total.
    ``earlier_delivery_id`` is set, and nothing was changed, when the same file was imported before. ``delivery_id`` is
    None when every row was rejected, and in a dry run; then, too, nothing was changed. ``problems`` are the first ones;
    ``unreported`` those that the record does not have yet. ``amount_rejected`` and ``amount_in`` are the absolute
    amounts of rejected and of accepted rows, as far as they can be read. ``added_by_month``, of a dry run of orders:
    those added, by months since January 1970. ``held_back``: too much would be left out, so nothing was imported;
    ``fewer`` then names the reading under which less would be, where there is one.
    """

    dry_run: bool = False

    delivery_id: int | None = None
    earlier_delivery_id: int | None = None
    earlier_delivered_at: dt.datetime | None = None
    book_revision: int = 0
    rows_read: int = 0
    rows_in: int = 0
    rows_repeated: int = 0
    rows_rejected: int = 0
    added: int = 0
    changed: int = 0
    same: int = 0
    customers_added: int = 0
    customers_known: int = 0
    firsts_moved: int = 0
    negative: int = 0
    zero: int = 0
    amount_added: Decimal = Decimal(0)
    amount_changed: Decimal = Decimal(0)
    amount_same: Decimal = Decimal(0)
    amount_negative: Decimal = Decimal(0)
    amount_rejected: Decimal = Decimal(0)
    amount_in: Decimal = Decimal(0)
    held_back: bool = False
    fewer: str = ""
    added_by_month: dict[int, int] = field(default_factory=dict)
    first_date: dt.date | None = None
    last_date: dt.date | None = None
    changes: list[Change] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    groups: dict[tuple[str, str], ProblemGroup] = field(default_factory=dict)
    unreported: list[Problem] = field(default_factory=list, repr=False)

    @property
    def problem_count(self) -> int:
        return sum(group.count for group in self.groups.values())

    @property
    def leaves_out_much(self) -> bool:
        """Whether more is rejected than may be without a yes, by rows or by amount."""
        amounts = self.amount_in + self.amount_rejected
        return self.rows_rejected > LEFT_OUT_MOST * self.rows_read or self.amount_rejected > LEFT_OUT_MOST * amounts

    def note(self, problem: Problem) -> None:
        """Note a problem: the first ones whole, all of them by column and reason."""
        self.unreported.append(problem)
        if len(self.problems) < PROBLEMS_KEPT:
            self.problems.append(problem)
        key = (problem.column, problem.reason)
        group = self.groups.get(key)
        if group is None:
            group = ProblemGroup(problem.column, problem.reason, problem.remedy, problem.rejected)
            self.groups[key] = group
        group.count += 1
        if len(group.examples) < EXAMPLES_KEPT:
            group.examples.append(problem)

    def reject(self, problem: Problem) -> None:
        """Count a row out and say why; the row must have no problem yet."""
        self.rows_rejected += 1
        self.note(problem)

    def counts(self) -> dict[str, int]:
        """The figures that the delivery log keeps."""
        names = ("rows_read", "rows_in", "rows_repeated", "rows_rejected", "added", "changed", "same")
        return {name: getattr(self, name) for name in (*names, "customers_added")}
