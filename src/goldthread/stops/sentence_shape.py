"""Sentences and their choices as JSON, and what every answer says of itself."""

from __future__ import annotations

import datetime as dt
from typing import Any

from goldthread.core.book.days import to_date
from goldthread.shape import Shape
from goldthread.stops.reading import Read
from goldthread.stops.sentence import Control, Part, Words, history_controls, reading_line


class PartShape(Shape):
    """Some words of a sentence; ``control`` names the choice that they state, ``opens`` the figure that they are."""

    text: str
    control: str | None
    opens: str | None

    @classmethod
    def list_of(cls, parts: list[Part]) -> list[PartShape]:
        return [cls(text=part.text, control=part.control, opens=part.opens) for part in parts]


class OptionShape(Shape):
    """What a control can be set to; ``term`` is what the trade calls it, empty where that is the label."""

    value: str
    label: str
    term: str


class ControlShape(Shape):
    """A choice: what is chosen, and what can be."""

    name: str
    title: str
    chosen: list[str]
    options: list[OptionShape]
    several: bool

    @classmethod
    def of(cls, control: Control) -> ControlShape:
        return cls(
            name=control.name,
            title=control.title,
            chosen=list(control.chosen),
            options=[
                OptionShape(value=option.value, label=option.label, term=option.term) for option in control.options
            ],
            several=control.several,
        )


class AnswerShape(Shape):
    """What every answer says of itself: what it was asked of, in words, and everything that can be changed about it."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
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
        "reading": PartShape.list_of(reading_line(read)),
        "sentence": PartShape.list_of(words.sentence),
        "manner": PartShape.list_of(words.manner),
        "controls": [ControlShape.of(each) for each in (*words.controls, *history_controls(read))],
    }
