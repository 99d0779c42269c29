"""The recount: the cohort table counted by SQL window functions inside the database.

It shares nothing with the core but the definitions: first orders, periods and ages are worked out by MariaDB from the
records themselves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine

from goldthread.core.book.periods import elapsed_days
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.store.recount.bought import bought_sql, by_rule, period_sql, rule_values
from goldthread.store.recount.in_files import connected

_COHORTS = f"""
WITH bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount, MIN(day) OVER (PARTITION BY customer) AS first_day FROM bought
), aged AS (
  SELECT customer, amount, {{cohort}} AS cohort, {{age}} AS age FROM counted
)
SELECT cohort, age, COUNT(DISTINCT customer), COUNT(*), CAST(SUM(amount) * {MINOR_PER_UNIT} AS SIGNED)
FROM aged GROUP BY cohort, age
"""


@dataclass(frozen=True, eq=False)
class Recount:
    """Customers, orders and revenue by cohort and age, as the database counts them; int64, the table's shape."""

    customers: NDArray[np.int64]
    orders: NDArray[np.int64]
    revenue_minor: NDArray[np.int64]
    differing_count: int


def cohort_sql(period: Period) -> str:
    """The index of the period of ``first_day``."""
    return period_sql(period).format(day="first_day")


def age_sql(period: Period, age_kind: AgeKind) -> str:
    """The age of an order of ``day``, counted from ``first_day``."""
    if age_kind is AgeKind.CALENDAR:
        return f"{period_sql(period).format(day='day')} - {cohort_sql(period)}"
    return f"DATEDIFF(day, first_day) DIV {elapsed_days(period)}"


def recount_cohorts(engine: Engine, book_id: int, table: CohortTable) -> Recount:
    """Count a cohort table again, and say in how many cells the two differ (cells outside the table included)."""
    cohort, age = cohort_sql(table.period), age_sql(table.period, table.age_kind)
    bought = bought_sql(table.history.rule.unit)
    statement = by_rule(_COHORTS.format(bought=bought, cohort=cohort, age=age))
    values = rule_values(book_id, table.history)
    figures = np.zeros((3, *table.customers.shape), np.int64)
    outside = 0
    with connected(engine, book_id) as connection:
        for row, column, *counted in connection.execute(statement, values):
            place = (int(row) - table.first_cohort, int(column))
            if 0 <= place[0] < table.cohort_count and 0 <= place[1] < table.age_count:
                figures[:, place[0], place[1]] = [int(figure) for figure in counted]
            else:
                outside += 1
    known = np.stack([table.customers, table.orders, table.revenue_minor])
    differing = int((figures != known).any(axis=0).sum()) + outside
    return Recount(figures[0], figures[1], figures[2], differing)
