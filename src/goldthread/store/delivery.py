"""What is to be brought in, and what became of it."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field

from goldthread.core.records import FileKind, KeyKind, Problem


@dataclass(frozen=True)
class DeliveryOrder:
    """What is to be brought in, and where."""

    book_id: int
    source_name: str
    kind: FileKind
    customer_key: KeyKind
    file_name: str
    fingerprint: str
    columns: dict[str, str]
    dry_run: bool = False


@dataclass
class DeliveryReport:
    """What became of a file. ``rows_read = rows_in + rows_repeated + rows_rejected``.

    ``earlier_delivery_id`` is set, and nothing was changed, when the same file was brought in before.
    ``delivery_id`` is None when no row could come in, and in a dry run; then, too, nothing was changed.
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
    problems: list[Problem] = field(default_factory=list)

    def reject(self, problem: Problem) -> None:
        """Count a row out and tell why; the row must have no problem yet."""
        self.rows_rejected += 1
        self.problems.append(problem)

    def counts(self) -> dict[str, int]:
        """The figures that the delivery log keeps."""
        names = ("rows_read", "rows_in", "rows_repeated", "rows_rejected", "added", "changed", "same")
        return {name: getattr(self, name) for name in (*names, "customers_added")}
