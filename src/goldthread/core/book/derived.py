"""What is worked out of a book and kept with it, bounded in bytes."""

from __future__ import annotations

import math
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

from cachetools import LRUCache

from goldthread.core.holding import Held

T = TypeVar("T")

DERIVED_BYTES, DERIVED_BYTES_PER_ORDER = 32 << 20, 96
"""What the derived columns of a book may hold together: enough for every column of one question."""


class Derived:
    """Columns worked out of a book, those asked for last; safe to use from several threads."""

    def __init__(self) -> None:
        self._values: LRUCache[object, tuple[Any, int]] = LRUCache(math.inf, getsizeof=lambda sized: sized[1])
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._values)

    def values(self) -> list[Any]:
        """All of them."""
        with self._lock:
            return [value for value, _ in self._values.values()]

    @property
    def held_bytes(self) -> int:
        """About what the columns hold."""
        return int(self._values.currsize)

    def get(self, key: object, make: Callable[[], T], room_bytes: int, book: object) -> T:
        """A value worked out of ``book``, made when it is not kept; the ones asked for longest ago make room."""
        with self._lock:
            if key in self._values:
                known: T = self._values[key][0]
                return known
        value = make()
        size = Held(besides=book).bytes_of(value)
        with self._lock:
            self._values.setdefault(key, (value, size))
        self.shrink(room_bytes)
        return value

    def shrink(self, room_bytes: int) -> None:
        """Let go of the columns asked for longest ago, until the others have room; the last one stays."""
        with self._lock:
            while self._values.currsize > room_bytes and len(self._values) > 1:
                self._values.popitem()
