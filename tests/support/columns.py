"""Columns of a few orders, for books built in a test."""

from __future__ import annotations

import numpy as np

from goldthread.core.book.columns import Attribute, OrderColumns
from goldthread.core.book.ordering import ListedTexts


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
        numbers=ListedTexts([row[2] for row in rows]),
        seconds=np.array([row[4] for row in rows], np.int32),
    )
