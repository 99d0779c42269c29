"""Costs of a cohort table's customers, from recorded spend or as typed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_month
from goldthread.core.choices import Period
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.split import CustomerGroups
from goldthread.core.cohorts.table import CohortCounts, CohortTable
from goldthread.core.money import minor_of
from goldthread.core.worth.acquisition import (
    Cost,
    MonthOfSpend,
    NewCustomers,
    Spend,
    cac_of_cohorts,
    cost_of,
    new_by_channel,
    new_customers,
    spend_rows,
)
from goldthread.core.worth.margins import Margins
from goldthread.stops.costs.given import Costed, Margined
from goldthread.stops.events import spend_of
from goldthread.stops.reading import Read
from goldthread.workspace import Workspace

Floats = NDArray[np.float64]
BY_CHANNEL = "first_channel"
NOBODY = NewCustomers(0, np.zeros(0, np.int64))


def recorded_spend(workspace: Workspace, read: Read) -> Spend:
    """What a book says was spent to win customers, up to the as-of date. Raises `Outdated`."""
    rows = spend_of(workspace, read.shelved)
    return Spend(
        np.array([to_month(row.month) for row in rows], np.int64),
        tuple(row.channel for row in rows),
        np.array([minor_of(row.amount) for row in rows], np.int64),
    ).up_to(read.as_of_day)


def margins_of(question: Margined) -> Margins:
    """The gross margin of a question. Raises `InvalidInput`."""
    base, changes = question.margin_shares
    return Margins(base, changes)


def spend_by_month(workspace: Workspace, read: Read) -> list[MonthOfSpend]:
    """Spend beside new customers, month by month, whoever is looked at."""
    history = read.history.everybody
    rows: list[MonthOfSpend] = workspace.answer(
        read.shelved, ("spend rows", history.rule), lambda: spend_rows(history, recorded_spend(workspace, read))
    )
    return rows


def costs_of(workspace: Workspace, read: Read, question: Costed, table: CohortTable) -> Costs:
    """The costs for a table of all customers that are looked at. Raises `InvalidInput`."""
    return _costs(question, table, [table], [cac_of(workspace, read, question, table)])[0]


def cac_of(workspace: Workspace, read: Read, question: Costed, table: CohortCounts) -> Floats:
    """What winning a customer of each cohort cost, ten-thousandths; float64, shape (cohorts,), NaN where not known."""
    typed = question.cac_minor
    if typed is not None:
        return np.full(table.cohort_count, float(typed))
    new = new_customers(read.history.everybody, table.period)
    return cac_of_cohorts(recorded_spend(workspace, read), new, table.period, table.first_cohort, table.cohort_count)


def costs_of_groups(
    workspace: Workspace,
    read: Read,
    question: Costed,
    table: CohortTable,
    groups: CustomerGroups,
    parts: Sequence[CohortCounts],
) -> list[Costs]:
    """The costs for each group: per channel where customers are split by their first channel, else the same CAC for
    all. Raises `InvalidInput`."""
    if groups.field.name != BY_CHANNEL or question.cac_minor is not None:
        cac = [cac_of(workspace, read, question, table)] * groups.count
    else:
        spend = recorded_spend(workspace, read)
        new = new_by_channel(read.history.everybody, table.period)
        cac = [
            cac_of_cohorts(
                spend.of_channel(label),
                new.get(label.casefold(), NOBODY),
                table.period,
                table.first_cohort,
                table.cohort_count,
            )
            for label in groups.labels
        ]
    return _costs(question, table, parts, cac, groups)


def cost_of_all(workspace: Workspace, read: Read, period: Period) -> Cost:
    """Everything that was spent, and who was new in the periods with spend."""
    return cost_of(recorded_spend(workspace, read), new_customers(read.history.everybody, period), period)


def costs_by_group(workspace: Workspace, read: Read, period: Period, groups: CustomerGroups) -> list[Cost]:
    """The same for each group: per channel where customers are split by their first channel."""
    if groups.field.name != BY_CHANNEL:
        return [cost_of_all(workspace, read, period)] * groups.count
    spend, new = recorded_spend(workspace, read), new_by_channel(read.history.everybody, period)
    return [cost_of(spend.of_channel(label), new.get(label.casefold(), NOBODY), period) for label in groups.labels]


def _costs(
    question: Costed,
    table: CohortTable,
    parts: Sequence[CohortCounts],
    cac: list[Floats],
    groups: CustomerGroups | None = None,
) -> list[Costs]:
    margins = margins_of(question)
    if not margins.changes or not parts:
        return [Costs(margins.base, each, small_below=question.small) for each in cac]
    gross = margins.of_cells(table, parts, None if groups is None else groups.of)
    return [Costs(margins.base, each, amounts, question.small) for each, amounts in zip(cac, gross, strict=True)]
