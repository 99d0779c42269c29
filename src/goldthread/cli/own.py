"""The workspace that commands work on."""

from __future__ import annotations

import click

from goldthread.actor import Actor, act_as
from goldthread.settings import load_settings
from goldthread.workspace import Workspace, open_workspace


def own_workspace() -> Workspace:
    """The workspace of this machine's settings. Raises `Unavailable` when its database does not run."""
    own_process()
    act_as(Actor(came_from="command line"))
    return open_workspace(load_settings())


def own_process() -> None:
    """Where this is a process of its own, and not a call from within another, let its files be its own."""
    context = click.get_current_context(silent=True)
    if context is not None and context.obj is not None:
        context.obj()
