"""What stands behind the figures of a list that is worked, and their recount."""

from __future__ import annotations

import numpy as np

from goldthread.core.choices import Became
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.behind.recount import Recounted, asked_of
from goldthread.stops.followup.question import MembersShown, WorkedFigureName
from goldthread.stops.followup.worked import WorkedAnswer, figure_mask, within_days, worked_counted
from goldthread.stops.sentences.sentence import count_words, number_words, percent_words
from goldthread.store.recount import standing
from goldthread.workspace import Workspace

_WHO = {
    MembersShown.ALL: "Members",
    MembersShown.TO_DO: "Members still to do",
    MembersShown.CONTACTED: "Members who were contacted",
    MembersShown.LEFT_OUT: "Members who were left out",
    MembersShown.HELD_BACK: "Members of the control group",
}
_BECAME = {
    Became.ORDERED: " who ordered again within {days}",
    Became.NOT_ORDERED: " who did not order within {days}",
    Became.OPEN: " who have not ordered so far, with days of the {days} left",
}


def worked_words(answer: WorkedAnswer, figure: WorkedFigureName) -> str:
    """Who they are, as a sentence without its full stop."""
    days = count_words(within_days(answer.question.within), "day")
    became = "" if figure.became is None else _BECAME[figure.became].format(days=days)
    return f"{_WHO[figure.members]} of {answer.row.name}{became}"


def open_worked(answer: WorkedAnswer, figure: WorkedFigureName, offset: int, limit: int) -> Opened:
    """Some members of the list."""
    counted, worked = worked_counted(answer, figure), answer.worked
    there, everybody = counted.customers, int(worked.shown(figure.members).sum())
    beside = "customers"
    if figure.became is not None:
        beside += f", {percent_words(there, everybody)} of {number_words(everybody)}"
    shown = Figure(Unit.COUNT, there, beside, f"{worked_words(answer, figure)}.", f"{answer.row.rule}.")
    return opened_of(answer.read, shown, counted, offset, limit)


def recount_worked(workspace: Workspace, answer: WorkedAnswer, figure: WorkedFigureName) -> Recounted:
    """Count some members again: the days of each are given to the database, which looks for orders in them."""
    read, worked = answer.read, answer.worked
    page = worked_counted(answer, figure).tally
    among = figure_mask(worked, figure) if figure.became is None else worked.shown(figure.members)
    members = np.zeros(read.orders.customer_count, np.bool_)
    members[worked.members[among]] = True
    asked, reason = asked_of(workspace, read, read.history, members, without_orders=True)
    if asked is None:
        return Recounted(page, None, reason)
    if figure.became is None:
        return Recounted(page, standing.recount_standing(asked, read.as_of_day, None))
    found = worked.found
    kept = among if figure.became is Became.ORDERED else among & (found.over == (figure.became is Became.NOT_ORDERED))
    days = zip(
        read.orders.customer_id.take(worked.members[kept]).tolist(),
        found.first_day[kept].tolist(),
        found.last_day[kept].tolist(),
        strict=True,
    )
    return Recounted(page, standing.recount_days(asked, list(days), ordered=figure.became is Became.ORDERED))
