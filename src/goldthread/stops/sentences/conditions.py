"""Conditions as somebody writes them: what can be asked, what a text means so far, what may come next."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.choices import Kind
from goldthread.core.history.conditions import Condition
from goldthread.core.history.fields import Field
from goldthread.core.money import number_text
from goldthread.cql2.completing import Completion, complete
from goldthread.cql2.meaning import chooses_orders, in_words, meaning_of
from goldthread.cql2.nodes import Node, Property, Value, as_json_text, as_text
from goldthread.cql2.reading import read_condition
from goldthread.errors import ConditionInvalid
from goldthread.stops.reading import Read

VALUES_SHOWN = 400


@dataclass(frozen=True)
class FieldChoice:
    """A field that can be asked for, with its values where they are labels (the empty one left out)."""

    field: Field
    values: list[str]


@dataclass(frozen=True)
class ConditionPart:
    """One of the parts that are joined by AND: its text, the same in words, and what of it is joined by OR."""

    text: str
    words: str
    alternatives: tuple[ConditionPart, ...] = ()


@dataclass(frozen=True)
class Checked:
    """A condition text: what it says, or why it cannot be read, and what may come at the place of typing.

    ``of_orders``: whether some part chooses orders, so that it matters where firsts are taken from. ``hints`` name
    values that no record has.
    """

    parts: list[ConditionPart]
    json: str
    words: str
    of_orders: bool
    hints: list[str]
    error: ConditionInvalid | None
    completions: list[Completion]


def list_fields(read: Read) -> list[FieldChoice]:
    """Every field of a book."""
    return [FieldChoice(field, labels_of(read, field)) for field in read.fields.fields]


def check_condition(read: Read, text: str, at: int | None = None) -> Checked:
    """A condition text as far as it is written; ``at`` asks for what may come at a place."""
    known = read.fields.by_name
    completions = [] if at is None else complete(text, at, known, lambda field: labels_of(read, field))
    if not text.strip():
        return Checked([], "", "", False, [], None, completions)
    try:
        node = read_condition(text)
        meaning_of(node, known)
    except ConditionInvalid as error:
        return Checked([], "", "", False, [], error, completions)
    parts = node.parts if node.op == "and" else [node]
    return Checked(
        parts=[_part(part, known) for part in parts],
        json=as_json_text(node),
        words=in_words(node, known),
        of_orders=chooses_orders(node, known),
        hints=_hints(read, node, known),
        error=None,
        completions=completions,
    )


def condition_of(text: str, fields: Mapping[str, Field], named: str) -> Condition | None:
    """The condition of a choice of a question, None for none. Raises `ConditionInvalid`, which names the choice."""
    if not text.strip():
        return None
    try:
        return meaning_of(read_condition(text), fields)
    except ConditionInvalid as error:
        error.field = named
        raise


def label_condition(read: Read, name: str, label: str) -> str:
    """The condition text that chooses what has a label; the empty label is what is blank, a band a span of values."""
    field = Property(name)
    bands = read.fields.bands(name)
    span = None if bands is None else bands.span(label)
    if span is None:
        return as_text(Node("=", (field, Value(label))) if label else Node("isNull", (field,)))
    is_date = read.fields.field(name).kind is Kind.DATE
    ends = [(op, end) for op, end in zip((">=", "<"), span, strict=True) if end is not None]
    if not ends:
        return as_text(Node("not", (Node("isNull", (field,)),)))
    parts = tuple(Node(op, (field, Value(to_date(end) if is_date else Decimal(number_text(end))))) for op, end in ends)
    return as_text(Node("and", parts) if len(parts) > 1 else parts[0])


def _part(node: Node, known: Mapping[str, Field]) -> ConditionPart:
    text = f"({as_text(node)})" if node.op in ("and", "or") else as_text(node)
    alternatives = tuple(_part(part, known) for part in _joined_by_or(node)) if node.op == "or" else ()
    return ConditionPart(text, in_words(node, known), alternatives)


def _joined_by_or(node: Node) -> list[Node]:
    return [each for part in node.parts for each in _joined_by_or(part)] if node.op == "or" else [node]


def labels_of(read: Read, field: Field) -> list[str]:
    """Labels of a field, the first of many; those of an own attribute without reading it."""
    if field.kind is not Kind.LABEL:
        return []
    if field.own:
        return list(read.orders.own.labels(field.own, VALUES_SHOWN))
    values = read.fields.values(field.name)
    return [label for label in values.labels if label][:VALUES_SHOWN] if isinstance(values, Attribute) else []


def _hints(read: Read, node: Node, fields: Mapping[str, Field]) -> list[str]:
    """Values that are compared with and that no order or customer has."""
    if node.parts:
        return [hint for part in node.parts for hint in _hints(read, part, fields)]
    name, wanted = str(getattr(node.args[0], "name", "")), [getattr(arg, "value", None) for arg in node.args[1:]]
    values = read.fields.values(name)
    if not isinstance(values, Attribute) or node.op not in ("=", "in"):
        return []
    missing = [value for value in wanted if isinstance(value, str) and value not in values.labels]
    near = ", ".join(label for label in values.labels if label)
    listed = f" It is one of {near}." if len(near) < VALUES_SHOWN else ""
    return [f"No {fields[name].title} is called {value}.{listed}" for value in missing]
