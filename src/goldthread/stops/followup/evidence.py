"""What stands behind the figures of Follow-up."""

from __future__ import annotations

from dataclasses import replace

from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.choices import BLANK, Flow, Stands
from goldthread.core.counted import Counted, WithOrders
from goldthread.core.history.standing import Standing
from goldthread.core.standing.follow_up import Beside, FollowedPart
from goldthread.core.standing.over_time import StandingsOverTime
from goldthread.core.standing.tally import StandingTable
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.followup.answer import (
    FollowUpAnswer,
    LapseCurveAnswer,
    StandingAnswer,
    reasons_of,
)
from goldthread.stops.followup.question import FollowUpFigureName, LapseCurveFigureName, Part, StandingFigureName
from goldthread.stops.followup.words import WHO, boundary_words, sign_words
from goldthread.stops.sentences.sentence import count_words, number_words, percent_words

STANDING_OF = {stands: Standing[stands.name] for stands in Stands}
_FLOWED = {
    Flow.BEGAN: "Customers who placed their first order",
    Flow.BECAME_LAPSED: "Newly lapsed customers",
    Flow.WON_BACK: "Customers who had lapsed and were active again",
    Flow.CAME_ON_FILE: "Customers who came on file without an order",
    Flow.NONE_COUNTED: "Customers who placed only orders that do not count",
}
_STOOD = {
    Stands.ACTIVE: "Active customers",
    Stands.LAPSED: "Lapsed customers",
    Stands.NEVER_ORDERED: "Customers who never ordered",
    Stands.NONE_COUNTED: "Customers whose orders do not count",
}


def follow_up_part(answer: FollowUpAnswer, figure: FollowUpFigureName) -> FollowedPart:
    """The customers of a figure. Raises `InvalidInput`."""
    reason = None if figure.reason is None else reasons_of(answer, figure.reason)[0]
    if figure.part is Part.LEFT_OUT:
        return replace(answer.followed, reason=reason, contactable=False)
    if figure.part is Part.LISTED:
        return answer.part(reason=reason)
    if answer.members is None:
        raise InvalidInput(
            "There is no earlier list to compare with.", remedy="Give since_list the name of one.", field="part"
        )
    return answer.part(Beside(figure.part.value), reason)


def follow_up_counted(answer: FollowUpAnswer, figure: FollowUpFigureName) -> Counted:
    """The customers of a part of the list, with all their counted orders."""
    return Counted(answer.read.history, WithOrders(follow_up_part(answer, figure)))


def follow_up_words(answer: FollowUpAnswer, figure: FollowUpFigureName) -> str:
    """Who they are, as a sentence without its full stop."""
    who = f"Customers who {' or '.join(WHO[reason] for reason in reasons_of(answer, figure.reason))}"
    as_of = date_words(answer.read.as_of_day)
    name = "" if answer.earlier is None else answer.earlier.name
    return {
        Part.LISTED: f"{who} as of {as_of}",
        Part.LEFT_OUT: f"{who} as of {as_of}, but are closed or not to be contacted",
        Part.NEW: f"{who} as of {as_of}, and are not on the list {name}",
        Part.STILL: f"{who} as of {as_of}, and were on the list {name}",
        Part.GONE: f"Customers on the list {name} who are not on it any more as of {as_of}",
    }[figure.part]


def open_follow_up(answer: FollowUpAnswer, figure: FollowUpFigureName, offset: int, limit: int) -> Opened:
    """A part of those who are followed up."""
    counted = follow_up_counted(answer, figure)
    there = counted.customers
    words = f"{follow_up_words(answer, figure)}."
    beside = f"of the {count_words(int(answer.table.sizes.sum()), 'customer')} on file"
    note = f"{boundary_words(answer.read).capitalize()}."
    return opened_of(answer.read, Figure(Unit.COUNT, there, beside, words, note), counted, offset, limit)


