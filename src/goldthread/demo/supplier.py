"""Four years of an invented supplier's trade, from a seed. What can be found in it is listed in ``docs/demo.md``."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from random import Random

from goldthread.demo import names

SEED = 2_377
FIRST_DAY = dt.date(2023, 1, 1)
LAST_DAY = dt.date(2026, 10, 31)
CUSTOMERS = 2_400
FAIRS = (dt.date(2025, 5, 17), dt.date(2025, 9, 20), dt.date(2026, 5, 16), dt.date(2026, 9, 19))
FAIR_VISITORS = 62
SALE_COHORT = (2024, 3)
SALE_DAYS = (dt.date(2024, 10, 14), dt.date(2024, 10, 27))
REP_WHO_LEFT, REP_LEFT_ON = "Idris", dt.date(2025, 6, 30)
NEXT_WEEK_DAYS, NEXT_WEEK_ORDERS, LATELY_DAYS = 7, 110, 120
NEVER_ORDERED_SHARE = 0.055
WEB, COUNTER, PHONE, FAIR = "web shop", "trade counter", "phone desk", "fairs"


@dataclass
class Line:
    """One line of an order."""

    product: str
    category: str
    quantity: int
    amount_cents: int


@dataclass
class DemoOrder:
    """One order of the supplier's history. ``entered_on`` is later than ``date`` for a backdated order."""

    customer: DemoCustomer
    source: str
    date: dt.date
    minute: int
    entered_on: dt.date
    status: str
    lines: list[Line]
    number: str = ""

    @property
    def amount_cents(self) -> int:
        return sum(line.amount_cents for line in self.lines)


@dataclass
class DemoCustomer:
    """A person or firm that is on the supplier's books."""

    number: str
    name: str
    email: str
    town: str
    region: str
    segment: str
    joined_on: dt.date
    rep: str
    source: str
    orders: list[DemoOrder] = field(default_factory=list)


def make_history() -> tuple[list[DemoCustomer], list[DemoOrder]]:
    """All customers by number, and all orders by source and number."""
    draw = Random(SEED)  # noqa: S311 - invented data, nothing secret
    joined = sorted(_joining_days(draw))
    customers = [_customer(draw, place, day, fair) for place, (day, fair) in enumerate(joined)]
    for customer in customers:
        if customer.source == FAIR or draw.random() > NEVER_ORDERED_SHARE:
            for day in _order_days(draw, customer):
                customer.orders.append(_order(draw, customer, day))
    orders = [order for customer in customers for order in customer.orders]
    _number(orders)
    return customers, orders


def make_next_week(customers: list[DemoCustomer], orders: list[DemoOrder]) -> list[DemoOrder]:
    """Orders of the week after the last day, by source and number, of customers who had ordered lately."""
    draw = Random(f"{SEED} next week")  # noqa: S311 - invented data, nothing secret
    lately = LAST_DAY - dt.timedelta(LATELY_DAYS)
    regular = [known for known in customers if known.orders and known.orders[-1].date >= lately]
    days = [LAST_DAY + dt.timedelta(1 + draw.randrange(NEXT_WEEK_DAYS)) for _ in range(NEXT_WEEK_ORDERS)]
    fresh = [_order(draw, draw.choice(regular), day) for day in days]
    for order in fresh:
        order.status, order.entered_on = "paid", order.date
        order.source = COUNTER if order.source == FAIR else order.source
    last = {source: [each.number for each in orders if each.source == source][-1] for source in (WEB, COUNTER, PHONE)}
    _number(fresh, {source: int(number.lstrip("WKP-")) for source, number in last.items()})
    return fresh


def _joining_days(draw: Random) -> list[tuple[dt.date, bool]]:
    span = (LAST_DAY - FIRST_DAY).days
    usual = CUSTOMERS - len(FAIRS) * FAIR_VISITORS
    days = [(FIRST_DAY + dt.timedelta(int(span * draw.random() ** 0.94)), False) for _ in range(usual)]
    return days + [(fair + dt.timedelta(draw.randrange(2)), True) for fair in FAIRS for _ in range(FAIR_VISITORS)]


def _customer(draw: Random, place: int, joined_on: dt.date, at_fair: bool) -> DemoCustomer:
    segment = "hobby" if at_fair else draw.choices(("hobby", "studio", "school"), (58, 31, 11))[0]
    region = draw.choices(tuple(names.TOWNS), (38, 27, 24, 11))[0]
    if segment == "hobby":
        name = f"{draw.choice(names.FIRST)} {draw.choice(names.SURNAME)}"
    else:
        pattern = draw.choice(names.STUDIO if segment == "studio" else names.SCHOOL)
        name = pattern.format(f"{draw.choice(names.PLACE)}{draw.choice(('', '', ' ' + draw.choice(names.PLACE)))}")
    plain = "".join(letter for letter in name.lower() if letter.isascii() and letter.isalnum())
    return DemoCustomer(
        number=f"C{place + 1001}",
        name=name,
        email=f"{plain}{place + 1001}@{draw.choice(('kilnmail', 'post', 'studio', 'home'))}.example",
        town=draw.choice(names.TOWNS[region]),
        region=region,
        segment=segment,
        joined_on=joined_on,
        rep=draw.choice(names.REPS),
        source=FAIR if at_fair else _usual_source(draw, segment),
    )


