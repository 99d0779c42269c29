"""When something is done again and again: said in words or as a cron expression, in the time zone of its book.

A time of the day that summer time leaves out comes an hour later on the clock, one that it repeats counts once; what
comes every hour comes every hour that passes.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from heapq import heappop, heappush
from itertools import islice, pairwise, takewhile
from zoneinfo import ZoneInfo

from croniter import CroniterBadDateError, CroniterError, croniter

from goldthread.errors import InvalidInput

LEAST_SECONDS = 300
"""So often at most."""
_LENGTH = 120
_LOOKED_AT = 400
"""Runs that are looked at to see how far apart they are; a day of five minutes."""
_SKIPPED_MOST = 1_000
_SET_BACK = dt.timedelta(hours=3)
"""Clocks are never set back further."""
_DAYS = ("sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday")
_ORDINALS = {"first": "1", "second": "2", "third": "3", "last": "L"}
_TIME = r"(?:(?: at (?P<hour>\d{1,2})(?::(?P<minute>\d{2}))?)|(?: (?P<clock>\d{1,2}:\d{2})))?"
_USUAL_HOUR = 6
_CRON_PART = re.compile(r"[0-9A-Za-z*,/#-]+")
_NAMED = re.compile(r"jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec|sun|mon|tue|wed|thu|fri|sat|l", re.IGNORECASE)
_EXAMPLES = (
    'Write it as "every Monday at 06:00", "every weekday at 7", "on the first of the month", "every day at 7", '
    '"every hour", "every 15 minutes", or as a cron expression such as "0 6 * * 1".'
)


def read_when(said: str) -> str:
    """The cron expression for some words, or of one that is given so. Raises `InvalidInput`."""
    plain = " ".join(said.casefold().split())
    if len(plain) > _LENGTH:
        raise InvalidInput(f"That is longer than {_LENGTH} characters.", remedy=_EXAMPLES, field="every")
    cron = _of_words(plain.removeprefix("every ").removeprefix("on ")) or _of_cron(said)
    if cron is None:
        raise InvalidInput(f"“{said.strip()}” does not say when.", remedy=_EXAMPLES, field="every")
    _must_not_be_too_often(cron)
    return cron


def _of_words(plain: str) -> str | None:
    if plain == "hour":
        return "0 * * * *"
    minutes = re.fullmatch(r"(5|10|15|20|30) minutes", plain)
    if minutes:
        return f"*/{minutes[1]} * * * *"
    found = re.fullmatch(rf"(?P<days>.+?){_TIME}", plain)
    if found is None:
        return None
    clock = (found["clock"] or "").partition(":")
    hour, minute = int(found["hour"] or clock[0] or _USUAL_HOUR), int(found["minute"] or clock[2] or 0)
    if hour > 23 or minute > 59:
        return None
    days = found["days"]
    of_month = re.fullmatch(r"(?:the )?(\w+?)(?:st|nd|rd|th)? of (?:the|every) month", days)
    if days in ("month", "the first of a month"):
        return f"{minute} {hour} 1 * *"
    if of_month:
        day = _ORDINALS.get(days.removeprefix("the ").split()[0], of_month[1])
        if day != "L" and not (day.isdecimal() and 1 <= int(day) <= 31):
            return None
        return f"{minute} {hour} {day} * *"
    if days == "day":
        return f"{minute} {hour} * * *"
    if days == "weekday":
        return f"{minute} {hour} * * 1-5"
    named = [each.removeprefix("every ").removesuffix("s") for each in re.split(r",? and |, ?", days)]
    if any(each not in _DAYS for each in named):
        return None
    return f"{minute} {hour} * * {','.join(str(each) for each in sorted({_DAYS.index(day) for day in named}))}"


def _of_cron(said: str) -> str | None:
    parts = said.split()
    if len(parts) != 5 or not all(_CRON_PART.fullmatch(part) for part in parts):
        return None
    # letters beyond names of months and days mean something random there
    if any(re.search("[A-Za-z]", _NAMED.sub("", part)) for part in parts):
        return None
    cron = " ".join(parts)
    return cron if croniter.is_valid(cron) else None


def _must_not_be_too_often(cron: str) -> None:
    runs = croniter(cron, dt.datetime(2024, 1, 1))  # noqa: DTZ001 - by the clock on the wall
    try:
        found = [runs.get_next(dt.datetime) for _ in range(_LOOKED_AT)]
    except CroniterBadDateError:
        raise InvalidInput(f"“{cron}” names no day that there is.", remedy=_EXAMPLES, field="every") from None
    if any((later - earlier).total_seconds() < LEAST_SECONDS for earlier, later in pairwise(found)):
        raise InvalidInput(
            f"That is more often than every {LEAST_SECONDS // 60} minutes.", remedy=_EXAMPLES, field="every"
        )


def when_words(cron: str) -> str:
    """An expression as people say it; itself where there are no such words."""
    minute, hour, day, month, weekday = cron.split()
    if (hour, day, month, weekday) == ("*", "*", "*", "*"):
        if minute == "0":
            return "every hour"
        if re.fullmatch(r"\*/\d+", minute):
            return f"every {minute[2:]} minutes"
    if not (minute.isdecimal() and hour.isdecimal()) or month != "*":
        return f"by the expression {cron}"
    at = f"at {int(hour):02}:{int(minute):02}"
    if day != "*" and weekday == "*":
        if day == "L":
            return f"on the last of the month {at}"
        return f"on the {_ordinal(int(day))} of the month {at}" if day.isdecimal() else f"by the expression {cron}"
    if day == "*" and weekday == "*":
        return f"every day {at}"
    if day == "*" and weekday == "1-5":
        return f"every weekday {at}"
    if day == "*" and re.fullmatch(r"[0-6](,[0-6])*", weekday):
        *first, last = (_DAYS[int(each)].capitalize() for each in weekday.split(","))
        listed = f"{', '.join(first)} and {last}" if first else last
        return f"every {listed} {at}"
    return f"by the expression {cron}"


def _ordinal(number: int) -> str:
    if number == 1:
        return "first"
    ending = {1: "st", 2: "nd", 3: "rd"}.get(number % 10 if number not in (11, 12, 13) else 0, "th")
    return f"{number}{ending}"


def next_after(cron: str, zone: ZoneInfo, after: dt.datetime) -> dt.datetime:
    """The first moment after another one, both in UTC without a zone, at which an expression runs in a time zone.

    Raises `InvalidInput` where there is none.
    """
    found = next(_moments(cron, zone, after), None)
    if found is None:
        raise InvalidInput(f"“{cron}” names no day that there is.", remedy=_EXAMPLES, field="every")
    return found


def runs_between(cron: str, zone: ZoneInfo, after: dt.datetime, until: dt.datetime) -> int:
    """How many times an expression runs after a moment, up to and with another one; `_SKIPPED_MOST` at most."""
    return sum(1 for _ in takewhile(lambda at: at <= until, islice(_moments(cron, zone, after), _SKIPPED_MOST)))


def next_times(cron: str, zone: ZoneInfo, count: int = 3) -> list[dt.datetime]:
    """The next times from now on, with the offset that the zone has then."""
    now = dt.datetime.now(dt.UTC).replace(tzinfo=None)
    return [at.replace(tzinfo=dt.UTC).astimezone(zone) for at in islice(_moments(cron, zone, now), count)]


def _moments(cron: str, zone: ZoneInfo, after: dt.datetime) -> Iterator[dt.datetime]:
    """Every moment after another one, in UTC without a zone, in sequence. Clocks that are set back show a time twice,
    so that moments are given once the wall shows `_SET_BACK` more."""
    known = after.replace(tzinfo=dt.UTC)
    runs = croniter(cron, known.astimezone(zone).replace(tzinfo=None) - _SET_BACK)
    folds = (0, 1) if cron.split()[1].startswith("*") else (0,)
    waiting, given = list[tuple[dt.datetime, dt.datetime]](), known
    while True:
        try:
            wall: dt.datetime | None = runs.get_next(dt.datetime)
        except CroniterError:
            wall = None
        while waiting and (wall is None or waiting[0][1] + _SET_BACK < wall):
            at, _ = heappop(waiting)
            if at > given:
                given = at
                yield at.replace(tzinfo=None)
        if wall is None:
            return
        for fold in folds:
            at = wall.replace(tzinfo=zone, fold=fold).astimezone(dt.UTC)
            if at > known:
                heappush(waiting, (at, wall))
