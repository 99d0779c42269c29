"""The recount of order counts, gaps, times to the next order and who is due, by SQL window functions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from sqlalchemy import Engine, text

from goldthread.core.book.days import to_date
from goldthread.core.choices import Waiting
from goldthread.core.counted import Tallied
from goldthread.core.money import minor_of
from goldthread.core.rhythm.counts import OrderCounts
from goldthread.core.rhythm.waits import Waits
from goldthread.store.recount.asking import Asked
from goldthread.store.recount.bought import EXPECTED_SQL, OF_EACH_SQL, by_rule, rule_values, with_bought
from goldthread.store.recount.in_files import connected

_TOTALS = "COUNT(DISTINCT customer), COUNT(*), COALESCE(SUM(amount), 0)"
_IN_WINDOW = """
WITH bought AS ({bought}), inside AS (
  SELECT customer, COUNT(*) AS placed, SUM(amount) AS amount FROM bought
  WHERE day BETWEEN :first_day AND :last_day GROUP BY customer
)
"""
_GAPS = f"""
WITH bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount, ROW_NUMBER() {OF_EACH_SQL} AS place, DATEDIFF(day, LAG(day) {OF_EACH_SQL}) AS gap
  FROM bought
)
SELECT {_TOTALS} FROM counted WHERE gap IS NOT NULL AND gap BETWEEN :shortest AND :longest
  AND place - 1 BETWEEN :first_step AND :last_step AND day BETWEEN :first_day AND :last_day