def _usual_source(draw: Random, segment: str) -> str:
    weights = {"hobby": (66, 28, 6), "studio": (48, 34, 18), "school": (30, 12, 58)}[segment]
    return draw.choices((WEB, COUNTER, PHONE), weights)[0]


def _order_days(draw: Random, customer: DemoCustomer) -> list[dt.date]:
    first = customer.joined_on + dt.timedelta(0 if customer.source == FAIR else int(draw.expovariate(1 / 5)))
    days = [first]
    if customer.source == FAIR:
        days += [first + dt.timedelta(draw.randrange(40, 200))] if draw.random() < 0.06 else []
    elif customer.segment == "school":
        days += _school_days(draw, first)
    else:
        days += _repeat_days(draw, customer.segment, first)
    if (first.year, first.month) == SALE_COHORT and draw.random() < 0.72:
        days.append(SALE_DAYS[0] + dt.timedelta(draw.randrange((SALE_DAYS[1] - SALE_DAYS[0]).days)))
    silent = customer.rep == REP_WHO_LEFT and customer.source in (COUNTER, PHONE) and draw.random() < 0.85
    end = REP_LEFT_ON if silent else LAST_DAY
    return sorted(day for day in days if day <= end)


def _school_days(draw: Random, first: dt.date) -> list[dt.date]:
    """Schools order at the start of each term, in September and January, and now and then in between."""
    days = []
    for year in range(first.year, LAST_DAY.year + 1):
        for month, likely in ((1, 0.86), (9, 0.93), (4, 0.22), (11, 0.2)):
            day = dt.date(year, month, draw.randrange(1, 27))
            if day > first and draw.random() < likely:
                days.append(day)
    return days


def _repeat_days(draw: Random, segment: str, first: dt.date) -> list[dt.date]:
    """Studios keep their pace; hobby potters' gaps grow by a sixth with each order."""
    leaves, usual_gap, grows = (0.026, 34.0, 1.0) if segment == "studio" else (0.118, 39.0, 1.15)
    own_gap = usual_gap * draw.lognormvariate(0, 0.35)
    days, day = [], first
    while draw.random() > leaves:
        day += dt.timedelta(max(1, int(own_gap * draw.lognormvariate(0, 0.45))))
        if day > LAST_DAY:
            break
        days.append(day)
        own_gap *= grows
    return days


def _order(draw: Random, customer: DemoCustomer, day: dt.date) -> DemoOrder:
    elsewhere = customer.source == FAIR or draw.random() < 0.09
    source = customer.source
    if elsewhere and day != customer.joined_on:
        source = draw.choices((WEB, COUNTER, PHONE), (6, 3, 1))[0]
    backdated = source == COUNTER and draw.random() < 0.008
    entered_on = min(LAST_DAY, day + dt.timedelta(draw.randrange(12, 45))) if backdated else day
    recent = (LAST_DAY - day).days < 10
    status = draw.choices(("paid", "cancelled", "refunded", "open"), (95, 2.6, 1.1, 60 if recent else 0))[0]
    in_sale = SALE_DAYS[0] <= day <= SALE_DAYS[1] and bool(customer.orders)
    return DemoOrder(
        customer, source, day, draw.randrange(7 * 60, 21 * 60), entered_on, status, _lines(draw, customer, in_sale)
    )


def _lines(draw: Random, customer: DemoCustomer, in_sale: bool) -> list[Line]:
    count = min(1 + int(draw.expovariate(0.52)), 9)
    weights = {"hobby": (34, 30, 32, 4), "studio": (42, 34, 14, 10), "school": (58, 22, 18, 2)}[customer.segment]
    most = {"hobby": 3, "studio": 8, "school": 24}[customer.segment]
    lines = []
    for place in range(count):
        category = "kiln" if in_sale and place == 0 else draw.choices(tuple(names.PRODUCTS), weights)[0]
        product, price = draw.choice(names.PRODUCTS[category])
        quantity = draw.randint(1, most if category in ("clay", "glaze") else max(1, most // 3))
        lines.append(Line(product, category, quantity, round(price * 100) * quantity))
    return lines


_FIRST_NUMBERS = {WEB: 1, COUNTER: 10_000, PHONE: 1, FAIR: 1}


def _number(orders: list[DemoOrder], last: Mapping[str, int] = _FIRST_NUMBERS) -> None:
    """Numbers run on in the sequence of entry, per source: a backdated order has a late number and an early date."""
    prefixes = {WEB: "W-", COUNTER: "K", PHONE: "P-", FAIR: "F"}
    orders.sort(key=lambda order: (order.source, order.entered_on, order.minute, order.customer.number))
    numbers = dict(last)
    for order in orders:
        numbers[order.source] += 1
        order.number = f"{prefixes[order.source]}{numbers[order.source]}"
