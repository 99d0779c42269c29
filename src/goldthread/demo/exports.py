"""The supplier's exports as files, each source with its own columns, dates, separators and mess."""

from __future__ import annotations

import csv
import datetime as dt
import gzip
import io
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from random import Random
from zoneinfo import ZoneInfo

import xlsxwriter

from goldthread.demo.names import RANGES
from goldthread.demo.supplier import (
    COUNTER,
    FAIR,
    FAIRS,
    PHONE,
    SALE_DAYS,
    SEED,
    WEB,
    DemoCustomer,
    DemoOrder,
    make_history,
    make_next_week,
)

OVERLAP_FROM = dt.date(2026, 8, 1)
OVERLAP_TO = dt.date(2026, 9, 30)
DOUBLE_STUDIO = "Cobalt Rook Pottery"
OFFICE = "office"
TWICE_REGISTERED = "C3401"
LAST_REGISTERED = dt.date(2026, 10, 12)
UNKNOWN_ORDERS = 7
_ZONE = ZoneInfo("Europe/Lisbon")
_CHANNELS = ("search", "social", "newsletter", "word of mouth")
_STALL = "fair stall"
_FIRST_SPEND, _SPEND_MONTHS = (2023, 1), 46
_USUAL_SPEND = {"search": 1_250, "social": 1_500, "newsletter": 90}
_STALL_SPEND, _LEAFLET_SPEND = 4_600, 380
_LEAFLET_MONTHS = ("2025-03", "2025-04")
"""Leaflets were paid for under a channel that no order names."""
_FORGOTTEN = ("2024-08", "newsletter")
"""What nobody wrote down."""
_MADE_AT = dt.datetime(2026, 11, 1)  # noqa: DTZ001 - a workbook knows no time zone
_TILL_WORDS = {"paid": "bezahlt", "open": "offen", "cancelled": "storniert", "refunded": "erstattet"}
_MANY_ORDERS, _FREIGHT_FROM_CENTS = 6, 40_000
_RANGE_OF = {product: name for name, products in RANGES.items() for product in products}
_SHOP_WORDS = {"paid": "completed", "open": "pending", "cancelled": "cancelled", "refunded": "returned"}


@dataclass(frozen=True)
class Export:
    """A file and the source it belongs to."""

    source: str
    path: Path


@dataclass(frozen=True)
class _Planned:
    """A file as it will be: its name, its source, and what writes it."""

    name: str
    source: str
    write: Callable[[Path], None]


FILES = (
    "customers.csv",
    "web_accounts.csv",
    "web_2023_to_sep_2026.csv",
    "web_aug_to_oct_2026.csv",
    "counter.csv",
    "phone.tsv",
    "fairs.xlsx",
    "payments.csv",
    "spend.csv",
    "events.csv",
)
"""The names of the files, in the order in which they are imported."""


def write_exports(folder: Path) -> list[Export]:
    """Write all files, in the order in which they would be imported."""
    customers, orders = make_history()
    studio = _studio_in_two_sources(customers)
    studio.name = DOUBLE_STUDIO
    of = {source: [order for order in orders if order.source == source] for source in (WEB, COUNTER, PHONE, FAIR)}
    early = [order for order in of[WEB] if order.date <= OVERLAP_TO]
    late = [order for order in of[WEB] if order.date >= OVERLAP_FROM]
    plans = (
        _Planned("customers.csv", OFFICE, _text(_customer_rows(customers))),
        _Planned("web_accounts.csv", WEB, _text(_account_rows(customers))),
        _Planned("web_2023_to_sep_2026.csv", WEB, _text(_line_rows(early))),
        _Planned("web_aug_to_oct_2026.csv.gz", WEB, _packed(_line_rows(late))),
        _Planned("counter.csv", COUNTER, _text(_counter_rows(of[COUNTER]), ";", "cp1252")),
        _Planned("phone.tsv", PHONE, _text(_phone_rows(of[PHONE]), "\t")),
        _Planned("fairs.xlsx", FAIR, _workbook(of[FAIR])),
        _Planned("payments.csv", OFFICE, _text(_payment_rows(of[PHONE]), ";")),
        _Planned("spend.csv", OFFICE, _text(_spend_rows())),
        _Planned("events.csv", OFFICE, _text(_event_rows())),
    )
    exports = []
    for plan in plans:
        plan.write(folder / plan.name)
        exports.append(Export(plan.source, folder / plan.name))
    return exports


