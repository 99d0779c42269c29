"""Small books full of traps, as plain records."""

from __future__ import annotations

import datetime as dt
import random
from dataclasses import dataclass, field, replace
from typing import TypeVar

T = TypeVar("T", "Order", "Payment", "Mark")
MINOR = 10_000
"""Amounts are whole ten-thousandths; days are ordinals of the proleptic calendar, 1 January of the year 1 being 1."""
SOURCES = ("fair", "shop", "web")
CHANNELS, REPS = ("", "ads", "Friends", "web"), ("", "Mo", "Ines")
MANY_REPS = ("", *(f"Rep {place}" for place in range(1, 13)))
"""More than stand alone in a split."""
REGIONS = ("", "Coast", "Hills", "blank")
CATEGORIES, PRODUCTS = ("", "clay", "glaze", "tools"), ("", "kiln", "loop", "slab")
DISCOUNTS, GIFTS = ("", "0", "5", "12.5"), ("", "yes", "no")
STATUSES = ("open", "paid", "cancelled", "refunded")


@dataclass(frozen=True)
class Line:
    product: str
    category: str
    amount: int


@dataclass(frozen=True)
class Order:
    """One order of the record; ``time`` is ``HH:MM`` or empty."""

    source: str
    number: str
    customer: str
    day: int
    amount: int
    time: str = ""
    status: str = "paid"
    channel: str = ""
    rep: str = ""
    discount: str = ""
    gift: str = ""
    lines: tuple[Line, ...] = ()
    by_hand: bool = False


@dataclass(frozen=True)
class Customer:
    key: str
    name: str = ""
    email: str = ""
    town: str = ""
    region: str = ""
    score: str = ""
    joined: int | None = None
    closed: str = ""
    do_not_contact: str = ""


@dataclass(frozen=True)
class Payment:
    customer: str
    day: int
    amount: int


@dataclass(frozen=True)
class Spend:
    """``month`` is its first day."""

    month: int
    channel: str
    amount: int


@dataclass(frozen=True)
class Mark:
    """What was put down of a member of a list: whether it was contacted, and on which day; else it is left out."""

    list_name: str
    customer: str
    contacted: bool
    day: int


@dataclass(frozen=True)
class Book:
    """What is on record. ``lists`` : the members of each customer list, by its name, made as of ``listed_on``.
    ``matches`` : who was said to be one."""

    orders: tuple[Order, ...]
    customers: tuple[Customer, ...]
    payments: tuple[Payment, ...] = ()
    spend: tuple[Spend, ...] = ()
    lists: dict[str, tuple[str, ...]] = field(default_factory=dict)
    listed_on: int = 0
    marks: tuple[Mark, ...] = ()
    matches: tuple[tuple[str, str], ...] = ()

    @property
    def keys(self) -> list[str]:
        """Everybody on file."""
        named = [customer.key for customer in self.customers]
        others = (each.customer for part in (self.orders, self.payments) for each in part)
        return list(dict.fromkeys([*named, *others]))

    def settled(self) -> Book:
        """The same without members, marks and matches of customers who are not on file, and lists of nobody."""
        keys = set(self.keys)
        lists = {name: tuple(key for key in some if key in keys) for name, some in self.lists.items()}
        return replace(
            self,
            lists={name: some for name, some in lists.items() if some},
            marks=tuple(mark for mark in self.marks if mark.customer in keys),
            matches=tuple(pair for pair in self.matches if set(pair) <= keys),
        )

    def merged(self) -> Book:
        """The same where customers who were said to be one are one, with the first of their numbers and e-mails."""
        one = {key: key for key in self.keys}
        for first, second in self.matches:
            same = {key for key in one if one[key] in (one[first], one[second])}
            one |= dict.fromkeys(same, min(same))

        def moved(part: tuple[T, ...]) -> tuple[T, ...]:
            return tuple(replace(each, customer=one[each.customer]) for each in part)

        about: dict[str, Customer] = {}
        for each in self.customers:
            known = about.get(one[each.key], Customer(one[each.key]))
            filled = {name: value for name, value in vars(each).items() if value and name != "key"}
            emails = [email for email in (known.email, each.email) if email]
            about[one[each.key]] = replace(known, **filled | {"email": min(emails, default="")})
        return replace(
            self,
            orders=moved(self.orders),
            payments=moved(self.payments),
            customers=tuple(about.values()),
            lists={name: tuple(dict.fromkeys(one[key] for key in some)) for name, some in self.lists.items()},
            marks=moved(self.marks),
            matches=(),
        )


