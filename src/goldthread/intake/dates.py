"""Dates as people write them, taken apart: numbers, names of months and weekdays in eight languages, times, zones.

A text is taken apart once, without deciding what the text leaves open (which of two numbers is the day, what a number
counts); `goldthread.intake.formats` decides that by the whole column. Month and weekday names are English, German,
French, Spanish, Italian, Dutch, Portuguese and Polish. Zones are offsets, names of the time zone database, and the
abbreviations that RFC 5322 and central Europe use; what stands for several zones is not read.
"""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from zoneinfo import ZoneInfo, available_timezones

_MONTH_NAMES = (
    "january januar janvier enero gennaio januari janeiro stycznia styczen",
    "february februar fevrier febrero febbraio februari fevereiro lutego luty",
    "march marz mars marzo maart marco marca marzec mrz mrt",
    "april avril abril aprile kwietnia kwiecien",
    "may mai mayo maggio mei maio maja maj",
    "june juni juin junio giugno junho czerwca czerwiec",
    "july juli juillet julio luglio julho lipca lipiec",
    "august aout agosto augustus sierpnia sierpien",
    "september septembre septiembre setembro settembre wrzesnia wrzesien",
    "october oktober octobre octubre ottobre outubro pazdziernika pazdziernik",
    "november novembre noviembre novembro listopada listopad",
    "december dezember decembre diciembre dicembre dezembro grudnia grudzien",
)
_WEEKDAY_NAMES = (
    "monday montag lundi lunes lunedi maandag segunda poniedzialek mo ma pn pon "
    "tuesday dienstag mardi martes martedi dinsdag terca wtorek di wt tues "
    "wednesday mittwoch mercredi miercoles mercoledi woensdag quarta sroda mi wo sr "
    "thursday donnerstag jeudi jueves giovedi donderdag quinta czwartek do cz czw thurs "
    "friday freitag vendredi viernes venerdi vrijdag sexta piatek fr vr pt "
    "saturday samstag sonnabend samedi sabado sabato zaterdag sobota sa za sb "
    "sunday sonntag dimanche domingo domenica zondag niedziela so zo nd ndz"
)
_SHORTEST_NAME = 3
_FILLERS = frozenset(
    [
        "de",
        "del",
        "of",
        "the",
        "le",
        "om",
        "at",
        "um",
        "a",
        "as",
        "alle",
        "las",
        "los",
        "la",
        "el",
        "r",
        "godz",
        "kl",
        "uhr",
        "h",
        "hrs",
        "o",
        "feira",
    ]
)
_MERIDIEM = {"am": 0, "pm": 12}
_OFFSETS_HOURS = {
    **{"z": 0, "utc": 0, "gmt": 0, "ut": 0, "wet": 0, "west": 1, "cet": 1, "cest": 2, "mez": 1, "mesz": 2},
    **{"eet": 2, "eest": 3, "est": -5, "edt": -4, "cst": -6, "cdt": -5, "mst": -7, "mdt": -6, "pst": -8, "pdt": -7},
}


def _month_words() -> dict[str, int]:
    """Names of months, and their beginnings that belong to one month only."""
    found: dict[str, set[int]] = {}
    for month, names in enumerate(_MONTH_NAMES, 1):
        for name in names.split():
            for length in range(_SHORTEST_NAME, len(name) + 1):
                found.setdefault(name[:length], set()).add(month)
    return {word: min(months) for word, months in found.items() if len(months) == 1}


def _weekday_words() -> frozenset[str]:
    names = _WEEKDAY_NAMES.split()
    return frozenset(name[:length] for name in names for length in (*range(_SHORTEST_NAME, len(name) + 1), len(name)))


