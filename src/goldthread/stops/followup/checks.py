"""What must hold of standings."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.core.checks import Check, check_flows, check_standing
from goldthread.core.choices import Period
from goldthread.core.standing.over_time import StandingsOverTime, standings_over_time
from goldthread.stops.reading import Read
from goldthread.stops.step import Step, recounted
from goldthread.store.recount.standing import recount_standing_table
from goldthread.workspace import Workspace


def followup_steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    """Standings on the as-of date and at the ends of quarters, and the same counted again."""
    history, engine, book = read.history, workspace.record.engine, read.book.id

    def over() -> StandingsOverTime:
        return workspace.answer(
            read.shelved,
            ("standings over", *read.key, Period.QUARTER),
            lambda: standings_over_time(history, Period.QUARTER),
        )

    def counted_again() -> list[Check]:
        table = over()
        differing = 0
        for place in sorted({0, table.end_day.size // 2, table.end_day.size - 1}):
            found = recount_standing_table(engine, book, history, int(table.end_day[place]))
            differing += int((found != table.customers[:, place]).sum())
        return [recounted("Standings at the end of quarters", differing)]

    yield "Standings", lambda: check_standing(history, history.rule.lapse)
    yield "Standings over time", lambda: check_flows(over())
    if history.chosen is None and history.rule.lapse.is_span:
        yield "The database counts standings again", counted_again
