"""Every identity of the definitions over every table of a book, and whole tables counted again by the database."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from itertools import product

from goldthread.actions.questions import HistoryChoice
from goldthread.actions.reading import Read, read_book
from goldthread.actions.workspace import Workspace
from goldthread.core.checks import (
    Check,
    check_behind,
    check_diagonals,
    check_gaps,
    check_newness,
    check_newness_behind,
    check_sizes,
    check_standing,
    check_totals,
)
from goldthread.core.cohorts import CohortTable, cohort_table
from goldthread.core.newness import NewnessTable, Span, newness_table
from goldthread.core.periods import ELAPSED_DAYS, AgeKind, Period
from goldthread.core.records import Progress
from goldthread.store.books import BookRow
from goldthread.store.recount import recount_cohorts
from goldthread.store.recount_newness import recount_newness

Step = tuple[str, Callable[[], list[Check]]]
_LISTED = (Period.MONTH, Period.QUARTER, Period.YEAR)
"""Cells of weeks are too many to list what stands behind each."""


def check_book(
    workspace: Workspace, book: BookRow, choice: HistoryChoice, today: dt.date, progress: Progress
) -> list[Check]:
    """Hold every identity; told by their numbers. Raises `Stopped` when the progress says so.

    The database's recount knows neither conditions nor customers in hand, so it is left out under either.
    """
    read = read_book(workspace, book, choice, today)
    steps = list(_steps(workspace, read))
    checks: list[Check] = []
    for place, (phase, work) in enumerate(steps):
        progress(phase, place, len(steps))
        checks += work()
    progress("done", len(steps), len(steps))
    return sorted(checks, key=lambda check: check.number)


def _steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    history = read.history
    tables: dict[tuple[Period, AgeKind], CohortTable] = {}
    spans: dict[Span, NewnessTable] = {}

    def totals(period: Period, kind: AgeKind) -> list[Check]:
        table = tables[period, kind] = cohort_table(history, period, kind)
        return _at(_words(period, kind), [*check_sizes(table), *check_totals(table), *check_diagonals(table)])

    def new_and_returning(span: Span) -> list[Check]:
        found = spans[span] = newness_table(history, span)
        if span is Span.DAY:
            return []
        return _at(f"by {span}", check_newness(tables[Period(span.value), AgeKind.CALENDAR], found))

    def behind_cells(period: Period, kind: AgeKind) -> list[Check]:
        return _at(_words(period, kind), check_behind(tables[period, kind]))

    def behind_periods(span: Span) -> list[Check]:
        return _at(f"by {span}", check_newness_behind(spans[span]))

    def recount_table(period: Period, kind: AgeKind) -> list[Check]:
        found = recount_cohorts(workspace.record.engine, read.book.id, tables[period, kind])
        return _at(_words(period, kind), [_recounted("Cells", found.differing_count)])

    def recount_span(span: Span) -> list[Check]:
        differing = recount_newness(workspace.record.engine, read.book.id, spans[span])
        return _at(f"by {span}", [_recounted("Periods", differing)])

    every = list(product(Period, AgeKind))
    yield from (("Sizes, totals and diagonals", partial(totals, *each)) for each in every)
    yield from (("New and returning", partial(new_and_returning, span)) for span in Span)
    yield "Gaps", lambda: check_gaps(history)
    yield "Standings", lambda: check_standing(history, history.rule.lapse)
    yield from (("What stands behind each cell", partial(behind_cells, *each)) for each in product(_LISTED, AgeKind))
    yield from (("What stands behind each period", partial(behind_periods, Span(each.value))) for each in _LISTED)
    if history.chosen is None:
        yield from (("The database counts cohorts again", partial(recount_table, *each)) for each in every)
        yield from (("The database counts new and returning again", partial(recount_span, span)) for span in Span)


def _recounted(what: str, differing: int) -> Check:
    return Check(8, f"{what} in which the database's own recount differs", 0, differing)


def _at(where: str, checks: list[Check]) -> list[Check]:
    return [replace(check, where=where) for check in checks]


def _words(period: Period, kind: AgeKind) -> str:
    return f"by {period}" if kind is AgeKind.CALENDAR else f"by {period}, spans of {ELAPSED_DAYS[period]} days"
