"""The supplier's exports as files: headers, lines and customers, each source with its own column names."""

from __future__ import annotations

import csv
import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from goldthread.demo.supplier import COUNTER, FAIR, PHONE, WEB, Customer, Order, make_history

OVERLAP_FROM = dt.date(2026, 8, 1)
OVERLAP_TO = dt.date(2026, 9, 30)
DOUBLE_STUDIO = "Cobalt Rook Pottery"
FILES = (
    "customers.csv",
    "web_2023_to_sep_2026.csv",
    "web_aug_to_oct_2026.csv",
    "counter.csv",
    "phone.csv",
    "fairs.csv",
)


@dataclass(frozen=True)
class Export:
    """A file and the source it belongs to."""

    source: str
    path: Path


def write_exports(folder: Path) -> list[Export]:
    """Write all files, in the order in which they would be brought in."""
    customers, orders = make_history()
    _studio_in_two_sources(customers).name = DOUBLE_STUDIO
    by_source = {
        source: [order for order in orders if order.source == source] for source in (WEB, COUNTER, PHONE, FAIR)
    }
    early = [order for order in by_source[WEB] if order.date <= OVERLAP_TO]
    late = [order for order in by_source[WEB] if order.date >= OVERLAP_FROM]
    written = (
        ("customers", _customer_rows(customers)),
        (WEB, _line_rows(early)),
        (WEB, _line_rows(late)),
        (COUNTER, _counter_rows(by_source[COUNTER])),
        (PHONE, _phone_rows(by_source[PHONE])),
        (FAIR, _fair_rows(by_source[FAIR])),
    )
    return [Export(source, _write(folder / name, rows)) for name, (source, rows) in zip(FILES, written, strict=True)]


def _studio_in_two_sources(customers: list[Customer]) -> Customer:
    """A studio that orders in the web shop, by e-mail, and at the counter, by number."""
    both = {WEB, COUNTER}
    return next(known for known in customers if known.segment == "studio" and both <= {o.source for o in known.orders})


def _write(path: Path, rows: Iterable[Sequence[object]]) -> Path:
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file, lineterminator="\r\n").writerows(rows)
    return path


def _customer_rows(customers: list[Customer]) -> Iterable[Sequence[object]]:
    """The studio that stands twice has no e-mail here, so its web orders cannot be matched to its number."""
    yield ("customer_no", "name", "email", "town", "region", "segment", "sales_rep", "joined_on")
    for known in customers:
        email = "" if known.name == DOUBLE_STUDIO else known.email
        yield (known.number, known.name, email, known.town, known.region, known.segment, known.rep, known.joined_on)


def _line_rows(orders: list[Order]) -> Iterable[Sequence[object]]:
    yield ("order", "line", "email", "ordered_at", "product", "category", "qty", "amount", "status")
    for order in orders:
        at = f"{order.date}T{order.minute // 60:02d}:{order.minute % 60:02d}:00"
        for place, line in enumerate(order.lines, 1):
            yield (
                order.number,
                place,
                order.customer.email,
                at,
                line.product,
                line.category,
                line.quantity,
                _money(line.amount_cents),
                order.status,
            )


def _counter_rows(orders: list[Order]) -> Iterable[Sequence[object]]:
    yield ("receipt", "customer_no", "date", "total", "status", "sales_rep")
    for order in orders:
        number, rep = order.customer.number, order.customer.rep
        yield (order.number, number, order.date, _money(order.amount_cents), order.status, rep)


def _phone_rows(orders: list[Order]) -> Iterable[Sequence[object]]:
    yield ("order_date", "order_no", "client_no", "status", "amount", "rep")
    for order in orders:
        number, rep = order.customer.number, order.customer.rep
        yield (order.date, order.number, number, order.status, _money(order.amount_cents), rep)


def _fair_rows(orders: list[Order]) -> Iterable[Sequence[object]]:
    yield ("docket", "mail", "sold_on", "value")
    for order in orders:
        yield (order.number, order.customer.email, order.date, _money(order.amount_cents))


def _money(cents: int) -> str:
    return f"{cents // 100}.{cents % 100:02d}"
