"""How the database is asked to count one figure again: bounded in time, and ended when nobody waits for it.

Customers can be narrowed to a list of ids, which is how customer lists, conditions on customers and groups reach the
database; conditions on orders cannot be given to it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, bindparam, text
from sqlalchemy.exc import OperationalError

from goldthread.core.counted import Tallied
from goldthread.core.history.history import History
from goldthread.core.money import minor_of
from goldthread.errors import Stopped, Unavailable
from goldthread.store.recount.bought import by_rule, rule_values, with_bought
from goldthread.store.recount.in_files import connected

CUSTOMERS_LIMIT = 20_000
"""A statement that names more customers than this would take longer than it is worth."""
LONGEST_SECONDS = 60
_TIMED_OUT, _INTERRUPTED = 1969, 1317
_LOOK_EVERY_SECONDS = 0.5


def among_sql(among: NDArray[np.int64] | None) -> str:
    """The part of a condition that narrows customers to some ids; nothing for all."""
    return "" if among is None else "AND k.customer_id IN :among"


def tallied(
    engine: Engine,
    statement: str,
    values: dict[str, object],
    among: NDArray[np.int64] | None,
    is_gone: Callable[[], bool],
) -> Tallied:
    """What a statement counts: distinct customers, orders, the sum of their amounts. ``among``: see `among_sql`.

    Raises `Stopped` soon after ``is_gone`` says that nobody waits any more, and `Unavailable` when it takes too long.
    """
    asked = by_rule(statement)
    if among is not None:
        asked = asked.bindparams(bindparam("among", expanding=True))
        values = values | {"among": among.tolist() or [0]}
    with connected(engine, int(values["book"])) as connection:  # type: ignore[call-overload]
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


@dataclass(frozen=True)
class Asked:
    """Whom a recount asks: the record, the book, its history, the ids of the customers who are looked at (None for
    all), and whether anybody waits for it."""

    engine: Engine
    book_id: int
    history: History
    among: NDArray[np.int64] | None
    is_gone: Callable[[], bool]

    def tallied(self, statement: str, values: Mapping[str, object]) -> Tallied:
        """What a statement counts. Raises as `tallied`."""
        given = rule_values(self.book_id, self.history) | dict(values)
        filled = with_bought(statement, self.history.rule.unit, among_sql(self.among))
        return tallied(self.engine, filled, given, self.among, self.is_gone)


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
