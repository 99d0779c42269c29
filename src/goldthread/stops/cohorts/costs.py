"""What profit needs: the gross margin as chosen, and what winning a customer of each cohort cost.

The cost of winning a customer in a period is the spend of its months divided by all new customers of the period,
whoever is being looked at; per channel, by the channel of the first order.
"""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.book.periods import period_of_day
from goldthread.core.choices import CohortFigure, Firsts, Period
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.split import CustomerGroups, customer_groups
from goldthread.core.cohorts.table import CohortCounts, CohortTable, cohort_table, split_table
from goldthread.core.history.history import History
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.stops.cohorts.question import CohortQuestion
from goldthread.stops.events import spend_of
from goldthread.stops.reading import Read
from goldthread.store.read.details import SpendRow
from goldthread.workspace import Workspace

BY_CHANNEL = "first_channel"
_EVERY_CHANNEL = 100_000


def costs_of(workspace: Workspace, read: Read, question: CohortQuestion, table: CohortTable) -> Costs:
    """The costs for a table of all customers that are looked at."""
    fixed = _unspent(question, table)
    if fixed is not None:
        return fixed
    spend = spend_of(workspace, read.shelved)
    everybody = _everybody(workspace, read, question)
    return Costs(question.margin_share, _cac(table, everybody, spend))


def costs_of_groups(
    workspace: Workspace, read: Read, question: CohortQuestion, table: CohortTable, groups: CustomerGroups
) -> list[Costs]:
    """The costs for each group: per channel where customers are split by their first channel, else the same for all."""
    if groups.field.name != BY_CHANNEL or _unspent(question, table) is not None:
        return [costs_of(workspace, read, question, table)] * groups.count
    everybody = _everybody(workspace, read, question)
    channels = customer_groups(everybody.history, BY_CHANNEL, _EVERY_CHANNEL)
    # spend knows a channel whatever the case it is written in, so the customers of every writing share it
    names = sorted({label.casefold() for label in channels.labels})
    place = np.array([names.index(label.casefold()) for label in channels.labels], np.int64)
    of_channel = dict(zip(names, split_table(everybody, place.take(channels.codes), len(names)), strict=True))
    spend = spend_of(workspace, read.shelved)
    nothing = np.full(table.cohort_count, np.nan)
    costs = []
    for label in groups.labels:
        counts = of_channel.get(label.casefold())
        own = [each for each in spend if each.channel.casefold() == label.casefold()]
        costs.append(Costs(question.margin_share, nothing if counts is None else _cac(table, counts, own)))
    return costs


def _unspent(question: CohortQuestion, table: CohortTable) -> Costs | None:
    """Costs that need no record of spend; None when they do."""
    margin, cac = question.margin_share, question.cac_minor
    if question.figure is not CohortFigure.PROFIT_PER_CUSTOMER:
        return Costs.none(table)
    return None if cac is None else Costs(margin, np.full(table.cohort_count, float(cac)))


def _everybody(workspace: Workspace, read: Read, question: CohortQuestion) -> CohortTable:
    """The same table of all customers, without a condition and without a list."""
    rule = replace(read.history.rule, where=None, firsts=Firsts.ALL)
    history: History = workspace.history(read.shelved, rule)
    found: CohortTable = workspace.answer(
        read.shelved,
        ("cohorts", rule, question.period, question.ages),
        lambda: cohort_table(history, question.period, question.ages),
    )
    return found


def _cac(table: CohortTable, everybody: CohortCounts, spend: list[SpendRow]) -> NDArray[np.float64]:
    """Spend of each cohort's months per new customer, ten-thousandths; NaN where none is recorded, and for weeks."""
    cac = np.full(table.cohort_count, np.nan)
    if table.period is Period.WEEK:
        return cac
    spent: dict[int, Decimal] = {}
    for entry in spend:
        index = period_of_day(to_day(entry.month), table.period)
        spent[index] = spent.get(index, Decimal(0)) + entry.amount
    for index, amount in spent.items():
        row, place = index - table.first_cohort, index - everybody.first_cohort
        if 0 <= row < table.cohort_count and 0 <= place < everybody.cohort_count and everybody.size[place]:
            cac[row] = float(amount * MINOR_PER_UNIT / int(everybody.size[place]))
    return cac
