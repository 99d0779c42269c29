"""The usual settings of a book: its owner says them once, and every question that says nothing else goes by them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from goldthread.actions.log import Deed, put_down
from goldthread.store import usual as records
from goldthread.store.books import BookRow
from goldthread.store.usual import UsualChangeRow
from goldthread.workspace import Workspace


def say_usual(workspace: Workspace, book: BookRow, said: Mapping[str, Any], words: Sequence[str]) -> None:
    """Have a book's usual settings be these, which were checked; ``words`` say each of them. Raises `TooLarge`."""
    records.say_usual(workspace.record.engine, book.id, said)
    put_down(workspace, Deed.SETTING_CHANGED, book.id, "; ".join(words) or "no usual settings")


def usual_changes(workspace: Workspace, book: BookRow) -> list[UsualChangeRow]:
    """The latest changes of a book's usual settings, the newest first."""
    return records.usual_changes(workspace.record.engine, book.id)
