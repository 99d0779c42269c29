"""A figure counted again by the database, and the two compared."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.askers import asker_is_gone
from goldthread.core.choices import Firsts
from goldthread.core.counted import Tallied
from goldthread.core.history.history import History
from goldthread.cql2.meaning import chooses_orders
from goldthread.cql2.reading import read_condition
from goldthread.stops.reading import Read
from goldthread.store.recount.asking import CUSTOMERS_LIMIT, Asked
from goldthread.workspace import Workspace

NO_FILTER_ON_ORDERS = "The database's recount knows no filter on orders."
NO_USUAL_GAPS = "The database's recount knows no lapse rule by usual gaps here."


@dataclass(frozen=True)
class Recounted:
    """What the page counted and what the database did; ``database`` is None, with the reason, where it cannot."""

    page: Tallied
    database: Tallied | None
    reason: str = ""

    @property
    def agrees(self) -> bool | None:
        """None where the database was not asked."""
        return None if self.database is None else self.page == self.database


def looked_at(
    history: History, where: str, members: NDArray[np.bool_] | None, *, without_orders: bool = False
) -> tuple[NDArray[np.int64] | None, str]:
    """The ids of the customers that are looked at, None for all; or why the database cannot count them.

    ``without_orders``: those without a counted order too.
    """
    if where.strip() and (
        history.shown is not None
        or history.rule.firsts is Firsts.MATCHING
        or chooses_orders(read_condition(where), history.fields.by_name)
    ):
        return None, NO_FILTER_ON_ORDERS
    if history.chosen is None and members is None:
        return None, ""
    chosen = np.ones(history.book.customer_count, np.bool_) if history.chosen is None else history.chosen.copy()
    if members is not None:
        chosen &= members
    if not without_orders:
        chosen &= history.book.counts > 0
    ids: NDArray[np.int64] = history.book.customer_id[chosen]
    if ids.size > CUSTOMERS_LIMIT:
        return None, f"The database's recount takes up to {CUSTOMERS_LIMIT} chosen customers."
    return ids, ""


def asked_of(
    workspace: Workspace,
    read: Read,
    history: History,
    members: NDArray[np.bool_] | None = None,
    *,
    without_orders: bool = False,
) -> tuple[Asked | None, str]:
    """Whom the database is asked about, of a history and some members of it; None with the reason where it cannot
    count them."""
    among, reason = looked_at(history, read.line.where, members, without_orders=without_orders)
    if reason:
        return None, reason
    return Asked(workspace.record.engine, read.book.id, history, among, asker_is_gone()), ""
