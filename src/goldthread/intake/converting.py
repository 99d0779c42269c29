"""Workbooks, JSON, Parquet and pages of HTML as delimited text: ``python -m goldthread.intake.converting FORMAT FILE
FOLDER LIMIT``.

Runs as a process of its own with bounded memory, time and output, and reports on its standard output, as JSON, which
tables it wrote or what was wrong. Values that have a type are written so that they can be read in one way only: dates
as ISO 8601, numbers with a point and never with exactly three decimals.
"""

from __future__ import annotations

import csv
import itertools
import json
import sys
import zipfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import partial
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import ijson
import pyarrow
import python_calamine
from pyarrow import ArrowException, parquet

from goldthread.intake.bounds import bound_this_process
from goldthread.intake.encodings import UTF_8, WINDOWS, encoding_of
from goldthread.intake.objects import Flattening, Unconvertible, broken, records_of
from goldthread.intake.typed import typed_text
from goldthread.intake.zeros import widths_of_zeros

_ROWS_PER_BATCH = 10_000
_COLUMNS_MOST = 2_000
_PAGE_BYTES_MOST = 64 << 20


def main(arguments: Sequence[str]) -> None:
    """Convert, and report on standard output."""
    form, path, folder, limit = arguments[0], Path(arguments[1]), Path(arguments[2]), int(arguments[3])
    bound_this_process(limit, path.stat().st_size)
    convert = {"workbook": _workbook, "json": _json, "parquet": _parquet, "page": _page}[form]
    try:
        event: dict[str, Any] = {"tables": convert(path, folder, limit)}
    except Unconvertible as error:
        event = {"problem": error.problem, "remedy": error.remedy}
    except OSError as error:
        event = {"problem": f"It could not be unpacked ({error.strerror}).", "remedy": "Import it as CSV, in parts."}
    except MemoryError:
        event = {"problem": "It needs too much memory.", "remedy": "Save the table as CSV (UTF-8)."}
    sys.stdout.write(json.dumps(event))


def _write(path: Path, rows: Iterable[Sequence[str]]) -> int:
    """Write rows, blank ones included so that their numbers stay; how many were filled."""
    filled = 0
    with path.open("w", encoding="utf-8", newline="") as out:
        write = csv.writer(out)
        for row in rows:
            filled += any(row)
            write.writerow(row)
    return filled


def _hold(rows: int, columns: int, limit: int) -> None:
    """Raises `Unconvertible` for what cannot fit: a cell takes a byte at least, and a row one more."""
    if rows * (columns + 1) > limit:
        raise Unconvertible(
            f"Its {rows} rows take more than {limit >> 20} MiB.",
            "Export it in parts, leave columns out, or raise unpacked_limit_mib in the settings.",
        )


def _workbook(path: Path, folder: Path, limit: int) -> list[tuple[str, str]]:
    _check_size(path, limit)
    tables = []
    try:
        with python_calamine.CalamineWorkbook.from_path(path) as book:
            widths = dict(enumerate(widths_of_zeros(path)))
            sheets = [
                (place, sheet)
                for place, sheet in enumerate(book.sheets_metadata)
                if sheet.typ is python_calamine.SheetTypeEnum.WorkSheet
            ]
            shown = [each for each in sheets if each[1].visible is python_calamine.SheetVisibleEnum.Visible]
            for place, sheet in shown or sheets:
                rows = _sheet_rows(book.get_sheet_by_index(place), widths.get(place, {}))
                if _write(folder / f"{place}.csv", rows):
                    tables.append((sheet.name, f"{place}.csv"))
    except python_calamine.PasswordError:
        raise Unconvertible("The workbook is locked.", "Save it without a password.") from None
    except (python_calamine.CalamineError, ValueError) as error:
        raise Unconvertible(f"The workbook is damaged ({error}).", "Save it again, or as CSV (UTF-8).") from None
    if not tables:
        raise Unconvertible("No sheet of the workbook has a filled row.", "Choose another file.")
    return tables


def _check_size(path: Path, limit: int) -> None:
    """Read every part of the archive once, so that what it says of its size is true."""
    if not zipfile.is_zipfile(path):
        return
    left = limit
    try:
        with zipfile.ZipFile(path) as archive:
            for member in archive.infolist():
                with archive.open(member) as content:
                    while piece := content.read(1 << 20):
                        left -= len(piece)
                        if left < 0:
                            raise Unconvertible(
                                f"It unpacks to more than {limit >> 20} MiB.", "Save the table as CSV, in parts."
                            )
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as error:
        raise Unconvertible(f"The workbook is damaged ({error}).", "Save it again, or as CSV (UTF-8).") from None


