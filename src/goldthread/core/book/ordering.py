"""The order of orders within a customer (``docs/definitions.md``, 1.5).

Order date, then time (orders without one first), then order number in natural order, then source name:
deterministic, and never the sequence of entry.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
_DIGITS = re.compile(r"(\d+)")
_THREADED_FROM = 500_000
_KEY_BITS = 63
_PAIR = 2


@dataclass(frozen=True, eq=False)
class SortedRows:
    """Rows sorted by (customer, day).

    Attributes
    ----------
    rows : int64, shape (n,); ties stay in the sequence of the rows
    key : int64, shape (n,); equal exactly where customer and day are equal
    counts : int64, shape (customers,), orders per customer
    day : int32, shape (n,)
    """

    rows: Int64s
    key: Int64s
    counts: Int64s
    day: NDArray[np.int32]


def natural_key(number: str) -> tuple[tuple[str | int, ...], str]:
    """Sort key that puts ``A-9`` before ``A-10``; equal readings (``A-09``, ``A-9``) fall back to the text."""
    parts = _DIGITS.split(number)
    return tuple(int(p) if i % 2 else p for i, p in enumerate(parts)), number


def sorted_rows(customer: NDArray[np.int32], day: NDArray[np.int32], customers: int) -> SortedRows:
    """Sort rows by (customer, day); ``customer`` is in 0 … customers − 1, both int32 of shape (n,).

    Customer, day and row number are packed into one integer and sorted as *values*: no argsort and no gather of keys is
    needed. Rows are sorted range of customers by range, so that these integers always fit, and two ranges at once:
    NumPy's sort releases the interpreter lock.
    """
    n = customer.size
    low = int(day.min()) if n else 0
    day_bits, row_bits = _bits(int(day.max()) - low + 1 if n else 1), _bits(n)
    counts = np.bincount(customer, minlength=customers)
    before = np.concatenate(([0], np.cumsum(counts)))
    rows, key = np.empty(n, np.int64), np.empty(n, np.int64)

    def sort(first: int, after: int) -> None:
        place = slice(int(before[first]), int(before[after]))
        is_whole = place.stop - place.start == n
        mine = np.arange(n) if is_whole else np.flatnonzero((customer >= first) & (customer < after))
        packed = (customer if is_whole else customer.take(mine)).astype(np.int64)
        packed -= first
        packed <<= day_bits
        packed |= (day if is_whole else day.take(mine)) - np.int32(low)
        packed <<= row_bits
        packed |= mine
        del mine
        packed.sort()
        np.bitwise_and(packed, (1 << row_bits) - 1, out=rows[place])
        packed >>= row_bits
        np.add(packed, first << day_bits, out=key[place])

    ranges = _ranges(before, day_bits + row_bits)
    if len(ranges) > 1:
        # worth its time only for books that are sorted
        from concurrent.futures import ThreadPoolExecutor

        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda each: sort(*each), ranges))
    else:
        sort(0, customers)
    days = (key & ((1 << day_bits) - 1)).astype(np.int32)
    days += np.int32(low)
    return SortedRows(rows, key, counts, days)


def _ranges(before: Int64s, further_bits: int) -> list[tuple[int, int]]:
    """Ranges of customers, each of which fits one integer with ``further_bits``: two halves of the rows where there are
    many, more where they do not fit. ``before`` is how many rows the customers before each one have."""
    customers, n = before.size - 1, int(before[-1])
    if n < _THREADED_FROM and _bits(customers) + further_bits <= _KEY_BITS:
        return [(0, customers)]
    half = int(np.searchsorted(before, n // 2))
    found, waiting = [], [each for each in ((half, customers), (0, half)) if each[0] < each[1]]
    while waiting:
        first, after = waiting.pop()
        middle = (first + after) // 2
        if after - first == 1 or _bits(after - first) + further_bits <= _KEY_BITS:
            found.append((first, after))
        else:
            waiting += [(middle, after), (first, middle)]
    return found


def _bits(count: int) -> int:
    """How many bits tell so many things apart."""
    return max(count - 1, 1).bit_length()


def settle_ties(
    ordered: SortedRows,
    number_key: Int64s,
    source: NDArray[np.unsignedinteger[Any]],
    source_names: Sequence[str],
    seconds: NDArray[np.int32] | None,
) -> None:
    """Put rows that share customer and day in order, in place.

    ``number_key`` ascends as each row's number does, ``source`` is its index into ``source_names``, ``seconds`` its
    time of day, −1 where the file gave none. Nearly all ties are of two rows: those are compared and changed about,
    which needs no sort; longer ones are sorted by all keys together.
    """
    same = ordered.key[1:] == ordered.key[:-1]
    # where a run of equal keys begins, and where the one after a run's last row stands
    edges = np.diff(np.concatenate(([False], same, [False])).astype(np.int8))
    begins, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) + 1
    if begins.size == 0:
        return
    ranks = _ranks(source_names)

    def keys_of(rows: Int64s) -> list[NDArray[Any]]:
        """The least significant first."""
        times = [] if seconds is None else [seconds.take(rows)]
        return [ranks.take(source.take(rows)), number_key.take(rows), *times]

    long = ends - begins > _PAIR
    pairs = begins[~long]
    _settle_pairs(ordered.rows, pairs, keys_of)
    if not long.any():
        return
    first, count = begins[long], (ends - begins)[long]
    run = np.repeat(np.arange(first.size), count)
    places = np.arange(run.size) - np.repeat(np.cumsum(count) - count, count) + first.take(run)
    members = ordered.rows.take(places)
    ordered.rows[places] = members.take(np.lexsort((*keys_of(members), run)))


def _settle_pairs(rows: Int64s, begins: Int64s, keys_of: Callable[[Int64s], list[NDArray[Any]]]) -> None:
    """Change two neighbouring rows about where the second one comes first."""
    one, other = rows.take(begins), rows.take(begins + 1)
    later = np.zeros(begins.size, np.bool_)
    for mine, theirs in zip(keys_of(one), keys_of(other), strict=True):
        later = (mine > theirs) | ((mine == theirs) & later)
    wrong = begins[later]
    rows[wrong], rows[wrong + 1] = other[later], one[later]


def dense_ranks(keys: Sequence[Int64s]) -> Int64s:
    """Rank of each entry by several keys, the least significant first; equal entries have equal ranks; int64, shape of
    the keys."""
    order = np.lexsort(tuple(keys))
    differs = np.zeros(order.size, np.bool_)
    for key in keys:
        in_order = key.take(order)
        differs[1:] |= in_order[1:] != in_order[:-1]
    ranks = np.empty(order.size, np.int64)
    ranks[order] = np.cumsum(differs)
    return ranks


def _ranks(values: Sequence[Any]) -> Int64s:
    """Rank of each value among the distinct values; int64."""
    rank_of = {value: rank for rank, value in enumerate(sorted(set(values)))}
    return np.array([rank_of[value] for value in values], np.int64)
