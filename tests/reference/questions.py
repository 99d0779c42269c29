"""Every question's table, worked out of plain threads (sections 5 to 9): a list of rows, each a value by column."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from statistics import NormalDist
from typing import Any

from tests.reference.conditions import Joined, parts_of
from tests.reference.records import MINOR
from tests.reference.threads import (
    CUSTOMER_FIELDS,
    DATES,
    MONEY,
    NUMBERS,
    ORDER_FIELDS,
    OWN_FIELDS,
    Bought,
    Reading,
    Threads,
    category_of,
    gaps_of,
    last_sign,
    median,
    natural,
    quantile,
    read,
    standing_on,
)

Row = dict[str, Any]
Asked = dict[str, Any]
Z = NormalDist().inv_cdf(0.975)
STANDINGS = ("active", "lapsed", "never ordered", "none counted")
BLANK = "blank"


@dataclass(frozen=True)
class About:
    """A figure that was divided and rounded: right to so much."""

    value: Any
    by: float = 0.0


def money(minor: Any) -> Any:
    return None if minor is None else Decimal(int(minor)) / MINOR


def ratio(above: Any, below: Any) -> Any:
    return Fraction(above) / Fraction(below) if below else None


def per_unit(minor: Any, to: float = 0.00011) -> Any:
    """Amounts that were divided, rounded to the ten-thousandth or the hundredth."""
    return None if minor is None else About(float(minor) / MINOR, to)


def date(day: Any) -> Any:
    return None if day is None else dt.date.fromordinal(day)


def in_file(name: str, value: Any) -> Any:
    """A field's value as a file holds it."""
    if name in DATES:
        return date(value)
    if name in MONEY or name in NUMBERS:
        return money(value)
    return value


def wilson(part: int, whole: int) -> tuple[Any, Any]:
    if not whole:
        return None, None
    share = part / whole
    middle = (share + Z * Z / (2 * whole)) / (1 + Z * Z / whole)
    half = Z / (1 + Z * Z / whole) * math.sqrt(share * (1 - share) / whole + Z * Z / (4 * whole * whole))
    return max(0.0, middle - half), min(1.0, middle + half)


# periods: each is named by the ordinal of its first day


def begin_of(day: int, period: str) -> int:
    at = dt.date.fromordinal(day)
    match period:
        case "day":
            return day
        case "week":
            return day - at.weekday()
        case "month":
            return at.replace(day=1).toordinal()
        case "quarter":
            return at.replace(month=at.month - (at.month - 1) % 3, day=1).toordinal()
    return at.replace(month=1, day=1).toordinal()


def next_period(begin: int, period: str) -> int:
    longest = {"day": 1, "week": 7, "month": 31, "quarter": 92, "year": 366}[period]
    return begin_of(begin + longest, period)


def periods(first: int, last: int, period: str) -> list[int]:
    """The first days of all periods from that of one day to that of another."""
    found, begin, end = [], begin_of(first, period), begin_of(last, period)
    while begin <= end:
        found.append(begin)
        begin = next_period(begin, period)
    return found


def name_of(begin: int, period: str) -> str:
    at = dt.date.fromordinal(begin)
    match period:
        case "day":
            return at.isoformat()
        case "week":
            year, week, _ = at.isocalendar()
            return f"{year}-W{week:02d}"
        case "month":
            return f"{at:%Y-%m}"
        case "quarter":
            return f"{at.year}-Q{(at.month + 2) // 3}"
    return str(at.year)


def state_of(begin: int, period: str, as_of: int) -> str:
    return "complete" if next_period(begin, period) - 1 <= as_of else "partial" if begin <= as_of else "not_yet"


def order_label(reading: Reading, bought: Bought, name: str) -> str:
    """A label of an order, its own or its customer's; blank is the empty one."""
    if name in ORDER_FIELDS or name in OWN_FIELDS:
        value = reading.threads.of_order(bought, name)
    else:
        value = reading.threads.of_customer(bought.customer, name)
    return label_of(name, value)


def customer_label(reading: Reading, key: str, name: str) -> str:
    return label_of(name, reading.threads.of_customer(key, name))


def label_of(name: str, value: Any) -> str:
    if value is None:
        return ""
    if name in NUMBERS:
        return f"{Decimal(value) / MINOR:f}"
    if name in DATES:
        return f"{dt.date.fromordinal(value):%Y-%m}"
    return str(value)


def grouped(things: Iterable[Any], label: Callable[[Any], Any]) -> dict[Any, list[Any]]:
    found: dict[Any, list[Any]] = {}
    for each in things:
        found.setdefault(label(each), []).append(each)
    return found


def apart(name: str, groups: dict[str, list[Any]], size: Callable[[list[Any]], int] = len) -> dict[str, list[Any]]:
    """Groups of a field, the seven largest alone where there are more than eight; of equal ones the first by value."""

    def place(label: str) -> tuple[Any, ...]:
        value = Decimal(label) if name.removeprefix("first_") in NUMBERS and label else label
        return -size(groups[label]), label == "", value if label else 0

    ranked = sorted(groups, key=place)
    if len(ranked) <= 8:
        return groups
    others = [each for label in ranked[7:] for each in groups[label]]
    return {label: groups[label] for label in ranked[:7]} | {f"{len(ranked) - 7} others": others}


def who(threads: Threads, key: str) -> Row:
    return {"customer": key, "name": threads.of_customer(key, "name")}


def _rank_of(asked: Asked, thread: list[Bought]) -> Bought | None:
    rank = asked.get("rank", "first")
    if rank == "latest":
        return thread[-1] if thread else None
    nth = 1 if rank == "first" else int(rank)
    return thread[nth - 1] if len(thread) >= nth else None


def customers(reading: Reading, asked: Asked) -> list[Row]:
    threads, names = reading.threads, [asked["by"], *asked.get("show", ())]
    return [
        who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
        for key in reading.looked
    ]


def _listed(reading: Reading, bought: Bought, names: Iterable[str], number: str) -> Row:
    threads = reading.threads
    row = who(threads, bought.customer) | {"order": number}
    for name in names:
        if name in threads.unfiled:
            continue
        of_orders = name in ORDER_FIELDS or name in OWN_FIELDS
        value = threads.of_order(bought, name) if of_orders else threads.of_customer(bought.customer, name)
        row[name] = in_file(name, value)
    return row


_WITH_ORDERS = [name for name in CUSTOMER_FIELDS if name not in ("name", "number", "email")]


