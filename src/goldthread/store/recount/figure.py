"""The recount of one figure: what is opened is counted again by SQL, from the records themselves.

Customers can be narrowed to a list of ids, which is how customer lists, conditions on customers and groups reach the
database; conditions on orders cannot be given to it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, TextClause, bindparam, text
from sqlalchemy.exc import OperationalError

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_end, period_start
from goldthread.core.choices import Measure, Side
from goldthread.core.cohorts.table import CohortCounts
from goldthread.core.history.history import History
from goldthread.core.money import minor_of
from goldthread.errors import Stopped, Unavailable
from goldthread.store.recount.bought import FROM_SQL, RULE_SQL, SEQUENCE_SQL, bought_sql, rule_values
from goldthread.store.recount.cohorts import age_sql, cohort_sql

CUSTOMERS_LIMIT = 20_000
"""A statement that names more customers than this would take longer than it is worth."""
LONGEST_SECONDS = 60
_TIMED_OUT, _INTERRUPTED = 1969, 1317
_LOOK_EVERY_SECONDS = 0.5
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
        among=_among(among),
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
    return _tallied(engine, statement, values, among, is_gone)


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
        among=_among(among),
        bought=bought_sql(history.rule.unit, _OF_THEM),
        columns=columns.format(limit=limit),
        within="day",
        table=table,
        where=where,
    )
    values = rule_values(book_id, history) | {"first_day": to_date(days[0]), "last_day": to_date(days[1])}
    return _tallied(engine, statement, values, among, is_gone)


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


def _tallied(
    engine: Engine,
    statement: str,
    values: dict[str, object],
    among: NDArray[np.int64] | None,
    is_gone: Callable[[], bool],
) -> Tallied:
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
            with _ended_when(engine, connection, is_gone):
                customers, orders, amount = connection.execute(asked, values).one()
        except OperationalError as error:
            code = error.orig.args[0] if error.orig is not None else 0
            if code == _INTERRUPTED:
                raise Stopped("Nobody waits for this recount any more.", remedy="Ask again.") from error
            if code != _TIMED_OUT:
                raise
            raise Unavailable(
                f"The database's recount took longer than {LONGEST_SECONDS} seconds.",
                remedy="Run the checks of the whole book instead.",
            ) from error
        finally:
            connection.execute(text("SET max_statement_time = 0"))
    return Tallied(int(customers), int(orders), minor_of(Decimal(amount)))


@contextmanager
def _ended_when(engine: Engine, connection: Connection, is_gone: Callable[[], bool]) -> Iterator[None]:
    """End the statements of a connection once nobody waits for them."""
    mine = int(connection.execute(text("SELECT CONNECTION_ID()")).scalar_one())
    done = threading.Event()

    def look() -> None:
        while not done.wait(_LOOK_EVERY_SECONDS):
            if is_gone():
                with engine.connect() as other:
                    other.execute(text(f"KILL QUERY {mine}"))
                return

    watcher = threading.Thread(target=look, name=f"recount-{mine}", daemon=True)
    watcher.start()
    try:
        yield
    finally:
        done.set()
        watcher.join()
