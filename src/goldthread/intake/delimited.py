"""Delimited text (RFC 4180 and its everyday variants) as a header and numbered rows."""

from __future__ import annotations

import csv
import hashlib
import itertools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from goldthread.core.records import HIDDEN, Problem
from goldthread.errors import UnreadableFile
from goldthread.intake.dates import is_date
from goldthread.intake.encodings import UTF_8, encoding_of, not_utf8
from goldthread.intake.layout import (
    LETTERS_OF_SUMS,
    RULES,
    above_in_names,
    file_value,
    fill_down,
    header_place,
    is_another_header,
    is_note,
    is_rule,
    is_sum,
    is_units,
    numbered,
    passed_over,
    speaks_of_sums,
)
from goldthread.intake.lines import CELL_LIMIT, Lines, Quoting, form_inside, form_of, open_text
from goldthread.intake.matching import known_names
from goldthread.intake.values import has_decimals

FIRST_ROWS = 8
ROWS_PER_PIECE = 20_000
"""Rows that are read and checked at once, at most."""
COLUMNS_LIMIT = 500
CELLS_LIMIT = 20_000
"""Cells of one row: more than any spreadsheet has columns."""
_PIECE_CHARACTERS = 1 << 24
_ROWS_AT_ONCE = 500
_LOOK_BYTES = 1 << 16
_LOOKED_AT = 430
_LOOKED_AT_CHARACTERS = 1 << 20
"""Rows of a look, and characters after which it takes no more than a few."""
_LOOKED_AT_LEAST = 40
_MANY_BLANKS, _FEW_SHORT = 0.3, 0.05


@dataclass
class Passed:
    """What is known of a file when all of it has passed: the SHA-256 of its bytes."""

    digest: str = ""


@dataclass(frozen=True)
class DelimitedFile:
    """A file that was looked at: its header, how it separates cells, and about how many rows follow.

    ``first_numbers`` are the places of the ``first_rows``; ``sample`` are these and some hundred more, to guess from.

    The header stands in row ``header_row``, counted from 1; what stands above it is not read. ``typed`` when its
    numbers and dates were written by us from values that had a type, as in a spreadsheet. ``ragged``: rows end with
    their last filled cell. ``begins_with_words``: the first column holds several words, as names do, so that a row that
    has nothing else is no note. ``digest`` is known, and ``row_estimate`` exact, when all rows have been gone through
    (`goldthread.intake.surveying`).
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
    quoting: Quoting = Quoting.USUAL
    ragged: bool = False
    begins_with_words: bool = False
    digest: str = ""


@dataclass(frozen=True)
class RawRows:
    """Some rows of a file, all as wide as the header; ``numbers`` are their places, the header being 1."""

    numbers: list[int]
    cells: list[list[str]]
    problems: list[Problem]

    @cached_property
    def _columns(self) -> list[tuple[str, ...]]:
        return list(zip(*self.cells, strict=True))

    def column(self, place: int) -> Sequence[str]:
        """The cells of one column."""
        return self._columns[place] if self.cells else ()


def look(path: Path, typed: bool = False, encoding: str = "") -> DelimitedFile:
    """Read the header and the first rows. Raises `UnreadableFile` with the reason when that cannot be done.

    ``encoding`` where it is known; it is found by the beginning of the file otherwise.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        start = file.read(_LOOK_BYTES)
    if not start.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again.")
    try:
        found = encoding or (UTF_8 if typed else encoding_of(start, is_whole=size <= _LOOK_BYTES))
    except UnicodeDecodeError:
        raise not_utf8(path) from None
    if found is None:
        raise UnreadableFile("The file is not a text file.", remedy="Save the table as CSV (UTF-8).")
    text = start.decode(found, errors="replace")
    is_whole = size <= _LOOK_BYTES
    delimiter, quoting = form_inside(text, is_whole) if typed else form_of(text, is_whole=is_whole)
    with open_text(path, found) as opened:
        rows = _first_of(Lines(opened), delimiter, quoting, path, found)
    place = header_place(rows)
    if place is None:
        raise UnreadableFile("The file has no filled row.", remedy="Export it again.")
    header = _header(above_in_names(rows, place))
    below = [at for at in range(place + 1, len(rows)) if any(cell.strip() for cell in rows[at])]
    records = [at for at in below if not _is_no_record(rows[at], at == place + 1, len(header))]
    filled = records or below
    sample, numbers = tuple(tuple(rows[at]) for at in filled), tuple(at + 1 for at in filled[:FIRST_ROWS])
    first = sample[:FIRST_ROWS]
    if not first:
        raise UnreadableFile("The file has a header and no rows.", remedy="Export it again, with its rows.", row=1)
    _hold_names(header)
    widths = [len(row) for row in sample]
    ragged = max(widths) <= len(header) and sum(width < len(header) for width in widths) > _FEW_SHORT * len(widths)
    worded = sum(" " in row[0].strip() for row in sample) > _FEW_SHORT * len(sample)
    estimate = max(line_estimate(start, size) - place - 1, 1)
    written = (path, found, delimiter, header, place + 1)
    return DelimitedFile(*written, first, numbers, sample, estimate, typed, quoting, ragged, worded)


def line_estimate(start: bytes, size: int) -> int:
    """About how many lines a file of so many bytes has that begins so."""
    return int(size / max(len(start), 1) * (start.count(b"\n") or start.count(b"\r")))


def _hold_names(header: Sequence[str]) -> None:
    """Raises `UnreadableFile` for a first row of values: no name is known, and dates or amounts stand among them."""
    values = [cell for cell in header if is_date(cell) or has_decimals(cell)]
    if values and not known_names(header):
        raise UnreadableFile(
            f"The first row has no names of columns: “{values[0]}” is a value.",
            remedy="Put the names of the columns in the first row, such as order number, customer, date, amount.",
            row=1,
        )


