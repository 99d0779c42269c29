"""Random order books with everything a customer can be asked for, and the same orders as plain rows."""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np

from goldthread.core.book.columns import Attribute, CustomerColumns, OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.payments import Payments
from goldthread.core.book.texts import TextColumn
from tests.support.columns import number_keys

FIRST_DAY = 19_000
SPAN_DAYS = 600
AS_OF_DAY = FIRST_DAY + SPAN_DAYS - 40
SOURCES, REPS = ("counter", "web"), ("", "Mo", "O'Hara")
REGIONS = ("", "Coast", "Hills")
CATEGORIES = ("clay", "glaze")


@dataclass(frozen=True)
class Row:
    """One order as a person would write it down. ``number`` is its place in the sequence of entry."""

    customer: int
    day: int
    amount: int
    source: str
    rep: str
    number: int


def attribute(values: list[str], labels: tuple[str, ...]) -> Attribute:
    """Codes into given labels."""
    return Attribute(np.array([labels.index(value) for value in values], np.uint16), labels)


def random_rows(seed: int, customers: int = 9, orders: int = 60) -> list[Row]:
    """Orders of some customers, several on one day among them, in the sequence of entry."""
    draw = random.Random(seed)
    return [
        Row(
            draw.randrange(customers),
            FIRST_DAY + draw.choice((draw.randrange(SPAN_DAYS), draw.randrange(4) * 150)),
            draw.choice((0, 500, 10_000, 123_400, -2_500, draw.randrange(1, 900_000))),
            draw.choice(SOURCES),
            draw.choice(REPS),
            number,
        )
        for number in range(orders)
    ]


def book_of(rows: list[Row], customers: int = 9, payments: Payments | None = None) -> OrderBook:
    """The book of these orders; customer c lives in a region by turns and is called after its number."""
    names = [f"Customer {place}" for place in range(customers)]
    regions = [REGIONS[place % len(REGIONS)] for place in range(customers)]
    about = CustomerColumns(
        attributes={"region": attribute(regions, REGIONS)},
        texts={
            "name": TextColumn.of(names),
            "number": TextColumn.of([f"C{place}" for place in range(customers)]),
            "email": TextColumn.of([""] * customers),
        },
    )
    columns = OrderColumns(
        customer=np.array([row.customer for row in rows], np.int32),
        day=np.array([row.day for row in rows], np.int32),
        amount_minor=np.array([row.amount for row in rows], np.int64),
        order_id=np.arange(len(rows), dtype=np.int64),
        attributes={
            "source": attribute([row.source for row in rows], SOURCES),
            "status": attribute(["paid"] * len(rows), ("open", "paid", "cancelled", "refunded")),
            "rep": attribute([row.rep for row in rows], REPS),
            "channel": attribute([""] * len(rows), ("",)),
            "category": attribute([CATEGORIES[row.number % 2] for row in rows], CATEGORIES),
        },
        number_key=number_keys([f"N-{row.number}" for row in rows]),
    )
    return OrderBook.build(columns, np.arange(customers, dtype=np.int64), about, payments)


def threads_of(rows: list[Row], customers: int = 9) -> list[list[Row]]:
    """Each customer's orders up to the as-of date, in the order of orders."""
    counted = [row for row in rows if row.day <= AS_OF_DAY]
    return [
        sorted((r for r in counted if r.customer == place), key=lambda r: (r.day, r.number, r.source))
        for place in range(customers)
    ]
