"""Figures that stand beside the tables: what is odd, halves, limits, bands, what customers of a cell have in common."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from tests.reference.cohorts import ELAPSED, Cohorts, costs_of
from tests.reference.figures import BLANK, Asked, begin_of, grouped, name_of, next_period, ratio
from tests.reference.questions import lateness, next_order
from tests.reference.standing import suggested_days
from tests.reference.threads import Bought, Reading, median

Facts = dict[str, Any]


@dataclass(frozen=True)
class Given:
    """What a bootstrap needs that no definition says: the sequence of customers, and how often each comes in every draw
    of so many."""

    keys: list[str]
    draws: Callable[[int], list[list[float]]]


SHARES = ("retention", "churn", "still_buying", "came_back")


def _cohorts_here(reading: Reading, asked: Asked, _given: Given) -> Facts:
    table = Cohorts(reading, asked["period"], asked["ages"], reading.population)
    figure, costs, plain = asked["figure"], costs_of(reading, asked, asked["period"]), asked["average"] == "plain"
    complete = [(b, age) for b, age in table.cells() if age >= 1 and table.state(b, age) == "complete"]
    odd = set()
    for begin, age in complete if figure in SHARES else []:
        value, average = table.value(figure, begin, age, costs), table.average(figure, age, costs, plain=plain)
        error = math.sqrt(average * (1 - average) / len(table.rows[begin]))
        if abs(value - average) > 3 * error and abs(value - average) > Fraction(5, 100):
            odd.add((name_of(begin, table.period), age))
    overall = None
    if figure not in ("customers", "orders", "revenue", "still_buying", "came_back") and "per_customer" not in figure:
        overall = table.overall(figure, costs)
        if plain:
            known = [value for value in (table.value(figure, *cell, costs) for cell in complete) if value is not None]
            overall = ratio(sum(known), len(known))
    found: Facts = {"odd": odd, "overall": overall, "apart": _apart(table)}
    for begin, age in table.cells():
        found |= _in_common(reading, table, begin, age)
    return found


def _apart(table: Cohorts) -> set[tuple[str, int]]:
    """Cohorts unlike their neighbours."""
    over = {
        begin: sum(table.state(begin, age) == "complete" for age in range(table.count)) - 1
        for begin in table.begins
        if table.rows[begin]
    }
    rows, found = [begin for begin, age in over.items() if age >= 1], set()
    for place, begin in enumerate(rows):
        beside = rows[max(0, place - 2) : place] + rows[place + 1 : place + 3]
        if len(beside) < 2:
            continue
        age = min(over[each] for each in [begin, *beside])
        came = {each: len({o.customer for o in table.there(each, 1, age)}) for each in [begin, *beside]}
        size = {each: len(table.rows[each]) for each in [begin, *beside]}
        share, usual = Fraction(came[begin], size[begin]), median([Fraction(came[e], size[e]) for e in beside])
        others = sum(size[each] for each in beside)
        together = Fraction(sum(came.values()), size[begin] + others)
        error = math.sqrt(together * (1 - together) * (Fraction(1, size[begin]) + Fraction(1, others)))
        if abs(share - usual) > max(3 * error, 0.05):
            found.add((name_of(begin, table.period), age))
    return found


def _in_common(reading: Reading, table: Cohorts, begin: int, age: int) -> Facts:
    """The days and labels that many customers of a cell ordered on or with."""
    here = table.there(begin, age, age)
    of, found = len({each.customer for each in here}), {}
    if of < 5:
        return {}
    first, last = _days(table, begin, age)
    usual = min(Fraction(1), Fraction(len(here), of) / max(1, min(last, table.as_of) - first + 1))
    begun = set(table.cells())
    others = [
        each for row in table.begins if row != begin and (row, age) in begun for each in table.there(row, age, age)
    ]
    ways: dict[str, Callable[[Bought], str]] = {"day": lambda each: dt.date.fromordinal(each.day).isoformat()}
    if others:
        names = ("source", "rep", "channel", "category")
        ways |= {name: lambda each, name=name: reading.threads.label(each, name) for name in names}  # type: ignore[misc]
    for name, label_of in ways.items():
        elsewhere = grouped(others, label_of)
        for label, some in grouped(here, label_of).items():
            part = len({each.customer for each in some})
            expected = usual
            if name != "day":
                there = {each.customer for each in elsewhere.get(label, [])}
                expected = Fraction(len(there), len({each.customer for each in others}))
            error = math.sqrt(expected * (1 - expected) / of)
            if label and part >= 5 and Fraction(part, of) - expected > max(3 * error, 0.1):
                key = f"common {name_of(begin, table.period)} {age} {name} {label}"
                found[key] = (part, of, round(float(expected), 9))
    return found


def _days(table: Cohorts, begin: int, age: int) -> tuple[int, int]:
    """The days on which an order can fall into a cell."""
    if table.ages == "elapsed":
        length = ELAPSED[table.period]
        return begin + age * length, next_period(begin, table.period) - 1 + (age + 1) * length - 1
    for _ in range(age):
        begin = next_period(begin, table.period)
    return begin, next_period(begin, table.period) - 1


def _newness_here(reading: Reading, asked: Asked, _given: Given) -> Facts:
    period, as_of = asked["period"], reading.line.as_of
    found: Facts = {"begins": dt.date.fromordinal(reading.begins)}
    if reading.orders:
        found["whole"] = _tally(reading, reading.begins, as_of)
        begin = begin_of(min(each.day for each in reading.orders), period)
        first_of_table = begin
        while begin <= as_of:
            found[f"before {name_of(begin, period)}"] = _a_year_earlier(reading, begin, period, first_of_table)
            begin = next_period(begin, period)
    january = dt.date.fromordinal(as_of).replace(month=1, day=1).toordinal()
    found["year"] = _tally(reading, january, as_of)
    first = _year_earlier(january)
    found["year before"] = _tally(reading, first, _year_earlier(as_of)) if first >= reading.begins else None
    return found


def _year_earlier(day: int) -> int:
    at = dt.date.fromordinal(day)
    return at.replace(year=at.year - 1, day=min(at.day, 28) if at.month == 2 else at.day).toordinal()


def _a_year_earlier(reading: Reading, begin: int, period: str, first: int) -> Any:
    """The period of the year before; while it runs, the same days alone; None before the first period."""
    as_of, last = reading.line.as_of, next_period(begin, period) - 1
    if period == "week":
        year, week, _ = dt.date.fromordinal(begin).isocalendar()
        weeks = dt.date(year - 1, 12, 28).isocalendar().week
        before = dt.date.fromisocalendar(year - 1, min(week, weeks), 1).toordinal()
    else:
        before = _year_earlier(begin)
    if before < first:
        return None
    ends = next_period(before, period) - 1
    if last > as_of:
        ends = before + as_of - begin if period == "week" else _year_earlier(as_of)
    return _tally(reading, before, ends)


def _tally(reading: Reading, first: int, last: int) -> Any:
    """New, returning and won back of a stretch of days: orders, customers, revenue."""
    threads, here = reading.threads, [each for each in reading.orders if first <= each.day <= last]
    kinds = [
        [each for each in here if threads.rank(each) == 1],
        [each for each in here if threads.rank(each) > 1],
        [each for each in here if threads.won_back(each)],
    ]
    fresh = {each.customer for each in here if threads.of(each.customer)[0].day >= first}
    others = {each.customer for each in here} - fresh
    back = {each.customer for each in kinds[2]} & others
    sums = tuple(sum(each.amount for each in some) for some in kinds)
    return tuple(map(len, kinds)), (len(fresh), len(others), len(back)), sums


def _counts_here(reading: Reading, asked: Asked, _given: Given) -> Facts:
    first, last = asked["from"] or min(reading.begins, reading.line.as_of), asked["to"] or reading.line.as_of
    sizes = [sum(first <= each.day <= last for each in reading.shown_of(key)) for key in reading.looked]
    sizes = sorted(size for size in sizes if size)
    mode = min(set(sizes), key=lambda size: (-sizes.count(size), size), default=0)
    return {"mean": ratio(sum(sizes), len(sizes)), "median": median(sizes), "mode": mode}


def _gaps_here(reading: Reading, _asked: Asked, _given: Given) -> Facts:
    threads = reading.threads
    sizes = [len(threads.of(key)) for key in reading.looked]
    same_day = sum(threads.gap(each) == 0 for each in reading.orders)
    return {"same day": same_day, "one": sizes.count(1), "none": sizes.count(0)}


def _half_here(reading: Reading, asked: Asked, _given: Given) -> Facts:
    groups = grouped(next_order(reading, asked), lambda row: row["group"])
    half = [
        (group or BLANK, next((row["days"] for row in rows if row["share"] >= Fraction(1, 2)), None))
        for group, rows in groups.items()
    ]
    return {"halves": tuple(sorted(half or [("everybody", None)], key=str))}


def _band_here(reading: Reading, asked: Asked, given: Given) -> Facts:
    """Of a bootstrap over customers, each a bundle by itself, with the draws that the program makes."""
    table = Cohorts(reading, asked["period"], asked["ages"], reading.population)
    costs = costs_of(reading, asked, asked["period"])
    cohort = {key: begin for begin, some in table.rows.items() for key in some}
    cac = {begin: costs.cac(begin) for begin in table.begins}
    # drawn are the customers of cohorts that have an age behind them
    known = {begin for begin in table.begins if cac[begin] is not None and table.state(begin, 0) == "complete"}
    members = [key for key in given.keys if cohort.get(key) in known]
    draws = given.draws(len(members))
    found: Facts = {}
    for age in range(table.count):
        over = {begin for begin in table.begins if table.state(begin, age) == "complete"}
        there = [cohort[key] in over for key in members]
        brought = [
            float(
                sum(
                    each.amount * costs.margin(each.day)
                    for each in reading.shown_of(key)
                    if table.age(key, each.day) <= age
                )
            )
            if inside
            else 0.0
            for key, inside in zip(members, there, strict=True)
        ]
        means = []
        for draw in draws:
            size = sum(weight for weight, inside in zip(draw, there, strict=True) if inside)
            means.append(sum(w * b for w, b in zip(draw, brought, strict=True)) / size if size else None)
        if None in means or not any(there):
            found[f"band {age}"] = None
            continue
        ordered = sorted(mean for mean in means if mean is not None)
        spent = [float(cac[cohort[key]]) for key, inside in zip(members, there, strict=True) if inside]
        cost = sum(spent) / len(spent)
        found[f"band {age}"] = tuple((ordered[at] - cost) / 10_000 for at in (24, 974))
    return found


HERE: dict[str, Callable[[Reading, Asked, Given], Facts]] = {
    "cohorts": _cohorts_here,
    "newness": _newness_here,
    "counts": _counts_here,
    "gaps": _gaps_here,
    "next-order": _half_here,
    "due": lambda reading, _asked, _given: lateness(reading),
    "lapse-curve": lambda reading, _asked, _given: {"suggested": suggested_days(reading)},
    "worth": _band_here,
}
"""By question."""