def nth(reading: Reading, asked: Asked) -> list[Row]:
    found = [_rank_of(asked, reading.threads.of(key)) for key in reading.looked]
    names = [*ORDER_FIELDS, *OWN_FIELDS, *_WITH_ORDERS]
    return [_listed(reading, each, names, each.named) for each in found if each and reading.shown(each)]


def _every(reading: Reading, some: list[Bought]) -> list[Row]:
    firsts = [name for name in CUSTOMER_FIELDS if name.startswith("first_")]
    names = [*ORDER_FIELDS, *OWN_FIELDS, *firsts, "orders", "revenue", "town", "closed", "do_not_contact", "region"]
    return [
        _listed(reading, each, [*names, "score", "joined"], each.named) | {"orders_to_date": reading.threads.rank(each)}
        for each in some
    ]


def orders(reading: Reading, _asked: Asked) -> list[Row]:
    return _every(reading, reading.orders)


def backdated(reading: Reading, _asked: Asked) -> list[Row]:
    recorded = [each for each in reading.book.orders if each.day <= reading.line.as_of]

    def is_backdated(bought: Bought) -> bool:
        mine = bought.order
        return any(
            other.customer == mine.customer
            and other.source == mine.source
            and other.day > mine.day
            and natural(other.number) < natural(mine.number)
            for other in recorded
        )

    return _every(reading, [each for each in reading.orders if is_backdated(each)])


def figures(reading: Reading, asked: Asked) -> list[Row]:
    group = asked.get("group", "")
    found = grouped(reading.orders, lambda each: order_label(reading, each, group) if group else "all")
    rows = []
    for label, some in found.items():
        amounts = [each.amount for each in some]
        rows.append(
            {
                "group": label or None,
                "customers": len({each.customer for each in some}),
                "orders": len(some),
                "revenue": money(sum(amounts)),
                "average": per_unit(Fraction(sum(amounts), len(some))),
                "smallest": money(min(amounts)),
                "smallest_order": _earliest(some, min(amounts)),
                "largest": money(max(amounts)),
                "largest_order": _earliest(some, max(amounts)),
                "earliest": date(min(each.day for each in some)),
                "latest": date(max(each.day for each in some)),
            }
        )
    return rows


def _earliest(some: list[Bought], amount: int) -> OneOf:
    """Of the orders with an amount those of the earliest date: any of them is right."""
    having = [each for each in some if each.amount == amount]
    return OneOf(tuple(each.named for each in having if each.day == min(other.day for other in having)))


@dataclass(frozen=True)
class OneOf:
    """Any of some values is right."""

    values: tuple[Any, ...]


def pairs(reading: Reading, asked: Asked) -> list[Row]:
    rows, columns = asked["rows"], asked["columns"]

    def pair(each: Bought) -> tuple[str, str]:
        one = each.customer if rows == "customer" else order_label(reading, each, rows)
        return one, order_label(reading, each, columns)

    found = grouped(reading.orders, pair)
    return [
        (who(reading.threads, one) if rows == "customer" else {rows: one or None})
        | {columns: other or None, "orders": len(some)}
        | {"earliest": date(min(each.day for each in some)), "latest": date(max(each.day for each in some))}
        for (one, other), some in found.items()
    ]


ELAPSED = {"week": 7, "month": 30, "quarter": 91, "year": 365}
Margin = Callable[[int], Fraction]


class Cohorts:
    """Customers by the period of the first order, and what they did at every age (section 5).

    ``some`` : who is counted; ``everybody`` : those by whose first orders an elapsed age is over.
    """

    def __init__(self, reading: Reading, period: str, ages: str, some: list[str], everybody: list[str] | None = None):
        threads, self.as_of = reading.threads, reading.line.as_of
        self.reading, self.period, self.ages = reading, period, ages
        self.members = [key for key in some if threads.of(key)]
        whole = [key for key in (everybody if everybody is not None else some) if threads.of(key)]
        self.first = {key: threads.of(key)[0].day for key in {*whole, *self.members}}
        every = [self.first[key] for key in whole]
        self.begins = periods(min(every), max(every), period) if every else []
        cohort = {key: begin_of(day, period) for key, day in self.first.items()}
        self.rows = {begin: [key for key in self.members if cohort[key] == begin] for begin in self.begins}
        self.days = {begin: [self.first[key] for key in whole if cohort[key] == begin] for begin in self.begins}
        if not every:
            self.count = 0
        elif ages == "calendar":
            self.count = len(periods(min(every), self.as_of, period))
        else:
            self.count = (self.as_of - min(every)) // ELAPSED[period] + 1
        self.cell: dict[tuple[int, int], list[Bought]] = {}
        for key in self.members:
            for each in reading.shown_of(key):
                self.cell.setdefault((begin_of(self.first[key], period), self.age(key, each.day)), []).append(each)

    def age(self, key: str, day: int) -> int:
        if self.ages == "elapsed":
            return (day - self.first[key]) // ELAPSED[self.period]
        return len(periods(self.first[key], day, self.period)) - 1

    def state(self, begin: int, age: int) -> str:
        if self.ages == "elapsed":
            length = ELAPSED[self.period]
            if not self.days[begin] or min(self.days[begin]) + age * length > self.as_of:
                return "not_yet"
            return "complete" if max(self.days[begin]) + (age + 1) * length - 1 <= self.as_of else "partial"
        for _ in range(age):
            begin = next_period(begin, self.period)
        return state_of(begin, self.period, self.as_of)

    def cells(self) -> list[tuple[int, int]]:
        """The cells that have begun, of cohorts with customers."""
        return [
            (begin, age)
            for begin in self.begins
            if self.rows[begin]
            for age in range(self.count)
            if self.state(begin, age) != "not_yet"
        ]

    def there(self, begin: int, low: int, high: int) -> list[Bought]:
        return [each for age in range(low, high + 1) for each in self.cell.get((begin, age), [])]

    def revenue(self, begin: int, low: int, high: int, margin: Margin | None = None) -> Fraction:
        weigh = margin or (lambda _day: Fraction(1))
        return sum((each.amount * weigh(each.day) for each in self.there(begin, low, high)), Fraction(0))

    def parts(self, figure: str, begin: int, age: int, costs: Costs) -> tuple[Any, Any]:
        """What is divided by what in a cell; None where a part is not known."""
        size, here = len(self.rows[begin]), self.there(begin, age, age)
        came = len({each.customer for each in here})
        match figure:
            case "customers":
                return came, 1
            case "orders":
                return len(here), 1
            case "revenue":
                return self.revenue(begin, age, age), 1
            case "retention":
                return came, size
            case "churn":
                return size - came, size
            case "still_buying":
                last = self.count - 1
                return len({each.customer for each in self.there(begin, age, last)}), size
            case "came_back":
                return len({each.customer for each in self.there(begin, 1, age)}), size
            case "average_order_value":
                return self.revenue(begin, age, age), len(here)
            case "revenue_per_customer":
                return self.revenue(begin, 0, age), size
            case "revenue_retention":
                first = self.revenue(begin, 0, 0)
                return (self.revenue(begin, age, age), first) if first > 0 else (None, None)
        cac = costs.cac(begin)
        return (None if cac is None else self.revenue(begin, 0, age, costs.margin) - cac * size), size

    def value(self, figure: str, begin: int, age: int, costs: Costs) -> Any:
        above, below = self.parts(figure, begin, age, costs)
        return None if above is None else ratio(above, below)

    def average(self, figure: str, age: int, costs: Costs, *, plain: bool) -> Any:
        """The average at an age over the complete cells; of counts, the total of those that have begun."""
        begun = [begin for begin, at in self.cells() if at == age]
        if figure in ("customers", "orders", "revenue"):
            return sum((self.parts(figure, begin, age, costs)[0] for begin in begun), Fraction(0))
        over = [begin for begin in begun if self.state(begin, age) == "complete"]
        if plain:
            known = [v for v in (self.value(figure, begin, age, costs) for begin in over) if v is not None]
            return ratio(sum(known), len(known))
        return _weighted([self.parts(figure, begin, age, costs) for begin in over])

    def overall(self, figure: str, costs: Costs) -> Any:
        cells = [(b, a) for b, a in self.cells() if a >= 1 and self.state(b, a) == "complete"]
        return _weighted([self.parts(figure, begin, age, costs) for begin, age in cells])


