"""What deserves a second look: cohorts unlike their neighbours, and what the orders of an odd cell crowd in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.cohort_split import NOT_TOLD
from goldthread.core.cohorts import Behind, CohortCounts, CohortTable
from goldthread.core.periods import ELAPSED_DAYS, AgeKind, period_end, period_start, to_date

STANDARD_ERRORS = 3.0
APART_SHARE = 0.05
CROWDED_SHARE = 0.10
NEIGHBOURS_EACH_SIDE = 2
FEWEST_ORDERS = 5


@dataclass(frozen=True)
class Apart:
    """A cohort that came back more or less than those beside it. ``age``: the last age that is complete for all of
    them; shares are of customers with an order at an age from 1 to that."""

    row: int
    age: int
    share: float
    neighbours_share: float


@dataclass(frozen=True)
class Crowd:
    """Orders of a cell that crowd in one place: ``orders`` of ``of``, where ``expected_share`` was to be expected.

    ``field`` is ``day`` or an attribute of orders; ``label`` the day's ISO date or the attribute's label.
    """

    field: str
    label: str
    orders: int
    of: int
    expected_share: float


def cohorts_apart(counts: CohortCounts) -> list[Apart]:
    """Cohorts whose share of customers that came back differs from the two cohorts before and after, taken together,
    by more than three standard errors of the difference and more than five points."""
    complete = counts.complete.sum(axis=1) - 1
    found = []
    rows = np.flatnonzero((counts.size > 0) & (complete >= 1)).tolist()
    for place, row in enumerate(rows):
        beside = [
            *rows[max(0, place - NEIGHBOURS_EACH_SIDE) : place],
            *rows[place + 1 : place + 1 + NEIGHBOURS_EACH_SIDE],
        ]
        if len(beside) < NEIGHBOURS_EACH_SIDE:
            continue
        age = int(min(complete[each] for each in [row, *beside]))
        size, size_beside = int(counts.size[row]), int(counts.size[beside].sum())
        came, came_beside = int(counts.came_back_by[row, age]), int(counts.came_back_by[beside, age].sum())
        share, share_beside = came / size, came_beside / size_beside
        together = (came + came_beside) / (size + size_beside)
        error = float(np.sqrt(together * (1 - together) * (1 / size + 1 / size_beside)))
        if abs(share - share_beside) > max(STANDARD_ERRORS * error, APART_SHARE):
            found.append(Apart(row, age, share, share_beside))
    return found


def crowding(table: CohortTable, behind: Behind, row: int, age: int) -> list[Crowd]:
    """Where the orders of a cell crowd: the day, and labels that are more frequent than at the same age elsewhere.

    A place is told when its share exceeds the expected one by more than three standard errors and ten points, and it
    has at least five orders. Of a day, an even spread over the cell's days is expected. Most surprising first.
    """
    book, orders = table.history.book, behind.orders
    if orders.size < FEWEST_ORDERS:
        return []
    found = _crowded_days(book.day.take(orders), _days_open(table, row, age))
    column = np.zeros(table.customers.shape, np.bool_)
    column[:, age] = table.observed[:, age]
    everywhere = table.behind_cells(column).orders
    elsewhere = everywhere[~np.isin(everywhere, orders, assume_unique=True)]
    for name, attribute in book.attributes.items():
        if name == "status" or elsewhere.size == 0:
            continue
        usual = np.bincount(attribute.codes.take(elsewhere), minlength=len(attribute.labels)) / elsewhere.size
        here = np.bincount(attribute.codes.take(orders), minlength=len(attribute.labels))
        found += [
            Crowd(name, attribute.labels[code] or NOT_TOLD, int(here[code]), int(orders.size), float(usual[code]))
            for code in _crowded(here, usual).tolist()
        ]
    return sorted(found, key=lambda crowd: crowd.expected_share - crowd.orders / crowd.of)


def _days_open(table: CohortTable, row: int, age: int) -> int:
    """On how many days an order could fall into a cell, up to the as-of date."""
    own = table.first_cohort + row
    if table.age_kind is AgeKind.CALENDAR:
        first, last = period_start(own + age, table.period), period_end(own + age, table.period)
    else:
        length = ELAPSED_DAYS[table.period]
        first = period_start(own, table.period) + age * length
        last = period_end(own, table.period) + (age + 1) * length - 1
    return max(1, min(int(last), table.history.rule.as_of_day) - int(first) + 1)


def _crowded_days(days: NDArray[np.int32], days_open: int) -> list[Crowd]:
    first = int(days.min())
    here = np.bincount(days - first)
    usual = np.full(here.size, 1 / days_open)
    return [
        Crowd("day", to_date(first + place).isoformat(), int(here[place]), int(days.size), float(usual[place]))
        for place in _crowded(here, usual).tolist()
    ]


def _crowded(here: NDArray[np.int64], usual: NDArray[np.float64]) -> NDArray[np.int64]:
    total = int(here.sum())
    share = here / total
    error = np.sqrt(usual * (1 - usual) / total)
    beyond = share - usual > np.maximum(STANDARD_ERRORS * error, CROWDED_SHARE)
    return np.flatnonzero(beyond & (here >= FEWEST_ORDERS))
