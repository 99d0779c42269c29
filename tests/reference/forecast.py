"""The forecast of cohorts (section 14), step by step: one cohort, one age at a time."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

from tests.reference.cohorts import Cohorts, Costs, costs_of
from tests.reference.figures import About, Asked, Row, name_of
from tests.reference.records import MINOR
from tests.reference.threads import Reading

Column = dict[int, Any]


def forecast(reading: Reading, asked: Asked) -> list[Row]:
    """What every cohort brought, and what it will; seasons are left to books of three years."""
    period, figure = asked["period"], asked["figure"]
    table, costs = Cohorts(reading, period, "calendar", reading.population), costs_of(reading, asked, period)
    begins = [begin for begin in table.begins if table.rows[begin]]
    known = {begin: _cumulative(table, costs, begin, figure) for begin in begins}
    part = {begin: column for begin, column in known.items() if column and column[0] > 0 and min(column.values()) >= 0}
    factors, variances, carried = _ladder(part)
    end = _end(table, part, factors, asked)
    rows = []
    for begin in begins:
        cumulative = dict(part.get(begin, {}))
        last = max(cumulative, default=None)
        errors: Column = {}
        if last is not None:
            for age in range(last + 1, end + 1):
                cumulative[age] = cumulative[age - 1] * factors[age - 1]
                errors[age] = _error(cumulative, factors, variances, carried, last, age)
        for age in range(max(table.count, end + 1)):
            state = table.state(begin, age) if age < table.count else "not_yet"
            if state != "not_yet":
                rows.append(_row(table, asked, begin, age, state, _increment(table, costs, begin, age, figure), None))
            if last is not None and last < age <= end:
                ahead = cumulative[age] - cumulative[age - 1]
                rows.append(_row(table, asked, begin, age, "forecast", ahead, errors[age]))
    return rows


def _increment(table: Cohorts, costs: Costs, begin: int, age: int, figure: str) -> Fraction:
    here = table.there(begin, age, age)
    match figure:
        case "customers":
            return Fraction(len({each.customer for each in here}))
        case "orders":
            return Fraction(len(here))
        case "revenue":
            return table.revenue(begin, age, age)
    return table.revenue(begin, age, age, costs.margin)


def _cumulative(table: Cohorts, costs: Costs, begin: int, figure: str) -> Column:
    found: Column = {}
    for age in range(table.count):
        if table.state(begin, age) != "complete":
            break
        found[age] = found.get(age - 1, Fraction(0)) + _increment(table, costs, begin, age, figure)
    return found


def _ladder(part: dict[int, Column]) -> tuple[Column, Column, Column]:
    factors: Column = {}
    variances: Column = {}
    carried: Column = {}
    for age in range(max((max(column) for column in part.values()), default=0)):
        mine = [column for column in part.values() if age + 1 in column]
        carried[age] = sum(column[age] for column in mine)
        factors[age] = sum(column[age + 1] for column in mine) / carried[age] if carried[age] else None
        if len(mine) > 1 and factors[age] is not None:
            apart = [
                (column[age + 1] - column[age] * factors[age]) ** 2 / column[age] for column in mine if column[age] > 0
            ]
            variances[age] = float(sum(apart, Fraction(0)) / (len(mine) - 1))
        elif age >= 2 and None not in (variances[age - 1], variances[age - 2]):
            one, two = variances[age - 1], variances[age - 2]
            variances[age] = min(one * one / two, one, two) if two > 0 else 0.0
        else:
            variances[age] = None
    return factors, variances, carried


def _end(table: Cohorts, part: dict[int, Column], factors: Column, asked: Asked) -> int:
    for age, factor in factors.items():
        mine = [begin for begin, column in part.items() if age + 1 in column]
        customers = sum(len(table.rows[begin]) for begin in mine)
        is_few = len(mine) < 3 or customers < asked["small"]
        if factor is None or factor <= 0 or (is_few and asked["few"] == "hidden"):
            return int(age)
    return len(factors)


def _error(
    cumulative: Column, factors: Column, variances: Column, carried: Column, last: int, age: int
) -> float | None:
    total = 0.0
    for step in range(last, age):
        if variances[step] is None:
            return None
        relative = variances[step] / float(factors[step]) ** 2
        total += relative * (1 / float(cumulative[step]) + 1 / float(carried[step]))
    return float(cumulative[age]) * math.sqrt(total)


def _row(table: Cohorts, asked: Asked, begin: int, age: int, state: str, value: Any, error: Any) -> Row:
    is_money = asked["figure"] in ("revenue", "profit")
    scale, by = (MINOR, 0.0051) if is_money else (1, 0.0051)
    return {
        "cohort": name_of(begin, asked["period"]),
        "size": len(table.rows[begin]),
        "age": age,
        "state": state,
        asked["figure"]: About(float(value) / scale, by),
        "standard_error": None if error is None else About(error / scale, by + 1e-9 * abs(error)),
    }
