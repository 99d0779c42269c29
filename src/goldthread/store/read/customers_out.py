"""What is known of customers, read back as columns for the core, in bulk."""

from __future__ import annotations

import json
from collections.abc import Iterable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from goldthread.core.book.columns import FOUND_BY, Attribute, CustomerColumns
from goldthread.core.book.payments import Payments
from goldthread.core.book.texts import TextColumn
from goldthread.core.history.fields import own_field_name
from goldthread.core.money import MINOR_PER_UNIT, decimal_minor, number_text
from goldthread.store.read.folding import fold
from goldthread.store.server.bulk import each_of, labelled, numbers

_CUSTOMERS = """
SELECT c.id AS id, c.name AS name, c.town AS town, CAST(c.closed AS SIGNED) AS closed,
  CAST(c.do_not_contact AS SIGNED) AS do_not_contact, CAST(c.attributes AS CHAR) AS attributes
FROM {each} customers c WHERE c.book_id = {book} {customers} ORDER BY c.name, c.id
"""
_KEYS = """
SELECT k.id AS id, k.customer_id AS customer_id, CAST(k.kind + 0 AS SIGNED) AS kind, k.value AS value
FROM {each} customer_keys k {keyed} WHERE k.book_id = {book} {keys} ORDER BY k.kind, k.value
"""
_PAYMENTS = f"""
SELECT p.customer_key_id AS customer_key, DATEDIFF(p.paid_on, '1970-01-01') AS day,
  CAST(p.amount * {MINOR_PER_UNIT} AS SIGNED) AS amount
FROM {{by_key}} payments p {{indexed}} WHERE p.book_id = {{book}} AND p.current {{theirs}}
"""
_KEYED = "FORCE INDEX (ix_customer_keys_customer)"
_NO_YES = ("no", "yes")
_NUMBER, _EMAIL = 1, 2
_TABLE_ROOM = 16


def customer_queries(book_id: int, ids: NDArray[np.int64] | None = None) -> dict[str, str]:
    """SQL of what is known of the customers of a book, or of some of them, by name."""
    queries = {"customers": _CUSTOMERS, "keys": _KEYS, "payments": _PAYMENTS}
    some = dict.fromkeys(("each", "customers", "keys", "keyed", "by_key", "indexed", "theirs"), "")
    if ids is not None:
        own = {"each": each_of(ids), "customers": "AND c.id = some.id", "keys": "AND k.customer_id = some.id"}
        some = own | {"keyed": _KEYED} | of_customers("payments", ids)
    return {name: query.format(book=int(book_id), **some) for name, query in queries.items()}


def of_customers(table: str, ids: NDArray[np.int64]) -> dict[str, str]:
    """The parts of a query by which it finds what belongs to some customers, by way of their keys.

    Indices are named: of a book that has just grown the server may rather look through all its rows for each customer.
    """
    return {
        "by_key": f"{each_of(ids)} customer_keys k {_KEYED} STRAIGHT_JOIN",
        "indexed": f"FORCE INDEX (ix_{table}_customer_key)",
        "theirs": f"AND {table[0]}.customer_key_id = k.id AND k.customer_id = some.id",
    }


