"""The recount of standings and of who is followed up, from the records themselves."""

from __future__ import annotations

import json
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine

from goldthread.core.book.days import to_date
from goldthread.core.choices import Stands, Who
from goldthread.core.counted import Tallied
from goldthread.core.history.history import History
from goldthread.core.history.standing import Standing
from goldthread.core.standing.on_file import joined_name
from goldthread.store.recount.asking import Asked
from goldthread.store.recount.bought import EXPECTED_SQL, by_rule, rule_values, with_bought
from goldthread.store.recount.in_files import connected

_BOUGHT = "bought AS ({bought})"
OFF_FILE = "off_file"
"""In place of a standing: not on file yet."""
_SIGNS = """
{day}_seen AS (
  SELECT k.customer_id AS customer, MIN(o.ordered_on) AS first_day
  FROM orders o JOIN customer_keys k ON k.id = o.customer_key_id WHERE o.book_id = :book AND o.current GROUP BY 1
), {day}_latest AS (
  SELECT customer, COUNT(*) AS placed, SUM(amount) AS amount, MIN(day) AS first_day, MAX(day) AS day
  FROM bought WHERE day <= :{day} GROUP BY customer
), {day}_paid AS (
  SELECT k.customer_id AS customer, MAX(p.paid_on) AS day
  FROM payments p JOIN customer_keys k ON k.id = p.customer_key_id
  WHERE p.book_id = :book AND p.current AND p.paid_on <= :{day} GROUP BY 1
)"""
_STANDS = """
SELECT c.id AS customer, c.closed OR c.do_not_contact AS left_out, {expected_gap} AS expected_gap, l.placed, l.amount,
  l.first_day, l.day,
  CASE WHEN {on_file} > :{day} THEN 'off_file'
    WHEN l.customer IS NULL THEN IF(s.first_day <= :{day}, 'none_counted', 'never_ordered')
    WHEN {lapsed} THEN 'lapsed' ELSE 'active' END AS stands
FROM customers c LEFT JOIN {day}_seen s ON s.customer = c.id LEFT JOIN {day}_latest l ON l.customer = c.id
  LEFT JOIN {day}_paid p ON p.customer = c.id {join}
WHERE c.book_id = :book {among}
"""
_DATED = """NULLIF(LEAST(
    COALESCE(IF(s.first_day <= :as_of, s.first_day, NULL), DATE'9999-12-31'),
    COALESCE(IF({joined} <= :as_of, {joined}, NULL), DATE'9999-12-31')), DATE'9999-12-31')"""
_JOINED = """IF(JSON_VALUE(c.attributes, :joined) REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}',
    STR_TO_DATE(LEFT(JSON_VALUE(c.attributes, :joined), 10), '%Y-%m-%d'), NULL)"""
_ONCE_LEAST = "placed = 1 AND first_day <= :once_day"
_OVERDUE = "expected_gap IS NOT NULL AND day + INTERVAL FLOOR(expected_gap + 0.5) DAY < :as_of"
_TOTALS = "SELECT COUNT(*), COALESCE(SUM(placed), 0), COALESCE(SUM(amount), 0)"
_REASONS = {
    Who.LAPSED: "stands = 'lapsed'",
    Who.NEVER_ORDERED: "stands = 'never_ordered'",
    Who.NONE_COUNTED: "stands = 'none_counted'",
    Who.OVERDUE: _OVERDUE,
    Who.ONE_ORDER: _ONCE_LEAST,
}


def recount_standing(asked: Asked, day: int, stands: Stands | None) -> Tallied:
    """Those of a standing at the end of a day, None for all who are on file, with their orders up to it."""
    where = f"stands <> '{OFF_FILE}'" if stands is None else f"stands = '{stands.value}'"
    statement = f"WITH {_then(asked, 'end_day')} {_TOTALS} FROM end_day_stands WHERE {where}"
    return asked.tallied(statement, {**_values(asked.history), **_limits(asked.history, "end_day", day)})


def recount_flow(asked: Asked, days: tuple[int, int], moves: Sequence[tuple[str, str]]) -> Tallied:
    """Those who moved from one standing to another between the ends of two days."""
    history = asked.history
    where = " OR ".join(f"(b.stands = '{before}' AND a.stands = '{after}')" for before, after in moves)
    totals = _TOTALS.replace("SUM(", "SUM(a.")
    then = f"{_then(asked, 'before_day')}, {_then(asked, 'end_day', again=True)}"
    statement = (
        f"WITH {then} {totals} FROM end_day_stands a JOIN before_day_stands b ON b.customer = a.customer WHERE {where}"
    )
    limits = _limits(history, "before_day", days[0]) | _limits(history, "end_day", days[1])
    return asked.tallied(statement, {**_values(history), **limits})


