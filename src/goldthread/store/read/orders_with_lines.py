"""Orders that stand in two files of one source: as a whole in one, line by line in another.

The whole one is read (``docs/definitions.md``, 1.2); what its lines alone say, categories and attributes, is theirs.
Whether lines and attributes that are read now still say what they said at a revision is settled here as well.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, and_, bindparam, case, func, select, text

from goldthread.core.records import FileKind
from goldthread.store.revisions import Stamped, present_revision, stamp_of
from goldthread.store.schema.models import Delivery
from goldthread.store.server.bulk import Record, each_of, numbers, read

_SOURCES = """
SELECT source_id FROM deliveries WHERE book_id = :book AND withdrawn_at IS NULL AND kind IN ('orders', 'lines')
GROUP BY source_id HAVING COUNT(DISTINCT kind) > 1
"""
_LINED = """
SELECT o.id AS id, CAST(MAX(v.id) AS SIGNED) AS lined FROM {each} orders o
JOIN orders v ON v.source_id = o.source_id AND v.order_number = o.order_number AND v.from_lines
WHERE o.book_id = {book} AND o.source_id IN ({sources}) AND o.current AND NOT o.from_lines {some}
GROUP BY o.id ORDER BY o.id
"""
_BY_HAND = case((and_(Delivery.kind == FileKind.ORDERS, Delivery.by_hand, Delivery.withdrawn_at.is_(None)), 1), else_=0)
_LINED_OF_SOME = """
SELECT o.id, MAX(v.id) AS lined FROM orders o
JOIN orders v ON v.source_id = o.source_id AND v.order_number = o.order_number AND v.from_lines
WHERE o.book_id = :book AND o.id IN :ids AND NOT o.from_lines GROUP BY o.id
"""


def lined_query(record: Record, book_id: int, some: NDArray[np.int64] | None = None) -> str | None:
    """SQL of the orders that are read whole and have lines in another file, each with the version that has them; None
    where no source sends both, as is usual."""
    with record.engine.connect() as connection:
        sources = connection.execute(text(_SOURCES), {"book": book_id}).scalars().all()
    if not sources:
        return None
    parts = {"each": "", "some": ""} if some is None else {"each": each_of(some), "some": "AND o.id = some.id"}
    return _LINED.format(book=int(book_id), sources=", ".join(str(int(each)) for each in sources), **parts)


def lined_orders(
    record: Record, book_id: int, some: NDArray[np.int64] | None = None
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Ids of such orders, of all or of ``some``, and of the versions that have their lines; int64, one entry each."""
    query = lined_query(record, book_id, some)
    if query is None:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    table = read(record, query)
    return numbers(table, "id"), numbers(table, "lined")


def lined_of(connection: Connection, book_id: int, order_ids: Sequence[int]) -> dict[int, int]:
    """The same for some orders: the version with the lines, by the id of an order that has one."""
    if not order_ids:
        return {}
    query = text(_LINED_OF_SOME).bindparams(bindparam("ids", expanding=True))
    rows = connection.execute(query, {"book": book_id, "ids": list(order_ids)})
    return {row.id: row.lined for row in rows}


def holds_still(record: Record, book_id: int, at: Stamped) -> bool:
    """Whether what the lines and attributes of orders say now, they said at a revision too: nothing but orders by hand
    came since, which are versions of their own, and no order stands in two files of one source."""
    present = present_revision(record.engine, book_id)
    if present == at:
        return True
    with record.engine.connect() as connection:
        if stamp_of(connection, book_id, at.number) != at.stamp:
            return False
        since = connection.execute(
            select(func.count(), func.coalesce(func.sum(_BY_HAND), 0)).where(
                Delivery.book_id == book_id, Delivery.book_revision > at.number
            )
        ).one()
    by_hand = tuple(map(int, since)) == (present.number - at.number,) * 2
    return by_hand and lined_query(record, book_id) is None
