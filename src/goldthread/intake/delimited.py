"""Delimited text (RFC 4180 and its everyday variants) as a header and numbered rows."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import operator
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from goldthread.core.records import HIDDEN, Problem
from goldthread.errors import UnreadableFile
from goldthread.intake.layout import (
    TOTAL_OF,
    file_value,
    fill_down,
    is_another_header,
    is_blank,
    is_sum,
    is_total,
    passed_over,
)
from goldthread.intake.matching import known_names

DELIMITERS = (",", ";", "\t", "|")
UTF_8, UTF_16, WINDOWS = "utf-8-sig", "utf-16", "cp1252"
FIRST_ROWS = 8
ROWS_PER_PIECE = 20_000
"""Rows that are read and checked at once, at most."""
COLUMNS_LIMIT = 500
CELL_LIMIT = 100_000
LINE_LIMIT = 1 << 20
"""Characters of one line, and"""
CELLS_LIMIT = 20_000
"""cells of one row: more than any spreadsheet has columns."""
_PIECE_CHARACTERS = 1 << 24
_ROWS_AT_ONCE = 500
_LOOK_BYTES = 1 << 16
_TITLE_ROWS = 30
_LOOKED_AT = 430
_LOOKED_AT_CHARACTERS = 1 << 20
"""Rows of a look, and characters after which it takes no more than a few."""
_LOOKED_AT_LEAST = 40
_WIDE_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)


@dataclass(frozen=True)
class DelimitedFile:
    """A file that was looked at: its header, how it separates cells, and about how many rows follow.

    ``first_numbers`` are the places of the ``first_rows``; ``sample`` are these and some hundred more, to guess from.

    The header stands in row ``header_row``, counted from 1; what stands above it is not read. ``typed`` when its
    numbers and dates were written by us from values that had a type, as in a spreadsheet.
    """

    path: Path
    encoding: str
    delimiter: str
    header: tuple[str, ...]
    header_row: int
    first_rows: tuple[tuple[str, ...], ...]
    first_numbers: tuple[int, ...]
    sample: tuple[tuple[str, ...], ...]
    row_estimate: int
    typed: bool = False


@dataclass(frozen=True)
class RawRows:
    """Some rows of a file, all as wide as the header; ``numbers`` are their places, the header being 1."""

    numbers: list[int]
    cells: list[list[str]]
    problems: list[Problem]


def look(path: Path, typed: bool = False) -> DelimitedFile:
    """Read the header and the first rows. Raises `UnreadableFile` with the reason when that cannot be done."""
    with path.open("rb") as file:
        start = file.read(_LOOK_BYTES)
    if not start.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again.")
    if b"\x00" in start and not start.startswith(_WIDE_MARKS):
        raise UnreadableFile("The file is not a text file.", remedy="Save the table as CSV (UTF-8).")
    encoding = UTF_8 if typed else _encoding(path, start)
    delimiter = "," if typed else _delimiter(start.decode(encoding, errors="replace"))
    with _open(path, encoding) as text:
        rows = _first_of(_Lines(text), delimiter, path)
    place = _header_place(rows)
    header = _header(rows[place])
    below = [at for at in range(place + 1, len(rows)) if any(cell.strip() for cell in rows[at])]
    filled = [at for at in below if not is_sum(rows[at])] or below
    sample, numbers = tuple(tuple(rows[at]) for at in filled), tuple(at + 1 for at in filled[:FIRST_ROWS])
    first = sample[:FIRST_ROWS]
    if not first:
        raise UnreadableFile("The file has a header and no rows.", remedy="Export it again, with its rows.", row=1)
    estimate = max(_line_count(path) - place - 1, 1)
    return DelimitedFile(path, encoding, delimiter, header, place + 1, first, numbers, sample, estimate, typed)


def _first_of(lines: _Lines, delimiter: str, path: Path) -> list[list[str]]:
    rows: list[list[str]] = []
    for row in _plain_value(lines.reader(delimiter, strict=True), path):
        rows.append(row)
        if len(rows) >= (_LOOKED_AT if lines.characters < _LOOKED_AT_CHARACTERS else _LOOKED_AT_LEAST):
            break
    return rows


def _header_place(rows: Sequence[Sequence[str]]) -> int:
    """The first row that is not blank, unless only a later one has names that columns bear: titles stand above it."""
    filled = [place for place, row in enumerate(rows) if any(cell.strip() for cell in row)]
    if not filled:
        raise UnreadableFile("The file has no filled row.", remedy="Export it again.")
    first = filled[0]
    best = max(filled[:_TITLE_ROWS], key=lambda place: (known_names(rows[place]), -place))
    return best if known_names(rows[best]) >= 2 > known_names(rows[first]) else first


def rows_of(
    file: DelimitedFile, size: int, advance: Callable[[int], None], merged: Sequence[str] = ()
) -> Iterator[RawRows]:
    """The rows in pieces of at most ``size``; ``advance`` is called with how many rows are done. In the columns of
    ``merged`` a blank cell has the text of the one above it.

    Rows of another width than the header, and rows whose quotation marks do not fit, become problems. A quotation mark
    that is never closed stops the reading with `UnreadableFile`: what follows it can no longer be told apart.
    """
    last = {file.header.index(name): "" for name in merged}
    after_blank = False
    with _open(file.path, file.encoding) as text:
        lines = _Lines(text)
        reader = lines.reader(file.delimiter, strict=True)
        for _ in range(file.header_row):
            next(_plain_value(reader, file.path))
        number, ended = file.header_row + 1, False
        while not ended:
            rows: list[list[str]] = []
            misquoted: Problem | None = None
            until = lines.characters + _PIECE_CHARACTERS
            try:
                while not ended and len(rows) < size and lines.characters < until:
                    wanted = min(_ROWS_AT_ONCE, size - len(rows))
                    before = len(rows)
                    rows.extend(itertools.islice(reader, wanted))
                    ended = len(rows) - before < wanted
            except UnicodeDecodeError:
                raise _not_utf8(file.path) from None
            except csv.Error as error:
                # the rows before the one at fault are in the list already; reading goes on after it
                misquoted = _misquoted(error, number + len(rows))
            sifted = _sifted(rows, number, file.header, misquoted, after_blank=after_blank)
            after_blank = bool(rows) and not any(map(str.strip, rows[-1]))
            if last:
                fill_down(sifted.cells, last)
            yield sifted
            number += len(rows) + (misquoted is not None)
            advance(number - file.header_row - 1)


def rows_at(file: DelimitedFile, numbers: Sequence[int]) -> Iterator[tuple[int, Sequence[str]]]:
    """The cells of some rows as they stand in the file, by their numbers in ascending order."""
    wanted = iter(numbers)
    number = next(wanted, None)
    with _open(file.path, file.encoding) as text:
        for place, row in enumerate(_Lines(text).reader(file.delimiter, strict=False), 1):
            if number is None:
                return
            if place == number:
                yield number, row
                number = next(wanted, None)


def _sifted(
    rows: list[list[str]], number: int, header: tuple[str, ...], misquoted: Problem | None, *, after_blank: bool
) -> RawRows:
    """Rows as wide as the header; blank ones, totals, and the header again, as pages of a report have it, are passed
    over. Raises `UnreadableFile` where another table begins."""
    problems = [] if misquoted is None else [misquoted]
    if set(map(len, rows)) == {len(header)}:
        firsts = set(map(operator.itemgetter(0), rows))
        is_odd = header[0] in firsts or any(map(is_blank, firsts)) or any(map(is_total, firsts))
        if not is_odd and not any(first.casefold().startswith(TOTAL_OF) for first in firsts):
            return RawRows(list(range(number, number + len(rows))), rows, problems)
    sifted = RawRows([], [], problems)
    for place, row in enumerate(rows, number):
        is_empty = not any(map(str.strip, row))
        if is_empty or _is_header(row, header):
            pass
        elif is_sum(row):
            problems.append(passed_over(place, row))
        elif (after_blank or len(row) != len(header)) and is_another_header(row):
            raise UnreadableFile(
                f"Another table begins in row {place}, with the columns {', '.join(filter(None, row))[:120]}.",
                remedy="Save each table as a file of its own.",
                row=place,
            )
        else:
            _take(sifted, row, place, len(header))
        after_blank = is_empty
    return sifted


def _is_header(row: list[str], header: tuple[str, ...]) -> bool:
    return row[0].strip() == header[0] and tuple(cell.strip() for cell in row[: len(header)]) == header


def _take(piece: RawRows, row: list[str], number: int, width: int) -> None:
    if len(row) > width and not any(map(str.strip, row[width:])):
        row = row[:width]
    if len(row) == width:
        piece.numbers.append(number)
        piece.cells.append(row)
        return
    piece.problems.append(
        Problem(
            number,
            "",
            file_value(row),
            f"The row has {len(row)} cells where the header has {width}.",
            "Check for a missing or an unquoted separator.",
        )
    )


def _misquoted(error: csv.Error, number: int) -> Problem:
    if "field larger" in str(error):
        raise UnreadableFile(
            f"A cell in row {number} has more than {CELL_LIMIT} characters.",
            remedy="Look for a quotation mark that is never closed, or leave the column out.",
            row=number,
        )
    if "unexpected end" in str(error):
        raise UnreadableFile(
            f"A quotation mark in row {number} is never closed.",
            remedy='Close it, or duplicate it ("") where it belongs to the text.',
            row=number,
        )
    return Problem(
        number,
        "",
        "",
        "A quotation mark stands inside a cell.",
        'Put the cell in quotation marks and duplicate the ones inside ("").',
    )


class _Lines:
    """The lines of a text, none of them longer than a table's line can be; ``characters`` are those behind."""

    def __init__(self, text: io.TextIOWrapper) -> None:
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

    def reader(self, delimiter: str, *, strict: bool) -> Iterator[list[str]]:
        """The rows in these lines."""
        return csv.reader(self, delimiter=delimiter, strict=strict)


