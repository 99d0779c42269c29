"""Who is due as calendar entries (RFC 5545): one all-day entry per customer, on the day of the expected order."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date
from goldthread.core.history import facts
from goldthread.core.rhythm.due import days_late
from goldthread.stops.calendars import all_day, limit_entries, new_calendar
from goldthread.stops.rhythm.answer import DueAnswer
from goldthread.stops.sentences.sentence import plain, reading_line
from goldthread.workspace import Workspace


def due_calendar(_workspace: Workspace, answer: DueAnswer) -> bytes:
    """Everybody who is listed; who is late stands on the as-of date. Raises `TooLarge`."""
    read = answer.read
    remedy = "Look less far ahead, hide overdue ones, or narrow customers by a filter."
    limit_entries(answer.found.count, remedy, "within")
    calendar = new_calendar(f"{read.book.name}: next orders expected")
    reading = plain(reading_line(read))
    stamp = dt.datetime.combine(to_date(read.as_of_day), dt.time(), dt.UTC)
    read, rows = read.of_a_few(answer.found.rows)
    book = read.orders
    latest, due = facts.latest_day(book), facts.next_due_day(book)
    gap = facts.expected_gap_days(book)
    about = book.customers.texts
    for customer, late in zip(rows.tolist(), days_late(read.history, rows).tolist(), strict=True):
        day = int(due[customer]) + late
        name, key = book.customers.name(customer), book.customers.key(customer)
        ordered = to_date(int(latest[customer])).isoformat()
        lines = [
            f"Customer {key}",
            f"Latest order {ordered}, usual gap {gap[customer]:g} days",
            *([f"E-mail {email}"] if (email := about["email"].at(customer)) else []),
            reading,
        ]
        calendar.add_component(
            all_day(
                f"{int(book.customer_id[customer])}-{ordered}@{read.book.id}.goldthread",
                stamp,
                to_date(day),
                f"{name}: next order {f'{late} days late' if late > 0 else 'expected'}",
                lines,
            )
        )
    return bytes(calendar.to_ical())
