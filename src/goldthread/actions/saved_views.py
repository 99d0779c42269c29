"""Saved views: named, versioned; any earlier version can be restored."""

from __future__ import annotations

from goldthread.actions.books import short_name
from goldthread.actions.log import Deed, put_down
from goldthread.errors import InvalidInput, NotFound
from goldthread.store import saved_views as saved
from goldthread.store.books import BookRow
from goldthread.store.saved_views import SavedRow
from goldthread.workspace import Workspace


def list_saved(workspace: Workspace, book: BookRow) -> list[SavedRow]:
    """Every version of every saved view, by name, newest version first."""
    return saved.list_saved(workspace.record.engine, book.id)


def find_view(workspace: Workspace, book: BookRow, name: str, version: int | None = None) -> SavedRow:
    """A saved view by its name, the newest version unless another is named. Raises `NotFound`."""
    mine = [row for row in list_saved(workspace, book) if row.name.casefold() == name.strip().casefold()]
    for row in mine:
        if version in (None, row.version):
            return row
    known = ", ".join(str(row.version) for row in mine)
    raise NotFound(
        f"There is no saved view called {name}." if not mine else f"{name} has no version {version}.",
        remedy=f"Its versions are: {known}." if mine else "Save the view on the page first.",
        field="view",
    )


def save_view(
    workspace: Workspace, book: BookRow, name: str, stop: str, query: str, words: str, seen: int | None = None
) -> SavedRow:
    """Save a view; a name that is known gets another version.

    ``seen`` is the version that whoever saves has seen last, 0 for none. Raises `InvalidInput`, and `Conflict` when
    another version was saved since.
    """
    kept = short_name(name, "name", saved.NAME_LENGTH)
    must_be_short(query)
    row = saved.add_version(workspace.record.engine, book.id, kept, stop, query, words, seen)
    put_down(workspace, Deed.VIEW_SAVED, book.id, row.name, version=row.version)
    return row


def must_be_short(query: str) -> None:
    """Raises `InvalidInput` for the query of a view that is too long to be kept."""
    if len(query) > saved.QUERY_LENGTH:
        raise InvalidInput(
            f"This view takes {len(query)} characters to write down; {saved.QUERY_LENGTH} can be kept.",
            remedy="Make its condition shorter, or keep the customers as a list and use that.",
            field="query",
        )


def restore(workspace: Workspace, book: BookRow, saved_id: int, seen: int | None = None) -> SavedRow:
    """Make an earlier version the newest one; nothing is lost. Raises `NotFound` or `Conflict`."""
    engine = workspace.record.engine
    row = saved.find_saved(engine, book.id, saved_id)
    newest = saved.add_version(engine, book.id, row.name, row.stop, row.query, row.words, seen)
    put_down(workspace, Deed.VIEW_SAVED, book.id, newest.name, version=newest.version)
    return newest


def delete_view(workspace: Workspace, book: BookRow, saved_id: int, seen: int | None = None) -> None:
    """Delete a view with all its versions. Raises `NotFound` or `Conflict`."""
    engine = workspace.record.engine
    row = saved.find_saved(engine, book.id, saved_id)
    saved.delete_saved(engine, book.id, saved_id, seen)
    put_down(workspace, Deed.VIEW_DELETED, book.id, row.name)


def share_view(workspace: Workspace, book: BookRow, saved_id: int, *, shared: bool) -> None:
    """Have everybody in the book see a view, or its author alone. Raises `NotFound` and `NotAllowed`."""
    row = saved.share_saved(workspace.record.engine, book.id, saved_id, shared=shared)
    put_down(workspace, Deed.VIEW_SHARED, book.id, row.name, shared=shared)


def undelete_view(workspace: Workspace, book: BookRow, saved_id: int) -> None:
    """Bring back a view that was deleted a moment ago. Raises `NotFound`, `Conflict` or `TooLarge`."""
    saved.undelete_saved(workspace.record.engine, book.id, saved_id)
    put_down(workspace, Deed.VIEW_BROUGHT_BACK, book.id)
