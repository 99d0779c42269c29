"""Whom the figures by age speak of: all who are looked at, a list and everybody else, or the groups of a split."""

from __future__ import annotations

from dataclasses import dataclass

from goldthread.core.cohorts.covered import InGroup
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.split import customer_groups
from goldthread.core.cohorts.table import CohortCounts, CohortTable, split_table
from goldthread.core.history.history import History
from goldthread.core.worth.acquisition import Cost
from goldthread.core.worth.arithmetic import Arithmetic, arithmetic, purchase_frequency
from goldthread.errors import InvalidInput
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.costs.spent import cost_of_all, costs_by_group, costs_of, costs_of_groups
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import EVERYBODY_ELSE, LISTED
from goldthread.stops.worth.question import PaybackQuestion, WorthQuestion
from goldthread.workspace import Workspace


@dataclass(frozen=True, eq=False)
class ValueGroup:
    """Some customers. ``table`` : the cohort table they stand in. ``among`` : who of it they are; None for all.
    ``counts`` : their own part of the table."""

    label: str
    table: CohortTable
    counts: CohortCounts
    among: InGroup | None
    costs: Costs
    arithmetic: Arithmetic


@dataclass(frozen=True, eq=False)
class ValueGroups:
    """All who are looked at, and the groups that they are in; ``split_title`` : the field that divides them, empty
    where none does."""

    whole: ValueGroup
    parts: list[ValueGroup]
    split_title: str

    def group(self, label: str) -> ValueGroup:
        """A group by its name; all for an empty one. Raises `InvalidInput`."""
        if not label:
            return self.whole
        for each in self.parts:
            if each.label == label:
                return each
        raise InvalidInput(f"There is no group {label[:80]}.", remedy="Name one that is shown.", field="group")


def groups_of(workspace: Workspace, read: Read, question: WorthQuestion | PaybackQuestion) -> ValueGroups:
    """The customers of a question. Raises `InvalidInput` for a choice that does not fit the book."""
    cost = cost_of_all(workspace, read, question.period)
    typed = question.cac_minor

    def of_history(history: History, label: str) -> ValueGroup:
        table = cohort_table_of(workspace, read, history, question.period, question.ages)
        costs = costs_of(workspace, read, question, table)
        frequency = float(purchase_frequency(history, question.period)[0])
        return ValueGroup(label, table, table, None, costs, arithmetic(table, costs, cost, typed, frequency))

    whole = of_history(read.history, "")
    parts = _split(workspace, read, question, whole) if question.split else []
    if read.rest is not None:
        listed = parts or [of_history(read.history, LISTED)]
        parts = [*listed, of_history(read.rest, EVERYBODY_ELSE)]
    title = read.fields.field(question.split, "split").title if question.split else ""
    return ValueGroups(whole, parts, title)


def _split(
    workspace: Workspace, read: Read, question: WorthQuestion | PaybackQuestion, whole: ValueGroup
) -> list[ValueGroup]:
    table, history = whole.table, read.history
    groups = customer_groups(history, question.split)
    counts = split_table(table, groups.of, groups.count, each_by_itself=True)
    costs = costs_of_groups(workspace, read, question, table, groups, counts)
    cost: list[Cost] = costs_by_group(workspace, read, question.period, groups)
    frequency = purchase_frequency(history, question.period, groups.of, groups.count)
    typed = question.cac_minor
    return [
        ValueGroup(
            label,
            table,
            counts[place],
            InGroup(groups.of, place),
            costs[place],
            arithmetic(counts[place], costs[place], cost[place], typed, float(frequency[place])),
        )
        for place, label in enumerate(groups.labels)
    ]