def _plain_value(reader: Iterator[list[str]], path: Path) -> Iterator[list[str]]:
    """Rows while looking: rows that are misquoted are passed over here, and reported when the file is read."""
    while True:
        try:
            row = next(reader)
            if len(row) > CELLS_LIMIT:
                raise UnreadableFile(
                    f"A row has {len(row)} cells; {CELLS_LIMIT} are the most.",
                    remedy="Check what separates the cells, or export fewer columns.",
                )
            yield row
        except StopIteration:
            return
        except UnicodeDecodeError:
            raise _not_utf8(path) from None
        except csv.Error as error:
            _misquoted(error, 1)


def _open(path: Path, encoding: str) -> io.TextIOWrapper:
    csv.field_size_limit(CELL_LIMIT)
    return path.open(encoding=encoding, newline="")


def _encoding(path: Path, start: bytes) -> str:
    """UTF-8, UTF-16 by its mark, or Windows-1252: the last only where not one character beyond ASCII is UTF-8.

    The whole file is read for it. Raises `UnreadableFile` for a file that mixes two encodings or is in none of these.
    """
    if start.startswith(_WIDE_MARKS):
        return UTF_16
    if _decodes(path, UTF_8):
        return UTF_8
    if _decodes(path, WINDOWS):
        return WINDOWS
    raise _not_utf8(path)


