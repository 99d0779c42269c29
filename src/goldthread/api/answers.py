"""Answers that are asked for again: said to be the same, or sent again as they were encoded.

The tag of an answer is made first, of what it depends on: the stamp of the book's revision, the present lists, the day,
what whoever asks may see, and the question as it was asked. That takes one statement, which also says who asks; the
work behind the answer is done only for a tag that neither the client nor this server has.
"""

from __future__ import annotations

import gzip
import hashlib
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from itertools import chain
from typing import TypeVar

from flask import Response, g, request

from goldthread import __version__
from goldthread.actions import books
from goldthread.actor import actor
from goldthread.api.access import state_of_book
from goldthread.api.replies import note_rows, wants_csv
from goldthread.askers import Turns
from goldthread.core.limits import LARGEST_REPLY_BYTES
from goldthread.errors import Unavailable
from goldthread.metrics import COMPUTED, KEPT, REFUSED, WAITING
from goldthread.store.books import BookState
from goldthread.workspace import Workspace, asked_anew

T = TypeVar("T")
_WORTH_PACKING_BYTES = 1_000
_PACKING_LEVEL = 4
"""Half the time of the usual level, for one part in twenty more bytes."""


@dataclass(frozen=True)
class Encoded:
    """A reply as it goes over the wire, packed too where that is worth it."""

    headers: tuple[tuple[str, str], ...]
    rows: int | None
    body: bytes
    packed: bytes | None

    @classmethod
    def of(cls, response: Response) -> Encoded:
        body = response.get_data()
        kept = tuple(
            (name, value) for name, value in response.headers if name in ("Content-Type", "Content-Disposition")
        )
        packed = gzip.compress(body, _PACKING_LEVEL, mtime=0) if len(body) >= _WORTH_PACKING_BYTES else None
        return cls(kept, g.get("rows"), body, packed)

    @property
    def size_bytes(self) -> int:
        return len(self.body) + len(self.packed or b"")

    def response(self, tag: str | None) -> Response:
        """The reply, packed for a client that takes it so. One with a tag may be kept, but is asked for each time."""
        if self.rows is not None:
            note_rows(self.rows)
        packed = self.packed if request.accept_encodings["gzip"] > 0 else None
        response = Response(self.body if packed is None else packed, headers=list(self.headers))
        if packed is not None:
            response.headers["Content-Encoding"] = "gzip"
        return response if tag is None else _tagged(response, tag)


class Answers:
    """Encoded answers to questions about books."""

    def __init__(self, workspace: Workspace, turns: Turns) -> None:
        self._workspace, self._turns = workspace, turns

    def in_turn(self, book_id: int, make: Callable[[], T]) -> T:
        """What is worked out when its turn comes, anew where the book moved on meanwhile. Raises `Unavailable`.

        Whoever waits for a book to be read does so before, and holds nobody else up. Raises `NotFound`.
        """
        asked_anew(lambda: self._workspace.orders(book_id))
        with self._turn():
            COMPUTED.inc()
            return asked_anew(make)

    @contextmanager
    def _turn(self) -> Iterator[None]:
        with ExitStack() as turn:
            try:
                with WAITING.track_inprogress():
                    turn.enter_context(self._turns.one())
            except Unavailable:
                REFUSED.inc()
                raise
            yield

    def reply(self, book_id: int, make: Callable[[], Response]) -> Response:
        """The reply to this request's question, as it is known already or made now. Raises `NotFound`."""
        state = state_of_book(self._workspace)
        tag = _tag(state)
        if request.if_none_match.contains_weak(tag):
            KEPT.labels("client").inc()
            return _tagged(Response(status=304), tag)
        known = self._workspace.account.reply(tag)
        if known is not None:
            KEPT.labels("process").inc()
            reply: Response = known.response(tag)
            return reply
        response = _whole_if_small(self.in_turn(book_id, make))
        if response.is_streamed:
            return response
        encoded = Encoded.of(response)
        if books.find_state(self._workspace, book_id) != state:
            # what was answered is right, but it may be of a later revision than the tag says
            return encoded.response(None)
        self._workspace.account.keep_reply(tag, encoded)
        return encoded.response(tag)


def _whole_if_small(response: Response) -> Response:
    """A response whose content is known; one that comes piece by piece and is large goes on coming so, and is not
    kept."""
    if not response.is_streamed:
        return response
    coming, pieces, size = response.iter_encoded(), list[bytes](), 0
    for piece in coming:
        pieces.append(piece)
        size += len(piece)
        if size > LARGEST_REPLY_BYTES:
            return Response(chain(pieces, coming), response.status, response.headers)
    response.set_data(b"".join(pieces))
    return response


def _tag(state: BookState) -> str:
    question = (request.full_path, wants_csv())
    at = (__version__, state.book.id, state.at.stamp, state.lists, books.today_of(state.book))
    parts = (*at, actor().sees(state.has_own), *question)
    return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]


def _tagged(response: Response, tag: str) -> Response:
    response.set_etag(tag, weak=True)
    response.headers["Cache-Control"] = "private, no-cache"
    response.headers["Vary"] = "Accept, Accept-Encoding"
    return response