def _weighted(parts: list[tuple[Any, Any]]) -> Any:
    known = [(above, below) for above, below in parts if above is not None]
    below = sum(each for _, each in known)
    return ratio(sum(each for each, _ in known), below) if below > 0 else None


@dataclass(frozen=True)
class Costs:
    """Gross margin by day, and what winning a customer of a cohort cost."""

    margin: Margin
    cac: Callable[[int], Any]


def margin_of(asked: Asked) -> Margin:
    base, *named = str(asked.get("margin", "100")).split(",")
    changes = []
    for each in named:
        month, _, percent = each.partition("=")
        changes.append((dt.date.fromisoformat(f"{month}-01").toordinal(), Fraction(percent) / 100))

    def of(day: int) -> Fraction:
        share = Fraction(base) / 100
        for begin, percent in sorted(changes):
            if begin <= day:
                share = percent
        return share

    return of


def new_customers(reading: Reading, channel: str | None = None) -> list[int]:
    """The days of the first orders of the whole history; of one first channel, whatever its case."""
    threads = reading.threads
    firsts = [thread[0] for thread in threads.everybody.values() if thread]
    return [e.day for e in firsts if channel is None or threads.label(e, "channel").casefold() == channel.casefold()]


def spent(reading: Reading, channel: str | None = None) -> list[tuple[int, int]]:
    """Month and amount of what is recorded up to the month of the as-of date."""
    return [
        (each.month, each.amount)
        for each in reading.book.spend
        if each.month <= begin_of(reading.line.as_of, "month")
        and (channel is None or each.channel.casefold() == channel.casefold())
    ]


def costs_of(reading: Reading, asked: Asked, period: str, channel: str | None = None) -> Costs:
    typed = asked.get("cac", "spend")

    def cac(begin: int) -> Any:
        if typed != "spend":
            return Fraction(typed) * MINOR
        mine = [amount for month, amount in spent(reading, channel) if begin_of(month, period) == begin]
        won = [day for day in new_customers(reading, channel) if begin_of(day, period) == begin]
        return ratio(sum(mine), len(won)) if mine and period != "week" else None

    return Costs(margin_of(asked), cac)


def cost_of_all(reading: Reading, asked: Asked, period: str, channel: str | None = None) -> tuple[Any, int, Any]:
    """Spend, who was new in the periods for which it is recorded, CAC."""
    mine = spent(reading, channel) if period != "week" else []
    with_spend = {begin_of(month, period) for month, _ in mine}
    won = sum(begin_of(day, period) in with_spend for day in new_customers(reading, channel))
    whole = sum(amount for _, amount in mine) if mine else None
    typed = asked.get("cac", "spend")
    return whole, won, Fraction(typed) * MINOR if typed != "spend" else ratio(whole, won) if mine else None


def split_of(reading: Reading, name: str) -> dict[str, list[str]]:
    """The population by a field of customers; first amounts in bands. Groups without an order are left out."""
    with_orders = [key for key in reading.population if reading.threads.of(key)]
    if name == "first_amount":
        return _first_amounts(reading, with_orders)
    return apart(name, grouped(with_orders, lambda key: customer_label(reading, key, name)))


def _first_amounts(reading: Reading, some: list[str]) -> dict[str, list[str]]:
    first = {key: reading.threads.of(key)[0].amount for key in some}
    ordered = sorted(first.values())
    limits = set()
    for share in (Fraction(1, 4), Fraction(1, 2), Fraction(3, 4)) if ordered else ():
        amount = ordered[math.floor(share * (len(ordered) - 1))]
        if amount > 0:
            power = 10 ** (len(str(amount)) - 1)
            steps = [int(step * power) for step in (1, 1.5, 2, 2.5, 3, 4, 5, 7.5, 10)]
            limits.add(min(steps, key=lambda step: abs(step - amount)))
    bounds = sorted(limits)
    if not bounds:
        return {"any amount": some}
    names = [f"{b // MINOR}" if b % MINOR == 0 else f"{b / MINOR:.2f}" for b in bounds]
    labels = [f"under {names[0]}", *(f"{a} to under {b}" for a, b in pairwise(names)), f"{names[-1]} and more"]
    return {label: [] for label in labels} | grouped(some, lambda key: labels[sum(b <= first[key] for b in bounds)])


def _cohort_groups(reading: Reading, asked: Asked) -> list[tuple[Any, list[str], str | None]]:
    """Group, members, and the channel whose spend is theirs."""
    split = asked.get("split", "")
    if not split:
        return [("", reading.population, None)]
    own = split == "first_channel"
    return [(label or None, some, label if own else None) for label, some in split_of(reading, split).items()]


