"""Seeded synthetic orders: six years, about 6.7 orders a customer, rows shuffled."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.records import OrderStatus

FIRST_DAY = 17_897  # 2019-01-01
SPAN_DAYS = 2_191
SEED = 20_190_101
SOURCES = ("counter", "phone", "web")


def orders(count: int) -> tuple[OrderColumns, int]:
    """``count`` shuffled orders, and how many customers they belong to."""
    draw = np.random.default_rng(SEED)
    customers = int(count * 0.15)
    joined = (SPAN_DAYS * draw.random(customers) ** 1.2).astype(np.int32)
    customer = draw.integers(0, customers, count, dtype=np.int32)
    start = joined.take(customer)
    day = (start + (SPAN_DAYS - start) * draw.random(count)).astype(np.int32) + np.int32(FIRST_DAY)
    amount = (np.exp(draw.normal(3.8, 0.9, count)) * 100).astype(np.int64) * 100
    attributes = {
        "source": Attribute(draw.integers(0, 3, count, dtype=np.uint16), SOURCES),
        "status": Attribute(
            draw.choice(np.arange(4, dtype=np.uint16), count, p=(0.05, 0.86, 0.06, 0.03)),
            tuple(status.value for status in OrderStatus),
        ),
    }
    ids = np.arange(count, dtype=np.int64)
    return OrderColumns(customer, day, amount, ids, attributes, ids), customers


def with_ties(columns: OrderColumns) -> OrderColumns:
    """The same orders, an eighth of them on the day and of the customer of another one: a quarter share both."""
    eighth = columns.day.size // 8
    customer, day = columns.customer.copy(), columns.day.copy()
    for column in (customer, day):
        column[:eighth] = column[eighth : 2 * eighth]
    return replace(columns, customer=customer, day=day)
