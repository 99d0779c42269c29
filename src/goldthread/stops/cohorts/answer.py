"""Ask the cohort table a question: the figure, split by an attribute, with what stands out."""

from __future__ import annotations

from dataclasses import dataclass

from goldthread.core.choices import BLANK, CohortFigure
from goldthread.core.cohorts.figures import Costs, Differences, FigureTable, difference, figure_table
from goldthread.core.cohorts.outliers import Apart, cohorts_apart
from goldthread.core.cohorts.split import CustomerGroups, bought_once, customer_groups
from goldthread.core.cohorts.table import CohortCounts, CohortTable, split_table
from goldthread.errors import InvalidInput
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.cohorts.question import CohortQuestion
from goldthread.stops.cohorts.words import cohort_words
from goldthread.stops.costs.spent import costs_of, costs_of_groups
from goldthread.stops.events import events_of
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.store.read.details import EventRow
from goldthread.workspace import Workspace


@dataclass(frozen=True, eq=False)
class Group:
    """One group of a split: its counts and figure, how many of its customers ordered, and how many of those once."""

    label: str
    counts: CohortCounts
    figure: FigureTable
    ordered: int
    once: int


@dataclass(frozen=True, eq=False)
class Split:
    """Customers split. ``base`` is the group that the others are compared with; ``differences`` are those of
    each group's average share from that of the base."""

    groups: CustomerGroups
    parts: list[Group]
    base: int
    differences: list[Differences]


@dataclass(frozen=True, eq=False)
class CohortAnswer:
    """A cohort table with its question, its sentences and what it was asked of.

    ``apart`` : cohorts that came back more or less than their neighbours.
    """

    read: Read
    question: CohortQuestion
    table: CohortTable
    figure: FigureTable
    rest: FigureTable | None
    rest_table: CohortTable | None
    split: Split | None
    events: list[EventRow]
    apart: list[Apart]

    @property
    def words(self) -> Words:
        """The question in words."""
        return cohort_words(self.question, self.read, None if self.split is None else self.split.groups)


def ask_cohorts(workspace: Workspace, read: Read, question: CohortQuestion) -> CohortAnswer:
    """The cohort table of a book. Raises `InvalidInput` for a choice that does not fit the book."""

    key = (*read.key, question.period, question.ages)
    table = cohort_table_of(workspace, read, read.history, question.period, question.ages)
    costs = _costs(workspace, read, question, table)
    rest_table, rest = None, None
    if read.rest is not None:
        rest_table = cohort_table_of(workspace, read, read.rest, question.period, question.ages)
        rest_costs = _costs(workspace, read, question, rest_table)
        rest = figure_table(rest_table, question.figure_shown, question.average, rest_costs)
    return CohortAnswer(
        read,
        question,
        table,
        figure_table(table, question.figure_shown, question.average, costs),
        rest,
        rest_table,
        _split(workspace, read, question, table, key) if question.split else None,
        events_of(workspace, read.shelved),
        workspace.answer(read.shelved, ("apart", *key), lambda: cohorts_apart(table)),
    )


def _costs(workspace: Workspace, read: Read, question: CohortQuestion, table: CohortTable) -> Costs:
    """Profit alone needs costs; what is wrong with one is told all the same. Raises `InvalidInput`."""
    if question.figure is CohortFigure.PROFIT_PER_CUSTOMER:
        _ = question.cac_minor
    if question.figure_shown is not CohortFigure.PROFIT_PER_CUSTOMER:
        return Costs.none(table)
    return costs_of(workspace, read, question, table)


def _split(
    workspace: Workspace, read: Read, question: CohortQuestion, table: CohortTable, key: tuple[object, ...]
) -> Split:
    def made() -> tuple[CustomerGroups, tuple[CohortCounts, ...]]:
        groups = customer_groups(read.history, question.split)
        return groups, split_table(table, groups.of, groups.count)

    groups, tables = workspace.answer(read.shelved, ("split", *key, question.split), made)
    if question.against and question.against not in groups.labels:
        raise InvalidInput(
            f"There is no group {question.against}.", remedy=f"Groups: {', '.join(groups.labels)}.", field="against"
        )
    named = [place for place, label in enumerate(groups.labels) if label != BLANK]
    base = groups.labels.index(question.against) if question.against else (named or [0])[0]
    bought = bought_once(read.history, groups.of, groups.count)
    all_costs = [Costs.none(table)] * groups.count
    if question.figure_shown is CohortFigure.PROFIT_PER_CUSTOMER:
        all_costs = costs_of_groups(workspace, read, question, table, groups, tables)
    parts = [
        Group(
            label,
            tables[place],
            figure_table(tables[place], question.figure_shown, question.average, all_costs[place]),
            int(bought.ordered[place]),
            int(bought.once[place]),
        )
        for place, label in enumerate(groups.labels)
    ]
    differences = [difference(question.figure_shown, each, tables[base]) for each in tables]
    return Split(groups, parts, base, differences)
