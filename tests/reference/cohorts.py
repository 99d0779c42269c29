"""Customers by the period of the first order, what winning them cost, and the cohort table (sections 5 and 9)."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Any

from tests.reference.figures import (
    Asked,
    Row,
    apart,
    begin_of,
    customer_label,
    grouped,
    money,
    name_of,
    next_period,
    per_unit,
    periods,
    ratio,
    state_of,
    wilson,
)
from tests.reference.records import MINOR
from tests.reference.threads import Bought, Reading

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
        return weighted([self.parts(figure, begin, age, costs) for begin in over])

    def overall(self, figure: str, costs: Costs) -> Any:
        cells = [(b, a) for b, a in self.cells() if a >= 1 and self.state(b, a) == "complete"]
        return weighted([self.parts(figure, begin, age, costs) for begin, age in cells])


def weighted(parts: list[tuple[Any, Any]]) -> Any:
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


def cohort_groups(reading: Reading, asked: Asked) -> list[tuple[Any, list[str], str | None]]:
    """Group, members, and the channel whose spend is theirs."""
    split = asked.get("split", "")
    if not split:
        return [("", reading.population, None)]
    own = split == "first_channel"
    return [(label or None, some, label if own else None) for label, some in split_of(reading, split).items()]


def cohorts(reading: Reading, asked: Asked) -> list[Row]:
    period, ages, figure = asked["period"], asked["ages"], asked["figure"]
    rows: list[Row] = []
    for group, some, channel in cohort_groups(reading, asked):
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