def write_next_week(folder: Path) -> list[Export]:
    """Write what the sources give a week later, each into a folder of its own. The till was set up anew: its amounts
    stand under another name."""
    customers, orders = make_history()
    fresh = make_next_week(customers, orders)
    of = {source: [order for order in fresh if order.source == source] for source in (WEB, COUNTER, PHONE)}
    header, *till = _counter_rows(of[COUNTER])
    plans = (
        _Planned("web_2026-11-08.csv", WEB, _text(_line_rows(of[WEB]))),
        _Planned("counter_2026-11-08.csv", COUNTER, _text([_renamed(header), *till], ";", "cp1252")),
        _Planned("phone_2026-11-08.tsv", PHONE, _text(_phone_rows(of[PHONE]), "\t")),
    )
    exports = []
    for plan in plans:
        (folder / plan.source).mkdir(parents=True, exist_ok=True)
        path = folder / plan.source / plan.name
        plan.write(path)
        exports.append(Export(plan.source, path))
    return exports


def _renamed(header: Sequence[object]) -> list[object]:
    return ["endbetrag" if name == "summe" else name for name in header]


def _studio_in_two_sources(customers: list[DemoCustomer]) -> DemoCustomer:
    """A studio that orders in the web shop, by e-mail, and at the counter, by number."""
    both = {WEB, COUNTER}
    return next(known for known in customers if known.segment == "studio" and both <= {o.source for o in known.orders})


Cells = Iterable[Sequence[object]]


def _text(rows: Cells, separator: str = ",", encoding: str = "utf-8") -> Callable[[Path], None]:
    def write(path: Path) -> None:
        with path.open("w", encoding=encoding, newline="") as file:
            csv.writer(file, delimiter=separator, lineterminator="\r\n").writerows(rows)

    return write


def _packed(rows: Cells) -> Callable[[Path], None]:
    def write(path: Path) -> None:
        text = io.StringIO(newline="")
        csv.writer(text, lineterminator="\r\n").writerows(rows)
        path.write_bytes(gzip.compress(text.getvalue().encode(), mtime=0))

    return write


def _workbook(orders: list[DemoOrder]) -> Callable[[Path], None]:
    """Real dates and numbers, and a title above the table, as somebody keeps a list by hand."""

    def write(path: Path) -> None:
        with xlsxwriter.Workbook(path) as book:
            book.set_properties({"created": _MADE_AT})
            date, money = book.add_format({"num_format": "dd/mm/yyyy"}), book.add_format({"num_format": "0.00"})
            sheet = book.add_worksheet("Stall")
            sheet.write(0, 0, "Stall at the fairs: what was sold")
            sheet.write_row(2, 0, ("docket", "mail", "sold on", "value", "channel"))
            for place, order in enumerate(orders, 3):
                sheet.write(place, 0, order.number)
                sheet.write(place, 1, order.customer.email)
                sheet.write_datetime(place, 2, dt.datetime.combine(order.date, dt.time()), date)
                sheet.write_number(place, 3, order.amount_cents / 100, money)
                sheet.write(place, 4, _STALL)
            book.add_worksheet("Notes").write(0, 0, "Dockets of May 2025 are in the blue box.")

    return write


def _customer_rows(customers: list[DemoCustomer]) -> Cells:
    """The studio that stands twice has no e-mail here, so its web orders cannot be matched to its number. One person
    was written down a second time, under another number."""
    yield (
        *("customer_no", "name", "email", "phone", "town", "region", "segment", "sales_rep", "joined_on"),
        *("standing", "do_not_contact"),
    )
    for place, known in enumerate(customers):
        email = "" if known.name == DOUBLE_STUDIO else known.email
        standing = ("closed" if place % 97 == 41 else "open", "yes" if place % 61 == 17 else "no")
        yield (
            known.number,
            known.name,
            email,
            _phone(place),
            known.town,
            known.region,
            known.segment,
            known.rep,
            known.joined_on,
            *standing,
        )
    again = customers[700]
    yield (
        *(TWICE_REGISTERED, again.name.upper(), again.email, "", again.town, again.region, again.segment, again.rep),
        *(LAST_REGISTERED, "open", "no"),
    )


def _phone(place: int) -> str:
    """A number that nobody has: 555 0100 to 555 0199 of invented exchanges. One customer in nine gave none."""
    return "" if place % 9 == 4 else f"0{300 + place // 100} 555 01{place % 100:02d}"


def _account_rows(customers: list[DemoCustomer]) -> Cells:
    yield ("E-mail address", "Full name", "Place")
    for known in customers:
        if any(order.source == WEB for order in known.orders):
            yield (known.email, known.name, known.town)


