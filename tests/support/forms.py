"""One invented history of orders, written in the forms that shops, tills, offices and analysts give their files."""

from __future__ import annotations

import csv
import datetime as dt
import io
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import pyarrow as pa
import xlsxwriter
from pyarrow import parquet

RIGHT, ASKED, REFUSED, WRONG = "right", "asked", "refused", "wrong"
Cells = Sequence[Sequence[object]]
Rows = list[list[Any]]
_FIRST = dt.datetime.combine(dt.date(2024, 1, 3), dt.time(9))
_FIRST_NAMES = ("Ada", "Bram", "Corin", "Dunya", "Eskil", "Greta", "Hale", "Ingrid", "Jory", "Kestrel", "Lio", "Oona")
_LAST_NAMES = ("Fennick", "Marl", "Orme", "Sable", "Tamsin", "Vale", "Quarry", "Pärn", "Teague", "Dunmarsh")
_TOWNS = ("Saltby", "Highfold", "Eider")
_GOODS = (("CL-25", "Stoneware 25 kg", "clay"), ("GL-07", "Tin white", "glaze"), ("TL-02", "Loop tool", "tools"))


@dataclass(frozen=True)
class Line:
    code: str
    title: str
    category: str
    quantity: int
    price: Decimal

    @property
    def amount(self) -> Decimal:
        return self.quantity * self.price


@dataclass(frozen=True)
class Person:
    number: str
    name: str
    email: str
    town: str


@dataclass(frozen=True)
class Order:
    number: str
    customer: Person
    at: dt.datetime
    lines: tuple[Line, ...]
    shop: str

    @property
    def date(self) -> dt.date:
        return self.at.date()

    @property
    def amount(self) -> Decimal:
        return sum((line.amount for line in self.lines), Decimal(0))


def history(orders: int, seed: int = 13) -> list[Order]:
    """Orders in the sequence of their dates; every third customer or so comes once only."""
    draw = random.Random(seed)
    people = [
        Person(
            f"K{1_000 + at}",
            f"{_FIRST_NAMES[at % 12]} {_LAST_NAMES[at // 12 % 10]}" + ("" if at < 120 else f" {at}"),
            f"{_FIRST_NAMES[at % 12].lower()}{at}@marl.example",
            _TOWNS[at % 3],
        )
        for at in range(max(orders // 3, 4))
    ]
    moments = sorted(_FIRST + dt.timedelta(minutes=draw.randrange(60 * 24 * 500)) for _ in range(orders))
    return [
        Order(
            f"{70_001 + at}",
            people[draw.randrange(len(people))],
            moment.replace(second=draw.randrange(60)),
            tuple(
                Line(*_GOODS[place], draw.randrange(1, 5), Decimal(draw.randrange(150, 99_000)) / 100)
                for place in draw.sample(range(3), draw.choice((1, 1, 2, 3)))
            ),
            ("North", "South")[draw.randrange(2)],
        )
        for at, moment in enumerate(moments)
    ]


@dataclass(frozen=True)
class Figures:
    """What a file comes down to: orders, customers, their revenue in cents, first and last date."""

    orders: int
    customers: int
    cents: int
    first: dt.date
    last: dt.date


def figures(orders: Sequence[Order], sign: Callable[[Order], int] = lambda _order: 1) -> Figures:
    dates = [order.date for order in orders]
    cents = sum(int(order.amount * 100) * sign(order) for order in orders)
    return Figures(len(orders), len({order.customer.number for order in orders}), cents, min(dates), max(dates))


@dataclass(frozen=True)
class Form:
    """A file in some form. ``wanted`` is what must become of it; ``said`` what is answered when it asks."""

    title: str
    name: str
    content: bytes
    figures: Figures
    wanted: str = RIGHT
    said: Mapping[str, str] = field(default_factory=dict)
    asks: str = ""


def delimited(
    rows: Cells, mark: str = ",", encoding: str = "utf-8", newline: str = "\n", quoting: int = csv.QUOTE_MINIMAL
) -> bytes:
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=mark, lineterminator=newline, quoting=quoting).writerows(rows)  # type: ignore[arg-type]
    return out.getvalue().encode(encoding)


def sheets(tables: Mapping[str, Cells], hidden: Sequence[str] = (), formats: Mapping[int, str] | None = None) -> bytes:
    """A workbook; ``formats`` are number formats by column of every sheet."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"default_date_format": "yyyy-mm-dd"}) as book:
        own = {place: book.add_format({"num_format": each}) for place, each in (formats or {}).items()}
        for name, rows in tables.items():
            sheet = book.add_worksheet(name)
            for at, row in enumerate(rows):
                for place, cell in enumerate(row):
                    value = float(cell) if isinstance(cell, Decimal) else cell
                    sheet.write(at, place, value, *([own[place]] if at and place in own else []))
            if name in hidden:
                sheet.hide()
            else:
                sheet.activate()
                sheet.set_first_sheet()
    return out.getvalue()


def columns_of(rows: Cells) -> bytes:
    head, *body = rows
    cells = list(zip(*body, strict=True))
    table = pa.table({str(name): pa.array(list(values)) for name, values in zip(head, cells, strict=True)})
    out = io.BytesIO()
    parquet.write_table(table, out)
    return out.getvalue()


HEAD = ("order no", "customer no", "date", "amount")
LINE_HEAD = ("order no", "customer no", "date", "product", "quantity", "amount")


def plain(orders: Sequence[Order], head: Sequence[str] = HEAD) -> Rows:
    body: Rows = [[o.number, o.customer.number, o.date.isoformat(), f"{o.amount}"] for o in orders]
    return [list(head), *body]


def by_line(orders: Sequence[Order], head: Sequence[str] = LINE_HEAD) -> Rows:
    body: Rows = [
        [o.number, o.customer.number, o.date.isoformat(), line.title, line.quantity, f"{line.amount}"]
        for o in orders
        for line in o.lines
    ]
    return [list(head), *body]
