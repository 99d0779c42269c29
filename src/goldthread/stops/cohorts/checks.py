"""What must hold of the cohort tables."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import product

from goldthread.core.book.periods import elapsed_days
from goldthread.core.checks import check_behind, check_diagonals, check_sizes, check_totals
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Period
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.stops.reading import Read
from goldthread.stops.step import PERIODS_LISTED, Found, Step, at, recounted
from goldthread.store.recount.cohorts import recount_cohorts
from goldthread.workspace import Workspace


def cohort_steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    """Every table by itself, what stands behind its cells, and all of them counted again."""
    tables: dict[tuple[Period, AgeKind], CohortTable] = {}

    def totals(period: Period, kind: AgeKind) -> Found:
        table = tables[period, kind] = cohort_table(read.history, period, kind)
        return at(_words(period, kind), [*check_sizes(table), *check_totals(table), *check_diagonals(table)])

    def behind_cells(period: Period, kind: AgeKind) -> Found:
        return at(_words(period, kind), check_behind(tables[period, kind]))

    def recount_table(period: Period, kind: AgeKind) -> Found:
        found = recount_cohorts(workspace.record.engine, read.book.id, tables[period, kind])
        return at(_words(period, kind), [recounted("Cells", found.differing_count)])

    every = list(product(CALENDAR_PERIODS, AgeKind))
    yield from (("Sizes, totals and diagonals", partial(totals, *each)) for each in every)
    yield from (
        ("What stands behind each cell", partial(behind_cells, *each)) for each in product(PERIODS_LISTED, AgeKind)
    )
    if read.database_counts:
        yield from (("The database counts cohorts again", partial(recount_table, *each)) for each in every)


def _words(period: Period, kind: AgeKind) -> str:
    return f"by {period}" if kind is AgeKind.CALENDAR else f"by {period}, {elapsed_days(period)}-day windows"
