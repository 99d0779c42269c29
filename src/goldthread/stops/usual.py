"""The usual settings of a book: what is in force where a question says nothing else (definitions, section 11)."""

from __future__ import annotations

import json
from calendar import month_name
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any, TypeVar

from pydantic import ValidationError

from goldthread.core.choices import FirstDay, Period, Span
from goldthread.errors import InvalidInput
from goldthread.stops.costs.given import UsualSettings, cac_words, margin_words
from goldthread.stops.sentences.lapse import lapse_rule, lapse_words
from goldthread.stops.sentences.reading_line import LAPSE_BY_WORDS, USUAL_NAMES, ReadingLine, status_words
from goldthread.store.books import BookRow

_WORDS: Mapping[str, Callable[[Any], str]] = {
    "margin": lambda margin: f"gross margin {margin_words(margin)}",
    "cac": lambda cac: f"CAC {cac_words(cac)}",
    "lapse": lambda lapse: f"lapsed after {lapse_words(lapse)} without an order",
    "lapse_by": lambda by: f"of lapsing, {LAPSE_BY_WORDS[by]}",
    "status": lambda status: f"orders: {status_words(status)}",
    "small": lambda below: f"fewer than {below} customers are small",
    "fiscal_month": lambda month: f"the fiscal year begins in {month_name[int(month)]}",
    "week_begins": lambda day: f"weeks begin on {str(day).capitalize()}",
}
"""How each of the usual settings is said."""
Q = TypeVar("Q", bound=ReadingLine)
L = TypeVar("L", Period, Span)


def checked_usual(said: Mapping[str, Any]) -> dict[str, Any]:
    """Usual settings as they are kept, those that say nothing left out. Raises `InvalidInput`, which names the one at
    fault."""
    trimmed = {name: value.strip() if isinstance(value, str) else value for name, value in said.items()}
    given = {name: value for name, value in trimmed.items() if name in USUAL_NAMES and value}
    found = _settings(given)
    return {name: found[name] for name in given}


def _settings(given: Mapping[str, Any]) -> dict[str, Any]:
    try:
        line = UsualSettings(**given)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        name = str(first["loc"][0])
        raise InvalidInput(f"{name}: {first['msg']}.", remedy="Choose one that is offered.", field=name) from None
    _ = line.margin_shares, line.cac_minor, lapse_rule(line)
    return {name: getattr(line, name) for name in given}


def usual_of(book: BookRow) -> Mapping[str, Any]:
    """What is usual in a book, by the name of the choice, as a question holds it."""
    return _in_force(book.usual) if book.usual else {}


@lru_cache(maxsize=256)
def _in_force(kept: str) -> dict[str, Any]:
    """What was kept, without what is none of today's settings."""
    found: dict[str, Any] = {}
    for name, value in json.loads(kept).items():
        if name in USUAL_NAMES:
            try:
                found |= _settings({name: value})
            except InvalidInput:
                continue
    return found


def as_usual(book: BookRow, question: Q) -> Q:
    """A question with the usual settings of the book wherever it says nothing itself, in the calendar of the book."""
    said = {
        name: value
        for name, value in usual_of(book).items()
        if name in type(question).model_fields and name not in question.model_fields_set
    }
    for name in type(question).model_fields:
        match getattr(question, name):
            case Period() as period if (found := in_calendar(book, period)) is not period:
                said[name] = found
            case Span() as span if (other := in_calendar(book, span)) is not span:
                said[name] = other
    return question.model_copy(update=said) if said else question


def in_calendar(book: BookRow, length: L) -> L:
    """A length of a period in the calendar of the book."""
    usual = usual_of(book)
    sundays = usual.get("week_begins") is FirstDay.SUNDAY
    return length.within(usual.get("fiscal_month", 1), sundays=sundays)


def is_usual(book: BookRow, question: ReadingLine, name: str) -> bool:
    """Whether a choice of a question is what is usual in the book."""
    usual = usual_of(book)
    return name in usual and getattr(question, name, None) == usual[name]


def usual_words(book: BookRow, question: ReadingLine, name: str) -> str:
    """What stands behind the words of a choice that is the usual one."""
    return " (usual)" if is_usual(book, question, name) else ""


def settings_words(said: Mapping[str, Any]) -> list[str]:
    """Usual settings in words, one by one."""
    return [words(said[name]) for name, words in _WORDS.items() if name in said]
