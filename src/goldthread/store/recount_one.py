"""The second road for one figure: what is opened is counted again by SQL, from the records themselves.

Customers can be narrowed to a list of ids, which is how customers in hand, conditions on customers and groups reach the
database; conditions on orders cannot be told to it.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine, TextClause, bindparam, text
from sqlalchemy.exc import OperationalError

from goldthread.core.cohorts import CohortCounts
from goldthread.core.history import History
from goldthread.core.newness import Measure, Side
from goldthread.core.periods import to_date
from goldthread.errors import Unavailable
from goldthread.store.recount import age_sql, cohort_sql, rule_values

MINOR = 10_000
CUSTOMERS_LIMIT = 20_000
"""A statement that names more customers than this would take longer than it is worth."""
LONGEST_SECONDS = 60
_TIMED_OUT = 1969
_COUNTED = """
WITH counted AS (
  SELECT k.customer_id AS customer, o.ordered_on AS day, o.amount,
    MIN(o.ordered_on) OVER (PARTITION BY k.customer_id) AS first_day,
    ROW_NUMBER() OVER (PARTITION BY k.customer_id ORDER BY {sequence}) = 1 AS is_new,
    LAG(o.ordered_on) OVER (PARTITION BY k.customer_id ORDER BY {sequence}) AS day_before
  FROM orders o JOIN customer_keys k ON k.id = o.customer_key_id JOIN sources s ON s.id = o.source_id
  WHERE o.book_id = :book AND o.current AND o.ordered_on <= :as_of AND o.status IN :statuses AND s.name IN :sources
    {among}
)
"""
_SEQUENCE = (
    "o.ordered_on, o.ordered_at, NATURAL_SORT_KEY(o.order_number) COLLATE utf8mb4_bin, o.order_number, "
    "s.name COLLATE utf8mb4_bin"
)
"""Which of two orders of one day comes first decides what is new (definitions, 1.5)."""
_TALLY = "SELECT COUNT(DISTINCT customer), COUNT(*), COALESCE(SUM(amount), 0) FROM"
_CELLS = (
    _COUNTED + _TALLY + " (SELECT customer, amount, {cohort} AS cohort, {age} AS age FROM counted) aged WHERE {where}"
)
_STRETCH = (
    _COUNTED
    + """, inside AS (
  SELECT customer, amount, is_new, first_day >= :first_day AS fresh, day_before <= {limit} AS back
  FROM counted WHERE day BETWEEN :first_day AND :last_day
), told AS (SELECT *, MAX(COALESCE(back, 0)) OVER (PARTITION BY customer) AS any_back FROM inside)
"""
    + _TALLY
    + " told WHERE {where}"
)
_SIDES = {
    (Measure.CUSTOMERS, Side.NEW): "fresh",
    (Measure.CUSTOMERS, Side.RETURNING): "NOT fresh",
    (Measure.CUSTOMERS, Side.WON_BACK): "NOT fresh AND any_back",
}
_SIDES_OF_ORDERS = {Side.NEW: "is_new", Side.RETURNING: "NOT is_new", Side.WON_BACK: "back"}


@dataclass(frozen=True)
class Tallied:
    """Distinct customers, orders, and the exact sum of their amounts in ten-thousandths."""

    customers: int
    orders: int
    revenue_minor: int


def recount_cells(
    engine: Engine,
    book_id: int,
    history: History,
    counts: CohortCounts,
    wanted: NDArray[np.bool_],
    among: NDArray[np.int64] | None,
) -> Tallied:
    """Count the orders of some cells again. ``among``: ids of the customers that are looked at; None for all."""
    cohort = cohort_sql(counts.period)
    where = _where(counts, wanted)
    statement = _CELLS.format(
        sequence=_SEQUENCE, among=_among(among), cohort=cohort, age=age_sql(counts.period, counts.age_kind), where=where
    )
    return _tallied(engine, statement, rule_values(book_id, history), among)


def recount_stretch(
    engine: Engine,
    book_id: int,
    history: History,
    days: tuple[int, int],
    measure: Measure,
    side: Side,
    among: NDArray[np.int64] | None,
) -> Tallied:
    """Count one side of a stretch of days again, both ends included."""
    lapse = history.rule.lapse
    limit = f"day - INTERVAL {lapse.days} DAY" if lapse.months is None else f"day - INTERVAL {lapse.months} MONTH"
    where = "TRUE" if side is Side.ALL else _SIDES.get((measure, side)) or _SIDES_OF_ORDERS[side]
    statement = _STRETCH.format(sequence=_SEQUENCE, among=_among(among), limit=limit, where=where)
    values = rule_values(book_id, history) | {"first_day": to_date(days[0]), "last_day": to_date(days[1])}
    return _tallied(engine, statement, values, among)


def _where(counts: CohortCounts, wanted: NDArray[np.bool_]) -> str:
    """The wanted cells: for each cohort, its runs of ages. Only whole numbers of our own are written into it."""
    runs: dict[tuple[int, int], list[int]] = {}
    for row in np.flatnonzero(wanted.any(axis=1)).tolist():
        edges = np.flatnonzero(np.diff(np.concatenate(([0], wanted[row].astype(np.int8), [0]))))
        for first, after in edges.reshape(-1, 2).tolist():
            runs.setdefault((first, after - 1), []).append(counts.first_cohort + row)
    parts = [
        f"(cohort IN ({', '.join(map(str, cohorts))}) AND age BETWEEN {first} AND {last})"
        for (first, last), cohorts in runs.items()
    ]
    return " OR ".join(parts) or "FALSE"


def _among(among: NDArray[np.int64] | None) -> str:
    return "" if among is None else "AND k.customer_id IN :among"


def _tallied(engine: Engine, statement: str, values: dict[str, object], among: NDArray[np.int64] | None) -> Tallied:
    asked: TextClause = text(statement).bindparams(
        bindparam("statuses", expanding=True), bindparam("sources", expanding=True)
    )
    if among is not None:
        asked = asked.bindparams(bindparam("among", expanding=True))
        values = values | {"among": among.tolist() or [0]}
    with engine.connect() as connection:
        # asked for in passing: it must not keep the database busy for long
        connection.execute(text("SET max_statement_time = :seconds"), {"seconds": LONGEST_SECONDS})
        try:
            customers, orders, amount = connection.execute(asked, values).one()
        except OperationalError as error:
            if error.orig is None or error.orig.args[0] != _TIMED_OUT:
                raise
            raise Unavailable(
                f"The database's recount took longer than {LONGEST_SECONDS} seconds.",
                remedy="Run the checks of the whole book instead.",
            ) from error
        finally:
            connection.execute(text("SET max_statement_time = 0"))
    return Tallied(int(customers), int(orders), int(Decimal(amount) * MINOR))
