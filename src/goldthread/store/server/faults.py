"""What the database's own errors mean, in our words; whoever asks the database maps them here."""

from __future__ import annotations

import errno
import time
from collections.abc import Callable
from typing import TypeVar

from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from goldthread.errors import Busy, DiskFull, GoldThreadError, Unavailable

T = TypeVar("T")
_GONE_AWAY = frozenset({0, 1053, 1927, 2002, 2003, 2006, 2013, 2014, 2055})
"""Error numbers of a server that shuts down or cannot be reached any more."""
_IN_EACH_OTHERS_WAY = frozenset({1205, 1213, 1020})
"""Waited too long for a lock, a deadlock, or a row that was changed meanwhile: trying again helps."""
_REFUSED = frozenset({1044, 1045, 1049, 1130, 1142, 1227, 1698})
"""Who asks is not known, or may not do that."""
_FULL = frozenset({1021, 1114})
_NO_SPACE = ("no space left", "disk full")
TRIES = 8
_WAIT_SECONDS = 0.05


def in_our_words(error: Exception) -> GoldThreadError | None:
    """An error of ours for one of the database's or of the disk's; None for a fault of our own."""
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return _disk_full()
    if isinstance(error, PoolTimeout):
        return Unavailable("Too many ask the database at once.", remedy="Nothing was changed. Try again in a moment.")
    if not isinstance(error, DBAPIError):
        return None
    args = error.orig.args if error.orig is not None else ()
    code = args[0] if args and isinstance(args[0], int) else 0
    if code in _IN_EACH_OTHERS_WAY:
        return Busy("Somebody else is changing the same thing.", remedy="Nothing was changed. Try again.")
    if code in _FULL or any(words in str(args).lower() for words in _NO_SPACE):
        return _disk_full()
    if code in _REFUSED:
        return Unavailable(f"The database refuses: {args[-1]}.", remedy="Grant it: see docs/running.md, A database.")
    if "CERTIFICATE_VERIFY_FAILED" in str(args):
        return Unavailable(
            "The certificate of the database is not one of the authority in database_ca_file, or of another name.",
            remedy="Nothing was changed. Name the right file, and the host as the certificate does.",
        )
    if error.connection_invalidated or code in _GONE_AWAY:
        return Unavailable(
            "The database does not answer.",
            remedy="Nothing was changed. Try again when it runs: make start starts our own.",
        )
    return None


def _disk_full() -> DiskFull:
    """What is said where a write finds no room."""
    return DiskFull("The disk is full.", remedy="Nothing was changed. Make room on the disk and try again.")


def tried_again(work: Callable[[], T]) -> T:
    """What a piece of work gives; begun again, a few times, where somebody else was in its way.

    The work must be whole by itself: what it had done was taken back. Raises `Busy` when that does not end.
    """
    for attempt in range(TRIES):
        try:
            return work()
        except Busy:
            if attempt == TRIES - 1:
                raise
        except DBAPIError as error:
            found = in_our_words(error)
            if found is None:
                raise
            if not isinstance(found, Busy) or attempt == TRIES - 1:
                raise found from error
        time.sleep(_WAIT_SECONDS * (attempt + 1))
    raise AssertionError("unreachable")
