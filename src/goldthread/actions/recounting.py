"""The second road for an opened figure: the database counts it again, and the two are compared."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.askers import asker_is_gone
from goldthread.actions.cohort_behind import counts_those_away, covered_cells, spread_cells
from goldthread.actions.cohort_questions import CellChoice
from goldthread.actions.cohorts import CohortAnswer
from goldthread.actions.newness import NewnessAnswer, NewnessChoice, stretch_of
from goldthread.actions.workspace import Workspace
from goldthread.core.book import OrderBook
from goldthread.core.cohorts import Behind
from goldthread.core.history import Firsts, History
from goldthread.cql2.meaning import chooses_orders
from goldthread.cql2.reading import read_condition
from goldthread.store.recount_one import CUSTOMERS_LIMIT, recount_cells, recount_stretch
from goldthread.store.recount_one import Tallied as Tallied


@dataclass(frozen=True)
class Recounted:
    """What the page counted and what the database did; ``database`` is None, with the reason, where it cannot."""

    page: Tallied
    database: Tallied | None
    reason: str = ""

    @property
    def agrees(self) -> bool:
        return self.page == self.database


def recount_cohort_figure(workspace: Workspace, answer: CohortAnswer, cell: CellChoice) -> Recounted:
    """Count an opened figure of the cohort table again."""
    cells = covered_cells(answer, cell)
    history = answer.table.history
    page = _tallied(history.book, cells.behind)
    among, reason = _among(history, answer.read.choice.where, cells.among)
    if reason:
        return Recounted(page, None, reason)
    engine, book = workspace.record.engine, answer.book.id
    wanted = spread_cells(answer, cell, cells.counts, cells.wanted)
    found = recount_cells(engine, book, history, cells.counts, wanted, among, asker_is_gone())
    if counts_those_away(answer, cell):
        members = np.zeros_like(wanted)
        members[cells.rows] = True
        everybody = recount_cells(engine, book, history, cells.counts, members, among, asker_is_gone())
        found = Tallied(everybody.customers - found.customers, 0, 0)
    return Recounted(page, found)


def recount_newness_figure(workspace: Workspace, answer: NewnessAnswer, choice: NewnessChoice) -> Recounted:
    """Count an opened figure of new and returning again."""
    stretch = stretch_of(answer, choice)
    page = _tallied(stretch.history.book, stretch.behind)
    if choice.group:
        return Recounted(page, None, "The database's recount does not tell the groups of a split apart.")
    among, reason = _among(answer.read.history, answer.read.choice.where, None)
    if reason:
        return Recounted(page, None, reason)
    days = stretch.first_day, stretch.last_day
    measure = answer.question.measure
    engine = workspace.record.engine
    found = recount_stretch(
        engine, answer.read.book.id, answer.read.history, days, measure, choice.side, among, asker_is_gone()
    )
    return Recounted(page, found)


def _tallied(book: OrderBook, behind: Behind) -> Tallied:
    revenue = int(book.amount_minor.take(behind.orders).sum())
    return Tallied(int(behind.customers.size), int(behind.orders.size), revenue)


def _among(history: History, where: str, members: NDArray[np.bool_] | None) -> tuple[NDArray[np.int64] | None, str]:
    """The ids of the customers that are looked at, None for all; or why the database cannot be told."""
    if where.strip() and (
        history.shown is not None
        or history.rule.firsts is Firsts.MATCHING
        or chooses_orders(read_condition(where), history.fields.by_name)
    ):
        return None, "The database's recount knows no condition on orders."
    if history.chosen is None and members is None:
        return None, ""
    looked_at = np.ones(history.book.customer_count, np.bool_) if history.chosen is None else history.chosen.copy()
    if members is not None:
        looked_at &= members
    looked_at &= history.book.counts > 0
    ids: NDArray[np.int64] = history.book.customer_id[looked_at]
    if ids.size > CUSTOMERS_LIMIT:
        return None, f"The database's recount takes up to {CUSTOMERS_LIMIT} chosen customers."
    return ids, ""