def _is_no_record(row: list[str], is_first: bool, width: int) -> bool:
    """Whether a row is a total, a rule, a note, or says in what the columns are counted."""
    return is_sum(row) or is_rule(row) or is_note(row, width) or (is_first and is_units(row))


def _first_of(lines: Lines, delimiter: str, quoting: Quoting, path: Path, encoding: str) -> list[list[str]]:
    rows: list[list[str]] = []
    for row in _plain_value(lines.reader(delimiter, quoting, strict=True), path, encoding):
        rows.append(row)
        if len(rows) >= (_LOOKED_AT if lines.characters < _LOOKED_AT_CHARACTERS else _LOOKED_AT_LEAST):
            break
    return rows


def rows_of(
    file: DelimitedFile,
    size: int,
    advance: Callable[[int], None],
    merged: Sequence[str] = (),
    passed: Passed | None = None,
) -> Iterator[RawRows]:
    """The rows in pieces of at most ``size``; ``advance`` is called with how many rows are done. In the columns of
    ``merged`` a blank cell has the text of the one above it.

    ``passed`` is filled in when all of the file has passed. Rows of another width than the header, and rows whose
    quotation marks do not fit, become problems. A quotation mark that is never closed stops the reading with
    `UnreadableFile`: what follows it can no longer be told apart. Raises `UnicodeDecodeError` where the file is not
    written as its beginning was.
    """
    last = {file.header.index(name): "" for name in merged}
    after_blank = False
    digest = hashlib.sha256()
    with open_text(file.path, file.encoding, None if passed is None else digest.update) as text:
        lines = Lines(text)
        reader = lines.reader(file.delimiter, file.quoting, strict=True)
        for _ in range(file.header_row):
            next(_plain_value(reader, file.path, file.encoding))
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
            except csv.Error as error:
                # the rows before the one at fault are in the list already; reading goes on after it
                misquoted = _misquoted(error, number + len(rows))
            is_first = number == file.header_row + 1
            if file.ragged:
                rows = [[*row, *[""] * (len(file.header) - len(row))] if row else row for row in rows]
            sifted = _sifted(rows, number, file, misquoted, after_blank=after_blank, is_first=is_first)
            after_blank = bool(rows) and not any(map(str.strip, rows[-1]))
            if last:
                fill_down(sifted.cells, last)
            yield sifted
            number += len(rows) + (misquoted is not None)
            advance(number - file.header_row - 1)
    if passed is not None:
        passed.digest = digest.hexdigest()


def rows_at(file: DelimitedFile, numbers: Sequence[int]) -> Iterator[tuple[int, Sequence[str]]]:
    """The cells of some rows as they stand in the file, by their numbers in ascending order."""
    wanted = iter(numbers)
    number = next(wanted, None)
    with open_text(file.path, file.encoding) as text:
        for place, row in enumerate(Lines(text).reader(file.delimiter, file.quoting, strict=False), 1):
            if number is None:
                return
            if place == number:
                yield number, row
                number = next(wanted, None)


def _sifted(
    rows: list[list[str]],
    number: int,
    file: DelimitedFile,
    misquoted: Problem | None,
    *,
    after_blank: bool,
    is_first: bool,
) -> RawRows:
    """Rows as wide as the header; blank ones, rules, and the header again, as pages of a report have it, are passed
    over, and totals, notes and units with a word. Raises `UnreadableFile` where another table begins."""
    problems = [] if misquoted is None else [misquoted]
    header = file.header
    width, blanks = len(header), _MANY_BLANKS * len(header)
    if set(map(len, rows)) == {width} and not is_first:
        columns = list(zip(*rows, strict=True))
        firsts = set(columns[0])
        is_odd = (
            header[0] in firsts
            or not all(map(str.strip, firsts))
            or any(is_rule((first,)) for first in firsts if first[:1] in RULES)
            or (LETTERS_OF_SUMS.search("\n".join(firsts)) is not None and any(map(speaks_of_sums, firsts)))
            or (any("" in column for column in columns) and any(row.count("") >= blanks for row in rows))
        )
        if not is_odd:
            return RawRows(list(range(number, number + len(rows))), rows, problems)
    sifted = RawRows([], [], problems)
    for place, row in enumerate(rows, number):
        is_empty = not any(map(str.strip, row))
        if is_empty or _is_header(row, header):
            pass
        elif is_rule(row):
            problems.append(passed_over(place, row, "draws a line"))
        elif is_sum(row):
            problems.append(passed_over(place, row, "is a total of others"))
        elif is_first and place == number and is_units(row):
            problems.append(passed_over(place, row, "says in what the columns are counted"))
        elif not file.begins_with_words and is_note(row, width):
            problems.append(passed_over(place, row, "is a note and no record"))
        elif (after_blank or len(row) != width) and is_another_header(row):
            raise UnreadableFile(
                f"Another table begins in row {place}, with the columns {', '.join(filter(None, row))[:120]}.",
                remedy="Save each table as a file of its own.",
                row=place,
            )
        else:
            _take(sifted, row, place, width)
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
            f"The row has {_cells(len(row))} where the header has {width}.",
            "Check for a missing or an unquoted separator.",
        )
    )


def _cells(count: int) -> str:
    return "1 cell" if count == 1 else f"{count} cells"


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


def _plain_value(reader: Iterator[list[str]], path: Path, encoding: str = UTF_8) -> Iterator[list[str]]:
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
            if encoding != UTF_8:
                raise not_utf8(path) from None
            # found again, and mended or told, when all rows are gone through
            return
        except csv.Error as error:
            _misquoted(error, 1)


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
    return numbered(name or f"column {place}" for place, name in enumerate(seen, 1))
