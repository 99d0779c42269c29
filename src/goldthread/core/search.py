"""Find customers by any part of what they can be found by, while somebody types.

All folded texts lie in one run of bytes, a line for each customer, each part of it after a tab. For every two, three
and four neighbouring bytes a map shows in which blocks of lines they occur (all share a table of hashed places, so a
block may be named in vain, never missed). A search looks only into blocks that have all of them for all its words,
stops when it has seen enough, and ranks what it found: the whole text, then the beginning of a part, then the beginning
of a word, then any place.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.texts import TextColumn

PART, WORD, END = b"\t", b" ", b"\n"
_BLOCK_LINES = 64
_RUN_BLOCKS = 32
_TABLE_BITS = 14
_FACTORS = {2: 2_654_435_761, 3: 2_246_822_519, 4: 3_266_489_917}
_SAMPLED_BLOCKS = 8
_BLOCKS_AT_ONCE = 512
SEEN_ENOUGH = 400


@dataclass(frozen=True, eq=False)
class SearchIndex:
    """Where neighbouring bytes occur.

    ``lines``: the folded texts. Each begins with a tab, so that the beginning of a part is found as a text, and ends
    with a line feed.
    ``blocks``: uint8, shape (2 ** 14, blocks / 8); bit b of row h: block b has neighbours with the hash h.
    """

    lines: TextColumn
    blocks: NDArray[np.uint8]

    @classmethod
    def of(cls, lines: TextColumn) -> SearchIndex:
        """Index folded lines; one pass over their bytes."""
        count = -(-lines.count // _BLOCK_LINES)
        blocks = np.zeros((1 << _TABLE_BITS, -(-max(count, 1) // 8)), np.uint8)
        for first in range(0, count, _BLOCKS_AT_ONCE):
            last = min(first + _BLOCKS_AT_ONCE, count)
            seen = np.zeros((last - first, 1 << _TABLE_BITS), np.bool_)
            for block in range(first, last):
                text = lines.data[_bytes_of(lines, block, block + 1)].astype(np.uint32)
                seen[block - first, _hashes(text)] = True
            packed = np.packbits(seen, axis=0, bitorder="little")
            blocks[:, first // 8 : first // 8 + packed.shape[0]] = packed.T
        return cls(lines, blocks)

    def find(self, folded: str, limit: int) -> list[int]:
        """The best rows for a folded search text, best first; all of its words must occur."""
        words = [word.encode() for word in folded.split()]
        if not words:
            return []
        ranked = ((-self._rank(row, words, folded.encode()), row) for row in self._rows(words))
        return [row for _, row in heapq.nsmallest(limit, ranked)]

    def _rows(self, words: list[bytes]) -> Iterator[int]:
        """Rows that have every word: all of them, or when they are many, some and some that begin with the first."""
        rows = list(islice(self._with(words), SEEN_ENOUGH))
        if len(rows) == SEEN_ENOUGH:
            begins = list(islice(self._with([PART + WORD.join(words)]), SEEN_ENOUGH))
            if len(begins) < SEEN_ENOUGH:
                begins += islice(self._with([PART + words[0], *words[1:]]), SEEN_ENOUGH)
            rows = sorted({*rows, *begins})
        yield from rows

    def _with(self, words: list[bytes]) -> Iterator[int]:
        candidates = self._candidates(words)
        rarest = self._rarest(words, candidates)
        for first, last in _runs(candidates):
            text = self._text(first, last)
            row, counted = first * _BLOCK_LINES, 0
            at = text.find(rarest)
            while at >= 0:
                begins, ends = text.rfind(END, 0, at) + 1, text.find(END, at)
                if all(text.find(word, begins, ends) >= 0 for word in words):
                    row, counted = row + text.count(END, counted, begins), begins
                    yield row
                at = text.find(rarest, ends)

    def _rarest(self, words: list[bytes], candidates: NDArray[np.int64]) -> bytes:
        """The word that occurs least often in a few of the blocks."""
        sample = candidates[:: candidates.size // _SAMPLED_BLOCKS + 1].tolist()
        texts = [self._text(block, block + 1) for block in sample]
        return min(words, key=lambda word: sum(text.count(word) for text in texts))

    def _text(self, first: int, last: int) -> bytes:
        return self.lines.data[_bytes_of(self.lines, first, last)].tobytes()

    def _candidates(self, words: list[bytes]) -> NDArray[np.int64]:
        texts = [np.frombuffer(word, np.uint8).astype(np.uint32) for word in words]
        hashes = np.unique(np.concatenate([_hashes(text) for text in texts]))
        count = -(-self.lines.count // _BLOCK_LINES)
        common = np.bitwise_and.reduce(self.blocks[hashes], axis=0, initial=0xFF)
        return np.flatnonzero(np.unpackbits(common, count=count, bitorder="little"))

    def _rank(self, row: int, words: list[bytes], whole: bytes) -> int:
        line = self.lines.data[self.lines.offsets[row] : self.lines.offsets[row + 1]].tobytes()
        parts = line.split(PART)
        score = 100 * (whole in parts) + 40 * any(part.startswith(whole) for part in parts)
        for word in words:
            score += 8 if PART + word in line else 4 if WORD + word in line else 0
        return score


def _runs(blocks: NDArray[np.int64]) -> Iterator[tuple[int, int]]:
    """Neighbouring blocks together: the first of a run and the one after its last."""
    if blocks.size == 0:
        return
    begins = np.append(True, (blocks[1:] != blocks[:-1] + 1) | (blocks[1:] % _RUN_BLOCKS == 0))
    starts = np.flatnonzero(begins)
    ends = np.append(starts[1:], blocks.size) - 1
    yield from zip(blocks.take(starts).tolist(), (blocks.take(ends) + 1).tolist(), strict=True)


def _bytes_of(lines: TextColumn, first: int, last: int) -> slice:
    end = min(last * _BLOCK_LINES, lines.count)
    return slice(int(lines.offsets[first * _BLOCK_LINES]), int(lines.offsets[end]))


def _hashes(text: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Table places of every two, three and four neighbouring bytes."""
    shift = np.uint32(32 - _TABLE_BITS)
    packed, places = text, []
    for length, factor in _FACTORS.items():
        packed = (packed[:-1] << np.uint32(8)) | text[length - 1 :]
        places.append((packed * np.uint32(factor)) >> shift)
    both: NDArray[np.uint32] = np.concatenate(places)
    return both
