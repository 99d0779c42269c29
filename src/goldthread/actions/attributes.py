"""Own attributes of orders: see them, call one otherwise, hide it."""

from __future__ import annotations

from goldthread.actions.books import short_name
from goldthread.actions.log import Deed, put_down
from goldthread.core.limits import ATTRIBUTE_NAME_LENGTH
from goldthread.store.books import BookRow
from goldthread.store.read.own_out import OwnRow, own_rows
from goldthread.store.write.naming import change_attribute
from goldthread.workspace import Workspace


def list_attributes(workspace: Workspace, book: BookRow) -> list[OwnRow]:
    """The own attributes of a book's orders, hidden ones included."""
    return own_rows(workspace.record, book.id)


def describe_attribute(
    workspace: Workspace, book: BookRow, name: str, title: str | None = None, *, hidden: bool | None = None
) -> None:
    """Call an attribute otherwise, hide it or offer it again; conditions go on naming it as its column.

    Raises `NotFound`, `InvalidInput` for a title that cannot be one, and `Conflict` for one that another one has.
    """
    called = None if title is None else short_name(title, "attribute", ATTRIBUTE_NAME_LENGTH, "title")
    change_attribute(workspace.record.engine, book.id, name, called, hidden=hidden)
    put_down(workspace, Deed.ATTRIBUTE_CHANGED, book.id, name)
