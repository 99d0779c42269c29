"""The first row of each order of a file, while its rows come piece by piece.

A number is told apart by two hashes, 128 bits together: that two of a hundred million have the same is as good as
impossible. They are kept in a table with open addressing, 20 bytes for each of one and a half to three places an order.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_NONE = -1
_AT_ONCE = 1 << 18
"""Places of a table that has become too small, which move to a larger one together."""


class FirstRows:
    """The first row of each order number that was met. ``repeats``: whether one was met more than once."""

    def __init__(self) -> None:
        self.repeats = False
        self._count = 0
        self._make(1 << 12)

    def of(self, numbers: Sequence[str], rows: Sequence[int]) -> list[int]:
        """For each order number, in the sequence of the file's ``rows``, the first row that has it."""
        firsts = dict(zip(reversed(numbers), reversed(rows), strict=True))
        hashes = np.empty((len(firsts), 2), np.int64)
        hashes[:, 0] = np.fromiter(map(hash, firsts), np.int64, len(firsts))
        hashes[:, 1] = np.fromiter((hash(f"{number} ") for number in firsts), np.int64, len(firsts))
        given = np.fromiter(firsts.values(), np.int32, len(firsts))
        kept = self._placed(hashes, given)
        self.repeats = self.repeats or len(firsts) < len(numbers) or bool((kept != given).any())
        firsts = dict(zip(firsts, kept.tolist(), strict=True))
        return list(map(firsts.__getitem__, numbers))

    def _make(self, size: int) -> None:
        self._hashes, self._rows = np.zeros((size, 2), np.int64), np.full(size, _NONE, np.int32)

    def _placed(self, hashes: NDArray[np.int64], rows: NDArray[np.int32]) -> NDArray[np.int32]:
        """The rows that are kept for some different numbers; new ones are kept with the row given."""
        self._count += rows.size
        if 3 * self._count > 2 * self._rows.size:
            was, their_rows = self._hashes, self._rows
            self._count = rows.size
            known = int(np.count_nonzero(their_rows != _NONE))
            self._make(1 << (2 * (known + rows.size) - 1).bit_length())
            for begin in range(0, their_rows.size, _AT_ONCE):
                kept = begin + np.flatnonzero(their_rows[begin : begin + _AT_ONCE] != _NONE)
                self._placed(was[kept], their_rows[kept])
        mask = self._rows.size - 1
        places, left = hashes[:, 0] & mask, np.arange(rows.size)
        found = np.empty(rows.size, np.int32)
        while left.size:
            there = places.take(left)
            free = self._rows.take(there) == _NONE
            # of several that want one place the last one has it, in both columns
            self._hashes[there[free]], self._rows[there[free]] = hashes[left[free]], rows[left[free]]
            met = (self._hashes[there] == hashes[left]).all(axis=1)
            found[left[met]] = self._rows.take(there[met])
            left = left[~met]
            places[left] = (places.take(left) + 1) & mask
        return found
