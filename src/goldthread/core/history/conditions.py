"""Conditions on orders and customers, evaluated as masks (OGC CQL2, the part that `Condition` can say).

Logic has three values, as in SQL and CQL2: a comparison with something blank is neither true nor false, and
so is its opposite. A condition therefore gives two masks, where it is true and where it is false; what is in neither
is unknown. Method: and = (both true, either false); or = (either true, both false); not swaps the two.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.texts import TextColumn, like_expression
from goldthread.errors import InvalidInput

Mask = NDArray[np.bool_]


class Compare(StrEnum):
    """How a value is compared."""

    EQUAL = "="
    OTHER = "<>"
    LESS = "<"
    MORE = ">"
    AT_MOST = "<="
    AT_LEAST = ">="


class Level(StrEnum):
    """What a field belongs to: every order has its own, or all orders of a customer share it."""

    ORDER = "order"
    CUSTOMER = "customer"


@dataclass(frozen=True, eq=False)
class Numbers:
    """Whole or other numbers; ``missing`` where nothing applies, None where everything does."""

    values: NDArray[Any]
    missing: Mask | None = None


Values = Attribute | TextColumn | Numbers
Literal = str | Fraction
"""A text, or an exact number: of days since 1970-01-01 for dates, of ten-thousandths for money."""


@dataclass(frozen=True)
class Comparison:
    field: str
    compare: Compare
    value: Literal


@dataclass(frozen=True)
class Between:
    field: str
    low: Fraction
    high: Fraction


@dataclass(frozen=True)
class OneOf:
    field: str
    values: tuple[Literal, ...]


@dataclass(frozen=True)
class Like:
    field: str
    pattern: str


@dataclass(frozen=True)
class NotTold:
    """The field is empty: CQL2's IS NULL."""

    field: str


@dataclass(frozen=True)
class Not:
    part: Condition


@dataclass(frozen=True)
class And:
    parts: tuple[Condition, ...]


@dataclass(frozen=True)
class Or:
    parts: tuple[Condition, ...]


Condition = Comparison | Between | OneOf | Like | NotTold | Not | And | Or


@dataclass(frozen=True, eq=False)
class Truth:
    """Where a condition is true and where it is false; bool, shape (orders,) or (customers,) by ``level``."""

    true: Mask
    false: Mask
    level: Level


class Fields(Protocol):
    """What conditions ask a history for."""

    def level(self, name: str, /) -> Level:
        """What a field belongs to. Raises `InvalidInput` for one that is not there."""

    def values(self, name: str, /) -> Values:
        """A field's values."""

    def to_orders(self, of_customers: Mask, /) -> Mask:
        """A mask of customers as one of orders; bool, shape (orders,)."""


def evaluate(condition: Condition, fields: Fields) -> Truth:
    """Where a condition holds and where it does not. Raises `InvalidInput` where it does not fit its field."""
    match condition:
        case Not(part):
            truth = evaluate(part, fields)
            return Truth(truth.false, truth.true, truth.level)
        case And(parts) | Or(parts):
            truths = _on_one_level([evaluate(part, fields) for part in parts], fields)
            every, some = np.logical_and.reduce, np.logical_or.reduce
            of_true, of_false = (every, some) if isinstance(condition, And) else (some, every)
            return Truth(of_true([t.true for t in truths]), of_false([t.false for t in truths]), truths[0].level)
        case _:
            return _leaf(condition, fields)


def level_of(condition: Condition, fields: Fields) -> Level:
    """Whether a condition speaks of customers alone (their first order included), or of orders."""
    match condition:
        case Not(part):
            return level_of(part, fields)
        case And(parts) | Or(parts):
            of_orders = any(level_of(part, fields) is Level.ORDER for part in parts)
            return Level.ORDER if of_orders else Level.CUSTOMER
        case _:
            return fields.level(condition.field)


def split(condition: Condition, fields: Fields) -> tuple[Condition | None, Condition | None]:
    """The parts, joined by AND at any depth, that choose customers, and those that choose orders."""
    parts = joined_by_and(condition)
    of_customers = tuple(part for part in parts if level_of(part, fields) is Level.CUSTOMER)
    of_orders = tuple(part for part in parts if level_of(part, fields) is Level.ORDER)
    return _joined(of_customers), _joined(of_orders)


def joined_by_and(condition: Condition) -> tuple[Condition, ...]:
    """The parts that must all hold: brackets change nothing, and NOT (a OR b) is NOT a AND NOT b."""
    match condition:
        case And(parts):
            return tuple(each for part in parts for each in joined_by_and(part))
        case Not(Not(part)):
            return joined_by_and(part)
        case Not(Or(parts)):
            return tuple(each for part in parts for each in joined_by_and(Not(part)))
        case _:
            return (condition,)


def _joined(parts: tuple[Condition, ...]) -> Condition | None:
    return And(parts) if len(parts) > 1 else parts[0] if parts else None


def _on_one_level(truths: list[Truth], fields: Fields) -> list[Truth]:
    if len({truth.level for truth in truths}) == 1:
        return truths
    return [
        truth
        if truth.level is Level.ORDER
        else Truth(fields.to_orders(truth.true), fields.to_orders(truth.false), Level.ORDER)
        for truth in truths
    ]


