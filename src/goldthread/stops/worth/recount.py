"""The figures of Worth counted again by the database."""

from __future__ import annotations

from goldthread.askers import asker_is_gone
from goldthread.stops.behind.recount import Recounted, asked_of, looked_at
from goldthread.stops.reading import Read
from goldthread.stops.worth.answer import (
    CompareAnswer,
    PaybackAnswer,
    SpendAnswer,
    TopCustomersAnswer,
    WorthAnswer,
    count_of,
)
from goldthread.stops.worth.evidence import (
    Cells,
    compare_cells,
    largest_of,
    payback_cells,
    spend_cells,
    top_counted,
    worth_cells,
)
from goldthread.stops.worth.question import (
    CompareFigureName,
    PaybackFigureName,
    SpendFigureName,
    TopCustomersFigureName,
    WorthFigureName,
)
from goldthread.store.recount.figure import recount_cells
from goldthread.store.recount.worth import recount_top
from goldthread.workspace import Workspace


def recount_worth(workspace: Workspace, answer: WorthAnswer, figure: WorthFigureName) -> Recounted:
    """Count what a figure of the arithmetic rests on again."""
    return _recounted(workspace, answer.read, worth_cells(answer, figure))


def recount_payback(workspace: Workspace, answer: PaybackAnswer, figure: PaybackFigureName) -> Recounted:
    """Count a point of a curve again."""
    return _recounted(workspace, answer.read, payback_cells(answer, figure))


def recount_spend(workspace: Workspace, answer: SpendAnswer, figure: SpendFigureName) -> Recounted:
    """Count the new customers of a month again."""
    return _recounted(workspace, answer.read, spend_cells(answer, figure))


def recount_compare(workspace: Workspace, answer: CompareAnswer, figure: CompareFigureName) -> Recounted:
    """Count one of two groups again."""
    return _recounted(workspace, answer.read, compare_cells(answer, figure))


def recount_top_customers(
    workspace: Workspace, answer: TopCustomersAnswer, figure: TopCustomersFigureName
) -> Recounted:
    """Rank the customers again."""
    counted = top_counted(answer, figure)
    page = counted.tally
    asked, reason = asked_of(workspace, answer.read, counted.history)
    if asked is None:
        return Recounted(page, None, reason)
    return Recounted(page, recount_top(asked, count_of(answer.shares, largest_of(answer, figure))))


def _recounted(workspace: Workspace, read: Read, cells: Cells) -> Recounted:
    history = cells.table.history
    page = cells.counted.tally
    members = None if cells.among is None else cells.among(history.here)
    among, reason = looked_at(history, "" if history.rule.where is None else read.line.where, members)
    if reason:
        return Recounted(page, None, reason)
    engine, book = workspace.record.engine, read.book.id
    return Recounted(page, recount_cells(engine, book, history, cells.table, cells.wanted, among, asker_is_gone()))
