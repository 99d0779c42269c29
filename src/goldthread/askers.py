"""Whoever asked a question may have gone away: work that nobody waits for any more stops at its next step."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from goldthread.errors import Stopped

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


def _stays() -> bool:
    return False
