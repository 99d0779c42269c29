"""Whom to call when, as calendar entries (RFC 5545): one all-day entry per member with a date to call on."""

from __future__ import annotations

import datetime as dt

from goldthread.core.choices import MemberState
from goldthread.stops.calendars import all_day, limit_entries, new_calendar
from goldthread.stops.followup.list_shape import contacts_of
from goldthread.stops.followup.worked import WorkedAnswer
from goldthread.workspace import Workspace


def call_dates(_workspace: Workspace, answer: WorkedAnswer) -> bytes:
    """Every shown member who is to do and has a date to call on. Raises `TooLarge`."""
    read, worked = answer.read, answer.worked
    book, members = read.orders, answer.shown_members
    calendar = new_calendar(f"{read.book.name}: {answer.row.name}")
    entries = [worked.entries[place] for place in answer.rows.tolist()]
    wanted = [
        (customer, contact, entry, entry.call_on)
        for customer, contact, entry in zip(members.tolist(), contacts_of(read, members), entries, strict=True)
        if entry.call_on is not None and entry.state is MemberState.TO_DO
    ]
    limit_entries(len(wanted), "Show fewer members, or narrow them by a filter.", "shown")
    for customer, contact, entry, day in wanted:
        number = int(book.customer_id[customer])
        stamp = (entry.changed_at or dt.datetime.combine(answer.row.as_of, dt.time())).replace(tzinfo=dt.UTC)
        lines = [f"Customer {book.customers.key(customer)}", contact.phone, contact.email, entry.note]
        calendar.add_component(
            all_day(
                f"call-{number}-{answer.row.id}@{read.book.id}.goldthread",
                stamp,
                day,
                f"Call {book.customers.name(customer) or book.customers.key(customer)}",
                [line for line in lines if line],
            )
        )
    return bytes(calendar.to_ical())