def random_book(seed: int) -> Book:
    """A book of up to a dozen customers: ties, times, leap days, amounts of 0 and below, several sources and lines."""
    draw = random.Random(seed)
    begin = draw.choice((dt.date(2020, 11, 20), dt.date(2023, 12, 28), dt.date(2024, 1, 31))).toordinal()
    span = draw.choice((40, 200, 500))
    marked = [begin + draw.randrange(span) for _ in range(4)] + [begin, begin + 31]
    keys, reps = [f"K{place}" for place in range(draw.randrange(2, 13))], draw.choice((REPS, REPS, MANY_REPS))
    orders = [_order(draw, place, keys, begin, span, marked, reps) for place in range(draw.randrange(1, 50))]
    if draw.random() < 0.7:  # one who comes often, with gaps of their own
        day = begin
        for place in range(draw.randrange(4, 9)):
            another = _order(draw, 60 + place, keys, begin, span, marked, reps)
            orders.append(replace(another, customer=keys[0], day=day))
            day += draw.choice((3, 7, 10, 30))
    customers = tuple(_customer(draw, key, begin, span) for key in keys if draw.random() < 0.8)
    some = draw.random() < 0.6
    payments = tuple(
        Payment(draw.choice(keys), begin + draw.randrange(span), draw.choice((500, 20_000, 123_400)) + place)
        for place in range(draw.randrange(6) if some else 0)
    )
    months = [dt.date.fromordinal(begin + 31 * place).replace(day=1).toordinal() for place in range(span // 31 + 1)]
    spend = [
        Spend(month, draw.choice(("ads", "ADS", "web", "radio")), draw.choice((10_000, 500_000))) for month in months
    ]
    once = {(each.month, each.channel.casefold()): each for each in spend if draw.random() < 0.6}
    everybody = Book(tuple(orders), customers).keys
    lists = {
        name: tuple(sorted(draw.sample(everybody, draw.randrange(1, len(everybody) + 1)))) for name in ("calls", "both")
    }
    listed_on = begin + draw.randrange(span)
    marks = tuple(
        Mark("calls", key, draw.random() < 0.7, listed_on + draw.randrange(-5, 40))
        for key in lists["calls"]
        if draw.random() < 0.5
    )
    said = draw.sample(everybody, 2) if len(everybody) > 1 and draw.random() < 0.3 else ()
    marks = tuple(mark for mark in marks if mark.customer not in said)
    matches = ((said[0], said[1]),) if said else ()
    of_spend = tuple(once.values()) if some else ()
    return Book(tuple(orders), customers, payments, of_spend, lists, listed_on, marks, matches)


def _order(
    draw: random.Random, place: int, keys: list[str], begin: int, span: int, marked: list[int], reps: tuple[str, ...]
) -> Order:
    source = draw.choice(SOURCES)
    day = draw.choice((begin + draw.randrange(span), draw.choice(marked)))
    amounts = (0, 10_000, 10_000, 1_234_500, -25_000, draw.randrange(1, 900) * 100)
    number = f"{draw.choice('AB')}-{draw.choice((place, 100 - place))}{'xyz'[SOURCES.index(source)]}{place}"
    lines: tuple[Line, ...] = ()
    amount = draw.choice(amounts)
    if source == "web":
        sizes = draw.sample(range(-300, 4_000), draw.randrange(1, 4))
        lines = tuple(Line(draw.choice(PRODUCTS), draw.choice(CATEGORIES), size * 100) for size in sizes)
        amount = sum(line.amount for line in lines)
    by_hand = source == "fair" and draw.random() < 0.06
    return Order(
        source,
        number,
        draw.choice(keys),
        day,
        amount,
        draw.choice(("", "", "09:30", "17:05")) if source == "shop" else "",
        draw.choices(STATUSES, (2, 8, 2, 1))[0],
        draw.choice(CHANNELS),
        draw.choice(reps),
        draw.choice(DISCOUNTS) if source == "shop" else "",
        draw.choice(GIFTS) if source == "shop" else "",
        lines,
        by_hand,
    )


def _customer(draw: random.Random, key: str, begin: int, span: int) -> Customer:
    return Customer(
        key,
        draw.choice(("Ada Orme", "Brae School", f"Potter {key}")),
        draw.choice(("", f"{key.lower()}@pots.example")),
        draw.choice(("", "Porto", "Lagos")),
        draw.choice(REGIONS),
        draw.choice(("", "1", "2.5", "10")),
        draw.choice((None, begin + draw.randrange(span), begin - 50)),
        draw.choice(("", "yes", "no")),
        draw.choice(("", "yes", "no", "no")),
    )


def iso(day: int) -> str:
    """A day as a file says it; 0 for none."""
    return dt.date.fromordinal(day).isoformat() if day else ""


def units(minor: int) -> str:
    """An amount as a file says it."""
    sign, size = "-" if minor < 0 else "", abs(minor)
    return f"{sign}{size // MINOR}.{size % MINOR:04d}"
