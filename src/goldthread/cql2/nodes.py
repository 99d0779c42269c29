"""A condition as it was read: CQL2 JSON with the place in the text that each part came from."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from goldthread.core.history.fields import written_name
from goldthread.errors import ConditionInvalid

DEEPEST = 40


@dataclass(frozen=True)
class Value:
    """A literal; ``at`` is where it stands in the text."""

    value: str | Decimal | bool | dt.date
    at: int = 0


@dataclass(frozen=True)
class Property:
    """A field's name."""

    name: str
    at: int = 0


@dataclass(frozen=True)
class Node:
    """An operation: ``op`` as CQL2 JSON names it."""

    op: str
    args: tuple[Node | Property | Value, ...]
    at: int = 0

    @property
    def parts(self) -> list[Node]:
        """The operations that this one joins."""
        return [arg for arg in self.args if isinstance(arg, Node)]

    @property
    def names(self) -> set[str]:
        """The fields that it speaks of."""
        mine = {arg.name for arg in self.args if isinstance(arg, Property)}
        return mine.union(*(part.names for part in self.parts))

    @property
    def depth(self) -> int:
        """How deep operations are nested."""
        depth, level = 0, [self]
        while level:
            depth += 1
            if depth > DEEPEST:
                break
            level = [part for node in level for part in node.parts]
        return depth


def as_json(node: Node | Property | Value) -> Any:
    """The CQL2 JSON of a condition; numbers stay exact decimals."""
    match node:
        case Property(name):
            return {"property": name}
        case Value(dt.date() as value):
            return {"date": value.isoformat()}
        case Value(value):
            return value
        case Node("in", (first, *values)):
            return {"op": "in", "args": [as_json(first), [as_json(value) for value in values]]}
        case Node(op, args):
            return {"op": op, "args": [as_json(arg) for arg in args]}


def as_text(node: Node | Property | Value) -> str:
    """The CQL2 text of a condition."""
    match node:
        case Property(name):
            return written_name(name)
        case Value(dt.date() as value):
            return f"DATE('{value.isoformat()}')"
        case Value(bool() as value):
            return "TRUE" if value else "FALSE"
        case Value(Decimal() as value):
            return f"{value:f}"
        case Value(value):
            return "'" + str(value).replace("'", "''") + "'"
        case Node("and" | "or" as op, _):
            texts = (f"({as_text(part)})" if part.op in ("and", "or") else as_text(part) for part in node.parts)
            return f" {op.upper()} ".join(texts)
        case Node("not", (inner,)):
            return f"NOT ({as_text(inner)})"
    first, *values = (as_text(arg) for arg in node.args)
    match node.op:
        case "isNull":
            return f"{first} IS NULL"
        case "in":
            return f"{first} IN ({', '.join(values)})"
        case "between":
            return f"{first} BETWEEN {values[0]} AND {values[1]}"
        case "like":
            return f"{first} LIKE {values[0]}"
        case _:
            return f"{first} {node.op} {values[0]}"


def as_json_text(node: Node) -> str:
    """The CQL2 JSON of a condition as a text."""
    return json.dumps(as_json(node), ensure_ascii=False, default=_number)


def _number(value: Any) -> float | int:
    if not isinstance(value, Decimal):
        raise ConditionInvalid("That is not a value of a condition.", remedy="Give a text, a number or a date.", at=0)
    return int(value) if value == value.to_integral_value() else float(value)
