"""Conditions as a person would judge them, with three values (section 2.1 and 2.2)."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from tests.reference.records import iso, units

if TYPE_CHECKING:
    from tests.reference.threads import Bought, Threads


class Truth(Enum):
    TRUE = 1
    UNKNOWN = 0
    FALSE = -1


def _said(holds: bool) -> Truth:
    return Truth.TRUE if holds else Truth.FALSE


@dataclass(frozen=True)
class Test:
    """One comparison: the text of it, the field, and whether a value that is not blank fits. ``blank`` : what it says
    of one that is."""

    text: str
    field: str
    of_orders: bool
    fits: Callable[[Any], bool]
    blank: Truth = Truth.UNKNOWN

    def speaks_of_orders(self) -> bool:
        return self.of_orders

    def of_customer(self, threads: Threads, key: str) -> Truth:
        return self._judged(threads.of_customer(key, self.field))

    def of_order(self, threads: Threads, bought: Bought) -> Truth:
        if self.of_orders:
            return self._judged(threads.of_order(bought, self.field))
        return self.of_customer(threads, bought.customer)

    def _judged(self, value: Any) -> Truth:
        return self.blank if value is None else _said(self.fits(value))


@dataclass(frozen=True)
class Joined:
    """Parts joined by ``and`` or ``or``, or one part and ``not``."""

    how: str
    parts: tuple[Condition, ...]

    @property
    def text(self) -> str:
        if self.how == "not":
            return f"NOT ({self.parts[0].text})"
        return f" {self.how.upper()} ".join(f"({part.text})" for part in self.parts)

    def speaks_of_orders(self) -> bool:
        return any(part.speaks_of_orders() for part in self.parts)

    def of_customer(self, threads: Threads, key: str) -> Truth:
        return self._joined([part.of_customer(threads, key) for part in self.parts])

    def of_order(self, threads: Threads, bought: Bought) -> Truth:
        return self._joined([part.of_order(threads, bought) for part in self.parts])

    def _joined(self, truths: list[Truth]) -> Truth:
        if self.how == "not":
            return Truth(-truths[0].value)
        least_or_most: Callable[..., int] = min if self.how == "and" else max
        return Truth(least_or_most(truth.value for truth in truths))


Condition = Test | Joined


def parts_of(condition: Condition, *, negated: bool = False) -> list[Condition]:
    """The parts that are joined by AND, at any depth: NOT (a OR b) is NOT a AND NOT b."""
    if isinstance(condition, Joined):
        if condition.how == "not":
            return parts_of(condition.parts[0], negated=not negated)
        if condition.how == ("or" if negated else "and"):
            return [each for part in condition.parts for each in parts_of(part, negated=negated)]
    return [Joined("not", (condition,)) if negated else condition]


def random_condition(draw: random.Random, known: list[tuple[str, bool, str, list[Any]]], depth: int = 2) -> Condition:
    """A condition over some fields. ``known`` : the name of each, whether it is of orders, its kind (``text``,
    ``date``, ``money`` or ``number``), and values that occur."""
    how = draw.choice(("test", "test", "and", "or", "not")) if depth else "test"
    if how == "not":
        return Joined("not", (random_condition(draw, known, depth - 1),))
    if how != "test":
        return Joined(how, tuple(random_condition(draw, known, depth - 1) for _ in range(draw.choice((2, 3)))))
    name, of_orders, kind, values = draw.choice(known)
    field = name if re.fullmatch(r"[A-Za-z_][A-Za-z0-9_.:]*", name) else f'"{name}"'
    if draw.random() < 0.12:
        return Test(f"{field} IS NULL", name, of_orders, lambda _value: False, Truth.TRUE)
    texts = kind == "text"
    one, other = draw.choice(values), draw.choice(values)
    ways = ["=", "<>", "IN"] + (["LIKE"] if texts else ["<", ">", "<=", ">=", "BETWEEN"])
    way = draw.choice(ways)
    if way == "IN":
        return Test(
            f"{field} IN ({_written(one, kind)}, {_written(other, kind)})", name, of_orders, lambda v: v in (one, other)
        )
    if way == "LIKE":
        pattern = draw.choice((f"{one[:2]}%", f"%{one[-1:]}", one))
        fits = re.compile(pattern.replace("%", ".*"), re.DOTALL).fullmatch
        return Test(f"{field} LIKE '{pattern}'", name, of_orders, lambda value: fits(value) is not None)
    if way == "BETWEEN":
        low, high = sorted((one, other))
        text = f"{field} BETWEEN {_written(low, kind)} AND {_written(high, kind)}"
        return Test(text, name, of_orders, lambda value: low <= value <= high)
    compare: dict[str, Callable[[Any], bool]] = {
        "=": lambda value: value == one,
        "<>": lambda value: value != one,
        "<": lambda value: value < one,
        ">": lambda value: value > one,
        "<=": lambda value: value <= one,
        ">=": lambda value: value >= one,
    }
    return Test(f"{field} {way} {_written(one, kind)}", name, of_orders, compare[way])


def _written(value: Any, kind: str) -> str:
    if kind == "text":
        return "'" + str(value).replace("'", "''") + "'"
    if kind == "date":
        return f"DATE('{iso(value)}')"
    if kind == "money":
        return units(value)
    return str(float(value) if isinstance(value, Fraction) else value)
