"""Rows of a whole file compared by hashes of their cells: what comes twice, and what is constant inside what.

Texts that are alike have one hash; blank ones have that of the empty text. Hashes hold within one process only.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Bools = NDArray[np.bool_]
BLANK = hash("")
_FACTOR = 31


def hashes_of(texts: Sequence[str]) -> Int64s:
    """A hash of each text; int64, shape (texts,)."""
    return np.fromiter(map(hash, texts), np.int64, len(texts))


@dataclass(frozen=True)
class Inside:
    """A column held against keys: how many keys have two filled cells or more (``compared``), how many of these have
    different ones (``differing``), and in how many rows these keys stand (``rows``)."""

    compared: int
    differing: int
    rows: int


@dataclass
class CellHashes:
    """``cells``: int64 (rows, columns), a hash of each cell. ``about``: only some of a very large file's rows."""

    cells: Int64s
    about: bool = False
    _orders: dict[tuple[int, ...], tuple[Int64s, Int64s]] = field(default_factory=dict, repr=False)

    @property
    def rows(self) -> int:
        return int(self.cells.shape[0])

    def filled(self, place: int) -> Bools:
        """Which rows have something in a column."""
        return np.asarray(self.cells[:, place] != BLANK)

    def distinct(self, *places: int) -> int:
        """How many different filled cells a column has, or how many different pairs some columns have."""
        keys, order = self._sorted(places)
        if len(places) == 1:
            order = order[self.filled(places[0])[order]]
        return distinct_ascending(keys[order])

    def repeated_rows(self, *places: int) -> int:
        """Rows whose key stands in another row too, the same row once more left out; blank keys are none."""
        keys, _ = self._sorted(places)
        whole = self._key(tuple(range(self.cells.shape[1])))
        order = np.lexsort((whole, keys))
        key, row = keys[order], whole[order]
        fresh = np.append(True, (key[1:] != key[:-1]) | (row[1:] != row[:-1]))
        fresh &= self.filled(places[0])[order]
        key = key[fresh]
        same = key[1:] == key[:-1]
        return int((np.append(False, same) | np.append(same, False)).sum())

    def inside(self, keys: Sequence[int], place: int, only: Bools | None = None) -> Inside:
        """Whether a column is constant inside keys made of some columns; blank cells say nothing, nor do blank keys."""
        key, order = self._sorted(tuple(keys))
        filled = self.filled(place) & self.filled(keys[0])
        if only is not None:
            filled &= only
        rows = order[filled[order]]
        key, value = key[rows], self.cells[rows, place]
        same = key[1:] == key[:-1]
        compared, differing = key[1:][same], key[1:][same & (value[1:] != value[:-1])]
        odd = differing[np.append(True, differing[1:] != differing[:-1])] if differing.size else differing
        return Inside(distinct_ascending(compared), odd.size, int(np.isin(key, odd).sum()) if odd.size else 0)

    def blank_and_filled(self, key: int, place: int, only: Bools) -> int:
        """How many keys have both blank and filled cells in a column, among some rows."""
        keys, order = self._sorted((key,))
        rows = order[only[order]]
        if not rows.size:
            return 0
        key_of_row, is_filled = keys[rows], self.filled(place)[rows]
        starts = np.flatnonzero(np.append(True, key_of_row[1:] != key_of_row[:-1]))
        sums = np.add.reduceat(is_filled.astype(np.int64), starts)
        counts = np.diff(np.append(starts, rows.size))
        return int(((sums > 0) & (sums < counts)).sum())

    def filled_down(self, places: Sequence[int]) -> CellHashes:
        """The same rows, blank cells of some columns having what stands above them."""
        if not places:
            return self
        cells = self.cells.copy()
        for place in places:
            at = np.maximum.accumulate(np.where(cells[:, place] != BLANK, np.arange(self.rows), 0))
            cells[:, place] = cells[at, place]
        return CellHashes(cells, self.about)

    def _key(self, places: tuple[int, ...]) -> Int64s:
        if len(places) == 1:
            return self.cells[:, places[0]]
        # the same cells in other columns must not come to the same key
        factors = np.array([pow(_FACTOR, 2 * at + 1, 1 << 62) for at in range(len(places))], np.int64)
        with np.errstate(over="ignore"):
            mixed = self.cells[:, places] ^ (self.cells[:, places] >> np.int64(29))
            return np.asarray((mixed * factors).sum(axis=1))

    def _sorted(self, places: tuple[int, ...]) -> tuple[Int64s, Int64s]:
        """The keys of all rows, and the rows in the sequence of these keys."""
        if places not in self._orders:
            key = self._key(places)
            self._orders[places] = (key, np.argsort(key, kind="stable"))
        return self._orders[places]


def distinct_ascending(keys: Int64s) -> int:
    """How many different ones there are among some in ascending order."""
    return int((keys[1:] != keys[:-1]).sum()) + (keys.size > 0)
