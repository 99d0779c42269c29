"""The figures of Rhythm counted again by the database."""

from __future__ import annotations

import datetime as dt
from itertools import pairwise

import numpy as np

from goldthread.core.book.days import to_day
from goldthread.core.book.periods import period_end, period_start
from goldthread.core.choices import Period
from goldthread.core.history.conditions import Level
from goldthread.core.rhythm.due import LATE_LIMITS
from goldthread.core.rhythm.gaps import STEPS_APART
from goldthread.stops.behind.recount import NO_FILTER_ON_ORDERS, Recounted, asked_of
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.answer import CountsAnswer, DueAnswer, GapsAnswer, NextOrderAnswer, period_of
from goldthread.stops.rhythm.evidence import (
    counts_counted,
    due_counted,
    gap_days_of,
    gap_group,
    gaps_counted,
    groups_of,
    next_order_counted,
)
from goldthread.stops.rhythm.question import (
    LATE,
    LONGEST_GAP_DAYS,
    STEP,
    TOGETHER,
    CountsFigureName,
    DueFigureName,
    GapsFigureName,
    NextOrderFigureName,
)
from goldthread.store.recount import rhythm
from goldthread.workspace import Workspace

_NO_GROUPS = "The database's recount cannot distinguish the groups of a field of orders."


def recount_counts(workspace: Workspace, answer: CountsAnswer, figure: CountsFigureName) -> Recounted:
    """Count some groups of order counts again."""
    counted, groups, counts = counts_counted(answer, figure), groups_of(answer, figure), answer.counts
    page = counted.tally
    if 0 in groups and counted.history.chosen is not None:
        return Recounted(page, None, "The database's recount finds chosen customers by their orders, so none without.")
    asked, reason = asked_of(workspace, answer.read, counted.history)
    if asked is None:
        return Recounted(page, None, reason)
    days = counts.first_day, counts.last_day
    return Recounted(page, rhythm.recount_order_counts(asked, days, groups, counts.groups))


def recount_gaps(workspace: Workspace, answer: GapsAnswer, figure: GapsFigureName) -> Recounted:
    """Count some gaps again."""
    counted, group, by = gaps_counted(answer, figure), gap_group(answer, figure), answer.question.by
    page = counted.tally
    steps, days, members = (1, LONGEST_GAP_DAYS), None, None
    if group is not None and answer.table is not None:
        label = answer.table.labels[group]
        if by == STEP:
            first = int(label.rstrip("+"))
            steps = (first, LONGEST_GAP_DAYS if first == STEPS_APART else first)
        elif period := period_of(answer.read, by):
            days = _days_of(answer.read, int(answer.table.behind(group).orders[0]), period)
        elif by != TOGETHER:
            if answer.read.fields.level(by) is not Level.CUSTOMER:
                return Recounted(page, None, _NO_GROUPS)
            labels = answer.read.fields.grouping(by)
            members = labels.codes == labels.labels.index(label)
    asked, reason = asked_of(workspace, answer.read, counted.history, members)
    if asked is None:
        return Recounted(page, None, reason)
    lengths = gap_days_of(answer, figure) or (0, LONGEST_GAP_DAYS)
    return Recounted(page, rhythm.recount_gaps(asked, lengths, steps, days))


def _days_of(read: Read, order: int, period: Period) -> tuple[int, int]:
    """The first and the last day of the period that an order falls in."""
    first, codes = read.orders.period(period)
    index = first + int(codes[order])
    return int(period_start(index, period)), int(period_end(index, period))


def recount_next_order(workspace: Workspace, answer: NextOrderAnswer, figure: NextOrderFigureName) -> Recounted:
    """Count those who are so, some days after the order, again: what the curve is made of."""
    counted = next_order_counted(answer, figure)
    page = counted.tally
    if answer.question.after or answer.question.then:
        return Recounted(page, None, NO_FILTER_ON_ORDERS)
    waits, group = answer.group(figure.group)
    members = None
    if group is not None and answer.question.split:
        if answer.read.fields.level(answer.question.split) is not Level.CUSTOMER:
            return Recounted(page, None, _NO_GROUPS)
        members = np.zeros(waits.history.book.customer_count, np.bool_)
        members[waits.history.book.customer.take(waits.positions[waits.group == group])] = True
    asked, reason = asked_of(workspace, answer.read, counted.history, members)
    if asked is None:
        return Recounted(page, None, reason)
    return Recounted(page, rhythm.recount_waits(asked, answer.question.step, figure.days, figure.who))


def recount_due(workspace: Workspace, answer: DueAnswer, figure: DueFigureName) -> Recounted:
    """Count those who are expected again: their usual gaps are worked out by the database too."""
    counted, at = due_counted(answer, figure), figure.at
    page = counted.tally
    asked, reason = asked_of(workspace, answer.read, counted.history)
    if asked is None:
        return Recounted(page, None, reason)
    if at == LATE:
        return Recounted(page, rhythm.recount_due(asked, None, None))
    if at.startswith(LATE):
        limits = [*pairwise([0.0, *LATE_LIMITS]), (LATE_LIMITS[-1], None), (0.0, 0.0)]
        group = int(at.removeprefix(f"{LATE}-")) - 1
        return Recounted(page, rhythm.recount_due(asked, None, limits[group]))
    as_of = answer.read.as_of_day
    days = (as_of, as_of + answer.days - 1) if not at else (_day(at), _day(at))
    return Recounted(page, rhythm.recount_due(asked, days, None))


def _day(text: str) -> int:
    return to_day(dt.date.fromisoformat(text))
