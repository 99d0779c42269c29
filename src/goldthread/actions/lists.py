"""Customer lists: keep customers under a name, rename a list, delete it."""

from __future__ import annotations

import secrets

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.books import short_name
from goldthread.core.limits import HELD_BACK_MOST, WORKED_MOST
from goldthread.core.standing.outcome import drawn
from goldthread.errors import InvalidInput, TooLarge
from goldthread.store import lists
from goldthread.store.books import BookRow
from goldthread.store.lists import HeldBack, ListRow, Made
from goldthread.workspace import Workspace


def keep_as_list(
    workspace: Workspace, book: BookRow, customer_ids: NDArray[np.int64], name: str, made: Made, hold_back: float = 0.0
) -> ListRow:
    """Keep customers as a list; without a name it is called after who they are.

    ``hold_back``: the share of them that is drawn at random to be held back, so that others can be compared with them.
    Raises `InvalidInput` when there are none, or for a name that cannot be one, and `Conflict` for one that is taken.
    """
    if customer_ids.size == 0:
        raise InvalidInput(
            "There are no customers to keep.", remedy="Choose a figure or a list with customers.", field="name"
        )
    proposed = not name.strip()
    called = lists.proposed_name(made.rule) if proposed else checked_name(name)
    engine = workspace.record.engine
    members = np.unique(customer_ids)
    held_back = None if hold_back == 0 else _held_back(members, hold_back)
    return lists.add_list(engine, book.id, called, made, members, proposed=proposed, held_back=held_back)


def _held_back(members: NDArray[np.int64], share: float) -> HeldBack:
    """Members drawn at random, with the seed. Raises `InvalidInput` or `TooLarge`."""
    if not 0 < share <= HELD_BACK_MOST:
        raise InvalidInput(
            f"{share:g} is not a share that can be held back.",
            remedy=f"Give a fraction up to {HELD_BACK_MOST:g}, such as 0.2.",
            field="hold_back",
        )
    if members.size > WORKED_MOST:
        raise TooLarge(
            f"A list of {members.size} customers is not worked one by one; {WORKED_MOST} are the most.",
            remedy="Narrow it, or hold nobody back.",
            field="hold_back",
        )
    seed = secrets.randbits(31)
    return HeldBack(drawn(members, share, seed), seed)


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


def undelete_list(workspace: Workspace, book: BookRow, list_id: int) -> None:
    """Bring back a list that was deleted a moment ago. Raises `NotFound`, `Conflict` or `TooLarge`."""
    lists.undelete_list(workspace.record.engine, book.id, list_id)
