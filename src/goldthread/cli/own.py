"""The workspace that commands work on."""

from __future__ import annotations

from goldthread.actions.workspace import Workspace, open_workspace
from goldthread.settings import load_settings


def own_workspace() -> Workspace:
    """The workspace of this machine's settings. Raises `Unavailable` when its database does not run."""
    return open_workspace(load_settings())