"""
_WAITS = f"""
WITH bought AS ({{bought}}), counted AS (
  SELECT customer, day, amount, ROW_NUMBER() {OF_EACH_SQL} AS place, LEAD(day) {OF_EACH_SQL} AS next_day,
    LEAD(amount) {OF_EACH_SQL} AS next_amount FROM bought
)
"""
_DUE = f"""
WITH bought AS ({{bought}}), {EXPECTED_SQL}, due AS (
  SELECT customer, amount, gap, day + INTERVAL FLOOR(gap + 0.5) DAY AS due_day, DATEDIFF(:as_of, day) AS open_gap
  FROM expected WHERE gap IS NOT NULL
)
SELECT {_TOTALS} FROM due WHERE {{where}}
"""


def recount_order_counts(asked: Asked, days: tuple[int, int], groups: Sequence[int], last: int) -> Tallied:
    """The customers of some groups of order counts; those of the ``last`` one have so many orders or more."""
    exact = [group for group in groups if 0 < group < last]
    parts = [f"placed IN ({', '.join(map(str, exact))})"] if exact else []
    parts += [f"placed >= {int(last)}"] if last in groups else []
    values = {"first_day": to_date(days[0]), "last_day": to_date(days[1])}
    totals = "SELECT COUNT(*), COALESCE(SUM(placed), 0), COALESCE(SUM(amount), 0) FROM inside WHERE"
    found = asked.tallied(f"{_IN_WINDOW} {totals} {' OR '.join(parts) or 'FALSE'}", values)
    if 0 not in groups:
        return found
    # whoever has none in the window is in no row of it: all there are, less those who are
    with_orders = asked.tallied(f"{_IN_WINDOW} {totals} TRUE", values).customers
    return replace(found, customers=found.customers + _on_file(asked) - with_orders)


def _on_file(asked: Asked) -> int:
    if asked.among is not None:
        return int(asked.among.size)
    with connected(asked.engine, asked.book_id) as connection:
        counted = text("SELECT COUNT(*) FROM customers WHERE book_id = :book")
        return int(connection.execute(counted, {"book": asked.book_id}).scalar_one())


def recount_gaps(
    asked: Asked, lengths: tuple[int, int], steps: tuple[int, int], days: tuple[int, int] | None
) -> Tallied:
    """The orders that ended a gap of such a length, in such a step, on such days; all ends are included."""
    first, last = days or (asked.history.book.day_span[0], asked.history.rule.as_of_day)
    values: dict[str, object] = {
        "shortest": lengths[0],
        "longest": lengths[1],
        "first_step": steps[0],
        "last_step": steps[1],
        "first_day": to_date(first),
        "last_day": to_date(last),
    }
    return asked.tallied(_GAPS, values)


_OF_WAITS = {
    Waiting.ORDERED: ("next_amount", "next_day IS NOT NULL AND DATEDIFF(next_day, day) <= :days"),
    Waiting.WAITING: ("amount", "DATEDIFF(COALESCE(next_day, :as_of), day) > :days"),
    Waiting.NOT_YET: ("amount", "next_day IS NULL AND DATEDIFF(:as_of, day) <= :days"),
}


def recount_waits(asked: Asked, step: int, days: int, where: Waiting) -> Tallied:
    """Those who are so, some days after their order of rank ``step``."""
    amount, condition = _OF_WAITS[where]
    totals = f"SELECT COUNT(DISTINCT customer), COUNT(*), COALESCE(SUM({amount}), 0) FROM counted"
    statement = f"{_WAITS} {totals} WHERE place = :step AND {condition}"
    return asked.tallied(statement, {"step": step, "days": days})


def recount_due(asked: Asked, days: tuple[int, int] | None, lateness: tuple[float, float | None] | None) -> Tallied:
    """Those who are expected in a stretch of days, both ends included; or, for None, those who are late by a ratio of
    their open gap to the expected one, above one limit and up to the other; both limits 0: whose expected gap is 0."""
    where, values = "due_day BETWEEN :first_day AND :last_day", dict[str, object]()
    if days is not None:
        values = {"first_day": to_date(days[0]), "last_day": to_date(days[1])}
    else:
        low, high = lateness or (0, None)
        where, values = "due_day < :as_of", {"low": low, "high": high}
        if lateness is not None:
            where += " AND gap = 0" if high == 0 else " AND gap > 0 AND open_gap > :low * gap"
        if high:
            where += " AND open_gap <= :high * gap"
    return asked.tallied(_DUE.replace("{where}", where), values)


def recount_count_table(engine: Engine, book_id: int, counts: OrderCounts) -> int:
    """In how many groups of a table of order counts the database's customers, orders or revenue differ."""
    table = f"SELECT LEAST(placed, {counts.groups}), COUNT(*), SUM(placed), SUM(amount) FROM inside GROUP BY 1"
    values = rule_values(book_id, counts.history)
    values |= {"first_day": to_date(counts.first_day), "last_day": to_date(counts.last_day)}
    found = np.zeros((3, counts.groups + 1), np.int64)
    with connected(engine, book_id) as connection:
        for group, customers, orders, amount in connection.execute(
            by_rule(with_bought(f"{_IN_WINDOW} {table}", counts.history.rule.unit)), values
        ):
            found[:, int(group)] = int(customers), int(orders), minor_of(amount)
    known = np.stack([counts.customers, counts.orders, counts.revenue_minor])
    return int((found != known)[:, 1:].any(axis=0).sum())


def recount_wait_table(engine: Engine, book_id: int, steps: Sequence[Waits]) -> int:
    """In how many steps and ages the database counts another number of customers who ordered again, or are watched
    still. ``steps``: everybody's waits after the first order, the second and so on."""
    history = steps[0].history
    table = (
        "SELECT place, next_day IS NULL, DATEDIFF(COALESCE(next_day, :as_of), day), COUNT(*) FROM counted "
        f"WHERE place <= {len(steps)} GROUP BY 1, 2, 3"
    )
    statement = with_bought(f"{_WAITS} {table}", history.rule.unit)
    length = max(waits.times.events.shape[1] for waits in steps)
    found = np.zeros((len(steps), 2, length), np.int64)
    known, outside = np.zeros_like(found), 0
    for place, waits in enumerate(steps):
        for open_, times in enumerate((waits.times.events, waits.times.censored)):
            known[place, open_, : times.shape[1]] = times[0]
    with connected(engine, book_id) as connection:
        for step, open_, age, customers in connection.execute(by_rule(statement), rule_values(book_id, history)):
            if 0 <= int(age) < length:
                found[int(step) - 1, int(open_), int(age)] = int(customers)
            else:
                outside += 1
    return int((found != known).sum()) + outside
