"""Work that nobody waits for."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Hashable

FIRST_SECONDS = 2.0
"""Work waits for so long to be told that what people wait for is done."""
_log = logging.getLogger(__name__)


class Background:
    """Does one piece of work after another in a thread of its own, which ends when there is none. Of several pieces of
    one kind that wait, the last one alone is done. Safe to use from several threads."""

    def __init__(self) -> None:
        self._may_begin = threading.Event()
        self._waiting: dict[Hashable, Callable[[], object]] = {}
        self._thread: threading.Thread | None = None
        self._lock = threading.Lock()

    def do(self, kind: Hashable, work: Callable[[], object]) -> None:
        """Have a piece of work done soon; a program that ends waits for it."""
        with self._lock:
            self._may_begin.clear()
            self._waiting[kind] = work
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="background")
                self._thread.start()

    def begin(self) -> None:
        """What people wait for is done."""
        self._may_begin.set()

    def finish(self) -> None:
        """Wait until everything is done."""
        self.begin()
        with self._lock:
            thread = self._thread
        if thread is not None:
            thread.join()

    def _run(self) -> None:
        while True:
            self._may_begin.wait(FIRST_SECONDS)
            with self._lock:
                if not self._waiting:
                    self._thread = None
                    return
                kind = next(iter(self._waiting))
                work = self._waiting.pop(kind)
            try:
                work()
            except Exception:
                _log.exception("Work in the background failed: %s", kind)
            del work
