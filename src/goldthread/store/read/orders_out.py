"""The record read back as columns for the core, in bulk."""

from __future__ import annotations

import string
from bisect import bisect_left
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray
from sqlalchemy import select

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.ordering import dense_ranks, natural_key
from goldthread.core.book.texts import TextColumn
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.records import OrderStatus
from goldthread.errors import Outdated, Unavailable
from goldthread.store.orders_in_files import OrdersInFiles
from goldthread.store.read.categories_out import categories, lines_of_some, lines_query, with_lined
from goldthread.store.read.customers_out import CustomersOut, customer_queries, of_customers, texts
from goldthread.store.read.orders_with_lines import lined_query
from goldthread.store.revisions import Stamped, present_revision
from goldthread.store.schema.models import Book, Source
from goldthread.store.server.bulk import Record, at_one_moment, labelled, numbers, read

_BEGUN_AGAIN, _MADE_AT_ONCE = 50, 4
"""A reading is begun again when the book changes in the few milliseconds that it takes to begin."""
_MOST_DIGITS, _ZERO = 18, ord("0")
_BEYOND = 10**_MOST_DIGITS
"""Above every number of so many digits."""

_ORDERS = f"""
SELECT o.id AS id, o.customer_key_id AS customer_key, DATEDIFF(o.ordered_on, '1970-01-01') AS day,
  CAST(IFNULL(TIME_TO_SEC(o.ordered_at), -1) AS SIGNED) AS second,
  CAST(o.amount * {MINOR_PER_UNIT} AS SIGNED) AS amount,
  CAST(o.source_id AS SIGNED) AS source, CAST(o.status + 0 AS SIGNED) AS status, o.order_number AS number,
  o.rep AS rep, o.channel AS channel
FROM {{by_key}} orders o {{indexed}} WHERE o.book_id = {{book}} AND o.current {{theirs}}
"""
_ON_FILE_OTHERWISE = """
SELECT DISTINCT k.customer_id AS id FROM customer_records r JOIN customer_keys k ON k.id = r.key_id
WHERE r.book_id = {book} AND r.delivery_id NOT IN (
  SELECT d.id FROM deliveries d WHERE d.book_id = {book} AND JSON_EXISTS(d.reading, '$.files'))
UNION SELECT k.customer_id FROM payments p JOIN customer_keys k ON k.id = p.customer_key_id
WHERE p.book_id = {book} AND p.current
"""
_NUMBERS = """
SELECT id, order_number AS number FROM orders WHERE book_id = {book} AND id {which}
"""
_SPARSE, _IDS_AT_ONCE = 20, 10_000


def load_book(
    record: Record, book_id: int, in_files: Callable[[], OrdersInFiles] | None = None
) -> tuple[Stamped, OrderBook]:
    """Read a whole book and its revision, as of one moment: others may change it meanwhile. Raises `Unavailable`.
    ``in_files`` : gives the orders of one whose orders stay in files.

    Customers come in the order of their names, so that any ascending list of customers is alphabetical.
    """
    for _ in range(_BEGUN_AGAIN):
        at = present_revision(record.engine, book_id)
        queries = _queries(record, book_id)
        files = None if in_files is None else in_files()
        if files is not None:
            queries["others"] = _ON_FILE_OTHERWISE.format(book=int(book_id))
        with ThreadPoolExecutor(len(queries) + _MADE_AT_ONCE) as pool:
            is_it = partial(_is_at, record, book_id, at)
            with at_one_moment(record, queries, pool, is_it=is_it) as found:
                if found is not None:
                    return at, _book(record, book_id, found, pool, files)
    raise Unavailable("The book kept changing while it was opened.", remedy="Try again when deliveries have ended.")


def _is_at(record: Record, book_id: int, at: Stamped) -> bool:
    return present_revision(record.engine, book_id) == at


def orders_query(book_id: int, by_key: str = "", indexed: str = "", theirs: str = "") -> str:
    """SQL of the orders of a book, or of some of them (`of_customers`)."""
    return _ORDERS.format(book=int(book_id), by_key=by_key, indexed=indexed, theirs=theirs)


def _queries(record: Record, book_id: int) -> dict[str, str]:
    """What a book is read by, by name. Orders are read in two halves by their ids, each with a processor of its own."""
    with record.engine.connect() as connection:
        after: int = connection.execute(select(Book.next_order_id).where(Book.id == book_id)).scalar_one()
    middle = after // 2
    halves = {"lower": f"<= {middle}", "upper": f"> {middle}"}
    orders = {name: orders_query(book_id, theirs=f"AND o.id {half}") for name, half in halves.items()}
    lined = lined_query(record, book_id)
    return {
        **orders,
        "lines": lines_query(book_id),
        **customer_queries(book_id),
        **({} if lined is None else {"lined": lined}),
    }


