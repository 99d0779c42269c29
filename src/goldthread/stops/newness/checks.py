"""What must hold of new and returning."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from goldthread.core.checks import check_newness, check_newness_behind
from goldthread.core.choices import Period, Span
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.newness.table import NewnessTable, newness_table
from goldthread.stops.reading import Read
from goldthread.stops.step import PERIODS_LISTED, Found, Step, at, recounted
from goldthread.store.recount.newness import recount_newness
from goldthread.workspace import Workspace


def newness_steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    """Every table against the cohorts of its periods, what stands behind its figures, and all of them counted again."""
    tables: dict[Span, NewnessTable] = {}

    def new_and_returning(span: Span) -> Found:
        found = tables[span] = newness_table(read.history, span)
        if span is Span.DAY:
            return []
        return at(f"by {span}", check_newness(cohort_table(read.history, Period(span.value)), found))

    def behind_periods(span: Span) -> Found:
        return at(f"by {span}", check_newness_behind(tables[span]))

    def recount_span(span: Span) -> Found:
        differing_count = recount_newness(workspace.record.engine, read.book.id, tables[span])
        return at(f"by {span}", [recounted("Periods", differing_count)])

    spans = [span for span in Span if not span.is_fiscal]
    yield from (("New and returning", partial(new_and_returning, span)) for span in spans)
    yield from (
        ("What stands behind each period", partial(behind_periods, Span(each.value))) for each in PERIODS_LISTED
    )
    if read.database_counts and read.history.rule.lapse.is_span:
        yield from (("The database counts new and returning again", partial(recount_span, span)) for span in spans)
