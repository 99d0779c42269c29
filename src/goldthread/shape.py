"""What leaves as JSON: the base of every shape, and how large one may be."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from goldthread.core.limits import REPLY_BYTES_MOST
from goldthread.errors import TooLarge

Id = Annotated[int, Field(ge=0, lt=2**63)]
"""The number of something on record."""
Place = Annotated[int, Field(ge=0, lt=2**31)]
"""A place in a list."""


class Shape(BaseModel):
    """Base of all shapes: no field that is not named."""

    model_config = ConfigDict(extra="forbid")


def encoded(shape: BaseModel) -> str:
    """A shape as JSON. Raises `TooLarge`."""
    text = shape.model_dump_json()
    if len(text) > REPLY_BYTES_MOST:
        raise TooLarge(
            f"The answer would take {len(text) >> 20} MiB; {REPLY_BYTES_MOST >> 20} are the most.",
            remedy="Choose a longer period or fewer groups, or download it as a file.",
        )
    return text