_MONTH_WORDS, _WEEKDAYS = _month_words(), _weekday_words()
_ZONES = {name.casefold(): name for name in available_timezones()}
_EVERYDAY = re.compile(
    r"(?:(?P<year>[0-9]{4})-(?P<month>[0-9]{2})-(?P<day>[0-9]{2})"
    r"|(?P<first>[0-9]{1,2})(?P<mark>[/.-])(?P<second>[0-9]{1,2})(?P=mark)(?P<last>[0-9]{4}))"
    r"(?:[ T](?P<hour>[0-9]{1,2}):(?P<minute>[0-9]{2})(?::(?P<second_>[0-9]{2}))?)?"
)
"""The forms that most files have, read without looking for others."""
_TIME_BEFORE_YEAR = re.compile(r"([0-9]{1,2}:[0-9]{2}(?::[0-9]{2})?(?: [a-z]{3,4})?) ([0-9]{4})$")
_IN_BRACKETS = re.compile(r" ?(?:\([a-z ]+\)|(?<=[0-9])\[[a-z_+0-9/-]+\])$")
_TIME = re.compile(
    r"(?:^|[ t,])([0-9]{1,2})(?:[:h]([0-9]{2})(?::([0-9]{2})(?:[.,][0-9]+)?)?|\.([0-9]{2})(?= ?uhr))"
    r" ?(?:(am|pm|[ap]\.m\.)(?![a-z]))?"
    r"(?: ?(?:uhr|h|hrs)\.?)?(?: ?([a-z][a-z_/]+|z))? ?([+-][0-9]{1,2}(?::?[0-9]{2})?)?$"
)
_TIME_IN_DOTS = re.compile(r"(.*[0-9]{4}) ([0-9]{1,2})\.([0-9]{2})(?:\.([0-9]{2}))?")
_TIME_FIRST = re.compile(r"[0-9]{1,2}:[0-9]{2}.*")
_COMPACT = re.compile(r"([0-9]{4})([0-9]{2})([0-9]{2})(?:[ t]?([0-9]{2})([0-9]{2})([0-9]{2})?)?z?")
_YEAR_FIRST = re.compile(r"([0-9]{4})([-/. ] ?)([0-9]{1,2})[-/. ] ?([0-9]{1,2})\.?")
_YEAR_LAST = re.compile(r"([0-9]{1,2})([-/.] ?| )([0-9]{1,2})[-/. ] ?([0-9]{4}|'?[0-9]{2})\.?")
_SERIAL = re.compile(r"[2-9][0-9]{4}(?:\.[0-9]+)?")
_SECONDS, _MILLISECONDS = re.compile(r"[0-9]{9,10}(?:\.[0-9]+)?"), re.compile(r"[0-9]{12,13}")
_ENGLISH_ENDS = re.compile(r"([0-9])(?:st|nd|rd|th|er|re|ª|º|°)\b")
_DAY_PARTS = re.compile(r"[ ,./-]+")
_LONGEST = 64
_PLAUSIBLE_FROM, _PLAUSIBLE_UNTIL = 1_975, 2_100
"""Years in which somebody sells: what a number of seconds or milliseconds must come down to."""


class Counted(StrEnum):
    """What a bare number counts, where it is a date at all."""

    DAYS = "days"
    SECONDS = "seconds"
    MILLISECONDS = "milliseconds"


@dataclass(frozen=True)
class DateText:
    """A date taken apart. ``year`` is None where the text is a bare number that counts days or seconds.

    ``first`` and ``second`` are month and day, in this sequence, unless ``open``: then the text says day before month
    or month before day, and nobody can know which. ``short_year``: the year has two digits. ``time`` is None for a date
    alone.
    """

    first: int = 0
    second: int = 0
    year: int | None = None
    open: bool = False
    short_year: bool = False
    time: dt.time | None = None
    zone: dt.tzinfo | None = None
    number: str = ""
    counted: Counted | None = None


def plain_text(text: str) -> str:
    """A text in small letters without accents, its blanks single spaces, its dashes hyphens."""
    letters = unicodedata.normalize("NFKD", text.casefold().translate(_LETTERS))
    return " ".join("".join(each for each in letters if not unicodedata.combining(each)).split())


_LETTERS = {ord(each): other for each, other in zip("łøđ–—−‐‑", "lod-----", strict=True)}


