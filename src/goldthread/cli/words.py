"""A choice among the words of an enumeration."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import click


class Words(click.Choice[str]):
    """Accepts an enumeration's values and gives its members."""

    def __init__(self, kind: type[StrEnum]) -> None:
        super().__init__([member.value for member in kind])
        self._kind = kind

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        return self._kind(super().convert(str(value), param, ctx))
