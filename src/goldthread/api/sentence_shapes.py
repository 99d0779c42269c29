"""Sentences and their choices, and the reading line, as they go over the wire."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from goldthread.actions.questions import HeldAs, HistoryChoice
from goldthread.actions.wording import Control, Part
from goldthread.api.shapes import Shape
from goldthread.core.history import Firsts
from goldthread.core.records import OrderStatus


class PartShape(Shape):
    """Some words of a sentence; ``control`` names the choice that they state."""

    text: str
    control: str | None

    @classmethod
    def list_of(cls, parts: list[Part]) -> list[PartShape]:
        return [cls(text=part.text, control=part.control) for part in parts]


class OptionShape(Shape):
    value: str
    label: str


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
            options=[OptionShape(value=option.value, label=option.label) for option in control.options],
            several=control.several,
        )


_SCHEMAS: dict[tuple[Hashable, ...], dict[str, Any]] = {}


class HistoryQuery(BaseModel):
    """The reading line; the same names stand in the page's address and on the command line."""

    model_config = ConfigDict(extra="forbid")

    as_of: str = "latest"
    status: list[OrderStatus] | None = None
    source: list[str] | None = None
    where: str = ""
    firsts: Firsts = Firsts.ALL
    held: Annotated[int, Field(ge=1, lt=2**31)] | None = None
    held_as: HeldAs = HeldAs.ALONE
    lapse: str = "90d"

    @classmethod
    def model_json_schema(cls, *args: Any, **kwargs: Any) -> dict[str, Any]:
        """The schema, made once: the framework asks for it with every request."""
        key = (cls, args, tuple(sorted(kwargs.items())))
        if key not in _SCHEMAS:
            _SCHEMAS[key] = super().model_json_schema(*args, **kwargs)
        return _SCHEMAS[key]

    def choice(self) -> HistoryChoice:
        known = HistoryChoice()
        statuses = known.status if self.status is None else tuple(s for s in OrderStatus if s in self.status)
        sources = tuple(sorted(self.source or ()))
        return HistoryChoice(
            self.as_of, statuses, sources, self.where, self.firsts, self.held, self.held_as, self.lapse
        )