def recount_follow_up(asked: Asked, reasons: Sequence[Who], once_day: int, left_out: bool | None) -> Tallied:
    """Those for whom a reason holds; ``left_out``: who is closed or not to be contacted, who is not, None for both."""
    as_of = asked.history.rule.as_of_day
    where = " OR ".join(f"({_REASONS[reason]})" for reason in reasons)
    marked = "" if left_out is None else f" AND {'' if left_out else 'NOT '}left_out"
    expected = Who.OVERDUE in reasons
    statement = (
        f"WITH {_then(asked, 'end_day', expected=expected)} {_TOTALS} FROM end_day_stands WHERE ({where}){marked}"
    )
    values = {**_values(asked.history), **_limits(asked.history, "end_day", as_of), "once_day": to_date(once_day)}
    return asked.tallied(statement, values)


def recount_limit(asked: Asked, days: int) -> Tallied:
    """Those who would be lapsed at a limit in days."""
    signs = _SIGNS.format(day="as_of")
    totals = _TOTALS.replace("SUM(", "SUM(l.")
    statement = (
        f"WITH {_BOUGHT}, {signs} {totals} FROM as_of_latest l LEFT JOIN as_of_paid p ON p.customer = l.customer "
        f"WHERE {_sign(asked.history)} <= :limit_day"
    )
    return asked.tallied(statement, {"limit_day": to_date(asked.history.rule.as_of_day - days)})


def recount_standing_table(engine: Engine, book_id: int, history: History, day: int) -> NDArray[np.int64]:
    """The customers of each standing at the end of a day, as the database counts them; int64, shape (standings,)."""
    asked = Asked(engine, book_id, history, None, lambda: False)
    statement = f"WITH {_then(asked, 'end_day')} SELECT stands, COUNT(*) FROM end_day_stands GROUP BY 1"
    values = rule_values(book_id, history) | _values(history) | _limits(history, "end_day", day)
    found = np.zeros(len(Standing), np.int64)
    with connected(engine, book_id) as connection:
        for stands, customers in connection.execute(by_rule(with_bought(statement, history.rule.unit)), values):
            if stands != OFF_FILE:
                found[Standing[Stands(stands).name]] = int(customers)
    return found


def _then(asked: Asked, day: str, *, again: bool = False, expected: bool = False) -> str:
    """The parts of a statement that say where every customer stands at the end of a day, as ``<day>_stands``."""
    history = asked.history
    rule = history.rule.lapse
    expected = expected or not rule.is_span
    lapsed = f"{_sign(history)} <= :{day}_limit"
    if not rule.is_span:
        lapsed = f"e.gap IS NOT NULL AND DATEDIFF(:{day}, {_sign(history)}) > :usual_gaps * e.gap"
    joined = "NULL" if joined_name(history.whole) is None else _JOINED
    stands = _STANDS.format(
        day=day,
        expected_gap="e.gap" if expected else "NULL",
        join="LEFT JOIN expected e ON e.customer = c.id" if expected else "",
        on_file=_DATED.format(joined=joined),
        lapsed=lapsed,
        among="" if asked.among is None else "AND c.id IN :among",
    )
    begins = [] if again else [_BOUGHT, *([EXPECTED_SQL] if expected else [])]
    return ", ".join([*begins, _SIGNS.format(day=day), f"{day}_stands AS ({stands})"])


def _sign(history: History) -> str:
    return "GREATEST(l.day, COALESCE(p.day, l.day))" if history.rule.lapse.by_activity else "l.day"


def _values(history: History) -> dict[str, object]:
    """What the statements take beside days: where the date of joining stands, and how many usual gaps."""
    values: dict[str, object] = {}
    name = joined_name(history.whole)
    if name is not None:
        escaped = name.replace("\\", "\\\\").replace('"', '\\"')
        values["joined"] = f'$."{escaped}"'
    if not history.rule.lapse.is_span:
        values["usual_gaps"] = history.rule.lapse.usual_gaps
    return values


def _limits(history: History, day: str, at: int) -> dict[str, object]:
    """A day, and the last day on which a latest order is lapsed at its end."""
    rule = history.rule.lapse
    limits: dict[str, object] = {day: to_date(at)}
    if rule.is_span:
        limits[f"{day}_limit"] = to_date(rule.last_lapsed_day(at))
    return limits


_DAYS = """
WITH bought AS ({bought}), watched AS (
  SELECT * FROM JSON_TABLE(:days, '$[*]' COLUMNS (
    customer BIGINT PATH '$[0]', first_day DATE PATH '$[1]', last_day DATE PATH '$[2]')) given
), placed AS (
  SELECT w.customer, COUNT(b.day) AS placed, SUM(b.amount) AS amount
  FROM watched w LEFT JOIN bought b ON b.customer = w.customer AND b.day BETWEEN w.first_day AND w.last_day GROUP BY 1
)
"""


def recount_days(asked: Asked, days: Sequence[tuple[int, int, int]], *, ordered: bool) -> Tallied:
    """Of some customers, each with the first and the last day that counts: those who ordered in them, or did not."""
    given = [[customer, to_date(first).isoformat(), to_date(last).isoformat()] for customer, first, last in days]
    where = "placed > 0" if ordered else "placed = 0"
    return asked.tallied(f"{_DAYS} {_TOTALS} FROM placed WHERE {where}", {"days": json.dumps(given)})
