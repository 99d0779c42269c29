"""Changes of a book as they happen, as server-sent events."""

from __future__ import annotations

from collections.abc import Iterator

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.watching import Seen, Watch
from goldthread.api.blueprints import part
from goldthread.api.shapes.books import BookPath
from goldthread.workspace import Workspace

ASK_AGAIN_MS = 1_000


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The changes' part of the API."""
    api = part("changes", "/api/books/<int:book>")
    watch = Watch(workspace)

    @api.get("/changes", responses={200: None})
    def changes(path: BookPath) -> Response:
        """The book's revision, whether the book is being brought to it, and a mark of its lists and the work on them,
        now and whenever one of these changes (text/event-stream). Ends after half a minute."""
        books.find_book(workspace, path.book)
        stream = Response(_events(watch.follow(path.book)), content_type="text/event-stream")
        stream.headers["Cache-Control"] = "no-store"
        return stream

    return api


def _events(seen: Iterator[Seen | None]) -> Iterator[bytes]:
    yield f"retry: {ASK_AGAIN_MS}\n\n".encode()
    for each in seen:
        if each is None:
            yield b": still here\n\n"
        else:
            said = {"reading": int(each.reading), "lists": "-".join(map(str, each.lists)), "revision": each.revision}
            yield "".join(f"event: {name}\ndata: {value}\n\n" for name, value in said.items()).encode()