class CustomersOut:
    """The customers of a book in the order of their names, and the keys that stand for them."""

    def __init__(self, customers: pa.Table, keys: pa.Table) -> None:
        self._customers, self._keys = customers, keys
        self.ids = numbers(self._customers, "id")
        self._key_ids = numbers(self._keys, "id")
        self._place = _Places(self.ids).of(numbers(self._keys, "customer_id"))
        self._key_places = _Places(self._key_ids)

    def places(self, keys: NDArray[np.int64]) -> NDArray[np.int32]:
        """Place in ``ids`` of the customer that each key stands for; int32, shape (keys,)."""
        if self._key_ids.size == 0:
            return keys.astype(np.int32)
        return self._place.take(self._key_places.of(keys)).astype(np.int32)

    def columns(self) -> CustomerColumns:
        """Everything that customers can be asked for and found by."""
        table = self._customers
        number, email, further = self._keys_of(_NUMBER), self._keys_of(_EMAIL), self._further_keys()
        parts = [table.column("name"), number, email, table.column("town"), further]
        folded = [fold(pa.chunked_array([part]) if isinstance(part, pa.Array) else part) for part in parts]
        # every part of a line follows a tab, the first one too, and so does its end
        nothing, end, tab = (pa.scalar(each, pa.large_string()) for each in ("", "\n", "\t"))
        lines = pc.binary_join_element_wise(nothing, *[_flat(part) for part in folded], end, tab)
        own, are_numbers = _own_attributes(table.column("attributes"))
        return CustomerColumns(
            attributes={
                "town": labelled(table.column("town")),
                "closed": Attribute(numbers(table, "closed").astype(np.uint16), _NO_YES),
                "do_not_contact": Attribute(numbers(table, "do_not_contact").astype(np.uint16), _NO_YES),
                **own,
            },
            texts={
                "name": texts(table.column("name")),
                "number": texts(number),
                "email": texts(email),
                FOUND_BY: texts(lines),
            },
            numbers=are_numbers,
        )

    def payments(self, table: pa.Table) -> Payments:
        """The payments of all customers."""
        return Payments.sorted_from(
            self.places(numbers(table, "customer_key")),
            numbers(table, "day").astype(np.int32),
            numbers(table, "amount"),
        )

    def _principal(self, kind: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Customers with a key of a kind, and where each one's first key of the kind stands."""
        rows = np.flatnonzero(numbers(self._keys, "kind") == kind)
        first = np.full(self.ids.size, -1, np.int64)
        first[self._place.take(rows[::-1])] = rows[::-1]
        having = np.flatnonzero(first >= 0)
        return having, first.take(having)

    def _keys_of(self, kind: int) -> pa.Array:
        having, rows = self._principal(kind)
        take = np.full(self.ids.size, -1, np.int64)
        take[having] = rows
        found = self._keys.column("value").take(pa.array(take, mask=take < 0))
        return pc.fill_null(_flat(found), "")

    def _further_keys(self) -> pa.Array:
        """Keys beside the first of each kind, of the few customers who have them."""
        shown = np.zeros(self._key_ids.size, np.bool_)
        for kind in (_NUMBER, _EMAIL):
            shown[self._principal(kind)[1]] = True
        rest = np.flatnonzero(~shown)
        values = self._keys.column("value").take(pa.array(rest)).to_pylist()
        further: dict[int, list[str]] = {}
        for customer, value in zip(self._place.take(rest).tolist(), values, strict=True):
            further.setdefault(customer, []).append(value)
        out = np.full(self.ids.size, "", object)
        for customer, more in further.items():
            out[customer] = "\t".join(more)
        return pa.array(out, pa.large_string())


class _Places:
    """Where ids stand among others: looked up in a table where they lie close together, else by halving."""

    def __init__(self, ids: NDArray[np.int64]) -> None:
        self._low = int(ids.min()) if ids.size else 0
        span = int(ids.max()) - self._low + 1 if ids.size else 0
        self._table: NDArray[np.int64] | None = None
        self._ids = ids
        if span <= _TABLE_ROOM * (ids.size + 1):
            self._table = np.zeros(span, np.int64)
            self._table[ids - self._low] = np.arange(ids.size)
        else:
            self._order = np.argsort(ids)

    def of(self, ids: NDArray[np.int64]) -> NDArray[np.int64]:
        """Places of ids that are all among those known; int64."""
        if self._table is not None:
            return self._table.take(ids - self._low) if ids.size else np.zeros(0, np.int64)
        found: NDArray[np.int64] = self._order.take(np.searchsorted(self._ids, ids, sorter=self._order))
        return found


def large_strings(column: TextColumn) -> pa.Array:
    """A column of texts as Arrow has it, read where it lies."""
    offsets, data = np.ascontiguousarray(column.offsets), np.ascontiguousarray(column.data)
    return pa.LargeStringArray.from_buffers(column.count, pa.py_buffer(offsets), pa.py_buffer(data))


def texts(column: pa.Array | pa.ChunkedArray) -> TextColumn:
    """A column of texts as the core keeps it."""
    flat = _flat(column)
    if len(flat) == 0:
        return TextColumn.of([])
    _, offsets, data = flat.buffers()
    places = np.frombuffer(offsets, np.int64)[flat.offset : flat.offset + len(flat) + 1]
    letters = np.frombuffer(data, np.uint8) if data is not None else np.zeros(0, np.uint8)
    return TextColumn(letters[places[0] : places[-1]], places - places[0])


def _flat(column: pa.Array | pa.ChunkedArray) -> pa.Array:
    if isinstance(column, pa.ChunkedArray):
        column = pa.concat_arrays(column.chunks) if column.num_chunks else pa.array([], column.type)
    return column.cast(pa.large_string())


class _Number(str):
    """A number of a JSON text, as it is written."""


def _own_attributes(column: pa.ChunkedArray) -> tuple[dict[str, Attribute], frozenset[str]]:
    """Own attributes by field name, and which of them are numbers wherever they are filled in. Each distinct JSON text
    is read once; they are few."""
    if len(column) == 0:
        return {}, frozenset()
    encoded = _flat(column).dictionary_encode()
    objects = [json.loads(text, parse_int=_Number, parse_float=_Number) for text in encoded.dictionary.to_pylist()]
    which = encoded.indices.to_numpy()
    values = {own_field_name(name): [each.get(name, "") for each in objects] for name in _names(objects)}
    numbers = {name for name, some in values.items() if all(isinstance(each, _Number) for each in some if each)}
    return {name: _coded(some, which, are_numbers=name in numbers) for name, some in values.items()}, frozenset(numbers)


def _names(objects: Iterable[dict[str, str]]) -> list[str]:
    return sorted({name for each in objects for name in each})


def _coded(values: list[str], which: NDArray[np.int32], *, are_numbers: bool) -> Attribute:
    if are_numbers:
        values = [number_text(decimal_minor(each)) if each else "" for each in values]
    labels = tuple(sorted(set(values)))
    place = {label: code for code, label in enumerate(labels)}
    codes = np.array([place[value] for value in values], np.uint32)
    return Attribute(codes.take(which), labels)
