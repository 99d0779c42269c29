"""A book brought from one revision to a later one without reading it whole.

Only the customers whom the changes between them touched are read (`goldthread.store.write.touched`), with their orders,
keys and payments; they take the place of what the book had of them.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select, text

from goldthread.core.book.lines import LinesOnRecord
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.splicing import spliced
from goldthread.store.read.lines_out import lines_of_orders, lines_on_record
from goldthread.store.read.orders_out import load_customers
from goldthread.store.read.own_out import own_attributes, own_of_orders
from goldthread.store.revisions import Stamped, must_be_at
from goldthread.store.schema.models import Source
from goldthread.store.server.bulk import Record, numbers, read

Int64s = NDArray[np.int64]
FEW_CUSTOMERS, SHARE_OF_CUSTOMERS = 1_000, 4
"""More of them than these, and than one in so many, are not read one by one: reading the book anew is as quick."""
MOST_MOVED = 1_000
"""So many new or renamed customers find their places one by one."""
_IDS_IN_ORDER = "SELECT id FROM customers WHERE book_id = {book} ORDER BY name, id"
_BEFORE = text("""
SELECT id FROM customers WHERE book_id = :book AND (name < :name OR (name = :name AND id < :id))
ORDER BY name DESC, id DESC LIMIT 1
""")


def is_worth_it(touched: Int64s, customers: int) -> bool:
    """Whether a book is brought forward when so many customers were touched."""
    return touched.size <= max(FEW_CUSTOMERS, customers // SHARE_OF_CUSTOMERS)


def book_since(
    record: Record, book_id: int, known: list[OrderBook], touched: Int64s, wanted: Stamped, snapshots: Path
) -> OrderBook | None:
    """The book at a revision, made of what it was at an earlier one, with its lines and own attributes; None when it
    must be read anew.

    ``touched``: ids of all customers whom the changes touched, ascending. ``known`` holds the earlier book and is
    emptied once everything is read, so that a book which nobody else holds is not in memory twice. Raises `Outdated`
    when the book has moved on meanwhile.
    """
    try:
        fresh = load_customers(record, book_id, touched)
    except LookupError:
        # what was read before a change and after it need not fit together
        must_be_at(record.engine, book_id, wanted)
        raise
    before = known[0]
    own = own_attributes(record, book_id, wanted, snapshots)
    lines = lines_on_record(record, book_id, wanted, snapshots)
    found = {
        name: own_of_orders(record, book_id, own.columns[name], fresh.order_id)
        for name in before.own.found
        if name in own.columns
    }
    if before.on_record.found is not None:
        lines = LinesOnRecord(lines.read, [lines_of_orders(record, book_id, fresh.order_id)])
    fresh = fresh.reading(replace(own, _found=found), lines)
    gone = np.flatnonzero(np.isin(before.customer_id, touched))
    places = _places(record, book_id, before, gone, fresh)
    with record.engine.connect() as connection:
        sources = connection.execute(select(Source.name).where(Source.book_id == book_id).order_by(Source.id))
        names = sources.scalars().all()
    must_be_at(record.engine, book_id, wanted)
    if places is None:
        return None
    del before
    return spliced(known.pop(), gone, fresh, places, names)


def _places(record: Record, book_id: int, before: OrderBook, gone: Int64s, fresh: OrderBook) -> Int64s | None:
    """Where fresh customers stand in the result, in the order of names, ascending; None when that is not the order of
    the record.

    Whoever was there under the same name stays between the same others.
    """
    was = before.customers.texts["name"].some(gone)
    name_of = dict(zip(before.customer_id.take(gone).tolist(), was, strict=True))
    ids, names = fresh.customer_id.tolist(), fresh.customers.texts["name"].some(np.arange(fresh.customer_count))
    moved = [place for place, (each, name) in enumerate(zip(ids, names, strict=True)) if name_of.get(each) != name]
    if len(moved) > MOST_MOVED:
        in_order = numbers(read(record, _IDS_IN_ORDER.format(book=int(book_id))), "id")
        places = np.flatnonzero(np.isin(in_order, fresh.customer_id))
        return places if np.array_equal(in_order.take(places), fresh.customer_id) else None
    stays = np.ones(before.customer_count, np.bool_)
    stays[gone] = np.isin(before.customer_id.take(gone), np.delete(fresh.customer_id, moved))
    staying = before.customer_id[stays]
    with record.engine.connect() as connection:
        queries = [{"book": book_id, "id": ids[place], "name": names[place]} for place in moved]
        previous = [connection.execute(_BEFORE, values).scalar() for values in queries]
    at = np.flatnonzero(np.isin(staying, [each for each in previous if each is not None]))
    index = dict(zip(staying.take(at).tolist(), at.tolist(), strict=True))
    for place, each in zip(moved, previous, strict=True):
        index[ids[place]] = -1 if each is None else index[each]
    after = np.array([index[ids[place]] for place in moved], np.int64)
    out = np.empty(fresh.customer_count, np.int64)
    out[moved] = after + 1 + np.arange(len(moved))
    unmoved = np.delete(np.arange(fresh.customer_count), moved)
    stay_at = np.flatnonzero(np.isin(staying, fresh.customer_id))
    out[unmoved] = stay_at + np.searchsorted(after, stay_at)
    return out if bool((np.diff(out) > 0).all()) else None
