"""Checked orders of files that stay where they are, kept beside the record as columns (Arrow), one file each.

An order is known by its place: in the files of which refresh it is, and the how many-th among all orders of these.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from itertools import accumulate
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.records import KeyKind, OrderStatus, Rows
from goldthread.errors import Outdated, Unavailable
from goldthread.processes import mark
from goldthread.store.datasets import DatasetRow, Differences, FileRow, Refresh
from goldthread.store.read.details import OrderDetail

Int64s = NDArray[np.int64]
_PLACE_BITS = 36
"""Of an order's id: its place among the orders of a refresh, whose delivery stands above. Both are exact as doubles."""
_MONEY = pa.decimal128(19, 4)
_WORDS = pa.dictionary(pa.int32(), pa.string())
SCHEMA = pa.schema(
    [
        ("customer", _WORDS),
        ("number", pa.large_string()),
        ("day", pa.int32()),
        ("second", pa.int32()),
        ("amount", pa.int64()),
        ("status", pa.uint8()),
        ("rep", _WORDS),
        ("channel", _WORDS),
    ]
)
_FIRST_DAY = pa.scalar("1970-01-01")
_STATUSES = pa.array([status.value for status in OrderStatus])


def columns_of(rows: Rows) -> pa.Table:
    """Checked orders as columns: days since 1970-01-01, seconds or −1, ten-thousandths, statuses from 1."""
    texts = {name: pa.array(values, pa.string()) for name, values in rows.columns.items()}
    time = pc.if_else(pc.equal(texts["time"], ""), None, texts["time"])
    moment = pc.binary_join_element_wise(_FIRST_DAY, time, " ").cast(pa.timestamp("s"))
    amount = pc.multiply(texts["amount"].cast(_MONEY), pa.scalar(Decimal(MINOR_PER_UNIT)))
    return pa.table(
        {
            "customer": texts["customer"].dictionary_encode(),
            "number": texts["order_number"].cast(pa.large_string()),
            "day": texts["date"].cast(pa.date32()).cast(pa.int32()),
            "second": pc.fill_null(moment.cast(pa.int64()).cast(pa.int32()), -1),
            "amount": amount.cast(pa.int64()),
            "status": pc.add(pc.index_in(texts["status"], _STATUSES), 1).cast(pa.uint8()),
            "rep": texts["rep"].dictionary_encode(),
            "channel": texts["channel"].dictionary_encode(),
        },
        schema=SCHEMA,
    )


def staged_name(file: FileRow, reading: Mapping[str, Any]) -> str:
    """What the checked orders of a file are called: another one when it changes, or is read otherwise."""
    told = json.dumps([file.name, file.size, file.tag, reading], sort_keys=True)
    return f"{hashlib.blake2b(told.encode(), digest_size=20).hexdigest()}.arrow"


def write_staged(target: Path, pieces: Sequence[pa.Table]) -> None:
    """Write the checked orders of a file; never seen half written."""
    table = pa.concat_tables([SCHEMA.empty_table(), *pieces]).unify_dictionaries().combine_chunks()
    unfinished = target.with_name(f"{target.name}{mark()}.new")
    target.parent.mkdir(parents=True, exist_ok=True)
    with pa.OSFile(str(unfinished), "wb") as out, pa.ipc.new_file(out, SCHEMA) as writer:
        writer.write_table(table)
    unfinished.rename(target)


def relabel(file: Path, label_of: Callable[[str], str | None]) -> None:
    """Call customers otherwise in the checked orders of a file; ``label_of`` : gives None for those who stay."""
    table = opened(file)
    if table is None or not table.num_rows:
        return
    column = table.column("customer").unify_dictionaries().chunk(0)
    known = column.dictionary.to_pylist()
    labels = [label_of(text) or text for text in known]
    if labels != known:
        # two who are called alike from now on have one place in the dictionary
        renamed = pa.array(labels, pa.string()).take(column.indices).dictionary_encode()
        write_staged(file, [table.set_column(0, "customer", renamed).cast(SCHEMA)])


