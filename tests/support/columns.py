"""Columns of a few orders, for books built in a test."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.ordering import natural_key


def number_keys(numbers: Sequence[str]) -> NDArray[np.int64]:
    """A whole number for each order number, ascending in natural order."""
    rank = {number: place for place, number in enumerate(sorted(set(numbers), key=natural_key))}
    return np.array([rank[number] for number in numbers], np.int64)


def columns(
    rows: list[tuple[int, int, str, int, int]], sources: tuple[str, ...] = ("a", "b"), amount: int = 1
) -> OrderColumns:
    """Rows of customer, day, number, source code, second."""
    return OrderColumns(
        customer=np.array([row[0] for row in rows], np.int32),
        day=np.array([row[1] for row in rows], np.int32),
        amount_minor=np.full(len(rows), amount, np.int64),
        order_id=np.arange(len(rows), dtype=np.int64),
        attributes={
            "source": Attribute(np.array([row[3] for row in rows], np.uint16), sources),
            "status": Attribute(np.zeros(len(rows), np.uint16), ("paid",)),
        },
        number_key=number_keys([row[2] for row in rows]),
        seconds=np.array([row[4] for row in rows], np.int32),
    )
