"""Objects as flat rows: which list of a JSON file holds its records, and how what is nested in them becomes columns.

The records are the objects of the list that has most of them; else the values of an object that has one under each
number; else the columns that stand as arrays beside each other; else arrays of cells, the first of them the header. A
list of objects inside a record makes a row of each of its entries; of several lists the one that most records fill.
"""

from __future__ import annotations

import codecs
import json
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any, cast

import ijson

from goldthread.intake.encodings import encoding_of
from goldthread.intake.typed import typed_text

Record = Mapping[str, Any]
_FLAT_DEPTH = 6
"""Objects inside objects become columns down to here; what is deeper stays one text."""
_DEPTH_MOST = 64
_COLUMNS_MOST = 2_000
_START_BYTES, _TOLD_BYTES = 1 << 16, 64 << 20
_FEWEST_KEYED = 2


class Unconvertible(Exception):
    """A file that cannot be turned into tables: what is wrong, and what to do."""

    def __init__(self, problem: str, remedy: str) -> None:
        super().__init__(problem)
        self.problem, self.remedy = problem, remedy


@contextmanager
def opened(path: Path) -> Iterator[IO[bytes]]:
    """A JSON file as UTF-8 without a mark, whatever it is written in."""
    with path.open("rb") as file:
        start = file.read(_START_BYTES)
        encoding = encoding_of(start, is_whole=len(start) < _START_BYTES) or "utf-8"
        file.seek(len(codecs.BOM_UTF8) if start.startswith(codecs.BOM_UTF8) else 0)
        yield cast("IO[bytes]", _AsUtf8(file, encoding)) if encoding.startswith("utf-16") else file


class _AsUtf8:
    """A file in UTF-16, read as UTF-8."""

    def __init__(self, file: IO[bytes], encoding: str) -> None:
        self._file, self._decode = file, codecs.getincrementaldecoder(encoding)().decode

    def read(self, size: int = -1) -> bytes:
        piece = self._file.read(size)
        text = self._decode(piece, not piece)
        # half a character is no end
        return text.encode() if text or not piece else self.read(size)


@dataclass
class _Places:
    """What stands where: objects in lists and under names, the lengths of arrays of values, arrays of arrays."""

    listed: Counter[str] = field(default_factory=Counter)
    keyed: Counter[str] = field(default_factory=Counter)
    arrays: Counter[str] = field(default_factory=Counter)
    nested: Counter[str] = field(default_factory=Counter)
    top: int = 0


def records_of(path: Path) -> Callable[[], Iterator[Record]]:
    """Where the records of a JSON file stand: a way to go through them, as often as is wanted."""
    places = _places(path)
    listed, keyed = _most(places.listed), _most(places.keyed)
    if places.top > 1:
        return lambda: _items(path, "")
    if listed and places.listed[listed] >= places.keyed[keyed]:
        return lambda: _items(path, listed)
    if keyed and places.keyed[keyed] >= _FEWEST_KEYED:
        return lambda: _keyed(path, "" if keyed == "." else keyed)
    if places.nested:
        rows = _most(places.nested)
        parent = rows.removesuffix(".item").rpartition(".")[0]
        names = [name for name in places.arrays if name.rpartition(".")[0] == parent]
        return lambda: _rows_of_arrays(path, rows, names)
    lengths = Counter(name.rpartition(".")[0] for name in places.arrays)
    parent = _most(lengths)
    if lengths[parent] > 1:
        return lambda: _of_columns(path, parent)
    if listed:
        return lambda: _items(path, listed)
    if places.arrays:
        raise Unconvertible("It holds values where objects should stand.", "Export one object per record.")
    if places.top:
        return lambda: _items(path, "")
    raise Unconvertible("It holds no list of objects.", "Export a list with one object per record.")


def _most(counts: Counter[str]) -> str:
    return counts.most_common(1)[0][0] if counts else ""


def _places(path: Path) -> _Places:
    places = _Places()
    depth, lists = 0, 0
    with opened(path) as file:
        for prefix, event, _value in _shallow(ijson.parse(file, multiple_values=True)):
            if event == "start_map":
                if depth == 0:
                    places.top += 1
                elif prefix.endswith("item") and lists == 1:
                    places.listed[prefix] += 1
                elif lists == 0:
                    places.keyed[prefix.rpartition(".")[0] or "."] += 1
            elif lists == 1 and event not in ("start_array", "end_array", "map_key", "end_map"):
                if prefix.endswith(".item"):
                    places.arrays[prefix.removesuffix(".item")] += 1
            elif event == "start_array" and lists == 1 and prefix.endswith("item"):
                places.nested[prefix] += 1
            depth += event in ("start_map", "start_array")
            depth -= event in ("end_map", "end_array")
            lists += event == "start_array"
            lists -= event == "end_array"
    return places


def _shallow(events: Iterable[tuple[str, str, Any]]) -> Iterator[tuple[str, str, Any]]:
    """The same events, as long as nothing is nested deeper than any export is."""
    depth = 0
    for event in events:
        depth += event[1] in ("start_map", "start_array")
        depth -= event[1] in ("end_map", "end_array")
        if depth > _DEPTH_MOST:
            raise Unconvertible(f"It is nested more than {_DEPTH_MOST} levels deep.", "Export one object per record.")
        yield event


