"""Customer lists: keep customers under a name, rename a list, delete it."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.books import short_name
from goldthread.actions.log import Deed, put_down
from goldthread.actor import RIGHTS, Right, actor
from goldthread.core.choices import PartKind
from goldthread.core.limits import HELD_BACK_MOST, WORKED_MOST
from goldthread.core.standing.outcome import drawn
from goldthread.errors import InvalidInput, TooLarge
from goldthread.store import lists, people
from goldthread.store.books import BookRow
from goldthread.store.lists import HeldBack, ListRow, Made, PartRow
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
    row = lists.add_list(engine, book.id, called, made, members, proposed=proposed, held_back=held_back)
    put_down(workspace, Deed.LIST_KEPT, book.id, row.name, question=made.question, query=made.query, rows=members.size)
    return row


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
    _must_be_mine(workspace, book, list_id)
    row = lists.rename_list(workspace.record.engine, book.id, list_id, checked_name(name))
    put_down(workspace, Deed.LIST_RENAMED, book.id, row.name)
    return row


def delete_list(workspace: Workspace, book: BookRow, list_id: int) -> None:
    """Delete a list; its customers stay. Raises `NotFound`."""
    row = _must_be_mine(workspace, book, list_id)
    lists.delete_list(workspace.record.engine, book.id, list_id)
    put_down(workspace, Deed.LIST_DELETED, book.id, row.name)


def undelete_list(workspace: Workspace, book: BookRow, list_id: int) -> None:
    """Bring back a list that was deleted a moment ago. Raises `NotFound`, `Conflict` or `TooLarge`."""
    lists.undelete_list(workspace.record.engine, book.id, list_id)
    put_down(workspace, Deed.LIST_BROUGHT_BACK, book.id)


def share_list(workspace: Workspace, book: BookRow, list_id: int, *, shared: bool) -> None:
    """Have everybody in the book see a list, or its author alone. Raises `NotFound` and `NotAllowed`."""
    row = _must_be_mine(workspace, book, list_id)
    lists.share_list(workspace.record.engine, book.id, list_id, shared=shared)
    put_down(workspace, Deed.LIST_SHARED, book.id, row.name, shared=shared)


@dataclass(frozen=True)
class Part:
    """Who, by the name of their account, works which part of a list; see `goldthread.core.standing.divided`."""

    user: str
    kind: PartKind = PartKind.WHOLE
    value: str = ""


def divide_list(workspace: Workspace, book: BookRow, list_id: int, parts: list[Part]) -> list[PartRow]:
    """Say who works which part of a list, in place of what was said before; gives who does. Raises `NotFound`,
    `NotAllowed`, `InvalidInput`, and `Conflict` where somebody would be called twice."""
    row, engine = _must_be_mine(workspace, book, list_id), workspace.record.engine
    members = {each.name.casefold(): each for each in people.list_members(engine, book.id)}
    given = []
    for part in parts:
        member = members.get(part.user.strip().casefold())
        if member is None or Right.WORK not in RIGHTS[member.role]:
            raise InvalidInput(
                f"{part.user or 'Nobody'} works no lists of this book.",
                remedy="Make them a member of it first, as a caller.",
                field="user",
            )
        given.append(PartRow(member.user, member.name, part.kind, part.value.strip()))
    if len({each.user for each in given}) < len(given):
        raise InvalidInput("Somebody is named twice.", remedy="Give everybody one part.", field="user")
    lists.divide_list(engine, book.id, list_id, given, workspace.orders(book.id).orders)
    put_down(
        workspace, Deed.LIST_SHARED, book.id, row.name, parts=[[each.name, each.kind, each.value] for each in given]
    )
    return list_parts(workspace, book, list_id)


def list_parts(workspace: Workspace, book: BookRow, list_id: int) -> list[PartRow]:
    """Who works which part of a list, by name. Raises `NotFound`."""
    lists.find_list(workspace.record.engine, book.id, list_id)
    return lists.list_parts(workspace.record.engine, list_id)


def _must_be_mine(workspace: Workspace, book: BookRow, list_id: int) -> ListRow:
    """A list that whoever acts may change. Raises `NotFound` and `NotAllowed`."""
    row = lists.find_list(workspace.record.engine, book.id, list_id)
    actor().must_have_made(row.made_by, "list")
    return row
