"""Workbooks, JSON and Parquet as delimited text: ``python -m goldthread.intake.converting FORMAT FILE FOLDER LIMIT``.

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
from pathlib import Path
from typing import Any

import ijson
import python_calamine
from pyarrow import ArrowException, parquet

from goldthread.intake.bounds import bound_this_process
from goldthread.intake.typed import typed_text

_ROWS_PER_BATCH = 10_000
_COLUMNS_MOST = 2_000
_ROWS_MOST, _CELLS_MOST = 20_000_000, 200_000_000
_FLAT_DEPTH = 6
"""Objects inside objects become columns down to here; what is deeper stays one text."""
_DEPTH_MOST = 64


class Unconvertible(Exception):
    """A file that cannot be turned into tables: what is wrong, and what to do."""

    def __init__(self, problem: str, remedy: str) -> None:
        super().__init__(problem)
        self.problem, self.remedy = problem, remedy


def main(arguments: Sequence[str]) -> None:
    """Convert, and report on standard output."""
    form, path, folder, limit = arguments[0], Path(arguments[1]), Path(arguments[2]), int(arguments[3])
    bound_this_process(limit)
    convert = {"workbook": _workbook, "json": _json, "parquet": _parquet}[form]
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
    filled = cells = 0
    with path.open("w", encoding="utf-8", newline="") as out:
        write = csv.writer(out)
        for count, row in enumerate(rows, 1):
            filled += any(row)
            cells += len(row)
            _hold(count, cells)
            write.writerow(row)
    return filled


def _hold(rows: int, cells: int) -> None:
    if rows > _ROWS_MOST or cells > _CELLS_MOST:
        raise Unconvertible(
            f"It has more than {_ROWS_MOST} rows or {_CELLS_MOST} cells.", "Export it in parts, or leave columns out."
        )


def _workbook(path: Path, folder: Path, limit: int) -> list[tuple[str, str]]:
    _check_size(path, limit)
    tables = []
    try:
        with python_calamine.CalamineWorkbook.from_path(path) as book:
            for place, sheet in enumerate(book.sheets_metadata):
                if sheet.typ is not python_calamine.SheetTypeEnum.WorkSheet:
                    continue
                if _write(folder / f"{place}.csv", _sheet_rows(book.get_sheet_by_index(place))):
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


def _sheet_rows(sheet: python_calamine.CalamineSheet) -> Iterator[list[str]]:
    for row in sheet.iter_rows():
        yield [typed_text(value) for value in row]


def _json(path: Path, folder: Path, _limit: int) -> list[tuple[str, str]]:
    """An array of objects, an object that holds one, or one object a line; a list inside an object makes a row each."""
    columns: dict[str, None] = {}
    try:
        for row in _flat_rows(path):
            columns.update(dict.fromkeys(row))
            if len(columns) > _COLUMNS_MOST:
                raise Unconvertible(f"It has more than {_COLUMNS_MOST} fields.", "Leave out what is not needed.")
        if not columns:
            raise Unconvertible("It holds no list of objects.", "Export a list with one object per record.")
        rows = ([row.get(name, "") for name in columns] for row in _flat_rows(path))
        _write(folder / "0.csv", itertools.chain([list(columns)], rows))
    except (ijson.JSONError, UnicodeDecodeError, RecursionError) as error:
        raise Unconvertible(f"It is no JSON ({error}).", "Export it again.") from None
    return [("", "0.csv")]


def _flat_rows(path: Path) -> Iterator[dict[str, str]]:
    for record in _records(path):
        if not isinstance(record, Mapping):
            raise Unconvertible("It holds values where objects should stand.", "Export one object per record.")
        own = dict(_flat(record, "", 0))
        lists = [(name, value) for name, value in record.items() if _is_list_of_objects(value)]
        if not lists:
            yield own
        for name, items in lists[:1]:
            for item in items:
                yield own | dict(_flat(item, f"{name}.", 0))


def _is_list_of_objects(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(item, Mapping) for item in value)


def _flat(record: Mapping[str, Any], prefix: str, depth: int) -> Iterator[tuple[str, str]]:
    for name, value in record.items():
        if isinstance(value, Mapping) and depth < _FLAT_DEPTH:
            yield from _flat(value, f"{prefix}{name}.", depth + 1)
        elif not _is_list_of_objects(value):
            yield prefix + name, typed_text(value)


def _records(path: Path) -> Iterator[Any]:
    with path.open("rb") as file:
        prefix = _place_of_list(file)
        file.seek(0)
        yield from ijson.items(_shallow(ijson.parse(file, multiple_values=True)), prefix)


def _shallow(events: Iterable[tuple[str, str, Any]]) -> Iterator[tuple[str, str, Any]]:
    """The same events, as long as nothing is nested deeper than any export is."""
    depth = 0
    for event in events:
        depth += event[1] in ("start_map", "start_array")
        depth -= event[1] in ("end_map", "end_array")
        if depth > _DEPTH_MOST:
            raise Unconvertible(f"It is nested more than {_DEPTH_MOST} levels deep.", "Export one object per record.")
        yield event


def _place_of_list(file: Any) -> str:
    """Where the records stand: ``item`` in an array, ``name.item`` in an object that holds one, nothing for lines."""
    depth, objects = 0, 0
    for prefix, event, _value in ijson.parse(file, multiple_values=True):
        if event == "start_array" and depth <= 1:
            if objects and depth == 1 and _more_follow(file):
                return ""
            return f"{prefix}.item" if prefix else "item"
        if event == "start_map":
            objects += depth == 0
            if objects > 1:
                return ""
        depth += event in ("start_map", "start_array")
        depth -= event in ("end_map", "end_array")
    return ""


def _more_follow(file: Any) -> bool:
    """Whether the first line is an object by itself and another follows: one object a line."""
    place = file.tell()
    file.seek(0)
    try:
        first, second = file.readline(), file.readline()
        return bool(second.strip()) and isinstance(json.loads(first), dict)
    except ValueError:
        return False
    finally:
        file.seek(place)


def _parquet(path: Path, folder: Path, _limit: int) -> list[tuple[str, str]]:
    try:
        file = parquet.ParquetFile(path)
        names = file.schema_arrow.names
        _hold(file.metadata.num_rows, file.metadata.num_rows * len(names))
        rows = (
            [typed_text(value) for value in row]
            for batch in file.iter_batches(_ROWS_PER_BATCH)
            for row in zip(*(column.to_pylist() for column in batch.columns), strict=True)
        )
        _write(folder / "0.csv", itertools.chain([names], rows))
    except (ArrowException, ValueError) as error:
        raise Unconvertible(f"It is not a readable Parquet file ({error}).", "Export it again.") from None
    return [("", "0.csv")]


if __name__ == "__main__":
    main(sys.argv[1:])
