"""A book as the reading line of a query reads it."""

from __future__ import annotations

from goldthread.actions import books
from goldthread.actions.reading import Read, read_book
from goldthread.actions.workspace import Workspace
from goldthread.api.sentence_shapes import HistoryQuery


def read_asked(workspace: Workspace, book_id: int, query: HistoryQuery) -> Read:
    """Raises `NotFound` for an unknown book, `InvalidInput` for a choice that does not fit it."""
    book = books.find_book(workspace, book_id)
    return read_book(workspace, book, query.choice(), books.today_of(book))
