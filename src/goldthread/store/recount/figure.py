"""The recount of one figure: what is opened is counted again by SQL, from the records themselves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_end, period_start
from goldthread.core.choices import Measure, Side
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.counted import Tallied
from goldthread.core.history.history import History
from goldthread.store.recount.asking import among_sql, tallied
from goldthread.store.recount.bought import FROM_SQL, RULE_SQL, SEQUENCE_SQL, bought_sql, rule_values
from goldthread.store.recount.cohorts import age_sql, cohort_sql

_COUNTED = f"""
WITH there AS (
  SELECT DISTINCT k.customer_id AS customer {FROM_SQL}
  WHERE {RULE_SQL} {{among}} AND o.ordered_on BETWEEN :first_day AND :last_day
), bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount{{columns}} FROM bought
), inside AS (SELECT * FROM counted WHERE {{within}} BETWEEN :first_day AND :last_day)
SELECT COUNT(DISTINCT customer), COUNT(*), COALESCE(SUM(amount), 0) FROM {{table}} WHERE {{where}}
"""
"""Whoever first ordered in a stretch of days has an order in it, so threads are looked for among a few."""
_OF_THEM = """
FROM there t JOIN customer_keys k ON k.customer_id = t.customer JOIN orders o ON o.customer_key_id = k.id
  JOIN sources s ON s.id = o.source_id
"""
_OF_EACH = "OVER (PARTITION BY customer"
_FIRST_DAY = f", MIN(day) {_OF_EACH}) AS first_day"
_AGED = "(SELECT customer, amount, {cohort} AS cohort, {age} AS age FROM inside) aged"
_FRESH = f", MIN(day) {_OF_EACH}) >= :first_day AS fresh"
_SEQUENCE = f"{SEQUENCE_SQL})"
_BACK = f", LAG(day) {_OF_EACH} {_SEQUENCE} <= {{limit}} AS back"
_IS_NEW = f", ROW_NUMBER() {_OF_EACH} {_SEQUENCE} = 1 AS is_new"
_ANY_BACK = "(SELECT *, MAX(COALESCE(back, 0)) OVER (PARTITION BY customer) AS any_back FROM inside) marked"
_SIDES = {
    (Measure.CUSTOMERS, Side.NEW): (_FRESH, "inside", "fresh"),
    (Measure.CUSTOMERS, Side.RETURNING): (_FRESH, "inside", "NOT fresh"),
    (Measure.CUSTOMERS, Side.WON_BACK): (_FRESH + _BACK, _ANY_BACK, "NOT fresh AND any_back"),
}
"""What must be known of each order, what is counted, and which of it. Nothing more is asked, because it takes time."""
_SIDES_OF_ORDERS = {
    Side.NEW: (_IS_NEW, "inside", "is_new"),
    Side.RETURNING: (_IS_NEW, "inside", "NOT is_new"),
    Side.WON_BACK: (_BACK, "inside", "back"),
}


def recount_cells(
    engine: Engine,
    book_id: int,
    history: History,
    counts: CohortCounts,
    wanted: NDArray[np.bool_],
    among: NDArray[np.int64] | None,
    is_gone: Callable[[], bool],
) -> Tallied:
    """Count the orders of some cells again. ``among``: ids of the customers that are looked at; None for all.

    Raises `Stopped` soon after ``is_gone`` says that nobody waits any more, and `Unavailable` when it takes too long.
    """
    rows = np.flatnonzero(wanted.any(axis=1))
    if rows.size == 0:
        return Tallied(0, 0, 0)
    first, last = (int(row) + counts.first_cohort for row in (rows[0], rows[-1]))
    aged = _AGED.format(cohort=cohort_sql(counts.period), age=age_sql(counts.period, counts.age_kind))
    where = _where(counts, wanted)
    statement = _COUNTED.format(
        among=among_sql(among),
        bought=bought_sql(history.rule.unit, _OF_THEM),
        columns=_FIRST_DAY,
        within="first_day",
        table=aged,
        where=where,
    )
    values = rule_values(book_id, history) | {
        "first_day": to_date(int(period_start(first, counts.period))),
        "last_day": to_date(int(period_end(last, counts.period))),
    }
    return tallied(engine, statement, values, among, is_gone)


def recount_stretch(
    engine: Engine,
    book_id: int,
    history: History,
    days: tuple[int, int],
    measure: Measure,
    side: Side,
    among: NDArray[np.int64] | None,
    is_gone: Callable[[], bool],
) -> Tallied:
    """Count one side of a stretch of days again, both ends included. Raises as `recount_cells`."""
    lapse = history.rule.lapse
    limit = f"day - INTERVAL {lapse.days} DAY" if lapse.months is None else f"day - INTERVAL {lapse.months} MONTH"
    columns, table, where = "", "inside", "TRUE"
    if side is not Side.ALL:
        columns, table, where = _SIDES.get((measure, side)) or _SIDES_OF_ORDERS[side]
    statement = _COUNTED.format(
        among=among_sql(among),
        bought=bought_sql(history.rule.unit, _OF_THEM),
        columns=columns.format(limit=limit),
        within="day",
        table=table,
        where=where,
    )
    values = rule_values(book_id, history) | {"first_day": to_date(days[0]), "last_day": to_date(days[1])}
    return tallied(engine, statement, values, among, is_gone)


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
