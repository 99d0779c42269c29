"""The recount of the largest customers, and of what was bought, from the records themselves."""

from __future__ import annotations

from goldthread.core.counted import Tallied
from goldthread.store.recount.asking import Asked
from goldthread.store.recount.bought import OF_EACH_SQL

_TOP = """
WITH bought AS ({bought}), brought AS (
  SELECT customer, COUNT(*) AS placed, SUM(amount) AS amount FROM bought GROUP BY customer
), ranked AS (
  SELECT placed, amount, ROW_NUMBER() OVER (ORDER BY amount DESC, c.name, c.id) AS place
  FROM brought JOIN customers c ON c.id = brought.customer
)
SELECT COUNT(*), COALESCE(SUM(placed), 0), COALESCE(SUM(amount), 0) FROM ranked WHERE place <= :count
"""

_LINES_OF = """
  SELECT l.order_id AS id FROM order_lines l WHERE l.book_id = :book AND {of} = :label COLLATE utf8mb4_bin
  UNION SELECT o.id FROM order_lines l JOIN orders v ON v.book_id = l.book_id AND v.id = l.order_id AND v.from_lines
    JOIN orders o ON o.source_id = v.source_id AND o.order_number = v.order_number AND o.current AND NOT o.from_lines
  WHERE l.book_id = :book AND {of} = :label COLLATE utf8mb4_bin
    AND NOT EXISTS (SELECT 1 FROM order_lines w WHERE w.book_id = :book AND w.order_id = o.id)
"""
_OF = {"product": "l.product", "category": "l.category"}
_BOUGHT = f"""
WITH bought AS ({{bought}}), placed AS (SELECT *, ROW_NUMBER() {OF_EACH_SQL} AS place FROM bought)
SELECT COUNT(DISTINCT customer), COUNT(*), COALESCE(SUM(amount), 0) FROM placed WHERE place >= :least
"""


def recount_top(asked: Asked, count: int) -> Tallied:
    """The first so many customers by revenue, those of the same revenue in the sequence of the book, with their
    orders."""
    return asked.tallied(_TOP, {"count": count})


def recount_bought(asked: Asked, of: str, label: str | None, least: int) -> Tallied:
    """Orders from so many on of each customer, with a line of a ``product`` or ``category``; any order for None."""
    if label is None:
        return asked.tallied(_BOUGHT, {"least": least})
    statement = f"{_BOUGHT} AND id IN ({_LINES_OF.format(of=_OF[of])})"
    return asked.tallied(statement, {"label": label, "least": least})