def period_place(table: StandingsOverTime, label: str) -> int:
    """The place of a period. Raises `InvalidInput`."""
    labels = table.labels
    if label not in labels:
        raise InvalidInput(
            f"There is no period {label[:40]}.", remedy=f"Give one from {labels[0]} to {labels[-1]}.", field="at"
        )
    return labels.index(label)


def group_of(answer: StandingAnswer, group: str | None) -> tuple[StandingTable, int | None]:
    """The table that a group stands in, and its place there; None for everybody. Raises `InvalidInput`."""
    if group is None:
        return answer.table, None
    found = next(((table, place) for label, table, place in answer.groups() if label == group), None)
    if found is None:
        raise InvalidInput(f"There is no group {group[:80]}.", remedy="Name one that is shown.", field="group")
    return found


def standing_counted(answer: StandingAnswer, figure: StandingFigureName) -> Counted:
    """The customers of a standing with their counted orders up to that day. Raises `InvalidInput`."""
    stands = None if figure.stands is None else STANDING_OF[figure.stands]
    if answer.over is not None and figure.at:
        at = period_place(answer.over, figure.at)
        return Counted.of_table(answer.read.history, answer.over, at, stands, figure.flow)
    if figure.flow is not None or figure.at:
        raise InvalidInput(
            "What moved customers is counted by period.", remedy="Give over a period, and at one of them.", field="at"
        )
    table, place = group_of(answer, figure.group)
    return Counted.of_table(table.history, table, place, stands)


def standing_words(answer: StandingAnswer, figure: StandingFigureName) -> str:
    """Who they are, as a sentence without its full stop."""
    over = answer.over
    if over is not None and figure.at:
        period = period_words(figure.at)
        if figure.flow is not None:
            return f"{_FLOWED[figure.flow]} in {period}"
        day = date_words(int(over.end_day[period_place(over, figure.at)]))
    else:
        day = date_words(answer.read.as_of_day)
    who = "Customers on file" if figure.stands is None else _STOOD[figure.stands]
    group = "" if figure.group is None else f" ({figure.group or BLANK})"
    return f"{who} as of {day}{group}"


def open_standing(answer: StandingAnswer, figure: StandingFigureName, offset: int, limit: int) -> Opened:
    """Those of a standing, or whom a flow moved."""
    counted = standing_counted(answer, figure)
    there = counted.customers
    beside = "customers"
    if figure.stands is not None and not figure.at:
        table, place = group_of(answer, figure.group)
        everybody = int(table.sizes.sum() if place is None else table.sizes[place])
        beside += f", {percent_words(there, everybody)} of {number_words(everybody)}"
    note = "" if figure.flow is not None else f"{boundary_words(answer.read).capitalize()}."
    if figure.at:
        note = "The standing at the end of a period is that of its last day, as if it were the as-of date."
    shown = Figure(Unit.COUNT, there, beside, f"{standing_words(answer, figure)}.", note)
    return opened_of(answer.read, shown, counted, offset, limit)


def lapse_curve_counted(answer: LapseCurveAnswer, figure: LapseCurveFigureName) -> Counted:
    """Those who would be lapsed at a limit, with all their counted orders."""
    return Counted.of_table(answer.read.history, answer.curve, figure.days)


def lapse_curve_words(answer: LapseCurveAnswer, figure: LapseCurveFigureName) -> str:
    """Who they are, as a sentence without its full stop."""
    as_of = date_words(answer.read.as_of_day)
    return f"Customers without an {sign_words(answer.read)} for {count_words(figure.days, 'day')} as of {as_of}"


def open_lapse_curve(answer: LapseCurveAnswer, figure: LapseCurveFigureName, offset: int, limit: int) -> Opened:
    """Those who would be lapsed at a limit."""
    counted = lapse_curve_counted(answer, figure)
    there, everybody = counted.customers, answer.curve.lapsed_at(0)
    beside = f"customers, {percent_words(there, everybody)} of the {number_words(everybody)} with orders"
    shown = Figure(Unit.COUNT, there, beside, f"{lapse_curve_words(answer, figure)}.")
    return opened_of(answer.read, shown, counted, offset, limit)
