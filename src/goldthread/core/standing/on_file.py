"""Since when a customer is on file (``docs/definitions.md``, section 8): from the date on which they joined, where
their record gives one, or their first order, whichever is earlier."""

from __future__ import annotations

import datetime as dt
import re

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_day
from goldthread.core.book.order_book import OrderBook, kept
from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.facts import first_day

JOINED_NAMES = (
    *("joined", "joined_on", "date_joined", "registered", "registered_on", "registered_at", "signed_up"),
    *("customer_since", "member_since", "created", "created_on", "created_at"),
)
"""What customer files call the date on which somebody joined; the first of them that a book has is read."""
_ISO_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_LATEST = np.iinfo(np.int32).max


def joined_name(book: OrderBook) -> str | None:
    """The attribute of customers that says when they joined; None for a book without one."""
    known = {name.casefold().replace(" ", "_"): name for name in book.customers.attributes}
    return next((known[name] for name in JOINED_NAMES if name in known), None)


@kept
def on_file_day(whole: OrderBook, as_of_day: int) -> NDArray[np.int32]:
    """The day from which each customer is on file; int32, shape (customers,), `NO_DAY` where nothing up to the as-of
    date says so: they count as on file throughout."""
    days = first_day(whole)
    days = np.where(days == NO_DAY, _LATEST, days)
    name = joined_name(whole)
    if name is not None:
        days = np.minimum(days, _joined_day(whole.customers.attributes[name]))
    days[days > as_of_day] = NO_DAY
    return days


def _joined_day(attribute: Attribute) -> NDArray[np.int32]:
    """Labels as days: ISO 8601 dates, or timestamps that begin with one; no day for any other."""
    return np.array([_iso_day(label) for label in attribute.labels] or [_LATEST], np.int32).take(attribute.codes)


def _iso_day(text: str) -> int:
    try:
        return to_day(dt.date.fromisoformat(text[:10])) if _ISO_DATE.match(text) else _LATEST
    except ValueError:
        return _LATEST
