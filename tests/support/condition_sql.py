"""A condition as SQL over the records, for holding the masks against what MariaDB itself makes of them."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

from goldthread.cql2.nodes import Node, Property, Value

FACTS = """
WITH counted AS (
  SELECT o.id AS order_id, c.id AS customer, s.name AS source, NULLIF(o.rep, '') AS rep, o.status + 0 AS status_place,
    CAST(o.status AS CHAR) AS status, o.amount, o.ordered_on AS date, NULLIF(c.name, '') AS name,
    NULLIF(c.town, '') AS town, NULLIF(JSON_VALUE(c.attributes, '$.region'), '') AS region,
    ROW_NUMBER() OVER thread AS rank, DATEDIFF(o.ordered_on, LAG(o.ordered_on) OVER thread) AS gap,
    SUM(o.amount) OVER thread AS revenue_to_date, COUNT(*) OVER whole AS orders, SUM(o.amount) OVER whole AS revenue,
    MIN(o.ordered_on) OVER whole AS first_date, MAX(o.ordered_on) OVER whole AS latest_date,
    FIRST_VALUE(s.name) OVER thread AS first_source, NULLIF(FIRST_VALUE(o.rep) OVER thread, '') AS first_rep,
    FIRST_VALUE(o.amount) OVER thread AS first_amount,
    DATEDIFF(:as_of, MAX(o.ordered_on) OVER whole) AS days_since
  FROM orders o JOIN customer_keys k ON k.id = o.customer_key_id JOIN customers c ON c.id = k.customer_id
  JOIN sources s ON s.id = o.source_id
  WHERE o.book_id = :book AND o.current AND o.status <> 'cancelled' AND o.ordered_on <= :as_of
  WINDOW whole AS (PARTITION BY c.id), thread AS (PARTITION BY c.id ORDER BY o.ordered_on, o.order_number)
)
"""
TEXTS = ("source", "rep", "status", "name", "town", "region", "first_source", "first_rep")


def as_sql(node: Node) -> str:
    """The condition over the columns of `FACTS`; texts are compared letter by letter."""
    match node:
        case Node("and" | "or" as op):
            return "(" + f" {op} ".join(as_sql(part) for part in node.parts) + ")"
        case Node("not", (Node() as inner,)):
            return f"(NOT {as_sql(inner)})"
    field, *values = (_part(arg) for arg in node.args)
    match node.op:
        case "isNull":
            return f"({field} IS NULL)"
        case "in":
            return f"({field} IN ({', '.join(values)}))"
        case "between":
            return f"({field} BETWEEN {values[0]} AND {values[1]})"
        case "like":
            return f"({field} LIKE {values[0]})"
        case _:
            return f"({field} {node.op} {values[0]})"


def _part(arg: Node | Property | Value) -> str:
    match arg:
        case Property(name):
            return f"CAST(`{name}` AS CHAR) COLLATE utf8mb4_nopad_bin" if name in TEXTS else f"`{name}`"
        case Value(dt.date() as value):
            return f"DATE '{value.isoformat()}'"
        case Value(Decimal() as value):
            return f"{value:f}"
        case Value(str() as value):
            escaped = value.replace("\\", "\\\\").replace("'", "''")
            return f"'{escaped}'"
    raise AssertionError(arg)
