"""Some neighbouring threads counted again by the database."""

from __future__ import annotations

import numpy as np

from goldthread.askers import asker_is_gone
from goldthread.core.choices import Measure, Side
from goldthread.stops.behind.recount import Recounted, looked_at
from goldthread.stops.threads.loom import LoomAnswer, loom_counted
from goldthread.stops.threads.question import LoomFigureName
from goldthread.store.recount.figure import recount_stretch
from goldthread.workspace import Workspace


def recount_loom(workspace: Workspace, answer: LoomAnswer, figure: LoomFigureName) -> Recounted:
    """Count the orders of some neighbouring threads again."""
    counted, read = loom_counted(answer, figure), answer.read
    page = counted.tally
    members = np.zeros(read.orders.customer_count, np.bool_)
    members[counted.behind.customers] = True
    among, reason = looked_at(read.history, read.line.where, members)
    if reason:
        return Recounted(page, None, reason)
    days = read.orders.day_span[0], read.as_of_day
    engine, book = workspace.record.engine, read.book.id
    found = recount_stretch(engine, book, read.history, days, Measure.ORDERS, Side.ALL, among, asker_is_gone())
    return Recounted(page, found)
