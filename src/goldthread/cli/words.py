"""What commands share: a choice among the words of an enumeration, and the workspace they work on."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import click

from goldthread.actions.workspace import Workspace, open_workspace
from goldthread.settings import load_settings


class Words(click.Choice[str]):
    """Accepts an enumeration's values and gives its members."""

    def __init__(self, kind: type[StrEnum]) -> None:
        super().__init__([member.value for member in kind])
        self._kind = kind

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        return self._kind(super().convert(str(value), param, ctx))


def own_workspace() -> Workspace:
    """The workspace of this machine's settings. Raises `Unavailable` when its database does not run."""
    return open_workspace(load_settings())
