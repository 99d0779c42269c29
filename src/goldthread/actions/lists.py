"""Customer lists: keep customers under a name, rename a list, delete it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.books import short_name
from goldthread.errors import InvalidInput
from goldthread.store import lists
from goldthread.store.books import BookRow
from goldthread.store.lists import ListRow as ListRow
from goldthread.store.lists import Made as Made
from goldthread.workspace import Workspace


def keep_as_list(
    workspace: Workspace, book: BookRow, customer_ids: NDArray[np.int64], name: str, made: Made
) -> ListRow:
    """Keep customers as a list; without a name it is called after who they are.

    Raises `InvalidInput` when there are none, or for a name that cannot be one, and `Conflict` for one that is taken.
    """
    if customer_ids.size == 0:
        raise InvalidInput(
            "There are no customers to keep.", remedy="Choose a figure or a list with customers.", field="name"
        )
    proposed = not name.strip()
    called = lists.proposed_name(made.rule) if proposed else checked_name(name)
    engine = workspace.record.engine
    return lists.add_list(engine, book.id, called, made, np.unique(customer_ids), proposed=proposed)


def checked_name(name: str) -> str:
    """A trimmed name of a list. Raises `InvalidInput`."""
    return short_name(name, "list", lists.NAME_LENGTH)


def list_lists(workspace: Workspace, book: BookRow) -> list[ListRow]:
    """The lists of a book, newest first."""
    return lists.list_lists(workspace.record.engine, book.id)


def find_list(workspace: Workspace, book: BookRow, name: str) -> ListRow:
    """A list by its name. Raises `NotFound`."""
    return lists.list_called(list_lists(workspace, book), name)


def rename_list(workspace: Workspace, book: BookRow, list_id: int, name: str) -> ListRow:
    """Give a list another name; saved views that use it follow. Raises `NotFound`, `InvalidInput` or `Conflict`."""
    return lists.rename_list(workspace.record.engine, book.id, list_id, checked_name(name))


def delete_list(workspace: Workspace, book: BookRow, list_id: int) -> None:
    """Delete a list; its customers stay. Raises `NotFound`."""
    lists.delete_list(workspace.record.engine, book.id, list_id)
