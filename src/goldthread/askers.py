"""Whoever asks: so many questions are worked out side by side, and one that nobody waits for any more stops."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from goldthread.errors import Stopped, Unavailable

WAITING_MOST, WAITING_SECONDS = 64, 30.0
"""How many questions wait for their turn, and how long each."""
_LOOK_SECONDS = 0.2

_is_gone: ContextVar[Callable[[], bool]] = ContextVar("is_gone")


def asked_by(is_gone: Callable[[], bool]) -> None:
    """Note how to find out whether whoever asks in this thread has gone away."""
    _is_gone.set(is_gone)


def asker_is_gone() -> Callable[[], bool]:
    """How to find out, from any thread, whether whoever asks in this one has gone away."""
    return _is_gone.get(_stays)


def stop_when_gone() -> None:
    """Raises `Stopped` when nobody waits for the answer any more."""
    if asker_is_gone()():
        raise Stopped("Nobody waits for this answer any more.", remedy="Ask again.")


class Turns:
    """So many questions are worked out side by side; the others wait for their turn."""

    def __init__(self, at_once: int) -> None:
        self._free = threading.BoundedSemaphore(at_once)
        self._waiting = 0
        self._lock = threading.Lock()

    @contextmanager
    def one(self) -> Iterator[None]:
        """Work that has its turn. Raises `Unavailable` when too many wait or it does not come in time, and `Stopped`
        when whoever asked has gone away."""
        if not self._free.acquire(blocking=False):
            self._wait()
        try:
            yield
        finally:
            self._free.release()

    def _wait(self) -> None:
        with self._lock:
            if self._waiting >= WAITING_MOST:
                raise _too_many()
            self._waiting += 1
        try:
            until = time.monotonic() + WAITING_SECONDS
            while not self._free.acquire(timeout=_LOOK_SECONDS):
                stop_when_gone()
                if time.monotonic() > until:
                    raise _too_many()
        finally:
            with self._lock:
                self._waiting -= 1


def _too_many() -> Unavailable:
    return Unavailable("Too many questions are asked at once.", remedy="Ask again in a moment.")


def _stays() -> bool:
    return False
