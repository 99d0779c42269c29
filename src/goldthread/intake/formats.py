"""How a column writes its dates and its amounts, found by the whole column and not by its first rows.

A date such as ``31/02/2025`` is evidence for day before month by its shape alone, impossible as it is;
``03/04/2025`` is evidence for neither. Of an amount, ``1.234,50`` and ``9,90`` speak for a decimal comma, ``1,234.50``
and ``9.90`` for a point, ``1.234`` for neither.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from typing import TypeVar

from goldthread.intake.dates import Counted, DateText, taken_apart


class DateForm(StrEnum):
    """How numbers in a date are read where their writing leaves it open. ISO dates and month names are always read.

    Serial dates count days, from 1900 or from 1904 on; seconds and milliseconds count from 1970.
    """

    ISO = "iso"
    DMY = "dmy"
    MDY = "mdy"
    SERIAL = "serial"
    SERIAL_1904 = "serial1904"
    SECONDS = "seconds"
    MILLISECONDS = "milliseconds"


class DecimalMark(StrEnum):
    """What stands before the decimals of an amount."""

    POINT = "point"
    COMMA = "comma"


class TwoDigitYears(StrEnum):
    """How a year of two digits is read, once somebody has said so; until then such a date is a problem."""

    CENTURY_20 = "20yy"
    CENTURY_19 = "19yy"

    @property
    def first_year(self) -> int:
        return 2000 if self is TwoDigitYears.CENTURY_20 else 1900


_DIGITS = re.compile(r"[0-9](?:[0-9.,]|[' ](?=[0-9]{3}(?![0-9])))*")
_DAYS, _MONTHS = 31, 12
_RARE = 50
"""A form that fewer than one value in so many has is a mistake of these rows, and not the column's."""
STATUS_WORDS_MOST = 60