def cohorts(reading: Reading, asked: Asked) -> list[Row]:
    period, ages, figure = asked["period"], asked["ages"], asked["figure"]
    rows: list[Row] = []
    for group, some, channel in _cohort_groups(reading, asked):
        table = Cohorts(reading, period, ages, some, reading.population)
        # a blank channel has a spend of its own only where spend names a blank channel, which a file never does
        costs = costs_of(reading, asked, period, channel)
        named = {"group": group} if asked.get("split") else {}
        if asked.get("layout") == "grid":
            rows += [named | each for each in _grid(table, asked, costs)]
            continue
        for begin, age in table.cells():
            here, size = table.there(begin, age, age), len(table.rows[begin])
            came = len({each.customer for each in here})
            low, high = wilson(came, size)
            row = named | {
                "cohort": name_of(begin, period),
                "size": size,
                "age": age,
                "state": table.state(begin, age),
                "customers": came,
                "orders": len(here),
                "revenue": money(sum(each.amount for each in here)),
                "retention_rate": ratio(came, size),
                "low": low,
                "high": high,
            }
            if figure not in ("retention", "customers", "orders", "revenue"):
                row[figure] = _in_unit(figure, table.value(figure, begin, age, costs))
            rows.append(row)
    return rows


def _in_unit(figure: str, value: Any) -> Any:
    if value is None or figure in ("retention", "churn", "still_buying", "came_back", "revenue_retention"):
        return value
    return int(value) if figure in ("customers", "orders") else per_unit(value)


_HIDDEN_FIRST = ("retention", "churn", "came_back", "revenue_retention", "still_buying")


def _grid(table: Cohorts, asked: Asked, costs: Costs) -> list[Row]:
    figure, plain = asked["figure"], asked["average"] == "plain"
    ages = range(1 if figure in _HIDDEN_FIRST else 0, table.count)
    begun = set(table.cells())
    head: Row = {"cohort": "all", "customers": len(table.members)}
    rows = [head | {str(age): _in_unit(figure, table.average(figure, age, costs, plain=plain)) for age in ages}]
    for begin in table.begins:
        cells = {
            str(age): _in_unit(figure, table.value(figure, begin, age, costs)) if (begin, age) in begun else None
            for age in ages
        }
        rows.append({"cohort": name_of(begin, table.period), "customers": len(table.rows[begin])} | cells)
    return rows


def newness(reading: Reading, asked: Asked) -> list[Row]:
    split = asked.get("split", "")
    if not split:
        return _newness(reading, reading.orders, asked["period"])
    if split == "first_amount":
        bands = {key: label for label, some in split_of(reading, split).items() for key in some}
        groups = grouped(reading.orders, lambda each: bands[each.customer])
    else:
        groups = apart(split, grouped(reading.orders, lambda each: order_label(reading, each, split)))
    tables = {label: _newness(reading, some, asked["period"]) for label, some in groups.items()}
    return [{"group": label or None} | row for label, rows in tables.items() for row in rows]


def _newness(reading: Reading, some: list[Bought], period: str) -> list[Row]:
    threads, as_of = reading.threads, reading.line.as_of
    if not some:
        return []
    rows = []
    for begin in periods(min(each.day for each in some), as_of, period):
        here = [each for each in some if begin_of(each.day, period) == begin]
        kinds: dict[str, list[Bought]] = {
            "new": [each for each in here if threads.rank(each) == 1],
            "returning": [each for each in here if threads.rank(each) > 1],
            "won_back": [each for each in here if threads.won_back(each)],
        }
        fresh = {e.customer for e in here if begin_of(threads.of(e.customer)[0].day, period) == begin}
        others = {each.customer for each in here} - fresh
        people = {"new": fresh, "returning": others, "won_back": others & {e.customer for e in kinds["won_back"]}}
        row: Row = {"period": name_of(begin, period), "state": state_of(begin, period, as_of)}
        for kind in ("new", "returning", "won_back"):
            row[f"{kind}_orders"] = len(kinds[kind])
            row[f"{kind}_customers"] = len(people[kind])
            row[f"{kind}_revenue"] = money(sum(each.amount for each in kinds[kind]))
        rows.append(row)
    return rows


def counts(reading: Reading, asked: Asked) -> list[Row]:
    first = asked.get("from") or min(reading.begins, reading.line.as_of)
    last, most, threads = asked.get("to") or reading.line.as_of, asked["groups"], reading.threads
    inside = {key: [e for e in reading.shown_of(key) if first <= e.day <= last] for key in reading.looked}
    labels = [*map(str, range(most)), f"{most}+"]
    zero = asked["zero"] == "shown"
    whole = sum(bool(some) or zero for some in inside.values())
    rows, up_to = [], 0
    for group, label in enumerate(labels):
        if group == 0 and not zero:
            continue
        here = [some for some in inside.values() if min(len(some), most) == group]
        up_to += len(here)
        reached = sum(len(threads.of(key)) >= group for key in reading.population)
        went_on = sum(len(threads.of(key)) > group for key in reading.population)
        rows.append(
            {
                "orders": label,
                "customers": len(here),
                "share": Fraction(len(here), max(whole, 1)),
                "cumulative_share": Fraction(up_to, max(whole, 1)),
                "order_count": sum(map(len, here)),
                "revenue": money(sum(each.amount for some in here for each in some)),
                "went_on": ratio(went_on, reached) if group else None,
            }
        )
    return rows