@lru_cache(65_536)
def taken_apart(text: str) -> DateText | None:
    """A date in one of the forms that are known; None for any other text. It need not exist."""
    text = text.strip()
    if not text or len(text) > _LONGEST or not any(map(str.isdigit, text)):
        return None
    if every := _EVERYDAY.fullmatch(text):
        is_iso = every["year"] is not None
        numbers = ("year", "month", "day") if is_iso else ("last", "first", "second")
        year, first, second = (int(every[name]) for name in numbers)
        clock = _clock(every["hour"], every["minute"], every["second_"], "") if every["hour"] else None
        if clock is not None or not every["hour"]:
            return DateText(first, second, year, open=not is_iso, time=clock)
    plain = _IN_BRACKETS.sub("", plain_text(text))
    plain = _ENGLISH_ENDS.sub(r"\1", _TIME_BEFORE_YEAR.sub(r"\2 \1", plain)).strip(" ,;")
    for rest in _without_weekday(plain):
        found = _number(rest) or _with_time(rest)
        if found is not None:
            return found
    return None


def _without_weekday(plain: str) -> list[str]:
    """The text, and what is left without a weekday in front or behind: *mar* may be one, or March."""
    word, _, rest = plain.partition(" ")
    if word.strip(".,") not in _WEEKDAYS:
        front, _, last = plain.rpartition(" ")
        return [front.strip(" ,(")] if front and last.strip("().,") in _WEEKDAYS else [plain]
    rest = rest.strip(" ,.")
    return [rest.removeprefix("feira ").strip(), plain] if rest else [plain]


def _number(plain: str) -> DateText | None:
    """Eight, twelve or fourteen digits of a date, or a number that counts days or seconds."""
    if compact := _COMPACT.fullmatch(plain):
        year, month, day = (int(compact[at]) for at in (1, 2, 3))
        if _PLAUSIBLE_FROM - 75 <= year < _PLAUSIBLE_UNTIL + 100 and 1 <= month <= 12 and 1 <= day <= 31:
            clock = _clock(compact[4], compact[5], compact[6], "") if compact[4] else None
            zone = dt.UTC if plain.endswith("z") else None
            return None if compact[4] and clock is None else DateText(month, day, year, time=clock, zone=zone)
    if _SERIAL.fullmatch(plain):
        return DateText(number=plain, counted=Counted.DAYS)
    for form, counted, per_second in (
        (_SECONDS, Counted.SECONDS, 1),
        (_MILLISECONDS, Counted.MILLISECONDS, 1_000),
    ):
        if form.fullmatch(plain) and _is_plausible(float(plain) / per_second):
            return DateText(number=plain, counted=counted)
    return None


def _is_plausible(seconds: float) -> bool:
    return _PLAUSIBLE_FROM <= dt.datetime.fromtimestamp(seconds, dt.UTC).year < _PLAUSIBLE_UNTIL


def _with_time(plain: str) -> DateText | None:
    time, zone = None, None
    if dotted := _TIME_IN_DOTS.fullmatch(plain):
        plain = f"{dotted[1]} {dotted[2]}:{dotted[3]}:{dotted[4] or '00'}"
    if _TIME_FIRST.fullmatch(plain) and " " in plain:
        clock, _, plain = plain.partition(" ")
        plain = f"{plain.strip(' ,')} {clock}"
    if match := _TIME.search(plain):
        time = _clock(match[1], match[2] or match[4], match[3], match[5] or "")
        zone = _zone(match[6] or "", match[7] or "")
        if time is None or (zone is None and (match[6] or match[7])):
            return None
        plain = plain[: match.start()].strip(" ,")
    found = _day(plain)
    if found is None:
        return None
    return DateText(found.first, found.second, found.year, found.open, found.short_year, time, zone)


def _clock(hour: str, minute: str, second: str | None, meridiem: str) -> dt.time | None:
    hours = int(hour)
    if meridiem:
        if not 1 <= hours <= 12:
            return None
        hours = hours % 12 + _MERIDIEM[meridiem.replace(".", "")]
    try:
        return dt.time(hours, int(minute or 0), int(second or 0))
    except ValueError:
        return None


