"""Condition texts read by the grammar; what cannot be read is reported with the character where sense ends."""

from __future__ import annotations

import datetime as dt
import functools
from decimal import Decimal
from pathlib import Path
from typing import Any, cast

from lark import Lark, Token, Transformer
from lark.exceptions import UnexpectedCharacters, UnexpectedInput, UnexpectedToken

from goldthread.cql2.nodes import DEEPEST, Node, Property, Value
from goldthread.errors import ConditionInvalid

LONGEST = 4_000
_EXPECTED = {
    "NAME": "a field",
    "COMPARE": "a comparison such as =",
    "STRING": "a text in single quotes",
    "NUMBER": "a number",
    "_AND": "AND",
    "_OR": "OR",
    "RPAR": "a closing bracket",
    "LPAR": "an opening bracket",
    "_NULL": "NULL",
    "COMMA": "a comma",
}


def read_condition(text: str) -> Node:
    """A condition text as operations. Raises `ConditionInvalid`, which points at the character."""
    if len(text) > LONGEST:
        raise ConditionInvalid(
            f"The condition has {len(text)} characters.", remedy=f"At most {LONGEST} are read.", at=LONGEST
        )
    try:
        found = cast(Node, grammar().parse(text))
    except UnexpectedInput as unexpected:
        raise _unreadable(text, unexpected) from None
    if found.depth > DEEPEST:
        raise ConditionInvalid(
            "The condition is nested too deeply.", remedy=f"Up to {DEEPEST} levels are read.", at=found.at
        )
    return found


@functools.cache
def grammar() -> Lark:
    """The parser; operations are made while it reads, so nothing is nested in Python's own calls."""
    source = (Path(__file__).parent / "grammar.lark").read_text(encoding="utf-8")
    return Lark(source, parser="lalr", transformer=_Reader(), maybe_placeholders=True)


def _unreadable(text: str, unexpected: UnexpectedInput) -> ConditionInvalid:
    at = unexpected.pos_in_stream if unexpected.pos_in_stream is not None else len(text)
    ended = isinstance(unexpected, UnexpectedToken) and unexpected.token.type == "$END"
    at = len(text) if at < 0 or ended or not text[at:].strip() else at
    wanted = _wanted(unexpected)
    if at >= len(text):
        return ConditionInvalid("The condition ends too soon.", remedy=f"Go on with {wanted}.", at=len(text))
    if isinstance(unexpected, UnexpectedCharacters) and text[at] in "'\"":
        return ConditionInvalid("A quote is not closed.", remedy="End the text with the same quote.", at=at)
    word = text[at:].split(maxsplit=1)[0][:20]
    return ConditionInvalid(f"{word} makes no sense here.", remedy=f"Expected is {wanted}.", at=at)


def _wanted(unexpected: UnexpectedInput) -> str:
    accepted: set[str] = set(getattr(unexpected, "accepts", None) or getattr(unexpected, "expected", None) or ())
    accepted |= set(getattr(unexpected, "allowed", None) or ())
    words = [words for token, words in _EXPECTED.items() if token in accepted]
    return ", or ".join(words[:4]) or "the end of the condition"


class _Reader(Transformer[Token, Any]):
    """Makes operations of what the grammar finds."""

    def start(self, parts: list[Any]) -> Node:
        node: Node = parts[0]
        return node

    def either(self, parts: list[Node]) -> Node:
        return Node("or", tuple(parts), parts[0].at)

    def both(self, parts: list[Node]) -> Node:
        return Node("and", tuple(parts), parts[0].at)

    def opposite(self, parts: list[Node]) -> Node:
        return Node("not", (parts[0],), parts[0].at)

    def comparison(self, parts: list[Any]) -> Node:
        return Node(str(parts[1]), (parts[0], parts[2]), parts[0].at)

    def between(self, parts: list[Any]) -> Node:
        return _perhaps_not(parts[1], Node("between", (parts[0], *parts[2:]), parts[0].at))

    def one_of(self, parts: list[Any]) -> Node:
        return _perhaps_not(parts[1], Node("in", (parts[0], *parts[2:]), parts[0].at))

    def like(self, parts: list[Any]) -> Node:
        return _perhaps_not(parts[1], Node("like", (parts[0], parts[2]), parts[0].at))

    def not_told(self, parts: list[Any]) -> Node:
        return _perhaps_not(parts[1], Node("isNull", (parts[0],), parts[0].at))

    def plain_field(self, parts: list[Token]) -> Property:
        return Property(str(parts[0]), parts[0].start_pos or 0)

    def quoted_field(self, parts: list[Token]) -> Property:
        return Property(parts[0][1:-1].replace('""', '"'), parts[0].start_pos or 0)

    def text(self, parts: list[Token]) -> Value:
        return Value(parts[0][1:-1].replace("''", "'"), parts[0].start_pos or 0)

    def number(self, parts: list[Token]) -> Value:
        return Value(Decimal(str(parts[0])), parts[0].start_pos or 0)

    def boolean(self, parts: list[Token]) -> Value:
        return Value(parts[0].lower() == "true", parts[0].start_pos or 0)

    def date(self, parts: list[Token]) -> Value:
        return Value(date_at(parts[0][1:-1], parts[0].start_pos or 0), parts[0].start_pos or 0)


def date_at(text: str, at: int) -> dt.date:
    """A date of a condition. Raises `ConditionInvalid`."""
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise ConditionInvalid(
            f"{text or 'Nothing'} is not a date.", remedy="Write it as DATE('2026-10-31').", at=at
        ) from None


def _perhaps_not(negation: Token | None, node: Node) -> Node:
    return node if negation is None else Node("not", (node,), node.at)
