"""The lines of a text file, and how they come apart into rows: what separates cells, and how text in them is quoted."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from pathlib import Path
from typing import Any

from goldthread.errors import UnreadableFile
from goldthread.intake.matching import known_names

DELIMITERS = (",", ";", "\t", "|")
CELL_LIMIT = 100_000
LINE_LIMIT = 1 << 20
"""Characters of one cell, and of one line."""
_BUFFER_BYTES = 1 << 18
_TITLE_ROWS = 30
_SEEN_LINES, _FEW_MISQUOTED = 60, 0.6


class Quoting(StrEnum):
    """How a file writes text that has its separator or quotation marks inside.

    ``USUAL``: in quotation marks, doubled inside (RFC 4180). ``ESCAPED``: marks inside have a backslash before them.
    ``NONE``: quotation marks are part of the text. ``NESTED``: every row is one cell in quotation marks, with rows of
    the usual kind inside.
    """

    USUAL = "usual"
    ESCAPED = "escaped"
    NONE = "none"
    NESTED = "nested"


class Lines:
    """The lines of a text, none of them longer than a table's line can be; ``characters`` are those behind."""

    def __init__(self, text: io.TextIOBase) -> None:
        self._text = text
        self.characters = 0

    def __iter__(self) -> Iterator[str]:
        number = 0
        while line := self._text.readline(LINE_LIMIT + 1):
            number += 1
            if len(line) > LINE_LIMIT:
                raise UnreadableFile(
                    f"Line {number} has more than {LINE_LIMIT} characters.",
                    remedy="Export the table with one line per row.",
                    row=number,
                )
            self.characters += len(line)
            yield line

    def reader(self, delimiter: str, quoting: Quoting, *, strict: bool) -> Iterator[list[str]]:
        """The rows in these lines."""
        if quoting is Quoting.NONE:
            return csv.reader(self, delimiter=delimiter, quoting=csv.QUOTE_NONE)
        if quoting is Quoting.ESCAPED:
            return csv.reader(self, delimiter=delimiter, escapechar="\\", strict=strict)
        if quoting is Quoting.NESTED:
            inside = (
                row[0] if row and not any(row[1:]) else delimiter.join(row) for row in csv.reader(self, strict=strict)
            )
            return csv.reader(inside, delimiter=delimiter, strict=strict)
        return csv.reader(self, delimiter=delimiter, strict=strict)


def form_of(text: str, *, is_whole: bool) -> tuple[str, Quoting]:
    """What separates the cells of a text, and how it is quoted: what makes most rows alike, and names in one of
    them."""
    lines = text.splitlines(keepends=True)
    lines = lines if is_whole or len(lines) < 2 else lines[:-1]
    ways = [Quoting.USUAL]
    if '\\"' in text:
        ways.append(Quoting.ESCAPED)
    if '"' in text:
        ways += [Quoting.NONE, Quoting.NESTED]
    best: tuple[tuple[int, float, float], str, Quoting] | None = None
    for quoting in ways:
        for mark in DELIMITERS:
            score = _evenness(lines, mark, quoting)
            if best is None or score > best[0]:
                best = (score, mark, quoting)
    return (",", Quoting.USUAL) if best is None else best[1:]


def form_inside(text: str, is_whole: bool) -> tuple[str, Quoting]:
    """How a table that we wrote is read: as it is, unless each of its rows is one cell with a whole row inside."""
    lines = text.splitlines(keepends=True)
    lines = lines if is_whole or len(lines) < 2 else lines[:-1]
    rows = [row for row in csv.reader(lines[:_SEEN_LINES]) if any(row)]
    if any(len(list(filter(None, row))) > 1 for row in rows):
        return ",", Quoting.USUAL
    scores = {mark: _evenness(lines, mark, Quoting.NESTED) for mark in DELIMITERS}
    best = max(scores, key=lambda mark: scores[mark])
    return (best, Quoting.NESTED) if scores[best][0] > 1 else (",", Quoting.USUAL)


def _evenness(lines: Sequence[str], mark: str, quoting: Quoting) -> tuple[int, float, float]:
    """How well the first lines come apart: how many names a row has, how many rows are as wide as most, how wide."""
    rows: list[list[str]] = []
    wrong = 0
    reader = Lines(io.StringIO("".join(lines), newline="")).reader(mark, quoting, strict=True)
    while len(rows) + wrong < _SEEN_LINES:
        try:
            rows.append(next(reader))
        except StopIteration:
            break
        except (csv.Error, UnreadableFile):
            wrong += 1
    filled = [row for row in rows if any(map(str.strip, row))]
    if not filled:
        return 0, 0.0, 0.0
    names = max(map(known_names, filled[:_TITLE_ROWS]))
    width, count = max(Counter(map(len, filled)).items(), key=lambda each: (each[1] * (each[0] - 1), each[0]))
    even = count / (len(filled) + wrong)
    if quoting is Quoting.NONE:
        # quotation marks around whole cells are no part of them
        whole = sum(len(cell) > 1 and cell[0] == cell[-1] == '"' for row in filled for cell in (*row, mark.join(row)))
        even -= whole / (len(filled) + wrong) + (0 if mark == "\t" else _FEW_MISQUOTED)
    if quoting is Quoting.NESTED and mark in "".join(row[0] for row in filled if len(row) == 1):
        even = 0.0
    return (min(names, 2), even, float(width)) if width > 1 else (0, 0.0, 0.0)


class _Telling(io.RawIOBase):
    """A file that tells somebody of the bytes that are read."""

    def __init__(self, raw: io.RawIOBase, tell: Callable[[bytes], object]) -> None:
        self._raw, self._tell = raw, tell

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int | None:
        count = self._raw.readinto(buffer)
        if count:
            self._tell(bytes(memoryview(buffer)[:count]))
        return count

    def close(self) -> None:
        self._raw.close()
        super().close()


def open_text(path: Path, encoding: str, tell: Callable[[bytes], object] | None = None) -> io.TextIOWrapper:
    """A file as text; ``tell`` is told of its bytes as they are read."""
    csv.field_size_limit(CELL_LIMIT)
    if tell is None:
        return path.open(encoding=encoding, newline="")
    raw = _Telling(path.open("rb", buffering=0), tell)
    return io.TextIOWrapper(io.BufferedReader(raw, _BUFFER_BYTES), encoding=encoding, newline="")
