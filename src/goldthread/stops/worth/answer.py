"""Worth: the arithmetic, payback by age, spend, two groups compared, who brings the revenue."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import Period
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.worth.acquisition import MonthOfSpend, Spend
from goldthread.core.worth.arithmetic import Changed, Changes
from goldthread.core.worth.bands import bundles_of_groups, intervals
from goldthread.core.worth.compared import ValuesCompared, compared
from goldthread.core.worth.margins import Margins
from goldthread.core.worth.revenue_shares import RevenueShares, revenue_shares
from goldthread.errors import InvalidInput
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.costs.spent import BY_CHANNEL, margins_of, recorded_spend, spend_by_month
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.stops.sentences.sequence import Columns, by_column, of_customers
from goldthread.stops.worth.groups import ValueGroup, ValueGroups, groups_of
from goldthread.stops.worth.question import (
    CompareQuestion,
    PaybackQuestion,
    SpendQuestion,
    SpendShown,
    Top,
    TopCustomersQuestion,
    WorthQuestion,
)
from goldthread.stops.worth.sides import ChosenGroup, side_of
from goldthread.stops.worth.words import compare_words, payback_words, spend_words, top_words, worth_words
from goldthread.workspace import Workspace

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Band:
    """The 95 % interval of profit per customer by age; float64, shape (ages,), ten-thousandths, NaN where unknown."""

    low_minor: Floats
    high_minor: Floats


@dataclass(frozen=True, eq=False)
class WorthAnswer:
    """What customers are worth. ``changes`` and ``changed`` : what is moved, and what that does; None for nothing.
    ``spend``, ``everybody`` : what is recorded, and the cohorts of whoever was won with it."""

    read: Read
    question: WorthQuestion
    groups: ValueGroups
    band: Band
    changes: Changes
    changed: Changed | None
    spend: Spend
    everybody: CohortTable

    def channel_of(self, group: ValueGroup) -> str | None:
        """The channel that a group came by, where each has its own spend; None where all share it."""
        return group.label if self.question.split == BY_CHANNEL and group.among is not None else None

    @property
    def words(self) -> Words:
        """The arithmetic as a sentence."""
        return worth_words(self.read, self.question, self.groups, self.changed)


@dataclass(frozen=True, eq=False)
class PaybackAnswer:
    """What customers have brought by age."""

    read: Read
    question: PaybackQuestion
    groups: ValueGroups
    band: Band

    @property
    def words(self) -> Words:
        """The question in words."""
        return payback_words(self.read, self.question)


@dataclass(frozen=True, eq=False)
class SpendAnswer:
    """Spend beside new customers, month by month. ``rows`` : those that are shown. ``problems`` : how many of all are
    to be checked. ``table`` : the cohorts of everybody, by month."""

    read: Read
    question: SpendQuestion
    rows: list[MonthOfSpend]
    problems: int
    table: CohortTable

    @property
    def words(self) -> Words:
        """The question in words."""
        return spend_words(self.question)


@dataclass(frozen=True, eq=False)
class CompareAnswer:
    """Two groups at the same age."""

    read: Read
    question: CompareQuestion
    table: CohortTable
    sides: tuple[ChosenGroup, ChosenGroup]
    compared: ValuesCompared

    @property
    def words(self) -> Words:
        """The question in words."""
        return compare_words(self.read, self.question, self.sides)


@dataclass(frozen=True, eq=False)
class TopCustomersAnswer:
    """Customers by revenue. ``rows`` : places of those that are shown, in the sequence in which they are."""

    read: Read
    question: TopCustomersQuestion
    shares: RevenueShares
    rows: NDArray[np.int64]

    @property
    def words(self) -> Words:
        """The question in words."""
        return top_words(self.question)


def ask_worth(workspace: Workspace, read: Read, question: WorthQuestion) -> WorthAnswer:
    """The arithmetic of worth. Raises `InvalidInput` for a choice that does not fit the book."""
    groups = groups_of(workspace, read, question)
    names = ("if_margin", "if_cac", "if_order_value", "if_retention")
    changes = Changes(*(question.change(name) for name in names))
    mine = groups.whole.arithmetic
    if changes.margin and mine.gross_margin * (1 + changes.margin) > 1:
        raise InvalidInput(
            "The gross margin would be more than 100 %.", remedy="Give a smaller change.", field="if_margin"
        )
    changed = mine.changed(changes) if changes.any else None
    return WorthAnswer(
        read,
        question,
        groups,
        _band(workspace, read, question, groups),
        changes,
        changed,
        recorded_spend(workspace, read),
        cohort_table_of(workspace, read, read.history.everybody, question.period),
    )


def ask_payback(workspace: Workspace, read: Read, question: PaybackQuestion) -> PaybackAnswer:
    """What customers have brought by age. Raises `InvalidInput` for a choice that does not fit the book."""
    groups = groups_of(workspace, read, question)
    return PaybackAnswer(read, question, groups, _band(workspace, read, question, groups))


def _band(workspace: Workspace, read: Read, question: WorthQuestion | PaybackQuestion, groups: ValueGroups) -> Band:
    """How sure the profit of all together is; what winning them cost is taken as known."""
    whole, margins = groups.whole, margins_of(question)
    if whole.table.cohort_count == 0 or not question.margin_set:
        return Band(np.zeros(0), np.zeros(0))
    known = ~np.isnan(whole.costs.cac_minor)

    def made() -> tuple[Floats, Floats]:
        return intervals(*bundles_of_groups(whole.table, margins, known))[0]

    key = ("worth band", *read.key, question.period, question.ages, margins, question.cac)
    low, high = workspace.answer(read.shelved, key, made)
    counts, cac = whole.counts, whole.costs.cac_minor
    included = counts.complete & known[:, None]
    size = np.where(included, counts.size[:, None], 0)
    below = size.sum(axis=0)
    cost = (size * np.where(known, cac, 0.0)[:, None]).sum(axis=0) / np.where(below > 0, below, np.nan)
    return Band(low - cost, high - cost)


def ask_spend(workspace: Workspace, read: Read, question: SpendQuestion) -> SpendAnswer:
    """Spend beside new customers, whoever is looked at."""
    rows = spend_by_month(workspace, read)
    shown = [row for row in rows if row.problem] if question.shown is SpendShown.PROBLEMS else rows
    problems = sum(row.problem is not None for row in rows)
    columns: Columns = {
        "month": lambda: np.array([row.month for row in shown]),
        "channel": lambda: [row.channel for row in shown],
        "spend": lambda: np.array([row.spent_minor for row in shown], np.float64),
        "new_customers": lambda: np.array([row.customers for row in shown]),
        "cac": lambda: np.array([row.cac_minor for row in shown], np.float64),
        "problem": lambda: [row.problem or "" for row in shown],
    }
    shown = [shown[place] for place in by_column(question.sort, np.arange(len(shown)), columns).tolist()]
    table = cohort_table_of(workspace, read, read.history.everybody, Period.MONTH)
    return SpendAnswer(read, question, shown, problems, table)


def ask_compare(workspace: Workspace, read: Read, question: CompareQuestion) -> CompareAnswer:
    """Two groups at the same age. Raises `InvalidInput` for a side that names nobody."""
    table = cohort_table_of(workspace, read, read.history, question.period, question.ages)
    one = side_of(workspace, read, question.one, "one")
    other = side_of(workspace, read, question.other, "other", instead_of=one)
    margins = margins_of(question) if question.margin_set else Margins(1.0)
    key = ("compared", *read.key, question.period, question.ages, margins, question.one, question.other)
    found = workspace.answer(read.shelved, key, lambda: compared(table, margins, one.members, other.members))
    return CompareAnswer(read, question, table, (one, other), found)


def ask_top_customers(workspace: Workspace, read: Read, question: TopCustomersQuestion) -> TopCustomersAnswer:
    """Customers by revenue, the largest first."""
    shares = workspace.answer(read.shelved, ("revenue shares", *read.key), lambda: revenue_shares(read.history))
    count = count_of(shares, question.top)
    columns: Columns = {
        "name": lambda: of_customers(read, "name", shares.customers[:count]),
        "place": lambda: np.arange(count),
        "orders": lambda: shares.orders[:count],
        "revenue": lambda: shares.revenue_minor[:count],
        "cumulative_share": lambda: shares.cumulative_minor[:count],
    }
    return TopCustomersAnswer(read, question, shares, by_column(question.sort, np.arange(count), columns))


def count_of(shares: RevenueShares, top: Top) -> int:
    """How many customers are meant."""
    if top is Top.ALL:
        return int(shares.customers.size)
    if top is Top.HALF:
        return shares.half_count or 0
    return shares.top_count(int(top.value))
