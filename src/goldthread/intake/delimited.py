"""Delimited text (RFC 4180 and its everyday variants) as a header and numbered rows."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import operator
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from goldthread.core.records import Problem
from goldthread.errors import UnreadableFile

DELIMITERS = (",", ";", "\t", "|")
UTF_8, UTF_16, WINDOWS = "utf-8-sig", "utf-16", "cp1252"
FIRST_ROWS = 8
COLUMNS_LIMIT = 500
CELL_LIMIT = 100_000
_LOOK_BYTES = 1 << 16
_SIGNATURES = {
    b"PK\x03\x04": "a spreadsheet or zip file",
    b"\xd0\xcf\x11\xe0": "an old spreadsheet file",
    b"\x1f\x8b": "a gzip file",
    b"PAR1": "a Parquet file",
    b"%PDF": "a PDF file",
}
_WIDE_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)


@dataclass(frozen=True)
class DelimitedFile:
    """A file that was looked at: its header, how it separates cells, and about how many rows follow."""

    path: Path
    encoding: str
    delimiter: str
    header: tuple[str, ...]
    first_rows: tuple[tuple[str, ...], ...]
    row_estimate: int


@dataclass(frozen=True)
class RawRows:
    """Some rows of a file, all as wide as the header; ``numbers`` are their places, the header being 1."""

    numbers: list[int]
    cells: list[list[str]]
    problems: list[Problem]


def look(path: Path) -> DelimitedFile:
    """Read the header and the first rows. Raises `UnreadableFile` with the reason when that cannot be done."""
    with path.open("rb") as file:
        start = file.read(_LOOK_BYTES)
    _refuse_other_formats(start)
    encoding = _encoding(path, start)
    delimiter = _delimiter(start.decode(encoding, errors="replace"))
    with _open(path, encoding) as text:
        reader = csv.reader(text, delimiter=delimiter, strict=True)
        header = _header(next(_told(reader, path), []))
        first: list[tuple[str, ...]] = []
        for row in _told(reader, path):
            if any(cell.strip() for cell in row):
                first.append(tuple(row))
            if len(first) == FIRST_ROWS:
                break
    if not first:
        raise UnreadableFile("The file has a header and no rows.", remedy="Export it again, with its rows.", row=1)
    return DelimitedFile(path, encoding, delimiter, header, tuple(first), _line_count(path) - 1)


def rows_of(file: DelimitedFile, size: int, advance: Callable[[int], None]) -> Iterator[RawRows]:
    """The rows in pieces of at most ``size``; ``advance`` is told how many rows are behind.

    Rows of another width than the header, and rows whose quotation marks do not fit, become problems. A quotation mark
    that is never closed stops the reading with `UnreadableFile`: what follows it can no longer be told apart.
    """
    with _open(file.path, file.encoding) as text:
        reader = csv.reader(text, delimiter=file.delimiter, strict=True)
        next(_told(reader, file.path))
        number, ended = 2, False
        while not ended:
            rows: list[list[str]] = []
            misquoted: Problem | None = None
            try:
                rows.extend(itertools.islice(reader, size))
                ended = len(rows) < size
            except UnicodeDecodeError:
                raise _not_utf8(file.path) from None
            except csv.Error as error:
                # the rows before the one at fault are in the list already; reading goes on after it
                misquoted = _misquoted(error, number + len(rows))
            yield _sifted(rows, number, len(file.header), misquoted)
            number += len(rows) + (misquoted is not None)
            advance(number - 2)


def _sifted(rows: list[list[str]], number: int, width: int, misquoted: Problem | None) -> RawRows:
    """Rows as wide as the header; blank ones are passed over, others told."""
    problems = [] if misquoted is None else [misquoted]
    if set(map(len, rows)) == {width} and not any(map(_is_blank, map(operator.itemgetter(0), rows))):
        return RawRows(list(range(number, number + len(rows))), rows, problems)
    sifted = RawRows([], [], problems)
    for place, row in enumerate(rows, number):
        if any(map(str.strip, row)):
            _take(sifted, row, place, width)
    return sifted


def _is_blank(cell: str) -> bool:
    return not cell or cell.isspace()


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


def file_value(row: list[str]) -> str:
    """The start of a row, for showing."""
    return " · ".join(row)[:200]


def _misquoted(error: csv.Error, number: int) -> Problem:
    if "unexpected end" in str(error) or "field larger" in str(error):
        raise UnreadableFile(
            f"A quotation mark in row {number} is never closed.",
            remedy='Close it, or double it ("") where it belongs to the text.',
            row=number,
        )
    return Problem(
        number,
        "",
        "",
        "A quotation mark stands inside a cell.",
        'Put the cell in quotation marks and double the ones inside ("").',
    )


def _told(reader: Iterator[list[str]], path: Path) -> Iterator[list[str]]:
    """Rows while looking: rows that are misquoted are passed over here, and told when the file is read."""
    while True:
        try:
            yield next(reader)
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
    while row and not row[-1].strip():
        row = row[:-1]
    if not row:
        raise UnreadableFile("The first row is empty.", remedy="Put the names of the columns in the first row.", row=1)
    if len(row) > COLUMNS_LIMIT:
        raise UnreadableFile(
            f"The file has {len(row)} columns; {COLUMNS_LIMIT} are the most.", remedy="Leave out the others.", row=1
        )
    names = tuple(name.strip() or f"column {place}" for place, name in enumerate(row, 1))
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise UnreadableFile(
            f"Several columns are called {', '.join(twice)}.", remedy="Give every column its own name.", row=1
        )
    return names


def _refuse_other_formats(start: bytes) -> None:
    if not start.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again.")
    for signature, name in _SIGNATURES.items():
        if start.startswith(signature):
            raise UnreadableFile(f"This is {name}, whatever its name says.", remedy="Save the table as CSV (UTF-8).")
    if b"\x00" in start and not start.startswith(_WIDE_MARKS):
        raise UnreadableFile("The file is not a text file.", remedy="Save the table as CSV (UTF-8).")


def _delimiter(start: str) -> str:
    line = start.lstrip("\r\n").splitlines()[0]
    outside = "".join(line.split('"')[::2])
    return max(DELIMITERS, key=lambda mark: (outside.count(mark), -DELIMITERS.index(mark)))


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
