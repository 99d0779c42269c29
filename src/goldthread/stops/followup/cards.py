"""Customers as address cards (vCard 4.0, RFC 6350): one card each, in the sequence of the list.

Lines are escaped and folded as those of calendars are, which have the same form.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from icalendar import vText
from icalendar.parser import Contentline, Parameters
from numpy.typing import NDArray

from goldthread import __version__
from goldthread.core.book.days import to_date
from goldthread.core.book.payments import NO_DAY
from goldthread.core.history import facts
from goldthread.core.limits import CARDS_MOST
from goldthread.errors import TooLarge
from goldthread.stops.followup.list_shape import contacts_of
from goldthread.stops.reading import Read

CARDS_TYPE = "text/vcard; charset=utf-8"


def cards(read: Read, customers: NDArray[np.int64]) -> bytes:
    """A card for each of some customers. Raises `TooLarge`."""
    if customers.size > CARDS_MOST:
        raise TooLarge(
            f"That would be {customers.size} cards; {CARDS_MOST} are the most.",
            remedy="Narrow the customers by a filter, or download them as a table.",
            field="who",
        )
    return b"".join(line + b"\r\n" for line in _lines(read, customers))


def _lines(read: Read, customers: NDArray[np.int64]) -> Iterator[bytes]:
    read, customers = read.of_a_few(customers)
    book, latest = read.orders, facts.latest_day(read.orders)
    for customer, contact in zip(customers.tolist(), contacts_of(read, customers), strict=True):
        name, key = book.customers.name(customer), book.customers.key(customer)
        day = int(latest[customer])
        ordered = "never ordered" if day == NO_DAY else f"latest order {to_date(day).isoformat()}"
        yield b"BEGIN:VCARD"
        yield b"VERSION:4.0"
        yield _line("PRODID", f"-//Gold Thread//Gold Thread {__version__}//EN")
        yield _line("UID", f"{int(book.customer_id[customer])}@{read.book.id}.goldthread")
        yield _line("FN", name or key)
        if contact.email:
            yield _line("EMAIL", contact.email)
        if contact.phone:
            yield _line("TEL", contact.phone)
        if contact.town:
            # box, further line, street, town, region, code, country
            address = Contentline(f"ADR:;;;{vText(contact.town).to_ical().decode()};;;")  # type: ignore[no-untyped-call]
            yield address.to_ical()  # type: ignore[no-untyped-call]
        yield _line("NOTE", f"Customer {key}, {ordered}")
        yield b"END:VCARD"


def _line(name: str, value: str) -> bytes:
    folded: bytes = Contentline.from_parts(name, Parameters(), vText(value)).to_ical()
    return folded
