"""New and returning as a table to download."""

from __future__ import annotations

import pyarrow as pa

from goldthread.core.book.periods import CellState
from goldthread.core.newness.table import NewnessTable
from goldthread.stops.newness.answer import NewnessAnswer
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, one_under_the_other, with_first_days
from goldthread.workspace import Workspace


def newness_sheet(_workspace: Workspace, answer: NewnessAnswer) -> Sheet:
    """One row a period, or one a period and group of the split."""
    read = answer.read
    said = sentences(read, answer.words)
    if answer.groups is None:
        return Sheet(said, _rows(answer.table))
    return Sheet(said, one_under_the_other((label, _rows(table)) for label, table in answer.groups))


def _rows(table: NewnessTable) -> pa.Table:
    states = [CellState(state).name.lower() for state in table.state.tolist()]
    columns: dict[str, object] = {
        "period": pa.array(table.labels, pa.large_string()),
        "state": pa.array(states, pa.large_string()),
    }
    for kind in ("new", "returning"):
        columns[f"{kind}_orders"] = getattr(table.orders, kind)
    for kind in ("new", "returning"):
        columns[f"{kind}_customers"] = getattr(table.customers, kind)
    for kind in ("new", "returning"):
        columns[f"{kind}_revenue"] = exact_money(getattr(table.revenue_minor, kind))
    columns |= {
        "won_back_orders": table.orders.won_back,
        "won_back_customers": table.customers.won_back,
        "won_back_revenue": exact_money(table.revenue_minor.won_back),
    }
    return with_first_days(pa.table(columns), "period", table.span)