def gaps(reading: Reading, asked: Asked) -> list[Row]:
    threads, by = reading.threads, asked["by"]
    ended = [each for each in reading.orders if threads.gap(each) is not None]

    def label(each: Bought) -> Any:
        match by:
            case "step":
                step = threads.rank(each) - 1
                return str(step) if step < 10 else "10+"
            case "all":
                return "all"
            case "customer" | "order":
                return each.customer if by == "customer" else id(each)
            case "week" | "month" | "quarter" | "year":
                return name_of(begin_of(each.day, by), by)
        return order_label(reading, each, by)

    if by == "order":
        rows = []
        for each in ended:
            gap = threads.gap(each)
            assert gap is not None
            row = who(threads, each.customer) | {"source": each.order.source, "order": each.named}
            rows.append(row | {"previous_date": date(each.day - gap), "date": date(each.day), "gap": gap})
        return rows
    rows = []
    for name, some in grouped(ended, label).items():
        days = [threads.gap(each) or 0 for each in some]
        of_each = grouped(some, lambda each: each.customer)
        means = [Fraction(sum(threads.gap(e) or 0 for e in mine), len(mine)) for mine in of_each.values()]
        statistics = {
            "count": len(days),
            "mean": Fraction(sum(days), len(days)),
            "median": quantile(days, Fraction(1, 2)),
            "lower_quartile": quantile(days, Fraction(1, 4)),
            "upper_quartile": quantile(days, Fraction(3, 4)),
        }
        if by == "customer":
            rows.append(who(threads, name) | statistics)
        else:
            named = by if by == "step" else "period" if by in ELAPSED else "group"
            rows.append(
                {named: name or None}
                | statistics
                | {"customers": len(of_each), "mean_over_customers": Fraction(sum(means), len(means))}
            )
    return rows


def next_order(reading: Reading, asked: Asked) -> list[Row]:
    threads, step, split = reading.threads, asked["step"], asked.get("split", "")
    starts = [threads.of(key)[step - 1] for key in reading.population if len(threads.of(key)) >= step]
    starts = [each for each in starts if reading.shown(each)]
    groups = apart(split, grouped(starts, lambda each: order_label(reading, each, split) if split else "everybody"))
    if not split:
        groups.setdefault("everybody", [])
    rows = []
    for label, some in groups.items():
        ended = []
        for each in some:
            thread = threads.of(each.customer)
            came = len(thread) > step
            ended.append(((thread[step].day if came else reading.line.as_of) - each.day, came))
        without, growth = Fraction(1), Fraction(0)
        for day in range(max((days for days, _ in ended), default=-1) + 1):
            at_risk = sum(days >= day for days, _ in ended)
            events = sum(days == day and came for days, came in ended)
            without *= 1 - Fraction(events, at_risk)
            if events and events < at_risk:
                growth += Fraction(events, at_risk * (at_risk - events))
            row = {
                "group": label or None,
                "days": day,
                "at_risk": at_risk,
                "ordered": events,
                "censored": sum(days == day and not came for days, came in ended),
                "share": 1 - without,
                "low": None,
                "high": None,
            }
            if 0 < without < 1:
                left = float(without)
                spread = Z * math.sqrt(growth) / abs(math.log(left))
                row |= {"low": 1 - left ** math.exp(-spread), "high": 1 - left ** math.exp(spread)}
            rows.append(row)
    return rows


def due(reading: Reading, asked: Asked) -> list[Row]:
    threads, as_of, rows = reading.threads, reading.line.as_of, []
    for key in reading.looked:
        day = threads.of_customer(key, "next_due")
        if day is None or not (isinstance(day, int) and day < as_of + int(asked["within"][:-1])):
            continue
        if day < as_of and asked["overdue"] == "hidden":
            continue
        names = ("email", "latest_date", "next_due", "overdue", "orders", "revenue", "closed", "do_not_contact")
        row = who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
        row["expected_gap"] = threads.expected(key)
        row["expected_from"] = "own" if len(threads.of(key)) >= 4 else "everybody's"
        row["days_late"] = as_of - day if day < as_of else None
        rows.append(row)
    return rows


def lateness(reading: Reading) -> dict[str, int]:
    """How many are late by how many expected gaps: up to 1, 2, 4, more; and where the expected gap is 0 days."""
    found = {"1": 0, "2": 0, "3": 0, "4": 0, "none": 0}
    for key in reading.looked:
        day = reading.threads.of_customer(key, "next_due")
        if isinstance(day, int) and day < reading.line.as_of:
            overdue: Any = reading.threads.of_customer(key, "overdue")
            bounds = ((2, "1"), (3, "2"), (5, "3"))
            found["none" if overdue is None else next((g for most, g in bounds if overdue <= most), "4")] += 1
    return found


_CONTACT = (
    *("standing", "latest_date", "days_since", "usual_gap", "overdue", "orders", "revenue", "average_order_value"),
    *(
        "first_date",
        "last_activity",
        "next_due",
        "town",
        "closed",
        "do_not_contact",
        "region",
        "score",
        "joined",
        "email",
    ),
)


def contact(reading: Reading, key: str) -> Row:
    threads = reading.threads
    names = [name for name in _CONTACT if name not in threads.unfiled]
    row = who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
    return row | {"expected_gap": threads.expected(key)}


def follow_up(reading: Reading, asked: Asked) -> list[Row]:
    threads, as_of = reading.threads, reading.line.as_of

    def holds(key: str, reason: str) -> bool:
        thread = threads.of(key)
        if reason == "overdue":
            day = threads.of_customer(key, "next_due")
            return isinstance(day, int) and day < as_of
        if reason == "one_order":
            return len(thread) == 1 and as_of - thread[0].day >= int(asked["once_ago"][:-1])
        return threads.standing(key) == reason.replace("_", " ")

    found = [key for key in reading.looked if any(holds(key, reason) for reason in asked["who"])]
    if asked["contactable"] == "only":
        marks = ("closed", "do_not_contact")
        found = [key for key in found if "yes" not in [threads.of_customer(key, mark) for mark in marks]]
    return [contact(reading, key) for key in found]


def _stands(customers_there: list[str], label: str, revenue: Any) -> Row:
    part = sum(each == label for each in customers_there)
    low, high = wilson(part, len(customers_there))
    return {"customers": part, "share": ratio(part, len(customers_there)), "low": low, "high": high, "revenue": revenue}


def standing(reading: Reading, asked: Asked) -> list[Row]:
    threads = reading.threads
    if asked.get("over"):
        return _over_time(reading, asked["over"])
    by, and_by = asked.get("by", ""), asked.get("and_by", "")

    def labels(key: str) -> tuple[str, ...]:
        return tuple(customer_label(reading, key, name) for name in (by, and_by) if name)

    groups = grouped(reading.looked, labels)
    if not by:
        groups.setdefault((), [])
    rows = []
    for pair, some in groups.items():
        name = " · ".join(label or BLANK for label in pair) if and_by else "".join(pair)
        there = {key: threads.standing(key) for key in some}
        for stands in STANDINGS:
            amounts = [each.amount for key in some if there[key] == stands for each in threads.of(key)]
            row = _stands(list(there.values()), stands, money(sum(amounts)))
            rows.append(({"group": name or None} if by else {}) | {"standing": stands.replace(" ", "_")} | row)
    return rows


