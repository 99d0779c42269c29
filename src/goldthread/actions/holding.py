"""Customers in hand: hold those of a list or a figure, let them go."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.reading import Read
from goldthread.actions.workspace import Workspace
from goldthread.errors import InvalidInput
from goldthread.store import holds
from goldthread.store.books import BookRow
from goldthread.store.holds import HoldRow as HoldRow


def hold(workspace: Workspace, read: Read, customers: NDArray[np.int64], words: str) -> HoldRow:
    """Take customers in hand, by their places in the book. Raises `InvalidInput` when there are none."""
    if customers.size == 0:
        raise InvalidInput("There is nobody to hold.", remedy="Choose a list or figure with customers.", field="held")
    ids = read.orders.customer_id.take(np.unique(customers))
    return holds.add_hold(workspace.record.engine, read.book.id, words, ids)


def list_holds(workspace: Workspace, book: BookRow) -> list[HoldRow]:
    """All holds of a book, newest first."""
    return holds.list_holds(workspace.record.engine, book.id)


def let_go(workspace: Workspace, book: BookRow, hold_id: int) -> None:
    """Let customers go. Raises `NotFound`."""
    holds.drop_hold(workspace.record.engine, book.id, hold_id)