def _book(
    record: Record,
    book_id: int,
    found: dict[str, Future[pa.Table]],
    pool: ThreadPoolExecutor,
    files: OrdersInFiles | None = None,
) -> OrderBook:
    """Everything of a book, each table made of what was read beside the others."""
    people, keys = found["customers"].result(), found["keys"].result()
    if files is None:
        orders = pa.concat_tables([found["lower"].result(), found["upper"].result()])
    else:
        orders = _from_files(record, book_id, files, keys)
        people, keys = on_file(people, keys, orders, found["others"].result())
    customers = CustomersOut(people, keys)
    about = pool.submit(customers.columns)
    payments = pool.submit(lambda: customers.payments(found["payments"].result()))
    places = pool.submit(customers.places, numbers(orders, "customer_key"))
    lines = found["lines"].result()
    if "lined" in found:
        lined = found["lined"].result()
        lines = with_lined(lines, numbers(lined, "id"), numbers(lined, "lined"))
    columns = _columns(record, book_id, orders, lines, places, pool)
    return OrderBook.build(columns, customers.ids, about.result(), payments.result())


def _from_files(record: Record, book_id: int, files: OrdersInFiles, keys: pa.Table) -> pa.Table:
    """The orders of a book that stay in files, as the record gives those that it holds."""
    source = select(Source.id).where(Source.book_id == book_id, Source.name == files.dataset.source)
    with record.engine.connect() as connection:
        return files.orders(connection.execute(source).scalar() or 0, keys)


def on_file(people: pa.Table, keys: pa.Table, orders: pa.Table, others: pa.Table) -> tuple[pa.Table, pa.Table]:
    """The customers and keys of a book whose orders stay in files, without those whose orders were in files that are
    gone and of whom nothing else says anything. ``others`` : ids of whom something else speaks."""
    owner, key = numbers(keys, "customer_id"), numbers(keys, "id")
    ordering = owner[np.isin(key, np.unique(numbers(orders, "customer_key")))]
    there = np.isin(numbers(people, "id"), np.concatenate((ordering, numbers(others, "id"))))
    people = people.filter(pa.array(there))
    return people, keys.filter(pa.array(np.isin(owner, numbers(people, "id"))))


def order_numbers(record: Record, book_id: int, ids: NDArray[np.int64]) -> pa.Array:
    """The numbers of some orders by id, whatever version of an order each is. Raises `Outdated` when one is not on
    record any more."""
    if ids.size == 0:
        return pa.array([], pa.large_string())
    table = pa.concat_tables(read(record, query) for query in _number_queries(book_id, ids))
    known = numbers(table, "id")
    order = np.argsort(known)
    place = np.searchsorted(known, ids, sorter=order)
    found = order.take(np.minimum(place, max(known.size - 1, 0))) if known.size else np.zeros(0, np.int64)
    if found.size < ids.size or not np.array_equal(known.take(found), ids):
        raise Outdated("An order was withdrawn while it was read.", remedy="Ask again.")
    return pc.cast(table.column("number").take(pa.array(found)), pa.large_string()).combine_chunks()


def _number_queries(book_id: int, ids: NDArray[np.int64]) -> list[str]:
    """Queries for the numbers of orders: where many are wanted, for all between the smallest and the largest id."""
    book, low, high = int(book_id), int(ids.min()), int(ids.max())
    if (high - low) <= _SPARSE * ids.size:
        return [_NUMBERS.format(book=book, which=f"BETWEEN {low} AND {high}")]
    distinct = np.unique(ids)
    pieces = [distinct[at : at + _IDS_AT_ONCE].tolist() for at in range(0, distinct.size, _IDS_AT_ONCE)]
    return [_NUMBERS.format(book=book, which=f"IN ({', '.join(map(str, piece))})") for piece in pieces]


def load_customers(record: Record, book_id: int, customer_id: NDArray[np.int64]) -> OrderBook:
    """Read those of some customers who are on record, as a book of these alone."""
    halves = zip(("lower", "upper"), np.array_split(customer_id, 2), strict=True)
    orders = {name: orders_query(book_id, **of_customers("orders", half)) for name, half in halves}
    queries = {**orders, **customer_queries(book_id, customer_id)}
    with ThreadPoolExecutor(len(queries) + _MADE_AT_ONCE) as pool:
        found = {name: pool.submit(read, record, query) for name, query in queries.items()}
        ids = pool.submit(lambda: np.concatenate([numbers(found[name].result(), "id") for name in orders]))
        found["lines"] = pool.submit(lambda: lines_of_some(record, book_id, ids.result()))
        return _book(record, book_id, found, pool)


def _columns(
    record: Record,
    book_id: int,
    orders: pa.Table,
    lines: pa.Table,
    customer: Future[NDArray[np.int32]],
    pool: ThreadPoolExecutor,
) -> OrderColumns:
    """The unsorted columns of orders; ``customer`` is being worked out meanwhile."""
    keys = pool.submit(number_key, orders.column("number"))
    with record.engine.connect() as connection:
        sources = connection.execute(select(Source.id, Source.name).where(Source.book_id == book_id)).all()
    names = {row[0]: row[1] for row in sources}
    source_ids, source = _present(numbers(orders, "source"))
    order_id = numbers(orders, "id")
    return OrderColumns(
        customer=customer.result(),
        day=numbers(orders, "day").astype(np.int32),
        amount_minor=numbers(orders, "amount"),
        order_id=order_id,
        attributes={
            "source": Attribute(source, tuple(names[int(source_id)] for source_id in source_ids)),
            "status": Attribute(
                (numbers(orders, "status") - 1).astype(np.uint16), tuple(status.value for status in OrderStatus)
            ),
            "rep": labelled(orders.column("rep")),
            "channel": labelled(orders.column("channel")),
            "category": categories(lines, order_id),
        },
        seconds=_seconds(numbers(orders, "second")),
        number_key=keys.result(),
    )