FLOWS = ("began", "became_lapsed", "won_back", "came_on_file", "none_counted")


def _flow(before: str, after: str) -> str | None:
    if before == after:
        return None
    if before in ("off", "never ordered", "none counted") and after in ("active", "lapsed"):
        return "began"
    moves = {
        ("active", "lapsed"): "became_lapsed",
        ("lapsed", "active"): "won_back",
        ("off", "never ordered"): "came_on_file",
    }
    return moves.get((before, after), "none_counted")


def _over_time(reading: Reading, period: str) -> list[Row]:
    threads, as_of, book = reading.threads, reading.line.as_of, reading.book
    on_file: dict[str, int | None] = {}
    for key in reading.looked:
        joined = threads.of_customer(key, "joined")
        days = [each.day for each in book.orders if each.customer == key]
        known = [*days, joined] if isinstance(joined, int) else days
        earliest = min(known, default=None)
        on_file[key] = earliest if earliest is not None and earliest <= as_of else None
    dated = [day for day in on_file.values() if day is not None]

    def at(day: int) -> dict[str, str]:
        return {
            key: "off" if since is not None and since > day else standing_on(threads, key, day)
            for key, since in on_file.items()
        }

    begins = periods(min(dated, default=as_of), as_of, period)
    before, rows = at(begins[0] - 1), []
    for begin in begins:
        after = at(min(next_period(begin, period) - 1, as_of))
        moves = [(before[key], after[key]) for key in on_file]
        here = [stands for stands in after.values() if stands != "off"]
        for stands in STANDINGS:
            row: Row = {"period": name_of(begin, period), "standing": stands.replace(" ", "_")}
            row["opening"] = sum(was == stands for was, _ in moves)
            for flow in FLOWS:
                row[flow] = sum((_flow(*m) == flow) * ((m[1] == stands) - (m[0] == stands)) for m in moves)
            share = _stands(here, stands, None)
            del share["revenue"]
            rows.append(row | share)
        before = after
    return rows


def worked(reading: Reading, asked: Asked) -> list[Row]:
    """The members of the list *calls*, with what came of them."""
    rows = []
    for key in reading.looked:
        became = _became(reading, key, int(asked["within"][:-1]))
        row = contact(reading, key) | became
        del row["start"]
        rows.append(row)
    return rows


def _became(reading: Reading, key: str, within: int) -> Row:
    """What was put down of a member of *calls*, and whether orders came in the days that count."""
    book, as_of = reading.book, reading.line.as_of
    mark = next((each for each in book.marks if each.customer == key), None)
    start = mark.day if mark and mark.contacted else book.listed_on
    inside = [e for e in reading.shown_of(key) if max(start, book.listed_on + 1) <= e.day <= start + within]
    first = min((each.day for each in inside), default=None)
    return {
        "start": start,
        "state": "to_do" if mark is None else "contacted" if mark.contacted else "left_out",
        "contacted_on": date(mark.day if mark and mark.contacted else None),
        "ordered_on": date(first),
        "after_days": None if first is None else first - start,
        "amount": money(sum(each.amount for each in inside)),
        "days_over": "yes" if start + within <= as_of else "no",
    }


def outcomes(reading: Reading, asked: Asked) -> list[Row]:
    """What became of the list *calls*, whichever list is read."""
    book = reading.book
    if not book.marks:
        return []
    listed = read(book, replace(reading.line, members=frozenset(book.lists["calls"]), without=False))
    every = [_became(listed, key, int(asked["within"][:-1])) for key in listed.looked]
    contacted = [each for each in every if each["state"] == "contacted"]
    over = [each for each in contacted if each["days_over"] == "yes"]
    ordered = [each for each in over if each["ordered_on"]]
    low, high = wilson(len(ordered), len(over))
    states = [each["state"] for each in every]
    return [
        {
            "list": "calls",
            "as_of": date(book.listed_on),
            "customers": len(every),
            **{state: states.count(state) for state in ("contacted", "to_do", "left_out")},
            "held_back": 0,
            "days_over": len(over),
            "ordered": len(ordered),
            "share": ratio(len(ordered), len(over)),
            "low": low,
            "high": high,
            "median_days": median([each["after_days"] for each in contacted if each["ordered_on"]]),
            "revenue": sum((each["amount"] for each in contacted), Decimal(0)),
        }
    ]


def beside_others(question: str, mine: Reading, others: Reading, asked: Asked) -> list[Row]:
    """The table of a list that is compared with everybody else; of most questions it is that of the list."""
    sides = ((mine, "on the list"), (others, "everybody else"))
    by = asked.get("by" if question == "standing" else "split", "")
    if question in ("worth", "payback"):
        plain = {**asked, "split": ""}
        whole = [_one_group(question, reading, plain) for reading, _ in sides]
        parts = [row for row in QUESTIONS[question](mine, asked) if row["group"] != "all"] if by else []
        parts = parts or [{**row, "group": "on the list"} for row in whole[0]]
        everybody = [{**row, "group": "all"} for row in whole[0]]
        return everybody + parts + [{**row, "group": "everybody else"} for row in whole[1]]
    if question == "next-order" or (question == "standing" and not asked.get("over")):
        return [
            {**row, "group": f"{row['group'] or BLANK}, {name}" if by else name}
            for reading, name in sides
            for row in QUESTIONS[question](reading, asked)
        ]
    return QUESTIONS[question](mine, asked)


def _one_group(question: str, reading: Reading, asked: Asked) -> list[Row]:
    rows = QUESTIONS[question](reading, asked)
    return rows if question == "worth" else [row for row in rows if row["group"] == "all"]


def lapse_curve(reading: Reading, _asked: Asked) -> list[Row]:
    threads, line = reading.threads, reading.line
    silent = []
    for key in reading.looked:
        if threads.of(key):
            sign = last_sign(reading.book, threads.of(key), key, line.as_of, by_activity=line.by_activity)
            assert sign is not None
            silent.append(line.as_of - sign)
    lapsed = {day: sum(each >= day for each in silent) for day in range(1, max(silent, default=0) + 1)}
    return [{"days": day, "customers": some, "share": ratio(some, len(silent))} for day, some in lapsed.items()]


