"""The recount of new and returning: counted by SQL window functions inside the database."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import Engine

from goldthread.core.book.days import to_date
from goldthread.core.choices import Span
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.newness.table import NewnessTable
from goldthread.store.recount.bought import SEQUENCE_SQL, bought_sql, by_rule, rule_values

_BEGINS = {
    Span.DAY: "{day}",
    Span.WEEK: "DATE_SUB({day}, INTERVAL WEEKDAY({day}) DAY)",
    Span.MONTH: "DATE_FORMAT({day}, '%Y-%m-01')",
    Span.QUARTER: "MAKEDATE(YEAR({day}), 1) + INTERVAL QUARTER({day}) QUARTER - INTERVAL 1 QUARTER",
    Span.YEAR: "MAKEDATE(YEAR({day}), 1)",
}
_NEWNESS = f"""
WITH bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount, MIN(day) OVER (PARTITION BY customer) AS first_day,
    ROW_NUMBER() OVER (PARTITION BY customer {{sequence}}) = 1 AS is_new,
    LAG(day) OVER (PARTITION BY customer {{sequence}}) AS day_before
  FROM bought
), placed AS (
  SELECT customer, amount, is_new, CAST({{begins}} AS DATE) AS period, CAST({{first_begins}} AS DATE) AS first_period,
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
    begins = _BEGINS[table.span]
    statement = by_rule(
        _NEWNESS.format(
            bought=bought_sql(rule.unit),
            begins=begins.format(day="day"),
            first_begins=begins.format(day="first_day"),
            limit=limit,
            sequence=SEQUENCE_SQL,
        )
    )
    values = rule_values(book_id, table.history)
    known = dict(zip(_days(table), _figures(table), strict=True))
    counted: dict[dt.date, list[int]] = {}
    with engine.connect() as connection:
        for period, *figures in connection.execute(statement, values):
            counted[period] = [int(figure) for figure in figures]
    nothing = [0] * 9
    return sum(known.get(day, nothing) != counted.get(day, nothing) for day in known.keys() | counted.keys())


def _days(table: NewnessTable) -> list[dt.date]:
    return [to_date(day) for day in table.begins.tolist()]


def _figures(table: NewnessTable) -> list[list[int]]:
    columns = [
        values.tolist()
        for parts in (table.orders, table.customers, table.revenue_minor)
        for values in (parts.new, parts.returning, parts.won_back)
    ]
    return [list(row) for row in zip(*columns, strict=True)]