def _sheet_rows(sheet: python_calamine.CalamineSheet, widths: Mapping[int, int]) -> Iterator[list[str]]:
    """The cells as texts; ``widths`` says with how many digits the numbers of some columns are shown."""
    first = (sheet.start or (0, 0))[1] if widths else 0
    for row in sheet.iter_rows():
        cells = [typed_text(value) for value in row]
        for place, width in widths.items():
            if 0 <= place - first < len(row) and isinstance(row[place - first], (int, float)):
                cells[place - first] = cells[place - first].zfill(width)
        yield cells


def _json(path: Path, folder: Path, _limit: int) -> list[tuple[str, str]]:
    """A list of objects, wherever it stands, objects by their numbers, columns of arrays, or one object a line."""
    try:
        _write(folder / "0.csv", Flattening(records_of(path)).rows())
    except (ijson.JSONError, UnicodeDecodeError, RecursionError):
        raise broken(path) from None
    return [("", "0.csv")]


def _parquet(path: Path, folder: Path, limit: int) -> list[tuple[str, str]]:
    try:
        file = parquet.ParquetFile(path)
        _hold(file.metadata.num_rows, len(file.schema_arrow.names), limit)
        if any(pyarrow.types.is_nested(kind) for kind in file.schema_arrow.types):
            batches = partial(file.iter_batches, _ROWS_PER_BATCH)
            rows = Flattening(lambda: itertools.chain.from_iterable(batch.to_pylist() for batch in batches())).rows()
        else:
            rows = itertools.chain([file.schema_arrow.names], _plain_rows(file))
        _write(folder / "0.csv", rows)
    except (ArrowException, ValueError) as error:
        raise Unconvertible(f"It is not a readable Parquet file ({error}).", "Export it again.") from None
    return [("", "0.csv")]


def _plain_rows(file: parquet.ParquetFile) -> Iterator[Sequence[str]]:
    for batch in file.iter_batches(_ROWS_PER_BATCH):
        for row in zip(*(column.to_pylist() for column in batch.columns), strict=True):
            yield [typed_text(value) for value in row]


class _Tables(HTMLParser):
    """The tables of a page, as rows of texts; a cell over several columns is followed by blank ones."""

    def __init__(self) -> None:
        super().__init__()
        self.tables: list[list[list[str]]] = []
        self._cell: list[str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "table":
            self.tables.append([])
        elif tag == "tr" and self.tables:
            self.tables[-1].append([])
        elif tag in ("td", "th") and self.tables and self.tables[-1]:
            self.tables[-1][-1].append("")
            span = dict(attrs).get("colspan") or ""
            more = min(int(span) - 1, _COLUMNS_MOST) if span.isdecimal() and int(span) > 1 else 0
            self.tables[-1][-1].extend([""] * more)
            self._cell = []
            self._place = len(self.tables[-1][-1]) - 1 - more
        elif tag == "br" and self._cell is not None:
            self._cell.append(" ")

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th") and self._cell is not None:
            self.tables[-1][-1][self._place] = " ".join("".join(self._cell).split())
            self._cell = None

    def handle_data(self, data: str) -> None:
        if self._cell is not None:
            self._cell.append(data)


def _page(path: Path, folder: Path, limit: int) -> list[tuple[str, str]]:
    """The tables of an HTML page, as programs write them that call it a workbook."""
    content = path.read_bytes()
    if len(content) > min(limit, _PAGE_BYTES_MOST):
        raise Unconvertible("It is a page of HTML, and too large for one.", "Save the table as CSV (UTF-8) or XLSX.")
    try:
        encoding = encoding_of(content, is_whole=True) or UTF_8
    except UnicodeDecodeError:
        encoding = WINDOWS
    parser = _Tables()
    parser.feed(content.decode(encoding, errors="replace"))
    parser.close()
    tables = []
    for place, rows in enumerate(parser.tables):
        if _write(folder / f"{place}.csv", rows):
            tables.append((f"Table {place + 1}", f"{place}.csv"))
    if not tables:
        raise Unconvertible("It is a page of HTML without a table.", "Export the table itself, as CSV or XLSX.")
    return tables if len(tables) > 1 else [("", tables[0][1])]


if __name__ == "__main__":
    main(sys.argv[1:])
