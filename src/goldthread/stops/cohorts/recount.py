"""A figure of the cohort table counted again by the database."""

from __future__ import annotations

import numpy as np

from goldthread.askers import asker_is_gone
from goldthread.core.counted import Tallied
from goldthread.stops.behind.recount import Recounted, looked_at
from goldthread.stops.cohorts.answer import CohortAnswer
from goldthread.stops.cohorts.evidence import counts_those_away, covered_cells, spread_cells
from goldthread.stops.cohorts.question import CellChoice
from goldthread.store.recount.figure import recount_cells
from goldthread.workspace import Workspace


def recount_cohort_figure(workspace: Workspace, answer: CohortAnswer, cell: CellChoice) -> Recounted:
    """Count an opened figure of the cohort table again."""
    cells = covered_cells(answer, cell)
    history = answer.table.history
    page = cells.counted.tally
    members = None if cells.among is None else cells.among(history.here)
    among, reason = looked_at(history, answer.read.line.where, members)
    if reason:
        return Recounted(page, None, reason)
    engine, book = workspace.record.engine, answer.read.book.id
    wanted = spread_cells(answer, cell, cells.counts, cells.wanted)
    found = recount_cells(engine, book, history, cells.counts, wanted, among, asker_is_gone())
    if counts_those_away(answer, cell):
        members = np.zeros_like(wanted)
        members[cells.rows] = True
        everybody = recount_cells(engine, book, history, cells.counts, members, among, asker_is_gone())
        found = Tallied(everybody.customers - found.customers, 0, 0)
    return Recounted(page, found)
