"""Bulk reads: whole columns from the database as Arrow, and from there as the core's arrays."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable, Collection, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine, QueuePool, text

from goldthread.core.book.columns import Attribute
from goldthread.errors import Unavailable
from goldthread.processes import POLL_SECONDS
from goldthread.store.server.address import Address

_NARROW = 1 << 16


@dataclass(frozen=True)
class Record:
    """The engine for small statements and the address for bulk reads of one database."""

    engine: Engine
    address: Address

    @property
    def connections_in_use(self) -> int:
        """How many connections of the engine are in use."""
        pool = self.engine.pool
        return pool.checkedout() if isinstance(pool, QueuePool) else 0


def read(record: Record, query: str) -> pa.Table:
    """The rows of a query; committed ones only."""
    return record.address.table(query)


_SNAPSHOT = (
    "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ",
    "START TRANSACTION WITH CONSISTENT SNAPSHOT",
)
_OPENING_SECONDS, _WAITING_SECONDS = 60, 120


@contextmanager
def at_one_moment(
    record: Record, queries: Mapping[str, str], pool: ThreadPoolExecutor, *, is_it: Callable[[], bool]
) -> Iterator[dict[str, Future[pa.Table]] | None]:
    """The rows of several queries as the record is at one moment, by name, each being read in a thread of a pool; None
    where ``is_it`` then says that it was not one.

    Every query has a connection of its own. Each begins a snapshot, takes a lock by which that is seen, and waits until
    all of them have one. Raises `Unavailable` when that takes too long.
    """
    name = secrets.token_hex(8)
    gate = f"{name}.all"
    with record.engine.connect() as connection:
        connection.execute(text("SELECT GET_LOCK(:gate, 0)"), {"gate": gate})
        try:
            found = {each: pool.submit(_read_behind, record, query, name, each) for each, query in queries.items()}
            readers = _begun(connection, [f"{name}.{each}" for each in queries], found.values())
            at_once = is_it()
            if not at_once:
                for reader in readers:
                    connection.execute(text(f"KILL {int(reader)}"))
        finally:
            connection.execute(text("SELECT RELEASE_LOCK(:gate)"), {"gate": gate})
    if at_once:
        yield found
        return
    wait(found.values())
    yield None


def _read_behind(record: Record, query: str, name: str, own: str) -> pa.Table:
    """The rows of a query as of the moment at which its lock was taken, once the gate is open."""
    gate = f"'{name}.all'"
    before = [
        *_SNAPSHOT,
        f"SELECT GET_LOCK('{name}.{own}', 0)",
        f"SELECT GET_LOCK({gate}, {_WAITING_SECONDS})",
        f"SELECT RELEASE_LOCK({gate})",
    ]
    return record.address.table(query, before)


def _begun(connection: Connection, locks: list[str], found: Collection[Future[pa.Table]]) -> list[int]:
    """The connections that hold some locks, once each is held. Raises what a query that has ended raised."""
    users = text("SELECT " + ", ".join(f"IS_USED_LOCK('{lock}')" for lock in locks))
    deadline = time.monotonic() + _OPENING_SECONDS
    while True:
        holders = connection.execute(users).one()
        if None not in holders:
            return list(holders)
        for each in found:
            if each.done():
                each.result()
        if time.monotonic() > deadline:
            raise Unavailable("The database has no connection for reading the book.", remedy="Try again later.")
        time.sleep(POLL_SECONDS)


def each_of(ids: NDArray[np.int64]) -> str:
    """SQL before a table in a FROM, which is then looked up for each ``some.id``: of a long list of ids in a condition
    the server may try the whole table."""
    rows = ", ".join(f"({each})" for each in ids.tolist()) or "(NULL)"
    return f"(WITH these (id) AS (VALUES {rows}) SELECT id FROM these) some STRAIGHT_JOIN"


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
