"""Two people at one thing: what somebody has seen of it goes with the change, and is looked at when nobody else can
change the book any more."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from sqlalchemy import Connection, func, select

from goldthread.errors import Conflict, NotFound
from goldthread.store.read.details import OrderRow, order_on_record
from goldthread.store.read.duplicates import keys_of, newest_match
from goldthread.store.schema.models import Event
from goldthread.store.write.delivery import Unless, shown


def order_changed(book_id: int, source: str, number: str, seen: int | None) -> Unless:
    """Raises `Conflict` when an order is not at the version that was ``seen``: 0 for none, None for whichever."""

    def look(connection: Connection) -> None:
        known = order_on_record(connection, book_id, source, number)
        if seen is not None and seen != (0 if known is None else known.version):
            raise Conflict(
                _as_it_is(source, number, known),
                remedy="Look at it as it is now, then change it again.",
                field="number",
            )

    return look


def something_said(book_id: int, customer_ids: Sequence[int], seen: int | None) -> Unless:
    """Raises `NotFound` when one of some customers is another one by now, and `Conflict` when something was said of
    them since what was ``seen``: the delivery of the newest word on any two of them, 0 for none, None for whichever."""

    def look(connection: Connection) -> None:
        keys_of(connection, book_id, customer_ids)
        if seen is not None and seen != newest_match(connection, book_id, customer_ids):
            raise Conflict(
                "Somebody said something else of these customers meanwhile.",
                remedy="Look at them as they are now, then say it again.",
                field="customers",
            )

    return look


def event_there(book_id: int, begins: str, label: str, instead: int | None) -> Unless:
    """Raises `Conflict` when a book has an event of a name that begins on a day, other than one typed with the delivery
    ``instead``; and `NotFound` when that is not there any more."""

    def look(connection: Connection) -> None:
        mine = select(Event.delivery_id).where(Event.book_id == book_id, Event.current)
        if instead is not None and not connection.execute(mine.where(Event.delivery_id == instead)).first():
            raise NotFound(
                "That event was taken back or changed meanwhile.", remedy="Look at the events as they are now."
            )
        same = mine.where(Event.begins_on == begins, func.lower(Event.label) == func.lower(label))
        known = connection.execute(same).scalar()
        if known is not None and known != instead:
            raise Conflict(
                f"There is an event {label} from {shown(dt.date.fromisoformat(begins))} on already.",
                remedy="Give it another name, or edit that one where it was typed.",
                field="label",
            )

    return look


def _as_it_is(source: str, number: str, known: OrderRow | None) -> str:
    if known is None:
        return f"Order {number} of {source} was taken back meanwhile."
    now = f"{known.customer}, {shown(known.date)}, {shown(known.amount)}, {known.status}"
    return f"Order {number} of {source} is on record otherwise by now: {now}."
