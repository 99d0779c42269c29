"""A choice among the words of an enumeration, in small letters at every door."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Any

import click


class Words(click.Choice[str]):
    """Accepts an enumeration's values, or some of them, in any case, and gives its members."""

    def __init__(self, kind: type[StrEnum], some: Iterable[StrEnum] | None = None) -> None:
        super().__init__([member.value for member in (kind if some is None else some)], case_sensitive=False)
        self._kind = kind

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        return self._kind(super().convert(str(value), param, ctx))