def _items(path: Path, prefix: str) -> Iterator[Record]:
    with opened(path) as file:
        for item in ijson.items(_shallow(ijson.parse(file, multiple_values=True)), prefix):
            if not isinstance(item, Mapping):
                raise Unconvertible("It holds values where objects should stand.", "Export one object per record.")
            yield item


def _keyed(path: Path, parent: str) -> Iterator[Record]:
    """Objects under their numbers; the number is a field of each."""
    with opened(path) as file:
        for key, item in ijson.kvitems(_shallow(ijson.parse(file)), parent):
            if isinstance(item, Mapping):
                yield {"number" if "number" not in item else "key": key, **item}


def _of_columns(path: Path, parent: str) -> Iterator[Record]:
    with opened(path) as file:
        columns = {key: value for key, value in ijson.kvitems(_shallow(ijson.parse(file)), parent) if _is_plain(value)}
    if len(set(map(len, columns.values()))) != 1:
        raise Unconvertible("Its arrays are not of one length.", "Export a list with one object per record.")
    for row in zip(*columns.values(), strict=True):
        yield dict(zip(columns, row, strict=True))


def _is_plain(value: Any) -> bool:
    return isinstance(value, list) and not any(isinstance(item, (list, Mapping)) for item in value)


def _rows_of_arrays(path: Path, prefix: str, beside: Sequence[str]) -> Iterator[Record]:
    """Arrays of cells; their header is the array of names beside them, where there is one of their length, else the
    first."""
    header: list[str] | None = None
    with opened(path) as file:
        first = next(ijson.items(_shallow(ijson.parse(file)), prefix))
    for name in beside:
        with opened(path) as file:
            names: list[Any] = next(ijson.items(_shallow(ijson.parse(file)), name), [])
        if len(names) == len(first):
            header = [str(cell) for cell in names]
    with opened(path) as file:
        for row in ijson.items(_shallow(ijson.parse(file)), prefix):
            if header is None:
                header = [str(cell) for cell in row]
            else:
                yield dict(zip(header, row, strict=False))


class Flattening:
    """How records become rows: which list inside a record makes rows of its own, and which columns there are."""

    def __init__(self, records: Callable[[], Iterable[Record]]) -> None:
        self._records = records
        self._filled: Counter[tuple[str, str]] = Counter()
        for record in records():
            self._count(record, "")
        self._chosen: dict[str, str] = {}
        for (path, name), _count in self._filled.most_common():
            self._chosen.setdefault(path, name)

    def _count(self, record: Record, path: str) -> None:
        for name, items in _lists(record, "", 0):
            self._filled[path, name] += 1
            for item in items:
                self._count(item, f"{path}{name}.")

    def rows(self) -> Iterator[Sequence[str]]:
        """The names of the columns, and a row for each record or each entry of the list inside it."""
        columns: dict[str, None] = {}
        for row in self._flat_rows():
            columns.update(dict.fromkeys(row))
            if len(columns) > _COLUMNS_MOST:
                raise Unconvertible(f"It has more than {_COLUMNS_MOST} fields.", "Leave out what is not needed.")
        if not columns:
            raise Unconvertible("It holds no list of objects.", "Export a list with one object per record.")
        yield list(columns)
        for row in self._flat_rows():
            yield [row.get(name, "") for name in columns]

    def _flat_rows(self) -> Iterator[dict[str, str]]:
        for record in self._records():
            yield from self._exploded(record, "")

    def _exploded(self, record: Record, path: str) -> Iterator[dict[str, str]]:
        own = {f"{path}{name}": text for name, text in _flat(record, "", 0)}
        chosen = self._chosen.get(path)
        items = next((items for name, items in _lists(record, "", 0) if name == chosen), [])
        for item in items:
            for row in self._exploded(item, f"{path}{chosen}."):
                yield own | row
        if not items:
            yield own


def _lists(record: Record, prefix: str, depth: int) -> Iterator[tuple[str, list[Record]]]:
    """The lists of objects in a record, by their path."""
    for name, value in record.items():
        if isinstance(value, Mapping) and depth < _FLAT_DEPTH:
            yield from _lists(value, f"{prefix}{name}.", depth + 1)
        elif _is_list_of_objects(value):
            yield f"{prefix}{name}", value


def _is_list_of_objects(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(item, Mapping) for item in value)


def _flat(record: Record, prefix: str, depth: int) -> Iterator[tuple[str, str]]:
    for name, value in record.items():
        if isinstance(value, Mapping) and depth < _FLAT_DEPTH:
            yield from _flat(value, f"{prefix}{name}.", depth + 1)
        elif not _is_list_of_objects(value):
            yield prefix + name, typed_text(value)


def broken(path: Path) -> Unconvertible:
    """What is wrong with a JSON file that cannot be read, and where as far as that can be told."""
    if path.stat().st_size <= _TOLD_BYTES:
        with opened(path) as file:
            text = file.read().decode("utf-8", errors="replace")
        try:
            json.loads(text)
        except json.JSONDecodeError as error:
            what = "It breaks off" if error.pos >= len(text.rstrip()) - 1 else "It is no JSON"
            return Unconvertible(f"{what} in line {error.lineno}, column {error.colno}.", "Export it again, whole.")
    return Unconvertible("It is no JSON.", "Export it again, whole.")
