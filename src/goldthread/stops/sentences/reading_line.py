"""The reading line: which orders are read, as of when. Every question begins with it.

A question is a frozen model. Its fields are the names of the page's address, of the HTTP query and of the command's
flags, with their types, defaults and descriptions; nothing else lists them.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from goldthread.core.choices import COUNTED_BY_DEFAULT, Firsts, LapseBy, OrderUnit
from goldthread.core.records import OrderStatus

LATEST, TODAY = "latest", "today"
LAPSE_WORDS = {
    "30d": "30 days",
    "60d": "60 days",
    "90d": "90 days",
    "180d": "180 days",
    "3m": "3 calendar months",
    "6m": "6 calendar months",
    "12m": "12 calendar months",
    "2x": "2 usual gaps",
    "3x": "3 usual gaps",
}
"""The lapse rules that are offered; any other number of days, months or usual gaps can be given."""
LAPSE_BY_WORDS = {LapseBy.ORDERS: "orders alone count", LapseBy.ACTIVITY: "payments count too"}
USUAL_NAMES = ("margin", "cac", "lapse", "lapse_by", "status", "small", "fiscal_month", "week_begins")
"""What a book has usual values of (definitions, section 11)."""
_SCHEMAS: dict[tuple[Hashable, ...], dict[str, Any]] = {}


@dataclass(frozen=True)
class Typed:
    """That a choice can also be typed: as what, what is typed, and an example of it. Limits are those of the field."""

    kind: Literal["date", "number", "text"]
    label: str
    example: str = ""


A_DATE = Typed("date", "a date")


class Shown(StrEnum):
    """Whether a part of an answer is shown."""

    SHOWN = "shown"
    HIDDEN = "hidden"


class ListAs(StrEnum):
    """How a customer list is used: its members alone, compared with everybody else, or left out."""

    ALONE = "alone"
    AGAINST = "against"
    WITHOUT = "without"


class ReadingLine(BaseModel):
    """Which orders are read, as of when."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    as_of: Annotated[str, A_DATE] = Field(
        LATEST, description="latest (the last order date that is not after today), today, or a date."
    )
    status: tuple[OrderStatus, ...] = Field(
        tuple(status for status in OrderStatus if status in COUNTED_BY_DEFAULT),
        description="A status that counts; repeatable.",
    )
    source: tuple[str, ...] = Field((), description="A source that is read; repeatable. All when none is given.")
    unit: OrderUnit = Field(
        OrderUnit.ORDER, description="What counts as one: an order, or all of a customer's orders on one date."
    )
    where: str = Field("", description="A condition as CQL2 text: region = 'Coast' AND amount >= 200.")
    firsts: Firsts = Field(Firsts.ALL, description="Of a condition on orders: whose first orders are first orders.")
    list: str = Field("", description="A customer list, by its name.")
    list_as: ListAs = Field(ListAs.ALONE, description="How the customer list is used.")
    lapse: Annotated[str, Typed("text", "days, months or usual gaps", "45d, 4m or 1.5x")] = Field(
        "90d",
        description="After how long without an order a customer is lapsed: days, months or usual gaps, as 90d, 6m, 2x.",
    )
    lapse_by: LapseBy = Field(LapseBy.ORDERS, description="Whether payments keep a customer active as orders do.")

    @field_validator("status")
    @classmethod
    def _in_sequence(cls, given: tuple[OrderStatus, ...]) -> tuple[OrderStatus, ...]:
        return tuple(status for status in OrderStatus if status in given)

    @field_validator("source")
    @classmethod
    def _sorted(cls, given: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(sorted(set(given)))

    @classmethod
    def model_json_schema(cls, *args: Any, **kwargs: Any) -> dict[str, Any]:
        """The schema, made once: the framework asks for it with every request."""
        key = (cls, args, tuple(sorted(kwargs.items())))
        if key not in _SCHEMAS:
            _SCHEMAS[key] = super().model_json_schema(*args, **kwargs)
        return _SCHEMAS[key]


class InColumns(ReadingLine):
    """A question whose rows can stand by any of its columns."""

    sort: Annotated[str, Field(max_length=40, pattern=r"^([a-z0-9_]+(~(up|down))?)?$")] = Field(
        "", description="The column of the file that rows stand by, as revenue~down; the usual sequence when not given."
    )


def status_words(status: Sequence[OrderStatus]) -> str:
    """Which statuses count, by those that do not."""
    out = [each.value for each in OrderStatus if each not in status]
    if not out:
        return "whatever their status"
    if len(status) == 1:
        return f"{status[0]} ones only"
    return f"{listed(out)} left out"


def listed(words: Sequence[str]) -> str:
    """Words one after another: a, b and c."""
    return " and ".join(filter(None, [", ".join(words[:-1]), words[-1]]))