_Leaf = Comparison | Between | OneOf | Like | NotTold


def _leaf(condition: _Leaf, fields: Fields) -> Truth:
    values = fields.values(condition.field)
    match values:
        case Attribute():
            true, missing = _of_labels(condition, values)
        case TextColumn():
            true, missing = _of_texts(condition, values)
        case Numbers():
            true, missing = _of_numbers(condition, values)
    if isinstance(condition, NotTold):
        return Truth(missing, ~missing, fields.level(condition.field))
    true = true & ~missing
    return Truth(true, ~(true | missing), fields.level(condition.field))


def _of_labels(condition: _Leaf, attribute: Attribute) -> tuple[Mask, Mask]:
    """Each label is judged once; the codes look its verdict up."""
    fits = _text_test(condition)
    verdicts = np.array([fits(label) for label in attribute.labels] or [False], np.bool_)
    blank = np.array([label == "" for label in attribute.labels] or [False], np.bool_)
    return verdicts.take(attribute.codes), blank.take(attribute.codes)


def _text_test(condition: _Leaf) -> Callable[[str], bool]:
    match condition:
        case Comparison(_, compare, str(value)):
            return lambda label: _compared(label, compare, value)
        case OneOf(_, values):
            wanted = {_text(condition, value) for value in values}
            return lambda label: label in wanted
        case Like(_, pattern):
            fits = re.compile(like_expression(pattern), re.DOTALL).fullmatch
            return lambda label: fits(label) is not None
        case NotTold():
            return lambda _label: False
        case _:
            raise _misfit(condition, "texts", "Write the value in single quotes.")


def _compared(one: Any, compare: Compare, other: Any) -> Any:
    match compare:
        case Compare.EQUAL:
            return one == other
        case Compare.OTHER:
            return one != other
        case Compare.LESS:
            return one < other
        case Compare.MORE:
            return one > other
        case Compare.AT_MOST:
            return one <= other
        case Compare.AT_LEAST:
            return one >= other


def _of_texts(condition: _Leaf, texts: TextColumn) -> tuple[Mask, Mask]:
    missing = texts.empty()
    match condition:
        case Comparison(_, Compare.EQUAL, str(value)):
            return texts.equal(value), missing
        case Comparison(_, Compare.OTHER, str(value)):
            return ~texts.equal(value), missing
        case OneOf(_, values):
            found = [texts.equal(_text(condition, value)) for value in values]
            return np.logical_or.reduce(found), missing
        case Like(_, pattern):
            return texts.like(pattern), missing
        case NotTold():
            return missing, missing
        case _:
            raise _misfit(condition, "texts", "Compare it with =, <>, IN or LIKE, and a value in single quotes.")


def _of_numbers(condition: _Leaf, numbers: Numbers) -> tuple[Mask, Mask]:
    values = numbers.values
    missing = numbers.missing if numbers.missing is not None else np.zeros(values.size, np.bool_)
    match condition:
        case Comparison(_, compare, Fraction() as value):
            return number_compared(values, compare, value), missing
        case Between(_, low, high):
            at_least = number_compared(values, Compare.AT_LEAST, low)
            return at_least & number_compared(values, Compare.AT_MOST, high), missing
        case OneOf(_, wanted) if all(isinstance(value, Fraction) for value in wanted):
            found = [number_compared(values, Compare.EQUAL, Fraction(value)) for value in wanted]
            return np.logical_or.reduce(found), missing
        case NotTold():
            return missing, missing
        case _:
            raise _misfit(condition, "numbers or dates", "Give a number, or a date as DATE('2026-10-31').")


def number_compared(values: NDArray[Any], compare: Compare, value: Fraction) -> Mask:
    """How numbers compare with one; bool. Whole numbers are compared as whole numbers, never as floating point."""
    if values.dtype.kind == "f":
        with np.errstate(invalid="ignore"):
            mask: Mask = _compared(values, compare, float(value))
        return mask
    info = np.iinfo(values.dtype)
    whole = value.denominator == 1
    if not whole and compare in (Compare.EQUAL, Compare.OTHER):
        return np.full(values.size, compare is Compare.OTHER)
    # below 2.5 is below 3, and above 2.5 is above 2
    bound = math.ceil(value) if compare in (Compare.LESS, Compare.AT_LEAST) else math.floor(value)
    if not info.min <= bound <= info.max:
        beyond = bound > info.max
        under = compare in (Compare.LESS, Compare.AT_MOST)
        return np.full(values.size, compare is Compare.OTHER or (compare is not Compare.EQUAL and beyond == under))
    narrow: Mask = _compared(values, compare, values.dtype.type(bound))
    return narrow


def _text(condition: _Leaf, value: Literal) -> str:
    if not isinstance(value, str):
        raise _misfit(condition, "texts", "Write the value in single quotes.")
    return value


def _misfit(condition: _Leaf, holds: str, remedy: str) -> InvalidInput:
    return InvalidInput(
        f"{condition.field} holds {holds}, which this comparison does not fit.", remedy=remedy, field="where"
    )
