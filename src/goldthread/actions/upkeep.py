"""What a server puts in order when it starts: remains of work that was broken off."""

from __future__ import annotations

from goldthread.actions import uploads as files
from goldthread.settings import Settings, private_folder
from goldthread.store import snapshot


def clean_up(settings: Settings) -> None:
    """Remove what nobody can name any more: snapshots and files that were never whole."""
    private_folder(settings.var)
    if settings.snapshots.exists():
        snapshot.remove_unfinished(settings.snapshots)
    files.remove_unfinished(settings)
