"""Watch books for changes, whoever makes them: this server, another one, or the command line.

One thread looks after each book that somebody listens to. When the book has changed it is brought forward at once,
before anybody asks, and the listeners hear that this is under way.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass

from goldthread.errors import GoldThreadError
from goldthread.store.books import book_state
from goldthread.workspace import Workspace

LOOK_EVERY_SECONDS = 0.25
STREAM_SECONDS = 30.0
BEAT_SECONDS = 10.0
MOST_STREAMS = 96
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Seen:
    """How a book stands: its revision, whether it is being brought to it, and what distinguishes its lists, and the
    work on them, from any others. ``alone`` : why its parts cannot be asked, so that this server works alone; empty
    where they can, or it has none."""

    revision: int
    reading: bool
    lists: tuple[int, int, int, int]
    alone: str = ""


def seen_now(workspace: Workspace, book_id: int) -> Seen:
    """How a book stands. Raises `NotFound`."""
    state = book_state(workspace.record.engine, book_id)
    return Seen(state.at.number, False, state.lists, workspace.trouble(book_id))


class Watch:
    """Streams of what is seen of books. Each holds a thread of the server, so there are only so many, and each ends in
    a while; who still wants to know asks again."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._free = threading.BoundedSemaphore(MOST_STREAMS)
        self._lookouts: dict[int, _Lookout] = {}
        self._lock = threading.Lock()

    def follow(self, book_id: int) -> Iterator[Seen | None]:
        """How the book stands now and after every change; None now and then, so that a lost listener is noticed.
        Raises `NotFound`."""
        seen = seen_now(self._workspace, book_id)
        yield seen
        if not self._free.acquire(blocking=False):
            return
        try:
            yield from self._changes(book_id, seen)
        finally:
            self._free.release()

    def _changes(self, book_id: int, seen: Seen) -> Iterator[Seen | None]:
        lookout = self._joined(book_id, seen)
        began = time.monotonic()
        try:
            while not self._workspace.ending.is_set() and (left := STREAM_SECONDS - (time.monotonic() - began)) > 0:
                now = lookout.next_after(seen, min(left, BEAT_SECONDS))
                if now is None:
                    yield None
                else:
                    seen = now
                    yield seen
        finally:
            lookout.leave()

    def _joined(self, book_id: int, seen: Seen) -> _Lookout:
        with self._lock:
            lookout = self._lookouts.get(book_id)
            if lookout is None or not lookout.join():
                lookout = self._lookouts[book_id] = _Lookout(self._workspace, book_id, seen)
            return lookout


class _Lookout:
    """One thread that looks at a book as long as somebody listens."""

    def __init__(self, workspace: Workspace, book_id: int, seen: Seen) -> None:
        self._workspace, self._book_id, self._seen = workspace, book_id, seen
        self._listeners = 1
        self._changed = threading.Condition()
        threading.Thread(target=self._look, name=f"watch-{book_id}", daemon=True).start()

    def join(self) -> bool:
        """Listen too; False when it has ended already."""
        with self._changed:
            if self._listeners == 0:
                return False
            self._listeners += 1
            return True

    def leave(self) -> None:
        with self._changed:
            self._listeners -= 1
            self._changed.notify_all()

    def next_after(self, seen: Seen, seconds: float) -> Seen | None:
        """How the book stands as soon as that is something else; None when it is not after a while."""
        with self._changed:
            self._changed.wait_for(lambda: self._seen != seen or self._workspace.ending.is_set(), seconds)
            return self._seen if self._seen != seen else None

    def _write_table(self, seen: Seen) -> None:
        with self._changed:
            self._seen = seen
            self._changed.notify_all()

    def _look(self) -> None:
        while self._still_wanted():
            try:
                state = book_state(self._workspace.record.engine, self._book_id)
                at, lists = state.at, state.lists
                alone = self._workspace.trouble(self._book_id, looking=True)
                if (at.number, lists, alone) != (self._seen.revision, self._seen.lists, self._seen.alone):
                    behind = not self._workspace.has_at_hand(self._book_id, at)
                    self._write_table(Seen(at.number, behind, lists, alone))
                    if behind:
                        try:
                            self._workspace.orders(self._book_id)
                        finally:
                            self._write_table(Seen(at.number, False, lists, alone))
            except GoldThreadError as error:
                _log.info("Book %s cannot be watched: %s", self._book_id, error)
            except Exception:
                _log.exception("Book %s cannot be watched", self._book_id)

    def _still_wanted(self) -> bool:
        with self._changed:
            self._changed.wait_for(lambda: self._listeners == 0, LOOK_EVERY_SECONDS)
            if self._workspace.ending.is_set():
                self._changed.notify_all()
            return self._listeners > 0
