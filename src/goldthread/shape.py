"""What leaves as JSON: the base of every shape, and how large one may be."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from decimal import Decimal
from typing import Annotated, Any, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from goldthread.core.limits import REPLY_BYTES_MOST
from goldthread.core.money import amount_text
from goldthread.errors import TooLarge

Id = Annotated[int, Field(ge=0, lt=2**63)]
"""The number of something on record."""
Place = Annotated[int, Field(ge=0, lt=2**31)]
"""A place in a list."""


def _plain(amount: object) -> object:
    return amount_text(amount) if isinstance(amount, Decimal) else amount


def _in_utc(moment: object) -> object:
    return moment.replace(tzinfo=dt.UTC) if isinstance(moment, dt.datetime) else moment


AmountText = Annotated[str, BeforeValidator(_plain)]
"""An amount of the record as plain text."""
Moment = Annotated[dt.datetime, BeforeValidator(_in_utc)]
"""A moment of the record, which are all in UTC."""


class Shape(BaseModel):
    """Base of all shapes: no field that is not named."""

    model_config = ConfigDict(extra="forbid", from_attributes=True)

    @classmethod
    def like(cls, record: object, **otherwise: Any) -> Self:
        """The fields of a record that has them under the same names, and those given."""
        names = [name for name in cls.model_fields if name not in otherwise and hasattr(record, name)]
        return cls.model_validate({name: getattr(record, name) for name in names} | otherwise)

    @classmethod
    def each_of(cls, records: Iterable[object]) -> list[Self]:
        """A shape of every record, as `like`."""
        return [cls.like(record) for record in records]


def encoded(shape: BaseModel) -> str:
    """A shape as JSON. Raises `TooLarge`."""
    text = shape.model_dump_json()
    if len(text) > REPLY_BYTES_MOST:
        raise TooLarge(
            f"The answer would take {len(text) >> 20} MiB; {REPLY_BYTES_MOST >> 20} are the most.",
            remedy="Choose a longer period or fewer groups, or download it as a file.",
        )
    return text
