"""The recount of new and returning: counted by SQL window functions inside the database."""

from __future__ import annotations

from sqlalchemy import Engine

from goldthread.core.choices import Period, Span
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.newness.table import NewnessTable
from goldthread.store.recount.bought import SEQUENCE_SQL, bought_sql, by_rule, period_sql, rule_values
from goldthread.store.recount.in_files import connected

_DAY_SQL = "DATEDIFF({day}, '1970-01-01')"
_NEWNESS = f"""
WITH bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount, MIN(day) OVER (PARTITION BY customer) AS first_day,
    ROW_NUMBER() OVER (PARTITION BY customer {{sequence}}) = 1 AS is_new,
    LAG(day) OVER (PARTITION BY customer {{sequence}}) AS day_before
  FROM bought
), placed AS (
  SELECT customer, amount, is_new, {{period}} AS period, {{first_period}} AS first_period,
    day_before IS NOT NULL AND day_before <= {{limit}} AS back
  FROM counted
)
SELECT period, SUM(is_new), COUNT(*) - SUM(is_new), SUM(back),
  COUNT(DISTINCT IF(period = first_period, customer, NULL)), COUNT(DISTINCT IF(period <> first_period, customer, NULL)),
  COUNT(DISTINCT IF(back AND period <> first_period, customer, NULL)),
  CAST(SUM(IF(is_new, amount, 0)) * {MINOR_PER_UNIT} AS SIGNED),
  CAST(SUM(IF(is_new, 0, amount)) * {MINOR_PER_UNIT} AS SIGNED),
  CAST(SUM(IF(back, amount, 0)) * {MINOR_PER_UNIT} AS SIGNED)
FROM placed GROUP BY period
"""


def recount_newness(engine: Engine, book_id: int, table: NewnessTable) -> int:
    """In how many periods orders, customers or revenue, new, returning or won back, differ; periods outside the table
    included."""
    rule = table.history.rule
    months = rule.lapse.months
    limit = f"day - INTERVAL {rule.lapse.days} DAY" if months is None else f"day - INTERVAL {months} MONTH"
    period = _DAY_SQL if table.span is Span.DAY else period_sql(Period(table.span.value))
    statement = by_rule(
        _NEWNESS.format(
            bought=bought_sql(rule.unit),
            period=period.format(day="day"),
            first_period=period.format(day="first_day"),
            limit=limit,
            sequence=SEQUENCE_SQL,
        )
    )
    values = rule_values(book_id, table.history)
    known = dict(enumerate(_figures(table), table.first))
    counted: dict[int, list[int]] = {}
    with connected(engine, book_id) as connection:
        for index, *figures in connection.execute(statement, values):
            counted[int(index)] = [int(figure) for figure in figures]
    nothing = [0] * 9
    return sum(known.get(index, nothing) != counted.get(index, nothing) for index in known.keys() | counted.keys())


def _figures(table: NewnessTable) -> list[list[int]]:
    columns = [
        values.tolist()
        for parts in (table.orders, table.customers, table.revenue_minor)
        for values in (parts.new, parts.returning, parts.won_back)
    ]
    return [list(row) for row in zip(*columns, strict=True)]
