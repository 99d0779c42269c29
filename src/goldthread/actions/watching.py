"""Watch books for changes, whoever makes them: this server, another one, or the command line."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

from goldthread.actions.workspace import Workspace
from goldthread.store.orders_out import book_revision

LOOK_EVERY_SECONDS = 0.25
STREAM_SECONDS = 30.0
BEAT_SECONDS = 10.0
MOST_STREAMS = 24


class Watch:
    """Streams of revisions. Each holds a thread of the server, so there are only so many, and each ends in a while;
    who still wants to know asks again."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._free = threading.BoundedSemaphore(MOST_STREAMS)

    def revisions(self, book_id: int) -> Iterator[int | None]:
        """The revision now and after every change; None now and then, so that a lost listener is noticed."""
        known = book_revision(self._workspace.record.engine, book_id)
        yield known
        if not self._free.acquire(blocking=False):
            return
        try:
            yield from self._changes(book_id, known)
        finally:
            self._free.release()

    def _changes(self, book_id: int, known: int) -> Iterator[int | None]:
        engine = self._workspace.record.engine
        began = beat = time.monotonic()
        while time.monotonic() - began < STREAM_SECONDS:
            time.sleep(LOOK_EVERY_SECONDS)
            revision = book_revision(engine, book_id)
            if revision != known:
                known = revision
                yield revision
            elif time.monotonic() - beat > BEAT_SECONDS:
                beat = time.monotonic()
                yield None
