"""How a book stands: the figures that the letter is made of, each as its own stop works it out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.actor import actor
from goldthread.core.book.periods import period_end, period_of_day, period_start
from goldthread.core.checks import Check, checked_at_once
from goldthread.core.choices import AgeKind, Flow, Period, Span
from goldthread.core.cohorts.outliers import cohorts_apart
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.coverage import Coverage, coverage, source_days
from goldthread.core.history.history import History
from goldthread.core.intervals import difference_interval
from goldthread.core.newness.classes import Tally
from goldthread.core.newness.stretches import tally
from goldthread.core.newness.table import newness_table
from goldthread.core.newness.years import years_before
from goldthread.core.parts import ask_together
from goldthread.core.rhythm.due import Due, who_is_due
from goldthread.core.rhythm.waits import Between, waits, waits_among
from goldthread.core.standing.over_time import StandingsOverTime, standings_over_time
from goldthread.core.standing.tally import StandingTable, standing_table
from goldthread.core.survival import age_of_share
from goldthread.core.threads.backdated import backdated_customers
from goldthread.core.worth.arithmetic import Arithmetic, arithmetic
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.costs.spent import cost_of_all, costs_of, spend_by_month
from goldthread.stops.overview.question import SummaryQuestion
from goldthread.stops.overview.words import summary_words
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.store.read.noticed import Noticed, noticed_of
from goldthread.store.waiting_files import NO_TROUBLE, Trouble, trouble_of
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
BACK_BY_MONTH = 3
LATEST_COHORTS, COHORTS_BEFORE = 3, 12
DUE_DAYS = 28
MONTHS_DRAWN = 13


@dataclass(frozen=True)
class SourceState:
    """How fresh a source is. ``latest_day`` : of its counted orders; ``longest_silence_days`` : between two of its
    order days, up to the latest one."""

    name: str
    orders: int
    latest_day: int
    longest_silence_days: int


@dataclass(frozen=True)
class CameBack:
    """Of the latest cohorts that are complete at `BACK_BY_MONTH`, and of those before them, who had come back by then.
    ``difference`` and its 95 % interval are shares; NaN without any before."""

    first: int
    last: int
    customers: int
    came: int
    customers_before: int
    came_before: int
    difference: float
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Figures:
    """What the letter says of orders and customers.

    ``month`` : the month of the as-of date so far; ``year_ago`` : the same days a year earlier, None before the book
    begins; ``month_over`` : whether it has ended. ``months`` : orders of the last months up to it. ``apart`` : how many
    cohorts came back unlike adjacent ones. ``half_by`` : the day by which half have ordered a second time, None
    while fewer have. ``flows`` : who was newly lapsed, who was won back, in the month. ``identities`` : what was held
    against each other while this was worked out.
    """

    sources: list[SourceState]
    month: Tally
    year_ago: Tally | None
    month_over: bool
    months: Int64s
    table: CohortTable
    came_back: CameBack | None
    apart: int
    half_by: int | None
    due: Due
    standing: StandingTable
    flows: dict[Flow, int]
    backdated: int
    identities: list[Check]


@dataclass(frozen=True, eq=False)
class SummaryAnswer:
    """How a book stands on the as-of date: its figures, what customers are worth, and what needs attention."""

    read: Read
    question: SummaryQuestion
    figures: Figures
    worth: Arithmetic
    coverage: Coverage
    spend_problems: int
    noticed: Noticed
    trouble: Trouble

    @property
    def orders(self) -> int:
        return self.worth.orders

    @property
    def words(self) -> Words:
        """The question in words."""
        return summary_words(self.read, self.question, self.orders, self.worth.customers, self.worth.revenue_minor)


def ask_summary(workspace: Workspace, read: Read, question: SummaryQuestion) -> SummaryAnswer:
    """How a book stands. Raises `InvalidInput` for a margin or cost that is none, `Outdated` when the book moves on."""
    shelved = read.shelved
    found: Figures = workspace.answer(shelved, ("summary", *read.key), lambda: _figures(workspace, read))
    engine, book_id = workspace.record.engine, read.book.id
    noticed = workspace.answer(
        shelved, "noticed", lambda: workspace.bound(shelved, lambda: noticed_of(engine, book_id))
    )
    costs = costs_of(workspace, read, question, found.table)
    cost = cost_of_all(workspace, read, Period.MONTH)
    worth = arithmetic(found.table, costs, cost, question.cac_minor, float("nan"))
    return SummaryAnswer(
        read,
        question,
        found,
        worth,
        workspace.answer(shelved, "coverage", lambda: coverage(shelved.orders)),
        sum(row.problem is not None for row in spend_by_month(workspace, read)),
        noticed,
        trouble_of(engine, book_id) if actor().changes_things else NO_TROUBLE,
    )


def _figures(workspace: Workspace, read: Read) -> Figures:
    history = read.history
    day = history.rule.as_of_day
    month = period_of_day(day, Period.MONTH)
    first = int(period_start(month, Period.MONTH))
    ask_together(
        history,
        (who_is_due, (DUE_DAYS,)),
        (cohort_table, (Period.MONTH, AgeKind.CALENDAR)),
        (standing_table, ()),
        (newness_table, (Span.MONTH,)),
        (standings_over_time, (Period.MONTH,)),
        (waits_among, (Between(1), None, "everybody", None)),
        (source_days, ()),
        (tally, (first, day)),
        (backdated_customers, ()),
        (checked_at_once, ()),
    )
    table = cohort_table_of(workspace, read, history, Period.MONTH)
    standing = standing_table(history)
    newness, over = newness_table(history, Span.MONTH), standings_over_time(history, Period.MONTH)
    waited, before = waits(history, Between(1)), years_before(newness)
    return Figures(
        _sources(history),
        tally(history, first, day),
        before[-1] if before else None,
        int(period_end(month, Period.MONTH)) <= day,
        _last_months(newness.orders.total),
        table,
        _came_back(table),
        len(cohorts_apart(table)),
        age_of_share(waited.curve, 0.5)[0] if waited.times.of_group.sum() else None,
        who_is_due(history, DUE_DAYS),
        standing,
        _flows(over),
        backdated_customers(history),
        list(checked_at_once(history).checks),
    )


def _sources(history: History) -> list[SourceState]:
    """The sources with a counted order, the most orders first."""
    of_sources, found = source_days(history), []
    for code in np.flatnonzero(of_sources.orders).tolist():
        days = np.flatnonzero(of_sources.days[code]) + of_sources.first_day
        silence = int(np.diff(days).max(initial=0))
        orders = int(of_sources.orders[code])
        found.append(SourceState(of_sources.sources[code], orders, int(days[-1]), silence))
    return sorted(found, key=lambda each: -each.orders)


def _last_months(orders: Int64s) -> Int64s:
    """Orders of the last months, that of the as-of date last; months before the first order have none."""
    months = np.zeros(MONTHS_DRAWN, np.int64)
    last = orders[-MONTHS_DRAWN:]
    months[MONTHS_DRAWN - last.size :] = last
    return months


def _came_back(table: CohortTable) -> CameBack | None:
    if table.age_count <= BACK_BY_MONTH:
        return None
    rows = np.flatnonzero(table.complete[:, BACK_BY_MONTH])
    latest, before = rows[-LATEST_COHORTS:], rows[:-LATEST_COHORTS][-COHORTS_BEFORE:]
    if latest.size == 0:
        return None
    came, size = table.came_back_by[:, BACK_BY_MONTH], table.size
    mine, theirs = (np.array([[came[some].sum(), size[some].sum()]]) for some in (latest, before))
    difference, low, high = difference_interval(mine[:, 0], mine[:, 1], theirs[:, 0], theirs[:, 1])
    return CameBack(
        table.first_cohort + int(latest[0]),
        table.first_cohort + int(latest[-1]),
        int(mine[0, 1]),
        int(mine[0, 0]),
        int(theirs[0, 1]),
        int(theirs[0, 0]),
        float(difference[0]),
        float(low[0]),
        float(high[0]),
    )


def _flows(over: StandingsOverTime) -> dict[Flow, int]:
    """Flows of the last month."""
    if over.end_day.size == 0:
        return dict.fromkeys(Flow, 0)
    return {flow: int(over.flow(flow)[-1]) for flow in Flow}
