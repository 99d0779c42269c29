"""Saved questions: named, versioned; any earlier version can be brought back."""

from __future__ import annotations

from goldthread.actions.books import plain_text
from goldthread.actions.workspace import Workspace
from goldthread.errors import InvalidInput
from goldthread.store import saved
from goldthread.store.books import BookRow
from goldthread.store.saved import SavedRow as SavedRow


def list_saved(workspace: Workspace, book: BookRow) -> list[SavedRow]:
    """Every version of every saved question, by name, newest version first."""
    return saved.list_saved(workspace.record.engine, book.id)


def save_question(
    workspace: Workspace, book: BookRow, name: str, stop: str, query: str, words: str, seen: int | None = None
) -> SavedRow:
    """Save a question; a name that is known gets another version.

    ``seen`` is the version that whoever saves has seen last, 0 for none. Raises `InvalidInput`, and `Conflict` when
    another version was saved since.
    """
    kept = plain_text(" ".join(name.split()), "name")
    if not 1 <= len(kept) <= saved.NAME_LENGTH:
        raise InvalidInput(
            f"A name has 1 to {saved.NAME_LENGTH} characters, not {len(kept)}.",
            remedy="Give another name.",
            field="name",
        )
    if len(query) > saved.QUERY_LENGTH:
        raise InvalidInput(
            f"This question takes {len(query)} characters to write down; {saved.QUERY_LENGTH} can be kept.",
            remedy="Make its condition shorter, or hold the customers and ask of those.",
            field="query",
        )
    return saved.add_version(workspace.record.engine, book.id, kept, stop, query, words, seen)


def bring_back(workspace: Workspace, book: BookRow, saved_id: int, seen: int | None = None) -> SavedRow:
    """Make an earlier version the newest one; nothing is lost. Raises `NotFound` or `Conflict`."""
    engine = workspace.record.engine
    row = saved.find_saved(engine, book.id, saved_id)
    return saved.add_version(engine, book.id, row.name, row.stop, row.query, row.words, seen)


def forget_question(workspace: Workspace, book: BookRow, saved_id: int, seen: int | None = None) -> None:
    """Forget a question with all its versions. Raises `NotFound` or `Conflict`."""
    saved.forget_saved(workspace.record.engine, book.id, saved_id, seen)
