"""Bulk reads: whole columns from the database as Arrow, and from there as the core's arrays."""

from __future__ import annotations

from dataclasses import dataclass

import connectorx
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from sqlalchemy import Engine

from goldthread.core.book.columns import Attribute
from goldthread.store.server.instance import Address

_NARROW = 1 << 16


@dataclass(frozen=True)
class Record:
    """The engine for small statements and the address for bulk reads of one database."""

    engine: Engine
    address: Address


def read(record: Record, query: str) -> pa.Table:
    """The rows of a query; committed ones only."""
    return connectorx.read_sql(record.address.bulk_url, query, return_type="arrow", protocol="binary")


def numbers(table: pa.Table, name: str) -> NDArray[np.int64]:
    """A column of whole numbers; int64."""
    column = table.column(name).combine_chunks() if table.num_rows else pa.array([], pa.int64())
    found: NDArray[np.int64] = np.asarray(column.to_numpy(zero_copy_only=False)).astype(np.int64, copy=False)
    return found


def labelled(column: pa.ChunkedArray) -> Attribute:
    """A column of texts as codes into its distinct texts, ascending."""
    if len(column) == 0:
        return Attribute(np.zeros(0, np.uint16), ("",))
    encoded = column.combine_chunks().dictionary_encode()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.combine_chunks()
    labels = encoded.dictionary
    order = pc.sort_indices(labels).to_numpy()
    place = np.empty(order.size, np.uint32)
    place[order] = np.arange(order.size)
    codes = place.take(encoded.indices.to_numpy())
    narrow = np.uint16 if order.size <= _NARROW else np.uint32
    return Attribute(codes.astype(narrow), tuple(labels.take(pa.array(order)).to_pylist()))
