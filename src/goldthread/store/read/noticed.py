"""What of a book's record needs attention, counted: rejected rows, payments that name no order, possible duplicates."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from sqlalchemy import Engine, text

from goldthread.store.books import list_deliveries
from goldthread.store.read.duplicates import possible_duplicates

FILES_NAMED = 3
DELIVERIES_MOST = 1_000
"""The newest deliveries, whose rejected rows are counted."""
_STRAY_PAYMENTS = """
SELECT COUNT(*), COALESCE(SUM(p.amount), 0) FROM payments p
WHERE p.book_id = :book AND p.current AND p.order_number <> '' AND NOT EXISTS (
  SELECT 1 FROM sources s JOIN orders o ON o.source_id = s.id AND o.order_number = p.order_number AND o.current
  WHERE s.book_id = p.book_id)
"""


@dataclass(frozen=True)
class Noticed:
    """``rejected_files`` : the newest few; ``stray_amount`` : of the payments that name an order which is not in the
    book."""

    rejected_rows: int
    rejected_files: tuple[str, ...]
    stray_payments: int
    stray_amount: Decimal
    duplicates: int


def noticed_of(engine: Engine, book_id: int) -> Noticed:
    """Count what needs attention."""
    rejected = [
        row
        for row in list_deliveries(engine, book_id, limit=DELIVERIES_MOST)
        if row.withdrawn_at is None and row.counts.get("rows_rejected", 0)
    ]
    with engine.connect() as connection:
        stray, amount = connection.execute(text(_STRAY_PAYMENTS), {"book": book_id}).one()
    return Noticed(
        sum(row.counts["rows_rejected"] for row in rejected),
        tuple(dict.fromkeys(row.file_name for row in rejected))[:FILES_NAMED],
        int(stray),
        Decimal(amount),
        possible_duplicates(engine, book_id, 0, 1)[0],
    )
