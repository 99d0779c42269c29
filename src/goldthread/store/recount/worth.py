"""The recount of the largest customers, from the records themselves."""

from __future__ import annotations

from goldthread.store.recount.asking import Asked, Tallied

_TOP = """
WITH bought AS ({bought}), brought AS (
  SELECT customer, COUNT(*) AS placed, SUM(amount) AS amount FROM bought GROUP BY customer
), ranked AS (
  SELECT placed, amount, ROW_NUMBER() OVER (ORDER BY amount DESC, c.name, c.id) AS place
  FROM brought JOIN customers c ON c.id = brought.customer
)
SELECT COUNT(*), COALESCE(SUM(placed), 0), COALESCE(SUM(amount), 0) FROM ranked WHERE place <= :count
"""


def recount_top(asked: Asked, count: int) -> Tallied:
    """The first so many customers by revenue, those of the same revenue in the sequence of the book, with their
    orders."""
    return asked.tallied(_TOP, {"count": count})
