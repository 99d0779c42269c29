"""What the customers of a cell have in common more than others: a day, or a label of their orders."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.periods import ELAPSED_DAYS, period_end, period_start
from goldthread.core.choices import AgeKind
from goldthread.core.cohorts.outliers import STANDARD_ERRORS
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.evidence import Behind
from goldthread.core.threads.groups import distinct_by_code

Int64s = NDArray[np.int64]

CONCENTRATED_SHARE = 0.10

FEWEST_CUSTOMERS = 5


@dataclass(frozen=True)
class Concentration:
    """Customers of a cell who have one thing in common: ``customers`` of ``of``, where ``expected_share`` was expected.

    ``field`` is ``day`` or an attribute of orders; ``label`` the day's ISO date or the attribute's label.
    """

    field: str
    label: str
    customers: int
    of: int
    expected_share: float


def concentrations(table: CohortTable, behind: Behind, row: int, age: int) -> list[Concentration]:
    """What the customers of a cell have in common more than others at the same age: a day, or labels of their orders.

    Customers are counted, because one of them can place many orders alike. Something is reported when its share exceeds
    the expected one by more than three standard errors and ten points, and it has at least five customers. Of a day, an
    even spread over the cell's days is expected. What is not reported is as elsewhere. Most surprising first.
    """
    book, orders, of = table.history.book, behind.orders, int(behind.customers.size)
    if of < FEWEST_CUSTOMERS:
        return []
    found = _concentrated_days(table, behind, row, age)
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
            Concentration(name, attribute.labels[code], int(here[code]), of, float(usual[code]))
            for code in _concentrated(here, of, usual).tolist()
            if attribute.labels[code]
        ]
    return sorted(found, key=lambda each: each.expected_share - each.customers / each.of)


def _customers_of(book: OrderBook, attribute: Attribute, positions: Int64s) -> Int64s:
    """Distinct customers of some orders, by label."""
    codes, who = attribute.codes.take(positions).astype(np.intp), book.customer.take(positions)
    return distinct_by_code(codes, who, len(attribute.labels), book.customer_count)


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


def _concentrated_days(table: CohortTable, behind: Behind, row: int, age: int) -> list[Concentration]:
    book, of = table.history.book, int(behind.customers.size)
    days = book.day.take(behind.orders)
    first = int(days.min())
    places = (days - first).astype(np.intp)
    who = book.customer.take(behind.orders)
    here = distinct_by_code(places, who, int(places.max()) + 1, book.customer_count)
    usual = np.full(here.size, min(1.0, behind.orders.size / of / _days_open(table, row, age)))
    return [
        Concentration("day", to_date(first + place).isoformat(), int(here[place]), of, float(usual[place]))
        for place in _concentrated(here, of, usual).tolist()
    ]


def _concentrated(here: Int64s, of: int, usual: NDArray[np.float64]) -> Int64s:
    share = here / of
    error = np.sqrt(usual * (1 - usual) / of)
    beyond = share - usual > np.maximum(STANDARD_ERRORS * error, CONCENTRATED_SHARE)
    return np.flatnonzero(beyond & (here >= FEWEST_CUSTOMERS))
