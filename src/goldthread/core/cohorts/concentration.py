"""What deserves a second look: cohorts unlike their neighbours, and what the orders of an odd cell crowd in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import Attribute, OrderBook
from goldthread.core.cohorts import Behind, CohortCounts, CohortTable
from goldthread.core.groups import distinct_customers
from goldthread.core.periods import ELAPSED_DAYS, AgeKind, period_end, period_start, to_date

Int64s = NDArray[np.int64]
STANDARD_ERRORS = 3.0
APART_SHARE = 0.05
CROWDED_SHARE = 0.10
NEIGHBOURS_EACH_SIDE = 2
FEWEST_CUSTOMERS = 5


@dataclass(frozen=True)
class Apart:
    """A cohort that came back more or less than those beside it. ``age``: the last age that is complete for all of
    them; shares are of customers with an order at an age from 1 to that, the neighbours' being their median."""

    row: int
    age: int
    share: float
    neighbours_share: float


@dataclass(frozen=True)
class Crowd:
    """Customers of a cell that crowd in one place: ``customers`` of ``of``, where ``expected_share`` was expected.

    ``field`` is ``day`` or an attribute of orders; ``label`` the day's ISO date or the attribute's label.
    """

    field: str
    label: str
    customers: int
    of: int
    expected_share: float


def cohorts_apart(counts: CohortCounts) -> list[Apart]:
    """Cohorts whose share of customers that came back differs from the median of the two cohorts before and after, by
    more than three standard errors of a difference from all of them together and more than five points.

    The median, so that one strange cohort does not make its neighbours look strange.
    """
    complete = counts.complete.sum(axis=1) - 1
    found = []
    rows = np.flatnonzero((counts.size > 0) & (complete >= 1)).tolist()
    for place, row in enumerate(rows):
        before, after = rows[max(0, place - NEIGHBOURS_EACH_SIDE) : place], rows[place + 1 :][:NEIGHBOURS_EACH_SIDE]
        beside = [*before, *after]
        if len(beside) < NEIGHBOURS_EACH_SIDE:
            continue
        age = int(min(complete[each] for each in [row, *beside]))
        size, sizes = int(counts.size[row]), counts.size[beside]
        came, came_beside = int(counts.came_back_by[row, age]), counts.came_back_by[beside, age]
        share, usual = came / size, float(np.median(came_beside / sizes))
        together = (came + int(came_beside.sum())) / (size + int(sizes.sum()))
        error = float(np.sqrt(together * (1 - together) * (1 / size + 1 / int(sizes.sum()))))
        if abs(share - usual) > max(STANDARD_ERRORS * error, APART_SHARE):
            found.append(Apart(row, age, share, usual))
    return found


def crowding(table: CohortTable, behind: Behind, row: int, age: int) -> list[Crowd]:
    """Where the customers of a cell crowd: the day, and labels that more of them have than at the same age elsewhere.

    Customers are counted, because one of them can place many orders alike. A place is told when its share exceeds the
    expected one by more than three standard errors and ten points, and it has at least five customers. Of a day, an
    even spread over the cell's days is expected. What is not told crowds nowhere. Most surprising first.
    """
    book, orders, of = table.history.book, behind.orders, int(behind.customers.size)
    if of < FEWEST_CUSTOMERS:
        return []
    found = _crowded_days(table, behind, row, age)
    column = np.zeros(table.customers.shape, np.bool_)
    column[:, age] = table.observed[:, age]
    column[row] = False
    elsewhere = table.behind_cells(column)
    for name, attribute in book.attributes.items():
        if name == "status" or elsewhere.customers.size == 0:
            continue
        here = _customers_of(book, attribute, orders)
        usual = _customers_of(book, attribute, elsewhere.orders) / elsewhere.customers.size
        found += [
            Crowd(name, attribute.labels[code], int(here[code]), of, float(usual[code]))
            for code in _crowded(here, of, usual).tolist()
            if attribute.labels[code]
        ]
    return sorted(found, key=lambda crowd: crowd.expected_share - crowd.customers / crowd.of)


def _customers_of(book: OrderBook, attribute: Attribute, positions: Int64s) -> Int64s:
    """Distinct customers of some orders, by label."""
    codes, who = attribute.codes.take(positions).astype(np.intp), book.customer.take(positions)
    return distinct_customers(codes, who, len(attribute.labels), book.customer_count)


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


def _crowded_days(table: CohortTable, behind: Behind, row: int, age: int) -> list[Crowd]:
    book, of = table.history.book, int(behind.customers.size)
    days = book.day.take(behind.orders)
    first = int(days.min())
    places = (days - first).astype(np.intp)
    who = book.customer.take(behind.orders)
    here = distinct_customers(places, who, int(places.max()) + 1, book.customer_count)
    usual = np.full(here.size, min(1.0, behind.orders.size / of / _days_open(table, row, age)))
    return [
        Crowd("day", to_date(first + place).isoformat(), int(here[place]), of, float(usual[place]))
        for place in _crowded(here, of, usual).tolist()
    ]


def _crowded(here: Int64s, of: int, usual: NDArray[np.float64]) -> Int64s:
    share = here / of
    error = np.sqrt(usual * (1 - usual) / of)
    beyond = share - usual > np.maximum(STANDARD_ERRORS * error, CROWDED_SHARE)
    return np.flatnonzero(beyond & (here >= FEWEST_CUSTOMERS))
