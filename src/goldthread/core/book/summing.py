"""Counts and exact sums of amounts by a code, in blocks that stay in the processor's cache."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, blocks

Whole = TypeVar("Whole", bound=np.integer[Any])
Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]
Codes = NDArray[np.integer[Any]]
Packed = NDArray[np.unsignedinteger[Any]]
AmountBlocks = Callable[[int], Iterator[tuple[slice, Int64s]]]
"""Gives amounts in blocks of about a size, each with its place."""
_EXACT_FLOAT = 2**53


def block_orders(length: int) -> int:
    """Orders per block of a pass that adds up by so many cells: adding the cells of a block must cost less than it."""
    return max(BLOCK_ORDERS, 4 * length)


def blocks_of(amounts: Int64s) -> AmountBlocks:
    """Amounts that lie in one array, as blocks."""
    return lambda size: ((block, amounts[block]) for block in blocks(amounts.size, size))


def running(amounts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Sums of the amounts before each place and in all; int64, shape (amounts + 1,)."""
    sums = np.zeros(amounts.size + 1, np.int64)
    np.cumsum(amounts, out=sums[1:])
    return sums


def count_and_sum(
    amount_blocks: AmountBlocks, cells: Codes, length: int, largest: int | None = None
) -> tuple[Int64s, Int64s]:
    """Orders and exact revenue by cell; int64, shape (length,). Doubles are used only while every partial sum is an
    exact integer.

    ``largest`` : no amount is larger, whatever its sign, where that is known.
    """
    count, total = np.zeros(length, np.int64), np.zeros(length, np.int64)
    size = block_orders(length)
    exact = largest is not None and largest * size < _EXACT_FLOAT
    for place, amount in amount_blocks(size):
        cell = cells[place].astype(np.intp)
        count += np.bincount(cell, minlength=length)
        _add(total, cell, amount, exact or _sums_exactly(amount))
    return count, total


def exact_sums(cells_and_amounts: Iterable[tuple[Codes, Int64s]], length: int) -> Int64s:
    """Exact sums by cell of what comes block by block; int64, shape (length,)."""
    total = np.zeros(length, np.int64)
    for cells, amount in cells_and_amounts:
        _add(total, cells.astype(np.intp), amount, _sums_exactly(amount))
    return total


def sums_by_code(codes: Codes, values: Int64s, length: int) -> Int64s:
    """Exact sums of whole numbers by code; int64, shape (length,)."""
    each = ((codes[block], values[block]) for block in blocks(values.size, block_orders(length)))
    return exact_sums(each, length)


def _add(total: Int64s, cell: NDArray[np.intp], amount: Int64s, in_doubles: bool) -> None:
    if in_doubles:
        total += np.bincount(cell, amount, minlength=total.size).astype(np.int64)
    else:
        np.add.at(total, cell, amount)


def _sums_exactly(amount: Int64s) -> bool:
    largest = max(int(amount.max()), -int(amount.min())) if amount.size else 0
    return largest * amount.size < _EXACT_FLOAT


def following(codes: Codes, first: Int64s) -> Int64s:
    """Positions of the orders of a book that follow an order of the same customer with the same code; int64.

    ``first`` : positions of each customer's first order, which follows nothing.
    """
    again = np.empty(codes.size, np.bool_)
    again[:1] = False
    np.equal(codes[1:], codes[:-1], out=again[1:])
    again[first] = False
    return np.flatnonzero(again)


def distinct(ascending: NDArray[Whole]) -> NDArray[Whole]:
    """Each of some ascending numbers once; dtype of the numbers."""
    fresh = np.ones(ascending.size, np.bool_)
    np.not_equal(ascending[1:], ascending[:-1], out=fresh[1:])
    return ascending[fresh]


def _packed_pairs(owners: Codes, codes: Codes, count: int) -> tuple[Packed, int]:
    """Pairs of an owner and a code below ``count`` as numbers, ascending, and the bits that the code takes: 32 bits to
    a number where they are enough, which sorts twice as fast, else 64."""
    bits = max(count - 1, 1).bit_length()
    narrow = int(owners.max(initial=0)).bit_length() + bits <= 32
    packed: Packed = owners.astype(np.uint32) if narrow else owners.astype(np.uint64)
    np.left_shift(packed, packed.dtype.type(bits), out=packed)
    np.bitwise_or(packed, codes.astype(packed.dtype, copy=False), out=packed)
    packed.sort()
    return packed, bits


def repeated(owners: Codes, codes: Codes, count: int) -> tuple[Int32s, Int32s]:
    """Owners and codes of the entries that repeat a code of the same owner; int32. The distinct owners of a code are
    its entries less these."""
    packed, bits = _packed_pairs(owners, codes, count)
    return _unpacked(packed.take(np.flatnonzero(packed[1:] == packed[:-1])), bits)


def distinct_pairs(owners: Codes, codes: Codes, count: int) -> tuple[Int32s, Int32s]:
    """Owners and codes of every pair once, by owner and code; int32."""
    packed, bits = _packed_pairs(owners, codes, count)
    return _unpacked(distinct(packed), bits)


def _unpacked(packed: Packed, bits: int) -> tuple[Int32s, Int32s]:
    return (packed >> bits).astype(np.int32), (packed & ((1 << bits) - 1)).astype(np.int32)