def _line_rows(orders: list[DemoOrder]) -> Cells:
    """One flat table: what the shop knows of an order stands on each of its lines."""
    yield (
        *("order", "line", "email", "ordered_at", "product", "category", "qty", "amount", "status", "channel"),
        *("delivery", "discount_code", "product_range"),
    )
    for order in orders:
        at = dt.datetime.combine(order.date, dt.time(order.minute // 60, order.minute % 60), _ZONE).isoformat()
        channel = _channel(order.customer)
        of_order = (_delivery(order), _discount_code(order))
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
                _SHOP_WORDS[order.status],
                channel,
                *of_order,
                _RANGE_OF.get(line.product, "everyday"),
            )


def _channel(customer: DemoCustomer) -> str:
    """What brought a customer to the web shop: their own for good."""
    draw = Random(f"{SEED} {customer.number}")  # noqa: S311 - invented data, nothing secret
    return draw.choices(_CHANNELS, (44, 27, 17, 12))[0]


def _delivery(order: DemoOrder) -> str:
    """How an order left the yard: who comes for it in person is close to the house, and comes more often."""
    draw = Random(f"{SEED} {order.number} delivery")  # noqa: S311 - invented data, nothing secret
    if draw.random() < (0.46 if len(order.customer.orders) >= _MANY_ORDERS else 0.1):
        return "collected"
    return "freight" if order.amount_cents >= _FREIGHT_FROM_CENTS else "parcel"


def _discount_code(order: DemoOrder) -> str:
    """Codes on first orders went above all to people who wanted the discount, and no more."""
    draw = Random(f"{SEED} {order.number} code")  # noqa: S311 - invented data, nothing secret
    known = order.customer.orders
    if SALE_DAYS[0] <= order.date <= SALE_DAYS[1]:
        return "KILNSALE"
    if order is known[0]:
        return "FIRSTFIRE" if draw.random() < (0.5 if len(known) == 1 else 0.1) else ""
    return "TENOFF" if draw.random() < 0.04 else ""


def _counter_rows(orders: list[DemoOrder]) -> Cells:
    """The till writes as its maker's country does. A few rows were typed in a hurry."""
    yield ("beleg", "kd_nr", "datum", "summe", "wer", "stand")
    for place, order in enumerate(orders):
        known, date = order.customer, f"{order.date:%d/%m/%Y}"
        row = [order.number, known.number, date, _comma(order.amount_cents), known.rep, _TILL_WORDS[order.status]]
        if place in _MISTYPED:
            column, text = _MISTYPED[place]
            yield (f"{row[0]}x", *(text if at == column else cell for at, cell in enumerate(row[1:], 1)))
        yield row


_MISTYPED = {310: (1, ""), 977: (2, "31/02/2024"), 1505: (3, "1o,50"), 2222: (2, "30/02/2025")}


def _phone_rows(orders: list[DemoOrder]) -> Cells:
    yield ("order_date", "order_no", "client_no", "status", "amount", "rep")
    for order in orders:
        known, date = order.customer, f"{order.date.day} {order.date:%b %Y}"
        yield (date, order.number, known.number, order.status, f"EUR {_money(order.amount_cents)}", known.rep)


def _payment_rows(orders: list[DemoOrder]) -> Cells:
    """Phone orders on account are paid some weeks later; some payments name an order that is in no file."""
    draw = Random(SEED)  # noqa: S311 - invented data, nothing secret
    yield ("payment_no", "customer_no", "order", "paid_on", "amount")
    paid = [order for order in orders if order.status == "paid" and draw.random() < 0.85]
    for place, order in enumerate(paid, 1):
        on = order.date + dt.timedelta(draw.randrange(6, 50))
        number = f"P-9{place:03d}" if place % (len(paid) // UNKNOWN_ORDERS) == 3 else order.number
        yield (f"Z{place:05d}", order.customer.number, number, f"{on:%d.%m.%Y}", _comma(order.amount_cents))


def _spend_rows() -> Cells:
    draw = Random(SEED)  # noqa: S311 - invented data, nothing secret
    yield ("month", "channel", "amount")
    for place in range(_SPEND_MONTHS):
        year, month = divmod(_FIRST_SPEND[0] * 12 + _FIRST_SPEND[1] - 1 + place, 12)
        named = f"{year}-{month + 1:02d}"
        for channel, usual in _USUAL_SPEND.items():
            spent = usual * draw.uniform(0.8, 1.3)
            if (named, channel) != _FORGOTTEN:
                yield (named, channel, f"{spent:.2f}")
        if (year, month + 1) in {(fair.year, fair.month) for fair in FAIRS}:
            yield (named, _STALL, f"{_STALL_SPEND}.00")
        if named in _LEAFLET_MONTHS:
            yield (named, "leaflets", f"{_LEAFLET_SPEND}.00")


def _event_rows() -> Cells:
    yield ("from", "until", "event")
    yield ("2024-03-01", "2024-03-31", "first open days of the kiln yard")
    yield (SALE_DAYS[0], SALE_DAYS[1], "kiln sale")
    yield ("2025-07-01", "", "price of porcelain raised")
    for fair in FAIRS:
        yield (fair, fair + dt.timedelta(1), "stall at the fair")


def _money(cents: int) -> str:
    return f"{cents // 100}.{cents % 100:02d}"


def _comma(cents: int) -> str:
    """With a decimal comma and a point between thousands: 1.234,50."""
    whole = f"{cents // 100:,}".replace(",", ".")
    return f"{whole},{cents % 100:02d}"
