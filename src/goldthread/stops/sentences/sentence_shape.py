"""Sentences and their choices as JSON, and what every answer says of itself."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from typing import Any, Literal

from annotated_types import Ge, Le
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from goldthread.core.book.days import to_date
from goldthread.core.money import money_text
from goldthread.shape import Shape
from goldthread.stops.reading import Read
from goldthread.stops.sentences.reading_line import Typed
from goldthread.stops.sentences.sentence import Control, Words, history_controls, reading_line
from goldthread.stops.usual import usual_of


class PartShape(Shape):
    """Some words of a sentence; ``control`` names the choice that they state, ``opens`` the figure that they are,
    ``term`` the section of the definitions that says what they mean."""

    text: str
    control: str | None
    opens: str | None
    term: int | None


class OptionShape(Shape):
    """What a control can be set to; ``term`` is what the trade calls it, empty where that is the label."""

    value: str
    label: str
    term: str


class TypedShape(Shape):
    """That a choice can also be typed: as what, what is typed, and an example; a number within its limits."""

    kind: Literal["date", "number", "text"]
    label: str
    example: str
    least: int | None
    most: int | None


class ControlShape(Shape):
    """A choice: what is chosen, and what can be. ``unsaid`` where its empty value is said by saying nothing."""

    name: str
    title: str
    chosen: list[str]
    options: list[OptionShape]
    several: bool
    typed: TypedShape | None
    unsaid: bool

    @classmethod
    def list_of(cls, controls: Iterable[Control], question: type[BaseModel]) -> list[ControlShape]:
        """The choices of a question, by its fields; its view is none of them."""
        fields = {field.alias or name: field for name, field in question.model_fields.items()}
        return [cls.of(each, fields.get(each.name)) for each in controls]

    @classmethod
    def of(cls, control: Control, field: FieldInfo | None) -> ControlShape:
        return cls(
            name=control.name,
            title=control.title,
            chosen=list(control.chosen),
            options=OptionShape.each_of(control.options),
            several=control.several,
            typed=None if field is None else _typed(field),
            unsaid=field is not None and field.get_default() in ("", None, ()),
        )


def _typed(field: FieldInfo) -> TypedShape | None:
    found = {type(each): each for each in field.metadata}
    match found.get(Typed):
        case Typed(kind, label, example):
            least, most = (getattr(found.get(limit), name, None) for limit, name in ((Ge, "ge"), (Le, "le")))
            return TypedShape(kind=kind, label=label, example=example, least=least, most=most)
    return None


class AnswerShape(Shape):
    """What every answer says of itself: what it was asked of, in words, and everything that can be changed about it.
    ``orders_read`` are those that the reading line leaves, of all that are on record; those of a list and of everybody
    else together, where they are compared. ``large_amount`` : what a large order of the book comes to.
    ``fiscal_month`` : the month in which fiscal years begin, 1 for calendar years."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
    customers_on_record: int
    orders_on_record: int
    orders_read: int
    large_amount: str
    fiscal_month: int
    reading: list[PartShape]
    sentence: list[PartShape]
    manner: list[PartShape]
    controls: list[ControlShape]


def header(read: Read, words: Words) -> dict[str, Any]:
    """The fields of `AnswerShape`."""
    return {
        "book": read.book.name,
        "currency": read.book.currency,
        "revision": read.shelved.revision,
        "as_of": to_date(read.as_of_day),
        "customers_on_record": read.shelved.orders.customer_count,
        "orders_on_record": read.shelved.orders.order_count,
        "orders_read": sum(each.shown_order_count for each in (read.history, read.rest) if each is not None),
        "large_amount": money_text(read.shelved.orders.large_amount_minor),
        "fiscal_month": usual_of(read.book).get("fiscal_month", 1),
        "reading": PartShape.each_of(reading_line(read)),
        "sentence": PartShape.each_of(words.sentence),
        "manner": PartShape.each_of(words.manner),
        "controls": ControlShape.list_of((*words.controls, *history_controls(read)), type(read.line)),
    }
