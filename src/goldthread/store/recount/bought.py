"""What every recount begins with: the counted orders or purchase days, as the database reads them from its records."""

from __future__ import annotations

from sqlalchemy import TextClause, bindparam, text

from goldthread.core.book.days import to_date
from goldthread.core.choices import OrderUnit, Period
from goldthread.core.history.facts import OWN_MEDIAN_FROM_ORDERS
from goldthread.core.history.history import History

SEQUENCE_SQL = "ORDER BY day, moment, NATURAL_SORT_KEY(number) COLLATE utf8mb4_bin, number, source COLLATE utf8mb4_bin"
"""Which of two orders of one day comes first decides which is new, or won its customer back (definitions, 1.5)."""
_PERIOD_SQL = {
    # counted from a Monday or Sunday before every date on record, because DIV cuts off towards zero
    Period.WEEK: "(DATEDIFF({{day}}, '1896-01-0{first_day}') DIV 7 - 3860)",
    Period.MONTH: "(YEAR({{day}}) * 12 + MONTH({{day}}) - 23641)",
    Period.QUARTER: "(YEAR({{day}}) * 4 + QUARTER({{day}}) - 7881)",
    Period.YEAR: "(YEAR({{day}}) - 1970)",
    Period.FISCAL_QUARTER: "((YEAR({{day}}) * 12 + MONTH({{day}}) - {month}) DIV 3 - 7880)",
    Period.FISCAL_YEAR: "((YEAR({{day}}) * 12 + MONTH({{day}}) - {month}) DIV 12 - 1970)",
}


def period_sql(period: Period) -> str:
    """The index of the period that a day falls in, as the core counts them (`core.book.periods`); ``{day}`` stands for
    the day."""
    first_day = 5 if period.begins_on_sunday else 6
    return _PERIOD_SQL[period.kind].format(first_day=first_day, month=period.first_month)


OF_EACH_SQL = f"OVER (PARTITION BY customer {SEQUENCE_SQL})"
"""The orders of each customer in their sequence."""
EXPECTED_SQL = f"""
everybody AS ({{everybody}}), steps_made AS (
  SELECT ROW_NUMBER() {OF_EACH_SQL} AS place, DATEDIFF(day, LAG(day) {OF_EACH_SQL}) AS gap FROM everybody
), placed AS (
  SELECT customer, day, amount, ROW_NUMBER() {OF_EACH_SQL} AS place, DATEDIFF(day, LAG(day) {OF_EACH_SQL}) AS gap,
    COUNT(*) OVER (PARTITION BY customer) AS orders FROM bought
), of_customers AS (
  SELECT DISTINCT customer, MEDIAN(gap) OVER (PARTITION BY customer) AS usual FROM placed WHERE gap IS NOT NULL
), of_steps AS (
  SELECT DISTINCT place - 1 AS step, MEDIAN(gap) OVER (PARTITION BY place) AS usual FROM steps_made
  WHERE gap IS NOT NULL
), expected AS (
  SELECT p.customer, p.amount, p.day, IF(p.orders >= {OWN_MEDIAN_FROM_ORDERS}, c.usual, s.usual) AS gap
  FROM placed p LEFT JOIN of_customers c ON c.customer = p.customer LEFT JOIN of_steps s ON s.step = p.orders
  WHERE p.place = p.orders
)"""
"""After ``bought``: the latest order of each customer, and after how many days the next one is expected. ``everybody``
stands for what the history counts, whoever is asked about."""
RULE_SQL = "o.book_id = :book AND o.current AND o.ordered_on <= :as_of AND o.status IN :statuses AND s.name IN :sources"
FROM_SQL = "FROM orders o JOIN customer_keys k ON k.id = o.customer_key_id JOIN sources s ON s.id = o.source_id"
_COLUMNS = {
    OrderUnit.ORDER: (
        "k.customer_id AS customer, o.ordered_on AS day, o.amount, o.ordered_at AS moment, o.order_number AS number, "
        "s.name AS source, o.id AS id"
    ),
    OrderUnit.PURCHASE_DAY: (
        "k.customer_id AS customer, o.ordered_on AS day, SUM(o.amount) AS amount, 0 AS moment, '' AS number, "
        "'' AS source, MIN(o.id) AS id"
    ),
}


def bought_sql(unit: OrderUnit, orders: str = FROM_SQL, also: str = "") -> str:
    """A statement for what is counted: customer, day, amount, and what stands for its place among others of the day.

    ``orders`` : where the orders come from, as ``o`` with their customer key ``k`` and source ``s``. ``also`` : a
    further part of the condition, as `goldthread.store.recount.asking.among_sql` writes it.
    """
    each_day = " GROUP BY k.customer_id, o.ordered_on" if unit is OrderUnit.PURCHASE_DAY else ""
    return f"SELECT {_COLUMNS[unit]} {orders} WHERE {RULE_SQL} {also}{each_day}"


def with_bought(statement: str, unit: OrderUnit, also: str = "") -> str:
    """A statement with what is counted in its place; ``also`` as in `bought_sql`: what is expected of a customer goes
    by everybody all the same."""
    everybody = bought_sql(unit) if also else "SELECT * FROM bought"
    return statement.replace("{bought}", bought_sql(unit, also=also)).replace("{everybody}", everybody)


def by_rule(statement: str) -> TextClause:
    """A statement that takes what `rule_values` gives."""
    return text(statement).bindparams(bindparam("statuses", expanding=True), bindparam("sources", expanding=True))


def rule_values(book_id: int, history: History) -> dict[str, object]:
    """What a statement gets of a history rule: book, as-of date, statuses, sources."""
    rule = history.rule
    sources = rule.sources if rule.sources is not None else history.whole.attributes["source"].labels
    return {
        "book": book_id,
        "as_of": to_date(rule.as_of_day),
        "statuses": [status.value for status in rule.statuses],
        "sources": list(sources) or [""],
    }