def suggested_days(reading: Reading) -> int | None:
    """The limit that the book suggests (section 8); None below 30 watched orders, and where nobody ordered again."""
    waits = []
    for key in reading.looked:
        thread = reading.threads.of(key)
        waits += [(gap, True) for gap in gaps_of(thread)] + [(reading.line.as_of - e.day, False) for e in thread[-1:]]
    shares, without, day = [], Fraction(1), 0
    while sum(days >= day for days, _ in waits) >= 30:
        at_risk = sum(days >= day for days, _ in waits)
        without *= 1 - Fraction(sum(days == day and came for days, came in waits), at_risk)
        shares.append(1 - without)
        day += 1
    if not shares or not shares[-1]:
        return None
    age = next(at for at, share in enumerate(shares) if share >= Fraction(9, 10) * shares[-1])
    return max(-(-age // 7), 1) * 7


def worth(reading: Reading, asked: Asked) -> list[Row]:
    rows: list[Row] = []
    split = asked.get("split", "")
    for group, some, channel in [("all", reading.population, None), *(_cohort_groups(reading, asked) if split else [])]:
        named = {"group": group} if split else {}
        rows += [
            named | {"measure": name, "value": value}
            for name, value in _arithmetic(reading, asked, some, channel).items()
        ]
    return rows


def _arithmetic(reading: Reading, asked: Asked, some: list[str], channel: str | None) -> dict[str, Any]:
    period, threads, as_of = asked["period"], reading.threads, reading.line.as_of
    table, costs = Cohorts(reading, period, asked["ages"], some), costs_of(reading, asked, period, channel)
    shown = [each for key in some for each in reading.shown_of(key)]
    people = sum(bool(threads.of(key)) for key in some)
    revenue = sum(each.amount for each in shown)
    gross = sum((each.amount * costs.margin(each.day) for each in shown), Fraction(0))
    frequency = [
        Fraction(len(here), len({each.customer for each in here}))
        for begin, here in grouped(shown, lambda each: begin_of(each.day, period)).items()
        if next_period(begin, period) - 1 <= as_of
    ]
    retention = table.overall("retention", costs)
    life = None if retention is None or retention >= 1 else 1 / (1 - retention)
    margin, each, per = ratio(gross, revenue), ratio(revenue, len(shown)), ratio(len(shown), people)
    projected = None if None in (life, margin, each, per) else each * per * life * margin
    spend, won, cac = cost_of_all(reading, asked, period, channel)
    ages = _by_age(table, costs)
    complete = [at for at in ages if at["size"] >= (30 if any(a["size"] >= 30 for a in ages) else 1)]
    last = complete[-1] if complete else None
    paid = [at["age"] for at in ages if at["profit"] is not None and at["profit"] >= 0]
    amounts = {
        "revenue": revenue,
        "average_order_value": each,
        "projected_clv": projected,
        "spend": spend,
        "cac": cac,
        "observed_gross_profit": last["gross"] if last else None,
        "observed_profit": last["profit"] if last else None,
    }
    plain = {
        "orders": len(shown),
        "customers": people,
        "orders_per_customer": per,
        "purchase_frequency": ratio(sum(frequency), len(frequency)),
        "average_retention_rate": retention,
        "average_churn_rate": None if retention is None else 1 - retention,
        "lifespan": life,
        "gross_margin": margin,
        "new_customers": won,
        "observed_age": last["age"] if last else None,
        "break_even_age": paid[0] if paid else None,
    }
    return plain | {name: None if value is None else float(value) / MINOR for name, value in amounts.items()}


def _by_age(table: Cohorts, costs: Costs) -> list[Row]:
    """What a customer of the cohorts complete at every age had brought."""
    found = []
    for age in range(table.count):
        over = [begin for begin, at in table.cells() if at == age and table.state(begin, age) == "complete"]
        size = sum(len(table.rows[begin]) for begin in over)
        if not size:
            continue
        found.append(
            {
                "age": age,
                "size": size,
                "revenue": ratio(sum((table.revenue(b, 0, age) for b in over), Fraction(0)), size),
                "gross": ratio(sum((table.revenue(b, 0, age, costs.margin) for b in over), Fraction(0)), size),
                "profit": _weighted([table.parts("profit_per_customer", begin, age, costs) for begin in over]),
            }
        )
    return found


def payback(reading: Reading, asked: Asked) -> list[Row]:
    period, split, rows = asked["period"], asked.get("split", ""), []
    for group, some, channel in [("all", reading.population, None), *(_cohort_groups(reading, asked) if split else [])]:
        table, costs = Cohorts(reading, period, asked["ages"], some), costs_of(reading, asked, period, channel)
        ages = _by_age(table, costs)
        rows += [_age_row(group, at, "complete", _first(ages)) for at in ages]
        if split:
            continue
        for begin in table.begins:
            size, cac = len(table.rows[begin]), costs.cac(begin)
            mine = [
                {
                    "age": age,
                    "size": size,
                    "revenue": table.revenue(begin, 0, age) / size,
                    "gross": table.revenue(begin, 0, age, costs.margin) / size,
                    "profit": table.value("profit_per_customer", begin, age, costs),
                    "state": table.state(begin, age),
                }
                for at, age in table.cells()
                if at == begin
            ]
            del cac
            first = _first([at for at in mine if at["state"] == "complete"])
            rows += [_age_row(name_of(begin, period), at, str(at["state"]), first) for at in mine]
    return rows


def _first(ages: list[Row]) -> Any:
    return next((at["age"] for at in ages if at["profit"] is not None and at["profit"] >= 0), None)


def _age_row(group: Any, at: Row, state: str, break_even: Any) -> Row:
    return {
        "group": group,
        "age": at["age"],
        "customers": at["size"],
        "revenue_per_customer": per_unit(at["revenue"], 0.0051),
        "profit_per_customer": per_unit(at["profit"], 0.0051),
        "affordable_cac": per_unit(at["gross"], 0.0051),
        "state": state,
        "break_even_age": break_even,
    }


def spend(reading: Reading, _asked: Asked) -> list[Row]:
    as_of, threads = reading.line.as_of, reading.threads
    firsts = [thread[0] for thread in threads.everybody.values() if thread]
    mine = spent(reading)
    begins = [month for month, _ in mine] + [begin_of(each.day, "month") for each in firsts]
    channels = {threads.label(each, "channel").casefold() for each in firsts}
    named = {each.channel.casefold() for each in reading.book.spend if each.month <= begin_of(as_of, "month")}
    # a channel is written as orders write it, else as spend does: any of its spellings is right
    exists = {threads.label(e, "channel").casefold() for t in threads.everybody.values() for e in t}
    rows = []
    for month in periods(min(begins), as_of, "month") if begins else []:
        for channel in [None, *sorted((channels | named) - {""})]:
            amounts = [amount for at, amount in spent(reading, channel) if at == month]
            won = sum(begin_of(day, "month") == month for day in new_customers(reading, channel))
            if channel is not None and not amounts and not won:
                continue
            amount, recorded = sum(amounts), bool(spent(reading, channel))
            problem = None
            if amount and channel is not None and channel not in exists:
                problem = "no_such_channel"
            elif amount and not won:
                problem = "nobody_new"
            elif not amounts and won and recorded:
                problem = "no_spend"
            rows.append(
                {
                    "month": name_of(month, "month"),
                    "channel": Folded(channel or "all"),
                    "spend": money(amount) if amounts else None,
                    "new_customers": won,
                    "cac": per_unit(ratio(amount, won), 0.0051) if amounts else None,
                    "problem": problem,
                }
            )
    return rows


@dataclass(frozen=True)
class Folded:
    """A name whatever its case."""

    value: str


def compare(reading: Reading, asked: Asked) -> list[Row]:
    with_orders = [key for key in reading.population if reading.threads.of(key)]
    one = _side(reading, asked["one"], with_orders)
    other = _side(reading, asked["other"], with_orders) if asked["other"] else [k for k in with_orders if k not in one]
    costs = Costs(margin_of(asked), lambda _begin: Fraction(0))
    tables = [Cohorts(reading, asked["period"], asked["ages"], some, reading.population) for some in (one, other)]
    sides = [{at["age"]: at for at in _by_age(table, costs)} for table in tables]
    rows = []
    for age in range(max((max(side, default=-1) for side in sides), default=-1) + 1):
        here = [side.get(age) for side in sides]
        gross: list[Any] = [at["gross"] if at else None for at in here]
        rows.append(
            {
                "age": age,
                "customers": here[0]["size"] if here[0] else 0,
                "profit_per_customer": per_unit(gross[0], 0.0051),
                "other_customers": here[1]["size"] if here[1] else 0,
                "other_profit_per_customer": per_unit(gross[1], 0.0051),
                "difference": per_unit(None if None in gross else gross[0] - gross[1], 0.0051),
            }
        )
    return rows


def _side(reading: Reading, text: str, among: list[str]) -> list[str]:
    name, between, label = text.partition(":")
    if not between:
        return [key for key in among if str(dt.date.fromordinal(reading.threads.of(key)[0].day).year) == text]
    if name == "list":
        return [key for key in among if key in reading.book.lists[label]]
    return [key for key in among if (customer_label(reading, key, name) or BLANK) == label]


def top_customers(reading: Reading, asked: Asked) -> list[Row]:
    brought = {
        key: sum(each.amount for each in reading.shown_of(key)) for key in reading.population if reading.shown_of(key)
    }
    ranked = sorted(brought, key=lambda key: -brought[key])
    whole, running = sum(brought.values()), 0
    top = asked["top"]
    rows: list[Row] = []
    for place, key in enumerate(ranked, 1):
        if top == "half" and (whole <= 0 or 2 * running >= whole):
            break
        if top not in ("all", "half") and place > -(-len(ranked) * int(top) // 100):
            break
        running += brought[key]
        rows.append(
            {
                "place": place,
                "revenue": money(brought[key]),
                "share": ratio(brought[key], whole) if whole > 0 else None,
                "cumulative_share": ratio(running, whole) if whole > 0 else None,
            }
        )
    return rows


def bought(reading: Reading, asked: Asked) -> list[Row]:
    by = asked["by"]
    lines = [(each, line) for each in reading.orders for line in each.lines]
    whole = sum(line.amount for _, line in lines)
    rows = []
    for label, some in grouped(lines, lambda each: getattr(each[1], by)).items():
        amount = sum(line.amount for _, line in some)
        rows.append(
            {
                by: label or None,
                "customers": len({each.customer for each, _ in some}),
                "orders": len({id(each) for each, _ in some}),
                "lines": len(some),
                "revenue": money(amount),
                "share": ratio(amount, whole) if whole > 0 else None,
            }
        )
    return rows


def leads_to(reading: Reading, _asked: Asked) -> list[Row]:
    threads = reading.threads
    people = [key for key in reading.population if threads.of(key)]
    later = {key: [e for e in threads.of(key)[1:] if reading.shown(e)] for key in people}
    came = {key: {line.category for each in later[key] for line in each.lines} for key in people}
    columns = {label for labels in came.values() for label in labels}
    rows = []
    for first, some in grouped(people, lambda key: category_of(threads.of(key)[0].order.lines)).items():
        for column in [..., *columns]:
            part = sum(bool(later[key]) if column is ... else column in came[key] for key in some)
            low, high = wilson(part, len(some))
            rows.append(
                {
                    "first_category": first or None,
                    "later_category": None if column is ... else column or None,
                    "first_customers": len(some),
                    "customers": part,
                    "share": Fraction(part, len(some)),
                    "low": low,
                    "high": high,
                }
            )
    return rows


def thread(reading: Reading, asked: Asked) -> list[Row]:
    """One customer, whoever is chosen by a condition or a list; the parts of a condition that choose orders hold."""
    line = reading.line
    parts = [part for part in parts_of(line.where) if part.speaks_of_orders()] if line.where else []
    where = Joined("and", tuple(parts)) if parts else None
    alone = read(reading.book, replace(line, where=where, members=None))
    return _every(alone, alone.shown_of(asked["find"]))


QUESTIONS: dict[str, Callable[[Reading, Asked], list[Row]]] = {
    "customers": customers,
    "nth": nth,
    "orders": orders,
    "backdated": backdated,
    "figures": figures,
    "pairs": pairs,
    "cohorts": cohorts,
    "newness": newness,
    "counts": counts,
    "gaps": gaps,
    "next-order": next_order,
    "due": due,
    "follow-up": follow_up,
    "standing": standing,
    "lapse-curve": lapse_curve,
    "worked": worked,
    "outcomes": outcomes,
    "thread": thread,
    "worth": worth,
    "payback": payback,
    "spend": spend,
    "compare": compare,
    "top-customers": top_customers,
    "bought": bought,
    "leads-to": leads_to,
}
__all__ = ["QUESTIONS", "About", "Folded", "OneOf", "lateness", "median", "suggested_days"]