def remove_others(folder: Path, kept: Iterable[str]) -> None:
    """Remove the checked orders of files that no refresh needs any more."""
    wanted = set(kept)
    for each in folder.glob("*.arrow"):
        if each.name not in wanted:
            each.unlink(missing_ok=True)


@dataclass(frozen=True)
class OrdersChanged:
    """How many orders a refresh makes new, how many it changes, and how many it leaves as they were, of those in files
    that are read for it."""

    added: int
    changed: int
    same: int


def changes(folder: Path, reading: Mapping[str, Any], apart: Differences) -> OrdersChanged:
    """Compare the orders of new and changed files with those of the changed and gone ones, by their numbers."""

    def orders(files: Iterable[FileRow]) -> pa.Table:
        found = [opened(folder / staged_name(each, reading)) for each in files]
        every = pa.concat_tables([SCHEMA.empty_table(), *filter(None, found)])
        plain = pa.table({name: every.column(name).cast(kind) for name, kind in _PLAIN.items()})
        return plain.append_column("id", pa.array(np.arange(plain.num_rows)))

    now = _last_of_each(orders([*apart.new, *(new for _, new in apart.changed)]))
    before = _last_of_each(orders([*(old for old, _ in apart.changed), *apart.gone]))
    place = pc.index_in(now.column("number"), before.column("number").combine_chunks())
    known = now.filter(pc.is_valid(place))
    was = before.take(pc.drop_null(place))
    same = np.ones(known.num_rows, np.bool_)
    for name in _PLAIN:
        same &= pc.equal(known.column(name), was.column(name)).to_numpy()
    unchanged = int(np.count_nonzero(same))
    return OrdersChanged(now.num_rows - known.num_rows, known.num_rows - unchanged, unchanged)


def opened(file: Path) -> pa.Table | None:
    """The checked orders of a file, memory-mapped; None where they are gone."""
    try:
        with pa.memory_map(str(file)) as content:
            return pa.ipc.open_file(content).read_all()
    except FileNotFoundError:
        return None


