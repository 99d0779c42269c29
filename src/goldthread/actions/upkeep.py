"""What a server puts in order when it starts: remains of work that was broken off."""

from __future__ import annotations

from goldthread.actions import uploads as files
from goldthread.settings import Settings, private_folder
from goldthread.store import snapshot, undoing
from goldthread.workspace import Workspace


def clean_up(settings: Settings) -> None:
    """Remove what nobody can name any more: snapshots and files that were never whole."""
    private_folder(settings.var)
    if settings.snapshots.exists():
        snapshot.remove_unfinished(settings.snapshots)
    files.remove_unfinished(settings)


def remove_deleted(workspace: Workspace) -> None:
    """Remove lists and views that were deleted longer ago than anybody may undo."""
    with workspace.record.engine.begin() as connection:
        undoing.remove_for_good(connection)
