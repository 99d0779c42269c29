"""Calendars with one all-day entry per customer (RFC 5545)."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

from icalendar import Calendar, Event

from goldthread import __version__
from goldthread.core.limits import CALENDAR_ENTRIES_MOST
from goldthread.errors import TooLarge

CALENDAR_TYPE = "text/calendar; charset=utf-8"


def limit_entries(count: int, remedy: str, field: str) -> None:
    """Raises `TooLarge` for more entries than a calendar may have."""
    if count > CALENDAR_ENTRIES_MOST:
        raise TooLarge(
            f"That would be {count} calendar entries; {CALENDAR_ENTRIES_MOST} are the most.", remedy=remedy, field=field
        )


def new_calendar(name: str) -> Calendar:
    """A calendar without entries."""
    calendar = Calendar()
    calendar.add("prodid", f"-//Gold Thread//Gold Thread {__version__}//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    return calendar


def all_day(uid: str, stamp: dt.datetime, day: dt.date, summary: str, lines: Sequence[str]) -> Event:
    """An entry that takes a whole day and keeps nobody busy."""
    entry = Event()
    entry.add("uid", uid)
    entry.add("dtstamp", stamp)
    entry.add("dtstart", day)
    entry.add("dtend", day + dt.timedelta(1))
    entry.add("transp", "TRANSPARENT")
    entry.add("summary", summary)
    entry.add("description", "\n".join(lines))
    return entry