@dataclass(frozen=True, eq=False)
class OrdersInFiles:
    """The orders of a book since a refresh. ``folder`` : of their checked columns; ``source`` : what it is called."""

    refresh: Refresh
    folder: Path
    dataset: DatasetRow

    @cached_property
    def _tables(self) -> list[pa.Table]:
        """The columns of each file, memory-mapped. Raises `Unavailable` where they are gone."""
        found = []
        for file in self.refresh.files:
            table = opened(self.folder / staged_name(file, self.dataset.reading))
            if table is None:
                raise Unavailable(f"The orders of {file.name} have to be read once more.", remedy="Refresh the book.")
            found.append(table)
        return found

    @cached_property
    def _ends(self) -> Int64s:
        """How many orders there are up to the end of each file; int64."""
        return np.array(list(accumulate(table.num_rows for table in self._tables)), np.int64)

    @property
    def key_kind(self) -> KeyKind:
        """What the files know their customers by."""
        return KeyKind(self.dataset.reading["customer_key"])

    def orders(self, source_id: int, keys: pa.Table) -> pa.Table:
        """All orders as the record gives those that it holds. ``keys`` : id, kind and value of the customers' keys on
        record; orders of anybody else are left out. Of a number that comes again the last order counts."""
        kind = self.key_kind
        mine = keys.filter(pc.equal(keys.column("kind"), list(KeyKind).index(kind) + 1))
        known = mine.column("value").combine_chunks()
        first = self.refresh.delivery_id << _PLACE_BITS
        found = []
        for end, table in zip(self._ends.tolist(), self._tables, strict=True):
            customer = table.column("customer").unify_dictionaries().combine_chunks()
            customer = customer.chunk(0) if isinstance(customer, pa.ChunkedArray) and customer.num_chunks else customer
            place = pc.index_in(customer.dictionary.cast(known.type), known)
            key_of = mine.column("id").take(place).combine_chunks().take(customer.indices)
            ids = np.arange(end - table.num_rows, end) + first
            rest = {name: table.column(name) for name in ("day", "second", "amount", "status", "number")}
            words = {name: table.column(name).cast(pa.string()) for name in ("rep", "channel")}
            source = np.full(table.num_rows, source_id, np.int64)
            found.append(pa.table({"id": ids, "customer_key": key_of, "source": source, **rest, **words}))
        every = pa.concat_tables(found) if found else _NO_ORDERS
        every = every.filter(pc.is_valid(every.column("customer_key")))
        return _last_of_each(every)

    def _rows(self, ids: Int64s) -> pa.Table:
        """The columns of some orders by id. Raises `Outdated` for those of other files."""
        places = ids - (self.refresh.delivery_id << _PLACE_BITS)
        most = int(self._ends[-1]) if self._ends.size else 0
        if places.size and not (int(places.min()) >= 0 and int(places.max()) < most):
            raise Outdated("The files of the book were read anew meanwhile.", remedy="Ask again.")
        of = np.searchsorted(self._ends, places, side="right")
        begins = self._ends - [table.num_rows for table in self._tables]
        pieces, sequence = [], []
        for file in np.unique(of).tolist():
            at = np.flatnonzero(of == file)
            rows = self._tables[file].take(pa.array(places.take(at) - begins[file]))
            pieces.append(pa.table({name: rows.column(name).cast(kind) for name, kind in _PLAIN.items()}))
            sequence.append(at)
        if not pieces:
            return pa.table({name: pa.array([], kind) for name, kind in _PLAIN.items()})
        back = np.argsort(np.concatenate(sequence))
        return pa.concat_tables(pieces).take(pa.array(back))

    def numbers(self, ids: Int64s) -> pa.Array:
        """The numbers of some orders by id."""
        return self._rows(ids).column("number").combine_chunks()

    def details(self, ids: Sequence[int]) -> dict[int, OrderDetail]:
        """Details of some orders by id."""
        rows = self._rows(np.array(ids, np.int64))
        days = rows.column("day").cast(pa.date32()).to_pylist()
        every = zip(ids, days, rows.to_pylist(), strict=True)
        return {order_id: _detail(self.dataset.source, day, row) for order_id, day, row in every}


_PLAIN = {each.name: pa.string() if each.type == _WORDS else each.type for each in SCHEMA}
_NUMBERS = ("id", "customer_key", "source", "day", "second", "amount", "status")
_NO_ORDERS = pa.table(
    {name: pa.array([], pa.int64()) for name in _NUMBERS}
    | {name: pa.array([], pa.string()) for name in ("number", "rep", "channel")}
)


def _last_of_each(orders: pa.Table) -> pa.Table:
    """Without the orders whose number a later one has too."""
    numbers = orders.column("number")
    if pc.count_distinct(numbers).as_py() == orders.num_rows:
        return orders
    last = orders.select(["id", "number"]).group_by("number").aggregate([("id", "max")]).column("id_max")
    return orders.filter(pc.is_in(orders.column("id"), last.combine_chunks()))


def _detail(source: str, day: Any, row: Mapping[str, Any]) -> OrderDetail:
    second, status = row["second"], list(OrderStatus)[row["status"] - 1]
    time = "" if second < 0 else f"{second // 3600:02}:{second // 60 % 60:02}:{second % 60:02}"
    amount = Decimal(row["amount"]) / MINOR_PER_UNIT
    return OrderDetail(source, row["number"], status, day, amount, time, row["rep"], row["channel"])


def delivery_of(order_id: int) -> int:
    """The delivery of the refresh that an order's id speaks of."""
    return order_id >> _PLACE_BITS
