"""Random histories for the laws: columns, tables, and permutations of them."""

from __future__ import annotations

import random

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.records import OrderStatus
from tests.support.columns import number_keys

CUSTOMERS = 40

AS_OF = 20_400

STATUSES = tuple(status.value for status in OrderStatus)

SOURCES = ("counter", "fair", "web")


def history_columns(seed: int, orders: int = 400) -> OrderColumns:
    """A random history: many ties on a day, some orders after the as-of date, every status and source."""
    draw = np.random.default_rng(seed)
    numbers = random.Random(seed)
    return OrderColumns(
        customer=draw.integers(0, CUSTOMERS - 3, orders, np.int32),
        day=draw.integers(AS_OF - 700, AS_OF + 15, orders).astype(np.int32),
        amount_minor=draw.integers(-50_000, 9_000_000, orders),
        order_id=np.arange(orders, dtype=np.int64),
        attributes={
            "source": Attribute(draw.integers(0, 3, orders).astype(np.uint16), SOURCES),
            "status": Attribute(draw.integers(0, 4, orders).astype(np.uint16), STATUSES),
        },
        number_key=number_keys([f"{numbers.choice('AB')}-{numbers.randrange(500)}" for _ in range(orders)]),
    )


def table_of(
    columns: OrderColumns, period: Period, ages: AgeKind, as_of: int = AS_OF, customers: int = CUSTOMERS
) -> CohortTable:
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    return cohort_table(read_history(book, HistoryRule(as_of)), period, ages)


def taken(columns: OrderColumns, rows: NDArray[np.int64], customer: NDArray[np.int32] | None = None) -> OrderColumns:
    """The same orders in another sequence, or some of them, or of renamed customers."""
    return OrderColumns(
        customer=columns.customer.take(rows) if customer is None else customer,
        day=columns.day.take(rows),
        amount_minor=columns.amount_minor.take(rows),
        order_id=columns.order_id.take(rows),
        attributes={
            name: Attribute(attribute.codes.take(rows), attribute.labels)
            for name, attribute in columns.attributes.items()
        },
        number_key=columns.number_key.take(rows),
    )
