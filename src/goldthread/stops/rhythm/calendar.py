"""Who is due as calendar entries (RFC 5545): one all-day entry per customer, on the day of the expected order."""

from __future__ import annotations

import datetime as dt

from icalendar import Calendar, Event

from goldthread import __version__
from goldthread.core.book.days import to_date
from goldthread.core.history import facts
from goldthread.core.limits import CALENDAR_ENTRIES_MOST
from goldthread.errors import TooLarge
from goldthread.stops.rhythm.answer import DueAnswer
from goldthread.stops.sentence import plain, reading_line
from goldthread.workspace import Workspace


def due_calendar(_workspace: Workspace, answer: DueAnswer) -> bytes:
    """Everybody who is listed; who is late stands on the as-of date. Raises `TooLarge`."""
    read, book = answer.read, answer.read.orders
    if answer.rows.size > CALENDAR_ENTRIES_MOST:
        raise TooLarge(
            f"That would be {answer.rows.size} calendar entries; {CALENDAR_ENTRIES_MOST} are the most.",
            remedy="Look less far ahead, hide overdue ones, or narrow customers by a filter.",
            field="within",
        )
    calendar = Calendar()
    calendar.add("prodid", f"-//Gold Thread//Gold Thread {__version__}//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"{read.book.name}: next orders expected")
    reading = plain(reading_line(read))
    stamp = dt.datetime.combine(to_date(read.as_of_day), dt.time(), dt.UTC)
    latest, due = facts.latest_day(book), facts.next_due_day(book)
    gap = facts.expected_gap_days(book)
    about = book.customers.texts
    for customer, late in zip(answer.rows.tolist(), answer.due.days_late(answer.rows).tolist(), strict=True):
        day = int(due[customer]) + late
        name, key = book.customers.name(customer), book.customers.key(customer)
        entry = Event()
        ordered = to_date(int(latest[customer])).isoformat()
        entry.add("uid", f"{int(book.customer_id[customer])}-{ordered}@{read.book.id}.goldthread")
        entry.add("dtstamp", stamp)
        entry.add("dtstart", to_date(day))
        entry.add("dtend", to_date(day + 1))
        entry.add("transp", "TRANSPARENT")
        entry.add("summary", f"{name}: next order {f'{late} days late' if late > 0 else 'expected'}")
        lines = [
            f"Customer {key}",
            f"Latest order {ordered}, usual gap {gap[customer]:g} days",
            *([f"E-mail {email}"] if (email := about["email"].at(customer)) else []),
            reading,
        ]
        entry.add("description", "\n".join(lines))
        calendar.add_component(entry)
    return bytes(calendar.to_ical())
