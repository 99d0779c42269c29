"""What a condition means for a book: its fields looked up, its values made those of the fields, its words."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from decimal import Decimal, InvalidOperation
from fractions import Fraction

from goldthread.core.book.days import to_day
from goldthread.core.choices import Kind
from goldthread.core.history.conditions import (
    And,
    Between,
    Compare,
    Comparison,
    Condition,
    Level,
    Like,
    Literal,
    Not,
    NotTold,
    OneOf,
    Or,
)
from goldthread.core.history.fields import Field, nearest_names
from goldthread.core.history.standing import FORMER_LABEL, STANDING_LABELS
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.cql2.nodes import Node, Property, Value
from goldthread.cql2.reading import date_at
from goldthread.errors import ConditionInvalid

MOST_COMPARISONS = 200
_TEXTS = (Kind.TEXT, Kind.LABEL)
_COMPARED = {"=": "is", "<>": "is not", "<": "is below", ">": "is above", "<=": "is at most", ">=": "is at least"}
_DATED = {"<": "is before", ">": "is after", "<=": "is not after", ">=": "is not before"}


def meaning_of(node: Node, fields: Mapping[str, Field]) -> Condition:
    """The condition that the core evaluates. Raises `ConditionInvalid` where a field or value does not fit."""
    if _comparison_count(node) > MOST_COMPARISONS:
        raise ConditionInvalid(
            "The condition makes too many comparisons.", remedy=f"Up to {MOST_COMPARISONS} are read.", at=node.at
        )
    return _meaning(node, fields)


def _comparison_count(node: Node) -> int:
    return sum(_comparison_count(part) for part in node.parts) if node.parts else max(1, len(node.args) - 1)


def _meaning(node: Node, fields: Mapping[str, Field]) -> Condition:
    match node:
        case Node("and"):
            return And(tuple(_meaning(part, fields) for part in node.parts))
        case Node("or"):
            return Or(tuple(_meaning(part, fields) for part in node.parts))
        case Node("not"):
            return Not(_meaning(node.parts[0], fields))
    field = _field(node, fields)
    values = [arg for arg in node.args if isinstance(arg, Value)]
    if node.op == "isNull":
        return NotTold(field.name)
    if node.op == "like":
        return Like(field.name, _pattern(field, values[0]))
    literals = [_literal(field, value) for value in values]
    if node.op == "in":
        return OneOf(field.name, tuple(literals))
    if node.op == "between":
        low, high = literals
        if not isinstance(low, Fraction) or not isinstance(high, Fraction):
            raise ConditionInvalid(
                f"{field.title} is a text, which BETWEEN does not fit.", remedy="Use = or IN.", at=node.at
            )
        return Between(field.name, low, high)
    compare = Compare(node.op)
    if field.kind is Kind.TEXT and compare not in (Compare.EQUAL, Compare.OTHER):
        raise ConditionInvalid(
            f"{field.title} has no sequence to compare by.", remedy="Use =, <>, IN or LIKE.", at=node.at
        )
    return Comparison(field.name, compare, literals[0])


def _field(node: Node, fields: Mapping[str, Field]) -> Field:
    asked = node.args[0]
    if not isinstance(asked, Property):
        raise ConditionInvalid("A field is missing.", remedy="Begin with a field's name.", at=node.at)
    if asked.name not in fields:
        raise ConditionInvalid(
            f"There is no field {asked.name}.", remedy=nearest_names(asked.name, fields), at=asked.at
        )
    return fields[asked.name]


def _literal(field: Field, value: Value) -> Literal:
    given = value.value
    if field.kind in _TEXTS:
        if isinstance(given, bool):
            return "yes" if given else "no"
        if isinstance(given, str):
            return STANDING_LABELS[-1] if field.name == "standing" and given == FORMER_LABEL else given
        raise ConditionInvalid(f"{field.title} is a text.", remedy=f"Write '{given}' in single quotes.", at=value.at)
    if field.kind is Kind.DATE:
        date = date_at(given, value.at) if isinstance(given, str) else given
        if isinstance(date, dt.date):
            return Fraction(to_day(date))
        raise ConditionInvalid(f"{field.title} is a date.", remedy="Write it as DATE('2026-10-31').", at=value.at)
    if field.is_filed and field.kind is Kind.NUMBER and isinstance(given, str):
        # conditions that were kept while the attribute was a text
        given = _number(given, value)
    if isinstance(given, Decimal):
        return Fraction(given) * (MINOR_PER_UNIT if field.kind in (Kind.MONEY, Kind.NUMBER) else 1)
    raise ConditionInvalid(f"{field.title} is a number.", remedy="Write it without quotes, such as 12.5.", at=value.at)


def _number(text: str, value: Value) -> Decimal:
    try:
        number = Decimal(text)
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite():
        raise ConditionInvalid(f"{text[:40]} is not a number.", remedy="Write a number such as 12.5.", at=value.at)
    return number


def _pattern(field: Field, value: Value) -> str:
    if field.kind not in _TEXTS:
        raise ConditionInvalid(f"{field.title} is not a text, which LIKE needs.", remedy="Use = or <.", at=value.at)
    if not isinstance(value.value, str):
        raise ConditionInvalid(
            "LIKE needs a pattern.", remedy="Write it in single quotes, with % for any text.", at=value.at
        )
    return value.value


def chooses_orders(node: Node, fields: Mapping[str, Field]) -> bool:
    """Whether a part of a condition speaks of orders, so that it matters where firsts are taken from."""
    if node.parts:
        return any(chooses_orders(part, fields) for part in node.parts)
    return _field(node, fields).level is Level.ORDER


def joined_by_and(node: Node) -> list[Node]:
    """The parts of a condition that must all hold, as `goldthread.core.history.conditions.joined_by_and`."""
    match node:
        case Node("and", parts=parts):
            return [each for part in parts for each in joined_by_and(part)]
        case Node("not", parts=(Node("not", parts=(part,)),)):
            return joined_by_and(part)
        case Node("not", parts=(Node("or", parts=parts),)):
            return [each for part in parts for each in joined_by_and(Node("not", (part,)))]
        case _:
            return [node]


def choosing_orders(node: Node, fields: Mapping[str, Field]) -> Node | None:
    """The parts of a condition, joined by AND, that speak of orders; None when there is none."""
    kept = tuple(part for part in joined_by_and(node) if chooses_orders(part, fields))
    return Node("and", kept) if len(kept) > 1 else kept[0] if kept else None


def in_words(node: Node, fields: Mapping[str, Field]) -> str:
    """A condition as people say it: region is Coast and amount is at least 200."""
    match node:
        case Node("and") | Node("or"):
            said = [in_words(part, fields) for part in node.parts]
            nested = [
                f"({words})" if part.op in ("and", "or") else words
                for words, part in zip(said, node.parts, strict=True)
            ]
            return f" {node.op} ".join(nested)
        case Node("not", (Node("isNull") as inner,)):
            return f"{_field(inner, fields).title} is filled in"
        case Node("not", (Node() as inner,)):
            return f"not ({in_words(inner, fields)})"
    field = _field(node, fields)
    values = [_said(arg.value) for arg in node.args if isinstance(arg, Value)]
    said_so: dict[str, Callable[[], str]] = {
        "isNull": lambda: "is blank",
        "like": lambda: _like_words(str(values[0])),
        "in": lambda: f"is {', '.join(values[:-1])}{' or ' if len(values) > 1 else ''}{values[-1]}",
        "between": lambda: f"is {values[0]} to {values[1]}",
    }
    if node.op in said_so:
        return f"{field.title} {said_so[node.op]()}"
    if field.bought and field.level is Level.ORDER:
        match node.op, values[0]:
            case (">=", "1") | (">", "0"):
                return f"some line is of {field.bought.replace(':', ' ', 1)}"
            case ("=", "0") | ("<", "1"):
                return f"no line is of {field.bought.replace(':', ' ', 1)}"
    if field.dated is not None and field.kind is Kind.COUNT:
        when = field.title.removeprefix("orders ")
        match node.op, values[0]:
            case (">=", "1") | (">", "0"):
                return f"ordered {when}"
            case ("=", "0") | ("<", "1"):
                return f"no order {when}"
    words = _COMPARED | (_DATED if field.kind is Kind.DATE else {})
    return f"{field.title} {words[node.op]} {values[0]}"


def _like_words(pattern: str) -> str:
    inner = pattern.strip("%")
    if "%" in inner or "_" in inner or "\\" in inner:
        return f"looks like {pattern}"
    ways = {
        (True, True): f"has {inner}",
        (False, True): f"begins with {inner}",
        (True, False): f"ends with {inner}",
        (False, False): f"is {inner}",
    }
    return ways[pattern.startswith("%"), pattern.endswith("%")]


def _said(value: str | Decimal | bool | dt.date) -> str:
    if isinstance(value, dt.date):
        return f"{value.day} {value:%b} {value.year}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:f}" if isinstance(value, Decimal) else value
