"""What is worked out of a book and kept with it, bounded in bytes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import fields as fields_of_dataclass
from dataclasses import is_dataclass
from threading import Lock
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")

DERIVED_BYTES, DERIVED_BYTES_PER_ORDER = 32 << 20, 96
"""What the derived columns of a book may hold together: enough for every column of one question."""


class Derived:
    """Columns worked out of a book, those asked for last; safe to use from several threads."""

    def __init__(self) -> None:
        self._values: OrderedDict[object, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._values)

    def get(self, key: object, make: Callable[[], T], room_bytes: int) -> T:
        """A value, made when it is not kept; the ones asked for longest ago make room."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                known: T = self._values[key][0]
                return known
        value = make()
        size = _bytes_of(value)
        with self._lock:
            if key not in self._values:
                self._values[key] = (value, size)
                self._bytes += size
            while self._bytes > room_bytes and len(self._values) > 1:
                self._bytes -= self._values.popitem(last=False)[1][1]
        return value


def _bytes_of(value: object) -> int:
    """About how many bytes a derived value holds."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, tuple | list):
        return 64 + sum(map(_bytes_of, value))
    if is_dataclass(value):
        return 64 + sum(_bytes_of(getattr(value, each.name)) for each in fields_of_dataclass(value))
    return 64
