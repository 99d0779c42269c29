"""What a book holds beside customers and orders, as of the revision that a question reads: spend, and events."""

from __future__ import annotations

from goldthread.store.read import details
from goldthread.store.read.details import EventRow, SpendRow
from goldthread.workspace import Shelved, Workspace


def events_of(workspace: Workspace, shelved: Shelved) -> list[EventRow]:
    """The events of a book, earliest first. Raises `Outdated`."""
    engine, book_id = workspace.record.engine, shelved.book_id
    return workspace.answer(
        shelved, "events", lambda: workspace.bound(shelved, lambda: details.events_of(engine, book_id))
    )


def spend_of(workspace: Workspace, shelved: Shelved) -> list[SpendRow]:
    """What was spent to win customers, by month and channel. Raises `Outdated`."""
    engine, book_id = workspace.record.engine, shelved.book_id
    return workspace.answer(
        shelved, "spend", lambda: workspace.bound(shelved, lambda: details.spend_of(engine, book_id))
    )
