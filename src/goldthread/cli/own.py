"""The workspace that commands work on, and its books. Nothing is imported before it is asked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.workspace import Workspace


def own_workspace() -> Workspace:
    """The workspace of this machine's settings. Raises `Unavailable` when its database does not run."""
    from goldthread.actor import Actor, act_as
    from goldthread.settings import load_settings
    from goldthread.workspace import open_workspace

    own_process()
    act_as(Actor(came_from="command line"))
    return open_workspace(load_settings())


def own_book(name: str) -> tuple[Workspace, BookRow]:
    """One of its books with it. Raises `NotFound`."""
    from goldthread.actions import books

    workspace = own_workspace()
    return workspace, books.find_book(workspace, name)


def own_process() -> None:
    """Where this is a process of its own, and not a call from within another, let its files be its own."""
    context = click.get_current_context(silent=True)
    if context is not None and context.obj is not None:
        context.obj()