def number_key(column: pa.ChunkedArray) -> NDArray[np.int64]:
    """A whole number for each order number, ascending in natural order; int64, shape (orders,).

    Numbers of the common form, some text and then digits, are ranked as columns. The others are sorted by themselves,
    and find their places among the common ones by their first text and digits.
    """
    if len(column) == 0:
        return np.zeros(0, np.int64)
    digits, common = _last_digits(texts(column))
    prefix = labelled(pa.chunked_array([pc.ascii_rtrim(_flat(column), characters=string.digits)]))
    common &= ~np.array([any(map(str.isdecimal, label)) for label in prefix.labels], np.bool_).take(prefix.codes)
    plain, other = np.flatnonzero(common), np.flatnonzero(~common)
    if other.size == 0 and len(prefix.labels) == 1:
        return digits
    places = dense_ranks((digits.take(plain), prefix.codes.take(plain).astype(np.int64)))
    first_of = np.zeros(int(places.max(initial=-1)) + 1, np.int64)
    first_of[places] = plain
    others: list[str] = column.take(pa.array(other)).to_pylist()
    distinct = sorted(set(others), key=natural_key)
    room = len(distinct) + 1
    keys = np.empty(len(column), np.int64)
    keys[plain] = (places + 1) * room
    ranked = _Ranked(prefix.labels, prefix.codes.take(first_of), digits.take(first_of))
    before = ranked.before([natural_key(number) for number in distinct])
    key_of = {number: at * room + 1 + rank for rank, (number, at) in enumerate(zip(distinct, before, strict=True))}
    keys[other] = [key_of[number] for number in others]
    return keys


@dataclass(frozen=True, eq=False)
class _Ranked:
    """Numbers of the common form in natural order: the text of each as a place among ``labels``, and its digits."""

    labels: tuple[str, ...]
    prefix: NDArray[np.unsignedinteger[Any]]
    digits: NDArray[np.int64]

    def before(self, keys: Sequence[Any]) -> list[int]:
        """How many of them come before each natural key of another form."""
        first = [key[0][0] for key in keys]
        digits = np.array([min(key[0][1], _BEYOND) if len(key[0]) > 1 else -1 for key in keys], np.int64)
        place = np.array([bisect_left(self.labels, text) for text in first], np.int64)
        at = np.searchsorted(self.prefix, place)
        known = np.array([self.labels[at : at + 1] == (text,) for at, text in zip(place, first, strict=True)], np.bool_)
        for each in np.unique(place[known]).tolist():
            mine = np.flatnonzero(known & (place == each))
            low, high = np.searchsorted(self.prefix, (each, each + 1)).tolist()
            at[mine] = low + np.searchsorted(self.digits[low:high], digits.take(mine))
            for nth in mine.tolist():
                tied = int(at[nth])
                if tied < high and self.digits[tied] == digits[nth]:
                    at[nth] += natural_key(f"{self.labels[each]}{self.digits[tied]}") < keys[nth]
        found: list[int] = at.tolist()
        return found


def _last_digits(column: TextColumn) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The number at the end of each text, and where there is one of up to 18 digits without a leading zero.

    Digit by digit from the end, for all texts at once.
    """
    value, running = np.zeros(column.count, np.int64), np.arange(column.count)
    length, leading = np.zeros(column.count, np.int64), np.zeros(column.count, np.uint8)
    for place in range(_MOST_DIGITS + 1):
        at = column.offsets[1:].take(running) - 1 - place
        inside = at >= column.offsets.take(running)
        running, at = running[inside], at[inside]
        byte = column.data.take(at)
        is_digit = (byte >= _ZERO) & (byte <= _ZERO + 9)
        running, byte = running[is_digit], byte[is_digit]
        if place < _MOST_DIGITS:
            value[running] += (byte - _ZERO).astype(np.int64) * 10**place
        length[running] += 1
        leading[running] = byte
    usual = (length > 0) & (length <= _MOST_DIGITS) & ((leading != _ZERO) | (length == 1))
    return value, usual


def _flat(column: pa.ChunkedArray) -> pa.Array:
    """A column of one piece."""
    return pa.concat_arrays(column.chunks)


def _present(ids: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.uint16]]:
    """The distinct ids that occur, ascending, and each entry's place among them."""
    occurring = np.flatnonzero(np.bincount(ids)).astype(np.int64)
    return occurring, np.searchsorted(occurring, ids).astype(np.uint16)


def _seconds(seconds: NDArray[np.int64]) -> NDArray[np.int32] | None:
    return seconds.astype(np.int32) if (seconds >= 0).any() else None
