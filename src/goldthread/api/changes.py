"""Changes of a book: as they happen, as server-sent events, and with the reply to whoever makes one."""

from __future__ import annotations

from collections.abc import Iterator

from flask import Response, request
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.watching import Seen, Watch, seen_now
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.security import READING
from goldthread.api.shapes.books import BookPath
from goldthread.errors import NotFound
from goldthread.workspace import Workspace

ASK_AGAIN_MS = 1_000


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The changes' part of the API."""
    api = part("changes", "/api/books/<int:book>")
    watch = Watch(workspace)

    @api.get("/changes", responses={200: None})
    @asks(Right.SEE)
    def changes(path: BookPath) -> Response:
        """The book's revision, whether the book is being brought to it, why its parts cannot be asked, where they
        cannot, and a mark of its lists and the work on them, now and whenever one of these changes (text/event-stream).
        Ends after half a minute."""
        books.find_book(workspace, path.book)
        stream = Response(_events(watch.follow(path.book)), content_type="text/event-stream")
        stream.headers["Cache-Control"] = "no-store"
        # nginx passes it on as it comes
        stream.headers["X-Accel-Buffering"] = "no"
        return stream

    return api


def say_state(workspace: Workspace, response: Response) -> Response:
    """With the reply to a change of a book, how the book stands now: who made it need not hear of it once more."""
    book = (request.view_args or {}).get("book")
    if request.method not in READING and isinstance(book, int) and response.status_code < 400:
        try:
            seen = seen_now(workspace, book)
        except NotFound:
            return response
        response.headers["Book-State"] = f"{seen.revision} {_mark(seen)}"
    return response


def _mark(seen: Seen) -> str:
    return "-".join(map(str, seen.lists))


def _events(seen: Iterator[Seen | None]) -> Iterator[bytes]:
    yield f"retry: {ASK_AGAIN_MS}\n\n".encode()
    for each in seen:
        if each is None:
            yield b": still here\n\n"
        else:
            said = {
                "reading": int(each.reading),
                "alone": " ".join(each.alone.split()),
                "lists": _mark(each),
                "revision": each.revision,
            }
            yield "".join(f"event: {name}\ndata: {value}\n\n" for name, value in said.items()).encode()
