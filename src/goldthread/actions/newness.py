"""New and returning: ask for it, say it in words, take it as a table."""

from __future__ import annotations

import pyarrow as pa

from goldthread.actions.reading import Read
from goldthread.actions.sheets import Sheet, exact_money
from goldthread.actions.wording import Control, Part, history_controls, plain, reading_line, words_control
from goldthread.actions.workspace import Workspace
from goldthread.core.cohorts import CellState
from goldthread.core.newness import NewnessTable, Span, newness_table


def ask_newness(workspace: Workspace, read: Read, span: Span) -> NewnessTable:
    """New and returning orders, customers and revenue by period."""
    found: NewnessTable = workspace.answer(
        read.shelved, ("newness", *read.key, span), lambda: newness_table(read.history, span)
    )
    return found


def newness_sentence(span: Span) -> list[Part]:
    """The question as people read it aloud."""
    return [Part("How much of each "), Part(span.value, "span"), Part(" is new, how much is people coming back?")]


def newness_controls(read: Read, span: Span) -> list[Control]:
    """The choices of the question and of the reading line."""
    return [words_control("span", "Periods", span, {each: each.value for each in Span}), *history_controls(read)]


def newness_sheet(read: Read, table: NewnessTable) -> Sheet:
    """One row a period."""
    sentences = (plain(newness_sentence(table.span)), plain(reading_line(read)))
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
    return Sheet(sentences, pa.table(columns))
