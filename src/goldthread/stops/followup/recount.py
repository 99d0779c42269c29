"""The figures of Follow-up counted again by the database."""

from __future__ import annotations

import numpy as np

from goldthread.core.history.standing import Standing
from goldthread.core.standing.over_time import MOVES, OFF_FILE
from goldthread.stops.behind.recount import NO_USUAL_GAPS, Recounted, asked_of
from goldthread.stops.followup.answer import (
    FollowUpAnswer,
    LapseCurveAnswer,
    StandingAnswer,
    once_ago_days,
    reasons_of,
)
from goldthread.stops.followup.evidence import (
    follow_up_counted,
    group_of,
    lapse_curve_counted,
    period_place,
    standing_counted,
)
from goldthread.stops.followup.question import (
    Contactable,
    FollowUpFigureName,
    LapseCurveFigureName,
    Part,
    StandingFigureName,
)
from goldthread.store.recount import standing
from goldthread.workspace import Workspace


def recount_follow_up(workspace: Workspace, answer: FollowUpAnswer, figure: FollowUpFigureName) -> Recounted:
    """Count those who are followed up again, from reasons that the database works out itself."""
    counted, reasons, read = follow_up_counted(answer, figure), reasons_of(answer, figure.reason), answer.read
    page = counted.tally
    rule = read.history.rule
    if figure.part is Part.GONE:
        return Recounted(page, None, "The database's recount knows no reasons that do not hold any more.")
    members = None
    if answer.members is not None and figure.part in (Part.NEW, Part.STILL):
        on_it = answer.members(read.history.here)
        members = on_it if figure.part is Part.STILL else ~on_it
    asked, reason = asked_of(workspace, read, counted.history, members, without_orders=True)
    if asked is None:
        return Recounted(page, None, reason)
    left_out = figure.part is Part.LEFT_OUT
    both = figure.part is not Part.LEFT_OUT and answer.question.contactable is Contactable.ALL
    once_day = rule.as_of_day - once_ago_days(answer.question)
    return Recounted(page, standing.recount_follow_up(asked, reasons, once_day, None if both else left_out))


def recount_standing(workspace: Workspace, answer: StandingAnswer, figure: StandingFigureName) -> Recounted:
    """Count those of a standing, or whom a flow moved, again."""
    counted, read, over = standing_counted(answer, figure), answer.read, answer.over
    page = counted.tally
    if over is not None and figure.at:
        if not read.history.rule.lapse.is_span:
            return Recounted(page, None, NO_USUAL_GAPS)
        asked, reason = asked_of(workspace, read, counted.history, without_orders=True)
        if asked is None:
            return Recounted(page, None, reason)
        place = period_place(over, figure.at)
        end = int(over.end_day[place])
        if figure.flow is None:
            return Recounted(page, standing.recount_standing(asked, end, figure.stands))
        before = int(over.end_day[place - 1]) if place else over.before_day
        moves = [(_name(one), _name(other)) for one, other in MOVES[figure.flow]]
        return Recounted(page, standing.recount_flow(asked, (before, end), moves))
    table, place_of_group = group_of(answer, figure.group)
    members = None
    if place_of_group is not None:
        members = np.zeros(read.orders.customer_count, np.bool_)
        members[table.members(place_of_group, None)] = True
    asked, reason = asked_of(workspace, read, counted.history, members, without_orders=True)
    if asked is None:
        return Recounted(page, None, reason)
    return Recounted(page, standing.recount_standing(asked, read.as_of_day, figure.stands))


def recount_lapse_curve(workspace: Workspace, answer: LapseCurveAnswer, figure: LapseCurveFigureName) -> Recounted:
    """Count those who would be lapsed at a limit again."""
    counted = lapse_curve_counted(answer, figure)
    page = counted.tally
    asked, reason = asked_of(workspace, answer.read, answer.read.history)
    if asked is None:
        return Recounted(page, None, reason)
    return Recounted(page, standing.recount_limit(asked, figure.days))


def _name(state: int) -> str:
    return standing.OFF_FILE if state == OFF_FILE else Standing(state).name.lower()
