"""The small history full of traps, read by hand: csv module and datetime only, nothing of the product's intake."""

from __future__ import annotations

import csv
import datetime as dt
import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.days import to_day
from goldthread.core.book.order_book import OrderBook
from tests.support.columns import number_keys

FOLDER = Path(__file__).parent.parent / "golden" / "tiny"
ZONE = ZoneInfo("Europe/Lisbon")
AS_OF_DAY = to_day(dt.date(2025, 8, 31))
MINOR = 10_000


def expected() -> dict[str, Any]:
    loaded: dict[str, Any] = json.loads((FOLDER / "expected.json").read_text())
    return loaded


@dataclass
class Order:
    customer: str
    source: str
    number: str
    date: dt.date
    status: str
    second: int = -1
    amount: Decimal = field(default_factory=Decimal)


def _rows(name: str, delimiter: str) -> list[dict[str, str]]:
    with (FOLDER / name).open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file, delimiter=delimiter))


def customer_numbers() -> list[str]:
    return [*(row["customer_no"] for row in _rows("customers.csv", ",")), "C13"]


def orders() -> list[Order]:
    """Every order of the three files, lines rolled up, in the sequence of the files."""
    return [*_counter(), *_phone(), *_web()]


def _counter() -> Iterator[Order]:
    for row in _rows("counter.csv", ";"):
        date = dt.datetime.strptime(row["date"], "%d/%m/%Y").date()  # noqa: DTZ007
        amount = Decimal(row["total"].replace(".", "").replace(",", "."))
        yield Order(row["customer_no"], "counter", row["receipt"], date, "paid", amount=amount)


def _phone() -> Iterator[Order]:
    for row in _rows("phone.tsv", "\t"):
        date = dt.datetime.strptime(row["date"], "%d %b %Y").date()  # noqa: DTZ007
        yield Order(row["customer_no"], "phone", row["order"], date, row["status"], amount=Decimal(row["amount"]))


def _web() -> list[Order]:
    by_email = {row["email"]: row["customer_no"] for row in _rows("customers.csv", ",")}
    found: dict[str, Order] = {}
    for row in _rows("web_lines.csv", ","):
        moment = dt.datetime.fromisoformat(row["ordered_at"]).astimezone(ZONE)
        customer = by_email[row["email"].strip().casefold()]
        second = moment.hour * 3600 + moment.minute * 60 + moment.second
        order = found.setdefault(
            row["order"], Order(customer, "web", row["order"], moment.date(), row["status"], second)
        )
        order.amount += Decimal(row["amount"])
    return list(found.values())


def _attribute(values: list[str]) -> Attribute:
    labels = tuple(sorted(set(values)))
    return Attribute(np.array([labels.index(value) for value in values], np.uint16), labels)


def columns(listed: list[Order], customers: list[str]) -> OrderColumns:
    return OrderColumns(
        customer=np.array([customers.index(order.customer) for order in listed], np.int32),
        day=np.array([to_day(order.date) for order in listed], np.int32),
        amount_minor=np.array([int(order.amount * MINOR) for order in listed], np.int64),
        order_id=np.arange(len(listed), dtype=np.int64),
        attributes={
            "source": _attribute([order.source for order in listed]),
            "status": _attribute([order.status for order in listed]),
        },
        number_key=number_keys([order.number for order in listed]),
        seconds=np.array([order.second for order in listed], np.int32),
    )


def book() -> OrderBook:
    customers = customer_numbers()
    return OrderBook.build(columns(orders(), customers), np.arange(len(customers), dtype=np.int64))
