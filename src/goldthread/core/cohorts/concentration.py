"""What the customers of a cell have in common more than others: a day, or a label of their orders."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import elapsed_days, period_end, period_start
from goldthread.core.choices import AgeKind
from goldthread.core.cohorts.covered import Covered
from goldthread.core.cohorts.outliers import STANDARD_ERRORS
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.counted import Counted, Find
from goldthread.core.history.history import History
from goldthread.core.parts import Together, adds_up
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


@dataclass(frozen=True, eq=False)
class OnDays:
    """Distinct customers with an order on each day from a first one on; int64, shape (days,)."""

    first_day: int
    customers: Int64s

    def __add__(self, other: OnDays) -> OnDays:
        """Those of two parts of a book."""
        on = Together.by_period((self.first_day, self.customers.size), (other.first_day, other.customers.size))
        return OnDays(on.first, on.of(self.customers, other.customers))


@dataclass(frozen=True, eq=False)
class InCommon:
    """What the customers behind a figure have in common: distinct customers by label of each attribute of orders, in
    their sequence, int64, shape (labels,)."""

    customers: int
    by_label: tuple[Int64s, ...]
    by_day: OnDays

    def __add__(self, other: InCommon) -> InCommon:
        """Those of two parts of a book."""
        by_label = tuple(one + another for one, another in zip(self.by_label, other.by_label, strict=True))
        return InCommon(self.customers + other.customers, by_label, self.by_day + other.by_day)


@adds_up
def in_common(history: History, find: Find) -> InCommon:
    """Count the customers behind a figure by what their orders carry, and by day."""
    book, behind = history.book, find(history)
    who, days = book.customer.take(behind.orders), book.day.take(behind.orders).astype(np.int64)
    first = int(days.min()) if days.size else 0

    def of(codes: NDArray[Any], count: int) -> Int64s:
        return distinct_by_code(codes.astype(np.intp), who, count, book.customer_count)

    by_label = (of(each.codes.take(behind.orders), len(each.labels)) for each in book.attributes.values())
    by_day = OnDays(first, of(days - first, int(days.max()) - first + 1 if days.size else 0))
    return InCommon(int(behind.customers.size), tuple(by_label), by_day)


def concentrations(table: CohortTable, counted: Counted, row: int, age: int) -> list[Concentration]:
    """What the customers of a cell have in common more than others at the same age: a day, or labels of their orders.

    Customers are counted, because one of them can place many orders alike. Something is reported when its share exceeds
    the expected one by more than three standard errors and ten points, and it has at least five customers. Of a day, an
    even spread over the cell's days is expected. What is not reported is as elsewhere. Most surprising first.
    """
    of, history = counted.customers, table.history
    if of < FEWEST_CUSTOMERS:
        return []
    here = in_common(history, counted.find)
    column = np.zeros(table.customers.shape, np.bool_)
    column[:, age] = table.observed[:, age]
    column[row] = False
    elsewhere = in_common(history, Covered(table.again, column))
    found = _concentrated_days(table, counted, here.by_day, row, age)
    for place, (name, attribute) in enumerate(history.whole.attributes.items()):
        if name == "status" or elsewhere.customers == 0:
            continue
        mine, usual = here.by_label[place], elsewhere.by_label[place] / elsewhere.customers
        found += [
            Concentration(name, attribute.labels[code], int(mine[code]), of, float(usual[code]))
            for code in _concentrated(mine, of, usual).tolist()
            if attribute.labels[code]
        ]
    return sorted(found, key=lambda each: each.expected_share - each.customers / each.of)


def _days_open(table: CohortTable, row: int, age: int) -> int:
    """On how many days an order could fall into a cell, up to the as-of date."""
    own = table.first_cohort + row
    if table.age_kind is AgeKind.CALENDAR:
        first, last = period_start(own + age, table.period), period_end(own + age, table.period)
    else:
        length = elapsed_days(table.period)
        first = period_start(own, table.period) + age * length
        last = period_end(own, table.period) + (age + 1) * length - 1
    return max(1, min(int(last), table.history.rule.as_of_day) - int(first) + 1)


def _concentrated_days(table: CohortTable, counted: Counted, here: OnDays, row: int, age: int) -> list[Concentration]:
    of = counted.customers
    usual = np.full(here.customers.size, min(1.0, counted.orders / of / _days_open(table, row, age)))
    return [
        Concentration("day", to_date(here.first_day + day).isoformat(), int(here.customers[day]), of, float(usual[day]))
        for day in _concentrated(here.customers, of, usual).tolist()
    ]


def _concentrated(here: Int64s, of: int, usual: NDArray[np.float64]) -> Int64s:
    share = here / of
    error = np.sqrt(usual * (1 - usual) / of)
    beyond = share - usual > np.maximum(STANDARD_ERRORS * error, CONCENTRATED_SHARE)
    return np.flatnonzero(beyond & (here >= FEWEST_CUSTOMERS))
