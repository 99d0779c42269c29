"""How many bytes a value holds, whatever it is made of: arrays exactly, long sequences by some of their entries."""

from __future__ import annotations

import gc
import sys
from functools import partial
from mmap import mmap
from types import CellType, FunctionType, MethodType
from typing import Any

import numpy as np
from cachetools import Cache
from numpy.typing import NDArray

_SAMPLED = 32
_LONG = 2 * _SAMPLED
_SMALL = frozenset({str, int, float, bool, type(None)})
"""What is counted with its container."""
_CONTAINERS = (dict, list, tuple, set, frozenset, CellType, MethodType, partial, Cache)
_OURS = __name__.partition(".")[0]


class Held:
    """A tally of what values hold: what several of them share is counted with the first.

    Columns that are mapped from a file take none of the memory that could be let go, and are counted apart. Objects of
    other libraries, a connection for example, are not looked into.
    """

    def __init__(self, besides: object = None) -> None:
        """``besides`` : somebody else's, however often it is met."""
        self.mapped_bytes = 0
        self._seen: dict[int, object] = {id(besides): besides}

    def leave_out(self, value: object) -> None:
        """Do not count a value where it is met inside others."""
        self._seen[id(value)] = value

    def mark(self) -> int:
        """How far the tally has come, for `undo`."""
        return len(self._seen)

    def undo(self, mark: int) -> None:
        """Take back what was counted since a mark."""
        while len(self._seen) > mark:
            self._seen.popitem()

    def knows(self, value: object) -> bool:
        """Whether a value was counted, by itself or inside another."""
        return id(value) in self._seen

    def bytes_of(self, value: object) -> int:
        """What a value adds to the tally."""
        total, waiting = 0, [value]
        while waiting:
            each = waiting.pop()
            if type(each) in _SMALL or id(each) in self._seen:
                continue
            self._seen[id(each)] = each
            if isinstance(each, np.ndarray):
                total += self._bytes_of_array(each)
            elif isinstance(each, FunctionType):
                waiting += each.__closure__ or ()
            elif isinstance(each, tuple | list) and len(each) > _LONG:
                total += sys.getsizeof(each) + self._bytes_of_long(each)
            else:
                total += sys.getsizeof(each)
                if isinstance(each, _CONTAINERS) or type(each).__module__.partition(".")[0] == _OURS:
                    waiting += gc.get_referents(each)
        return total

    def _bytes_of_array(self, array: NDArray[Any]) -> int:
        owner = array
        while isinstance(owner.base, np.ndarray):
            owner = owner.base
        if owner is not array and id(owner) in self._seen:
            return 0
        self._seen[id(owner)] = owner
        if isinstance(owner.base, mmap):
            self.mapped_bytes += owner.nbytes
            return 0
        return owner.nbytes

    def _bytes_of_long(self, entries: tuple[Any, ...] | list[Any]) -> int:
        some = entries[:: len(entries) // _SAMPLED]
        small = sum(sys.getsizeof(each) for each in some if type(each) in _SMALL)
        return (small + sum(map(self.bytes_of, some))) * len(entries) // len(some)
