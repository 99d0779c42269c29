"""What must hold of order counts, gaps, and times to the next order."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.core.checks import check_order_counts, check_waits
from goldthread.core.rhythm.counts import OrderCounts, order_counts
from goldthread.core.rhythm.waits import Between, Waits, waits
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.question import COUNTS_APART
from goldthread.stops.step import Found, Step, at, recounted
from goldthread.store.recount.rhythm import recount_count_table, recount_wait_table
from goldthread.workspace import Workspace

_STEPS = 5
_YEAR_DAYS = 365


def rhythm_steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    """Order counts of the whole book and of the last year, times to the next order after the first few orders, and both
    counted again."""
    history, engine, book = read.history, workspace.record.engine, read.book.id
    first = history.first_day

    def counts(begins: int) -> OrderCounts:
        return order_counts(history, begins, read.as_of_day, COUNTS_APART)

    def every_wait() -> list[Waits]:
        return [waits(history, Between(step)) for step in range(1, _STEPS + 1)]

    def order_count_checks() -> Found:
        last_year = at("in the last 365 days", check_order_counts(counts(read.as_of_day - _YEAR_DAYS + 1)))
        return [*at("in the whole book", check_order_counts(counts(first))), *last_year]

    yield "Order counts", order_count_checks
    yield "Time to the next order", lambda: [each for one in every_wait() for each in check_waits(one)]
    if read.database_counts:
        yield (
            "The database counts orders of each customer again",
            lambda: [
                recounted("Order-count groups", recount_count_table(engine, book, counts(begins)))
                for begins in (first, read.as_of_day - _YEAR_DAYS + 1)
            ],
        )
        yield (
            "The database counts gaps and waits again",
            lambda: [recounted("Steps and ages of waits", recount_wait_table(engine, book, every_wait()))],
        )