def _zone(name: str, offset: str) -> dt.tzinfo | None:
    if name in _ZONES and name not in _OFFSETS_HOURS:
        return ZoneInfo(_ZONES[name])
    hours = _OFFSETS_HOURS.get(name)
    if not offset:
        return None if hours is None else dt.timezone(dt.timedelta(hours=hours))
    if name and name not in ("utc", "gmt", "t"):
        return None
    digits = offset[1:].replace(":", "")
    digits = digits.zfill(2).ljust(4, "0") if len(digits) <= 2 else digits.zfill(4)
    shift = dt.timedelta(hours=int(digits[:2]), minutes=int(digits[2:]))
    return dt.timezone(-shift if offset[0] == "-" else shift) if shift < dt.timedelta(1) else None


def _day(plain: str) -> DateText | None:
    """A date without a time: three numbers, or two and the name of a month."""
    if match := _YEAR_FIRST.fullmatch(plain):
        return DateText(int(match[3]), int(match[4]), int(match[1]))
    if match := _YEAR_LAST.fullmatch(plain):
        year = match[4].strip("'")
        return DateText(int(match[1]), int(match[3]), int(year), open=True, short_year=len(year) == 2)
    if compact := _COMPACT.fullmatch(plain):
        return DateText(int(compact[2]), int(compact[3]), int(compact[1])) if len(plain) == 8 else None
    words = [word for word in _DAY_PARTS.split(re.sub(r"(?<=[0-9])(?=[a-z])|(?<=[a-z])(?=[0-9])", " ", plain)) if word]
    words = [word for word in words if word not in _FILLERS]
    named = [at for at, word in enumerate(words) if word in _MONTH_WORDS]
    if len(words) != 3 or len(named) != 1 or not all(word.isdecimal() for word in words if word not in _MONTH_WORDS):
        return None
    month = _MONTH_WORDS[words[named[0]]]
    day, year = (word for at, word in enumerate(words) if at != named[0])
    if len(day) == 4:
        day, year = year, day
    if len(day) > 2 or len(year) not in (2, 4):
        return None
    return DateText(month, int(day), int(year), short_year=len(year) == 2)


def is_date(text: str) -> bool:
    """Whether a text is a date by itself, and no number that may be something else."""
    found = taken_apart(text)
    return found is not None and found.counted is None and not text.strip().isdecimal()


def is_date_anyhow(text: str) -> bool:
    """Whether a text is a date, also as a number of days or seconds, or as eight digits: where a name speaks of one."""
    return taken_apart(text) is not None


def has_time(text: str) -> bool:
    """Whether a date has a time of day with it."""
    found = taken_apart(text)
    return found is not None and (found.time is not None or found.counted in (Counted.SECONDS, Counted.MILLISECONDS))


def month_of(text: str) -> tuple[int, int] | None:
    """Year and month of a text that is a month alone: 2025-03, 3/2025, March 2025, mars 25."""
    plain = plain_text(text).strip(" .")
    if match := re.fullmatch(r"([0-9]{4})[-/. ]?([0-9]{2})|([0-9]{1,2})[-/. ]([0-9]{4})", plain):
        year, month = (int(match[1]), int(match[2])) if match[1] else (int(match[4]), int(match[3]))
        return year, month
    words = [word for word in _DAY_PARTS.split(plain) if word and word not in _FILLERS]
    named = [word for word in words if word in _MONTH_WORDS]
    years = [word for word in words if re.fullmatch(r"[0-9]{4}", word)]
    return (int(years[0]), _MONTH_WORDS[named[0]]) if len(words) == 2 and len(named) == len(years) == 1 else None


def month_number(text: str) -> int | None:
    """The month of a text that has nothing else: 3, 03, March."""
    plain = plain_text(text).strip(" .")
    if plain.isdecimal():
        return int(plain) if 1 <= int(plain) <= 12 and len(plain) <= 2 else None
    return _MONTH_WORDS.get(plain)


def is_month_alone(text: str) -> bool:
    return month_number(text) is not None
