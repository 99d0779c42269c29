"""Two ranges of dates, and what made the difference (section 13), one order at a time."""

from __future__ import annotations

import datetime as dt
import math
from fractions import Fraction
from itertools import permutations
from typing import Any

from tests.reference.figures import BLANK, About, Asked, Row, order_label, wilson
from tests.reference.records import MINOR
from tests.reference.threads import Bought, Reading

SMALL = 30
RATES = ("average_order_value", "returning_share")
Days = tuple[int, int]


def difference(reading: Reading, asked: Asked) -> list[Row]:
    """All together, the factors, and the groups."""
    measure, by = asked["measure"], asked["by"]
    days = _ranges(asked, reading.line.as_of)
    sides = [[each for each in reading.orders if first <= each.day <= last] for first, last in days]
    scale = MINOR if measure in ("revenue", "average_order_value") else 1
    whole = [_figure(reading, measure, some) for some in sides]
    apart = None if None in whole else whole[1] - whole[0]

    def row(part: str, of: str, was: list[Any], difference: Any, unit: int = scale, **more: Any) -> Row:
        known = {"before": was[0], "after": was[1], "difference": difference}
        units = {"before": unit, "after": unit, "difference": scale}
        told = {name: _about(value, units[name]) for name, value in known.items()}
        share = _about(difference / apart, 1) if apart and difference is not None else None
        return {"part": part, "of": of, **told, "share": share, **more}

    low = high = None
    if measure == "returning_share" and apart is not None:
        (before, one_low, one_high), (after, other_low, other_high) = (
            (value, *wilson(sum(reading.threads.rank(each) > 1 for each in some), len(some)))
            for value, some in zip(whole, sides, strict=True)
        )
        gap = float(apart)
        low = gap - math.hypot(float(after) - other_low, one_high - float(before))
        high = gap + math.hypot(other_high - float(after), float(before) - one_low)
    bounds = {} if measure == "average_order_value" else {"low": _about(low, 1), "high": _about(high, 1)}
    rows = [row("all", "all", whole, apart, **bounds)]
    for name, was, part in _factors(reading, measure, sides, days):
        unit = scale if name == "average_order_value" else 1
        rows.append(row(name, "factor", was, part, unit))
    return rows + [
        row(name, "group", was, part, **more) for name, was, part, more in _groups(reading, measure, by, sides)
    ]


def _about(value: Any, scale: int) -> Any:
    return None if value is None else About(float(value) / scale, 1e-6)


def _ranges(asked: Asked, as_of: int) -> list[Days]:
    last = asked.get("to") or as_of
    first = asked.get("from") or dt.date(dt.date.fromordinal(last).year, 1, 1).toordinal()
    if asked["against"] == "before":
        before = first - (last - first + 1), first - 1
    elif asked["against"] == "year-earlier":
        before = _year_earlier(first), _year_earlier(last)
    else:
        one, _, other = asked["against"].partition("/")
        before = dt.date.fromisoformat(one).toordinal(), dt.date.fromisoformat(other).toordinal()
    return [before, (first, last)]


def _year_earlier(day: int) -> int:
    date = dt.date.fromordinal(day)
    is_leap_day = (date.month, date.day) == (2, 29)
    return date.replace(year=date.year - 1, day=28 if is_leap_day else date.day).toordinal()


def _figure(reading: Reading, measure: str, some: list[Bought]) -> Any:
    match measure:
        case "revenue":
            return Fraction(sum(each.amount for each in some))
        case "orders":
            return Fraction(len(some))
        case "customers":
            return Fraction(len({each.customer for each in some}))
        case "average_order_value":
            return Fraction(sum(each.amount for each in some), len(some)) if some else None
    return Fraction(sum(reading.threads.rank(each) > 1 for each in some), len(some)) if some else None