@dataclass
class DateEvidence:
    """Counts of distinct values by what they speak for; ``open`` keeps one that speaks for neither order."""

    day_first: int = 0
    month_first: int = 0
    numbers: int = 0
    counted: Counter[Counted] = field(default_factory=Counter)
    seen: int = 0
    open: str = ""
    short_years: int = 0
    short_year: str = ""
    unknown: int = 0

    def add(self, values: Iterable[str]) -> None:
        """Take in some distinct values."""
        for value in values:
            plain = value.strip()
            if not plain:
                continue
            self.seen += 1
            date = taken_apart(plain)
            if date is None:
                self.unknown += 1
            elif date.counted is not None:
                self.counted[date.counted] += 1
            else:
                self._add_day(date, plain)

    def is_hopeless(self, enough: int, hardly_any: float) -> bool:
        """Whether hardly any of enough values is a date."""
        return self.seen >= enough and self.seen - self.unknown < hardly_any * self.seen

    def __add__(self, other: DateEvidence) -> DateEvidence:
        return _together(self, other)

    def _add_day(self, date: DateText, plain: str) -> None:
        if date.short_year:
            self.short_years += 1
            self.short_year = self.short_year or plain
        if not date.open:
            return
        self.numbers += 1
        could_be_day_first = date.first <= _DAYS and date.second <= _MONTHS
        could_be_month_first = date.first <= _MONTHS and date.second <= _DAYS
        if could_be_day_first and could_be_month_first:
            if date.first != date.second and not self.open:
                self.open = plain
        else:
            self.day_first += could_be_day_first
            self.month_first += could_be_month_first

    @property
    def years_open(self) -> bool:
        """Whether most dates have years of two digits, so that somebody must say how they are read."""
        return self.short_years * 2 > self.seen

    @property
    def form(self) -> DateForm | None:
        """The form that the column speaks for; None where day and month cannot be told apart."""
        if self.numbers > max(1, self.seen // _RARE) or self.numbers == self.seen:
            if self.day_first or self.month_first:
                return DateForm.DMY if self.day_first >= self.month_first else DateForm.MDY
            if self.open:
                return None
        for counted, form in _COUNTED.items():
            if self.counted[counted] * 2 > self.seen:
                return form
        return DateForm.ISO


_COUNTED = {
    Counted.DAYS: DateForm.SERIAL,
    Counted.SECONDS: DateForm.SECONDS,
    Counted.MILLISECONDS: DateForm.MILLISECONDS,
}


_NOT_PLAIN = str.maketrans("", "", "0123456789.\n")
_SAYS_POINT = re.compile(r"^[0-9]+\.(?:[0-9]{1,2}|[0-9]{4,})$", re.MULTILINE)


@dataclass
class AmountEvidence:
    """Counts of distinct values by what they speak for; ``open`` keeps one that speaks for neither mark, ``whole`` one
    without any."""

    comma: int = 0
    point: int = 0
    negative: int = 0
    seen: int = 0
    open: str = ""
    whole: str = ""

    def add(self, values: Iterable[str]) -> None:
        """Take in some distinct values."""
        values = list(values)
        if not self._add_plain(values):
            self._add_each(values)

    def _add_plain(self, values: Sequence[str]) -> bool:
        """Take in values that are digits with one point at most, all at once; False where some are not."""
        joined = "\n".join(values)
        if not values or joined.translate(_NOT_PLAIN):
            return False
        decimals, pointed = len(_SAYS_POINT.findall(joined)), joined.count(".")
        if decimals < pointed:
            return False
        self.seen += len(values)
        self.point += decimals
        if decimals < len(values):
            self.whole = max(self.whole, max((each for each in values if "." not in each), key=len), key=len)
        return True

    def _add_each(self, values: Iterable[str]) -> None:
        for value in values:
            plain = plain_amount(value)
            found = _DIGITS.search(plain)
            if found is None:
                continue
            self.seen += 1
            self.negative += is_negative(plain)
            digits = found[0].replace("'", "").replace(" ", "")
            last = max(digits.rfind("."), digits.rfind(","))
            if last < 0:
                self.whole = max(self.whole, digits, key=len)
                continue
            mark, other = digits[last], "," if digits[last] == "." else "."
            if other in digits:
                self._count(mark)
            elif digits.count(mark) > 1:
                self._count(other)
            elif len(digits) - last - 1 == 3 and 1 <= last <= 3 and digits[0] != "0":
                self.open = self.open or value.strip()
            else:
                self._count(mark)

    def __add__(self, other: AmountEvidence) -> AmountEvidence:
        return _together(self, other)

    @property
    def counted(self) -> bool:
        """Whether any value spoke for one of the marks."""
        return self.comma + self.point > 0

    @property
    def is_whole(self) -> bool:
        """Whether no value has decimals or may have some."""
        return self.seen > 0 and not self.counted and not self.open

    def _count(self, mark: str) -> None:
        self.comma += mark == ","
        self.point += mark == "."

    @property
    def mark(self) -> DecimalMark | None:
        """The mark that the column speaks for; None where it is not clear."""
        if self.comma or self.point:
            return DecimalMark.COMMA if self.comma > self.point else DecimalMark.POINT
        return None if self.open else DecimalMark.POINT


_Evidence = TypeVar("_Evidence", DateEvidence, AmountEvidence)


def _together(one: _Evidence, other: _Evidence) -> _Evidence:
    """What two columns speak for together: counts added up, examples of the first that has one."""
    together = replace(one)
    for each in fields(one):
        own, more = getattr(one, each.name), getattr(other, each.name)
        setattr(together, each.name, own or more if isinstance(own, str) else own + more)
    return together


_SAME_MARKS = str.maketrans(
    {
        **dict.fromkeys("\u2019\u2018\u02bc\u02b9\u2032\u0060\u00b4\uff07\u201b", "'"),
        **dict.fromkeys("\u2212\u2010\u2011\u2012\u2013\u2014\u2015\ufe58\ufe63\uff0d\u207b", "-"),
        **dict.fromkeys("\uff0c\u066b\u201a", ","),
        **dict.fromkeys("\uff0e", "."),
        **dict.fromkeys("\uff08", "("),
        **dict.fromkeys("\uff09", ")"),
    }
)
_NO_DECIMALS = re.compile(r"(?<=[0-9])[.,] ?-{1,2}(?=[^0-9]*$)")
_MINUS = re.compile(r"^\(.*\)$|^[^0-9]*-|-[^0-9]*$|[0-9 ][Cc][Rr]\.?$")


def plain_amount(text: str) -> str:
    """An amount as amounts are compared: its spaces, apostrophes and minus signs the plain ones."""
    plain = text.strip() if text.isascii() else " ".join(text.translate(_SAME_MARKS).split())
    return _NO_DECIMALS.sub("", plain) if plain.endswith("-") else plain


def is_negative(plain: str) -> bool:
    """Whether a plain amount has a minus sign, stands in brackets, or is a credit."""
    return _MINUS.search(plain) is not None


@dataclass
class StatusEvidence:
    """The words of a status column, as the file writes them first, and how many rows bear each."""

    counts: Counter[str] = field(default_factory=Counter)
    words: dict[str, str] = field(default_factory=dict)
    most: int = STATUS_WORDS_MOST

    def add(self, values: Iterable[str]) -> None:
        """Take in the values of some rows; no more than ``most`` distinct words are kept apart."""
        for value, count in Counter(values).items():
            word = status_word(value)
            if word and (word in self.counts or len(self.counts) < self.most):
                self.counts[word] += count
                self.words.setdefault(word, value.strip())


def status_word(value: str) -> str:
    """A status as words are compared: in one line, without regard to case."""
    return " ".join(value.split()).casefold()
