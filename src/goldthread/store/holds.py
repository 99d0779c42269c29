"""Customers in hand, on record."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine, delete, func, insert, select

from goldthread.core.book import OrderBook
from goldthread.core.records import HIDDEN
from goldthread.errors import NotFound, TooLarge
from goldthread.store.details import owners_of_keys
from goldthread.store.models import Hold
from goldthread.store.orders_in import now

WORDS_LENGTH = 500
HOLDS_MOST = 500
"""Holds of one book."""
_STORED = np.dtype("<i8")


@dataclass(frozen=True)
class HoldRow:
    """A hold on record; ``words`` say who the customers were when they were held."""

    id: int
    words: str
    customer_count: int
    held_at: dt.datetime


_ROW = select(Hold.id, Hold.words, Hold.customer_count, Hold.held_at)


def add_hold(engine: Engine, book_id: int, words: str, customer_ids: NDArray[np.int64]) -> HoldRow:
    """Keep customers in hand. Raises `TooLarge` when a book has as many holds as it may."""
    values = {
        "book_id": book_id,
        "words": HIDDEN.sub("", words)[:WORDS_LENGTH],
        "customer_count": int(customer_ids.size),
        "customer_ids": customer_ids.astype(_STORED).tobytes(),
        "held_at": now(),
    }
    with engine.begin() as connection:
        held = connection.execute(select(func.count()).where(Hold.book_id == book_id)).scalar_one()
        if held >= HOLDS_MOST:
            raise TooLarge(f"{HOLDS_MOST} lists are held already.", remedy="Let some of them go.", field="held")
        made: Any = connection.execute(insert(Hold).values(values)).inserted_primary_key
    return find_hold(engine, book_id, int(made[0]))


def list_holds(engine: Engine, book_id: int) -> list[HoldRow]:
    """The holds of a book, newest first."""
    with engine.connect() as connection:
        rows = connection.execute(_ROW.where(Hold.book_id == book_id).order_by(Hold.id.desc())).all()
    return [HoldRow(*row) for row in rows]


def find_hold(engine: Engine, book_id: int, hold_id: int) -> HoldRow:
    """One hold. Raises `NotFound`."""
    with engine.connect() as connection:
        row = connection.execute(_ROW.where(Hold.book_id == book_id, Hold.id == hold_id)).first()
    if row is None:
        raise NotFound("Those customers are not in hand any more.", remedy="Hold them again.", field="held")
    return HoldRow(*row)


def drop_hold(engine: Engine, book_id: int, hold_id: int) -> None:
    """Let customers go. Raises `NotFound`."""
    find_hold(engine, book_id, hold_id)
    with engine.begin() as connection:
        connection.execute(delete(Hold).where(Hold.book_id == book_id, Hold.id == hold_id))


def held_mask(engine: Engine, book_id: int, hold_id: int, book: OrderBook) -> NDArray[np.bool_]:
    """Which customers of a book are in a hold; bool, shape (customers,).

    A customer who was found to be another one since is held as that one.
    """
    find_hold(engine, book_id, hold_id)
    with engine.connect() as connection:
        stored = connection.execute(select(Hold.customer_ids).where(Hold.id == hold_id)).scalar_one()
    ids = np.frombuffer(stored, _STORED).astype(np.int64)
    mask = np.isin(book.customer_id, ids)
    gone = ids[~np.isin(ids, book.customer_id)]
    if gone.size:
        mask |= np.isin(book.customer_id, owners_of_keys(engine, gone.tolist()))
    return mask