def _factors(
    reading: Reading, measure: str, sides: list[list[Bought]], days: list[Days]
) -> list[tuple[str, list[Any], Any]]:
    if measure in RATES:
        return []
    people = [{each.customer for each in some} for some in sides]
    if measure == "customers":
        new = [
            sum(reading.threads.of(key)[0].day >= first for key in some)
            for some, (first, _) in zip(people, days, strict=True)
        ]
        again = [len(some) - fresh for some, fresh in zip(people, new, strict=True)]
        return [("new", new, new[1] - new[0]), ("returning", again, again[1] - again[0])]
    names = ["customers", "orders_per_customer", "average_order_value"][: 3 if measure == "revenue" else 2]
    totals = [
        [len(some), len(orders), sum(each.amount for each in orders)][: len(names)]
        for some, orders in zip(people, sides, strict=True)
    ]
    factors = [
        [Fraction(total, of) if of else None for total, of in zip(each, [1, *each], strict=False)] for each in totals
    ]
    apart = totals[1][-1] - totals[0][-1]
    known = [each for each in factors if None not in each and each[0]]
    if len(known) < 2:
        parts = [apart, *(0 for _ in names[1:])]
    else:
        parts = _to_whole([_shapley(factors, place) for place in range(len(names))], apart)
    return [(name, [factors[0][place], factors[1][place]], parts[place]) for place, name in enumerate(names)]


def _shapley(factors: list[list[Any]], place: int) -> Fraction:
    changes = []
    for sequence in permutations(range(len(factors[0]))):
        taken = set(sequence[: sequence.index(place)])
        product = [
            math.prod(factors[at in seen][at] for at in range(len(factors[0]))) for seen in (taken | {place}, taken)
        ]
        changes.append(product[0] - product[1])
    return sum(changes, Fraction(0)) / len(changes)


def _to_whole(parts: list[Fraction], total: int) -> list[int]:
    """Rounded down, and one more for those that lost most by it."""
    down = [math.floor(part) for part in parts]
    most = sorted(range(len(parts)), key=lambda place: down[place] - parts[place])[: total - sum(down)]
    return [value + (place in most) for place, value in enumerate(down)]


def _groups(
    reading: Reading, measure: str, by: str, sides: list[list[Bought]]
) -> list[tuple[str, list[Any], Any, Row]]:
    if not by:
        return []
    people = {(side, each.customer, order_label(reading, each, by)) for side, some in enumerate(sides) for each in some}
    found = []
    for label in sorted({label for _, _, label in people}):
        mine = [[each for each in some if order_label(reading, each, by) == label] for some in sides]
        was = [_figure(reading, measure, some) for some in mine]
        counts = [sum(owner[0] == side and owner[2] == label for owner in people) for side in range(2)]
        others = [sum(owner[0] == side and owner[2] != label for owner in people) for side in range(2)]
        mix = rate = None
        if measure not in RATES:
            part = was[1] - was[0]
        elif all(sides):
            part, mix, rate = _kitagawa(reading, measure, sides, mine, was)
        else:
            part = None
        more = {
            "mix": _about(mix, MINOR if measure == "average_order_value" else 1),
            "rate": _about(rate, MINOR if measure == "average_order_value" else 1),
            "few": "yes" if sum(counts) < SMALL else "no",
            "stands_out": "yes" if _stands_out(counts, others) else "no",
        }
        found.append((label or BLANK, was, part, more))
    return found


def _kitagawa(
    reading: Reading, measure: str, sides: list[list[Bought]], mine: list[list[Bought]], was: list[Any]
) -> tuple[Fraction, Fraction, Fraction]:
    shares = [Fraction(len(some), len(of)) for some, of in zip(mine, sides, strict=True)]
    one, other = (value if value is not None else was[1 - place] for place, value in enumerate(was))
    average = sum(_figure(reading, measure, some) for some in sides) / 2
    mix = (shares[1] - shares[0]) * ((one + other) / 2 - average)
    rate = (other - one) * (shares[0] + shares[1]) / 2
    return mix + rate, mix, rate


def _stands_out(counts: list[int], others: list[int]) -> bool:
    if not sum(counts) or not sum(others):
        return False
    share, rest = counts[1] / sum(counts), others[1] / sum(others)
    (low, high), (least, most) = wilson(counts[1], sum(counts)), wilson(others[1], sum(others))
    apart = share - rest
    return apart - math.hypot(share - low, most - rest) > 0 or apart + math.hypot(high - share, rest - least) < 0
