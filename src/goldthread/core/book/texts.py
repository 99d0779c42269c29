"""A column of many different texts as two arrays: bytes one after another, and where each text begins.

Names, customer numbers and e-mails are kept like this; 1.5 M of them take the room of their letters, are mapped from
disk as they are, and are compared by passes over bytes, never text by text in Python.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]
_SORTED_BYTES = 48


@dataclass(frozen=True, eq=False)
class TextColumn:
    """Texts in UTF-8. ``data``: uint8, shape (bytes,). ``offsets``: int64, shape (texts + 1,)."""

    data: NDArray[np.uint8]
    offsets: Int64s

    @classmethod
    def of(cls, texts: Sequence[str]) -> TextColumn:
        """From texts in memory."""
        encoded = [text.encode() for text in texts]
        offsets = np.zeros(len(encoded) + 1, np.int64)
        np.cumsum([len(each) for each in encoded], out=offsets[1:])
        return cls(np.frombuffer(b"".join(encoded), np.uint8), offsets)

    @property
    def count(self) -> int:
        return int(self.offsets.size) - 1

    def same_as(self, other: TextColumn) -> bool:
        """Whether two columns hold the same texts."""
        if self is other:
            return True
        return np.array_equal(self.offsets, other.offsets) and np.array_equal(self.data, other.data)

    def at(self, row: int) -> str:
        """One text."""
        return self.data[self.offsets[row] : self.offsets[row + 1]].tobytes().decode()

    def some(self, rows: Int64s) -> list[str]:
        """The texts of some rows."""
        return [self.at(row) for row in rows.tolist()]

    def empty(self) -> Mask:
        """Which texts have no letter; bool, shape (texts,)."""
        none: Mask = self.offsets[1:] == self.offsets[:-1]
        return none

    def equal(self, text: str) -> Mask:
        """Which texts are exactly this one; bool, shape (texts,)."""
        return self._at_edge(text.encode(), whole=True)

    def like(self, pattern: str) -> Mask:
        """Which texts fit a pattern: ``%`` is any text, ``_`` one character, a backslash takes the next as it is; bool,
        shape (texts,)."""
        expression = like_expression(pattern)
        longest = max(_literal_pieces(pattern), key=lambda piece: len(piece.encode()), default="")
        candidates = np.flatnonzero(self._containing(longest.encode())) if longest else np.arange(self.count)
        if longest and expression == f".*{re.escape(longest)}.*":
            return self._mask(candidates)
        fits = re.compile(expression, re.DOTALL).fullmatch
        kept = [row for row in candidates.tolist() if fits(self.at(row))]
        return self._mask(np.array(kept, np.int64))

    def ranks(self) -> Int64s:
        """Place of each text in the order of their bytes; int64. Texts that begin with the same 48 bytes tie."""
        order = np.argsort(self.beginnings(), kind="stable")
        ranks = np.empty(self.count, np.int64)
        ranks[order] = np.arange(self.count)
        return ranks

    def beginnings(self) -> NDArray[np.bytes_]:
        """The first 48 bytes of each text; bytes."""
        lengths = np.minimum(np.diff(self.offsets), _SORTED_BYTES)
        width = max(int(lengths.max(initial=1)), 1)
        square = np.zeros((self.count, width), np.uint8)
        for place in range(width):
            inside = np.flatnonzero(lengths > place)
            square[inside, place] = self.data.take(self.offsets.take(inside) + place)
        return square.view(f"S{width}").ravel()

    def _mask(self, rows: Int64s) -> Mask:
        mask = np.zeros(self.count, np.bool_)
        mask[rows] = True
        return mask

    def _at_edge(self, wanted: bytes, *, whole: bool) -> Mask:
        lengths = np.diff(self.offsets)
        rows = np.flatnonzero(lengths == len(wanted) if whole else lengths >= len(wanted))
        for place, byte in enumerate(wanted):
            rows = rows[self.data.take(self.offsets.take(rows) + place) == byte]
        return self._mask(rows)

    def _containing(self, wanted: bytes) -> Mask:
        size = self.data.size - len(wanted) + 1
        if size <= 0:
            return np.zeros(self.count, np.bool_)
        places = np.flatnonzero(self.data[:size] == wanted[0])
        for place, byte in enumerate(wanted[1:], 1):
            places = places[self.data.take(places + place) == byte]
        rows = np.searchsorted(self.offsets, places, side="right") - 1
        inside = places + len(wanted) <= self.offsets.take(rows + 1)
        return self._mask(rows[inside])


_PIECE = re.compile(r"(?P<wild>[%_])|\\(?P<taken>.)|(?P<plain>.)", re.DOTALL)


def _literal_pieces(pattern: str) -> list[str]:
    """The texts between the wildcards of a pattern."""
    letters = ("\0" if found["wild"] else found["taken"] or found["plain"] for found in _PIECE.finditer(pattern))
    return "".join(letters).split("\0")


def like_expression(pattern: str) -> str:
    """A pattern as a regular expression."""
    wild = {"%": ".*", "_": "."}
    parts = _PIECE.finditer(pattern)
    return "".join(wild.get(found["wild"] or "") or re.escape(found["taken"] or found["plain"]) for found in parts)
