"""What must hold of standings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from goldthread.core.checks import Check, check_flows, check_standing
from goldthread.core.choices import Period
from goldthread.core.standing.over_time import StandingsOverTime
from goldthread.stops.followup.answer import standings_over
from goldthread.stops.followup.worked import worked_lists
from goldthread.stops.reading import Read
from goldthread.stops.step import Step, recounted
from goldthread.store.lists import ListRow, members_mask
from goldthread.store.recount.standing import recount_standing_table
from goldthread.store.working import UNTOUCHED, entries
from goldthread.workspace import Workspace


def _members_add_up(workspace: Workspace, read: Read, row: ListRow) -> Check:
    """11. contacted + to do + left out, the held-back among these, are the members that the list was made with."""
    mask = members_mask(workspace.record.engine, read.book.id, row.id, read.shelved.orders)
    ids = read.shelved.orders.customer_id[mask].tolist()
    known = entries(workspace.record.engine, row.id)
    states = Counter(known.get(each, UNTOUCHED).state for each in ids)
    strangers = len(set(known) - set(ids))
    found = sum(states.values()) + strangers
    return Check(11, "Members of a list are contacted, to do or left out", int(mask.sum()), found, row.name)


def followup_steps(workspace: Workspace, read: Read) -> Iterator[Step]:
    """Standings on the as-of date and at the ends of quarters, and the same counted again."""
    history, engine, book = read.history, workspace.record.engine, read.book.id

    def over() -> StandingsOverTime:
        return standings_over(workspace, read, Period.QUARTER)

    def counted_again() -> list[Check]:
        table = over()
        differing = 0
        for place in sorted({0, table.end_day.size // 2, table.end_day.size - 1}):
            found = recount_standing_table(engine, book, history, int(table.end_day[place]))
            differing += int((found != table.customers[:, place]).sum())
        return [recounted("Standings at the end of quarters", differing)]

    yield "Standings", lambda: check_standing(history, history.rule.lapse)
    yield "Standings over time", lambda: check_flows(over())
    yield "Lists that were worked", lambda: [_members_add_up(workspace, read, row) for row in worked_lists(read)]
    if read.database_counts and history.rule.lapse.is_span:
        yield "The database counts standings again", counted_again
