"""What tables are made of: amounts, shares, periods and groups (sections 3 to 5)."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from statistics import NormalDist
from typing import Any

from tests.reference.records import MINOR
from tests.reference.threads import DATES, MONEY, NUMBERS, ORDER_FIELDS, OWN_FIELDS, Bought, Reading, Threads

Row = dict[str, Any]


Asked = dict[str, Any]


Z = NormalDist().inv_cdf(0.975)


STANDINGS = ("active", "lapsed", "never ordered", "no counted order")


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


@dataclass(frozen=True)
class OneOf:
    """Any of some values is right."""

    values: tuple[Any, ...]


@dataclass(frozen=True)
class Folded:
    """A name whatever its case."""

    value: str