def _decodes(path: Path, encoding: str) -> bool:
    decoder = codecs.getincrementaldecoder(encoding)()
    beyond_ascii = False
    with path.open("rb") as file:
        try:
            while piece := file.read(1 << 20):
                beyond_ascii = not decoder.decode(piece).isascii() or beyond_ascii
            decoder.decode(b"", True)
        except UnicodeDecodeError as error:
            if encoding == UTF_8 and (beyond_ascii or not error.object[: error.start].isascii()):
                raise _not_utf8(path) from None
            return False
    return True


def _header(row: list[str]) -> tuple[str, ...]:
    filled = next((place for place in range(len(row), 0, -1) if row[place - 1].strip()), 0)
    row = row[:filled]
    if not row:
        raise UnreadableFile("The first row is empty.", remedy="Put the names of the columns in the first row.", row=1)
    if len(row) > COLUMNS_LIMIT:
        raise UnreadableFile(
            f"The file has {len(row)} columns; {COLUMNS_LIMIT} are the most.", remedy="Leave out the others.", row=1
        )
    seen = (" ".join(HIDDEN.sub(" ", name).split()) for name in row)
    names = tuple(name or f"column {place}" for place, name in enumerate(seen, 1))
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise UnreadableFile(
            f"Several columns are called {', '.join(twice)}.", remedy="Give every column its own name.", row=1
        )
    return names


def _delimiter(start: str) -> str:
    """The mark that separates most cells in one of the first lines, the first of them where they agree."""
    lines = ["".join(line.split('"')[::2]) for line in start.splitlines()[:_TITLE_ROWS] if line.strip()]
    if any(mark in lines[0] for mark in DELIMITERS):
        lines = lines[:1]
    return max(DELIMITERS, key=lambda mark: (max(line.count(mark) for line in lines), -DELIMITERS.index(mark)))


def _line_count(path: Path) -> int:
    """Lines of the file: the rows, when no cell holds a line break."""
    lines, last = 0, b"\n"
    with path.open("rb") as file:
        while piece := file.read(1 << 20):
            lines += piece.count(b"\n") or piece.count(b"\r")
            last = piece[-1:]
    return lines + (last not in b"\r\n")


def _not_utf8(path: Path) -> UnreadableFile:
    with path.open("rb") as file:
        for row, line in enumerate(file, 1):
            try:
                line.decode("utf-8-sig")
            except UnicodeDecodeError as error:
                bad = line[max(error.start - 12, 0) : error.end + 12].decode("utf-8", errors="replace").strip()
                return UnreadableFile(
                    f"Line {row} is not UTF-8 as the rest, nor is the file Windows-1252 (near “{bad}”).",
                    remedy="Save the file as UTF-8.",
                    row=row,
                )
    return UnreadableFile("The file is not written in UTF-8.", remedy="Save the file as UTF-8.")
