"""How a column writes its dates and its amounts, found by the whole column and not by its first rows.

A date such as ``31/02/2025`` is evidence for day before month by its shape alone, impossible as it is;
``03/04/2025`` is evidence for neither. Of an amount, ``1.234,50`` and ``9,90`` speak for a decimal comma, ``1,234.50``
and ``9.90`` for a point, ``1.234`` for neither.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum


class DateForm(StrEnum):
    """How numbers in a date are read where their writing leaves it open. ISO dates and month names are always read."""

    ISO = "iso"
    DMY = "dmy"
    MDY = "mdy"
    SERIAL = "serial"


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


NUMERIC_DATE = re.compile(r"([0-9]{1,2})([/.-])([0-9]{1,2})\2([0-9]{4}|[0-9]{2})(?:[ T,]+(.+))?")
SERIAL_DATE = re.compile(r"[2-9][0-9]{4}(?:\.[0-9]+)?")
_DIGITS = re.compile(r"[0-9][0-9.,]*")
_TWO_DIGIT_YEAR = re.compile(
    r"[0-9]{1,2}([/.-])[0-9]{1,2}\1[0-9]{2}(?:[ T,].*)?"
    r"|[0-9]{1,2}(?:st|nd|rd|th)?[. /-]+[A-Za-z]{3,9}\.?[, /-]+[0-9]{2}(?:[ ,].*)?"
    r"|[A-Za-z]{3,9}\.? +[0-9]{1,2}(?:st|nd|rd|th)?,? +[0-9]{2}(?:[ ,].*)?"
)
_DAYS, _MONTHS = 31, 12
STATUS_WORDS_MOST = 60


@dataclass
class DateEvidence:
    """Counts of distinct values by what they speak for; ``open`` keeps one that speaks for neither order."""

    day_first: int = 0
    month_first: int = 0
    serial: int = 0
    other: int = 0
    open: str = ""
    seen: int = 0
    short_years: int = 0
    short_year: str = ""

    def add(self, values: Iterable[str]) -> None:
        """Take in some distinct values."""
        for value in values:
            plain = value.strip()
            if not plain:
                continue
            self.seen += 1
            if _TWO_DIGIT_YEAR.fullmatch(plain):
                self.short_years += 1
                self.short_year = self.short_year or plain
            shape = NUMERIC_DATE.fullmatch(plain)
            if shape is None:
                self.serial += SERIAL_DATE.fullmatch(plain) is not None
                self.other += SERIAL_DATE.fullmatch(plain) is None
                continue
            first, second = int(shape[1]), int(shape[3])
            could_be_day_first = first <= _DAYS and second <= _MONTHS
            could_be_month_first = first <= _MONTHS and second <= _DAYS
            if could_be_day_first and could_be_month_first:
                if first != second and not self.open:
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
        if self.day_first or self.month_first:
            return DateForm.DMY if self.day_first >= self.month_first else DateForm.MDY
        if self.open:
            return None
        return DateForm.SERIAL if self.serial > self.other else DateForm.ISO


@dataclass
class AmountEvidence:
    """Counts of distinct values by what they speak for; ``open`` keeps one that speaks for neither mark."""

    comma: int = 0
    point: int = 0
    open: str = ""

    def add(self, values: Iterable[str]) -> None:
        """Take in some distinct values."""
        for value in values:
            found = _DIGITS.search(value)
            if found is None:
                continue
            digits = found[0]
            last = max(digits.rfind("."), digits.rfind(","))
            if last < 0:
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

    @property
    def counted(self) -> bool:
        """Whether any value spoke for one of the marks."""
        return self.comma + self.point > 0

    def _count(self, mark: str) -> None:
        self.comma += mark == ","
        self.point += mark == "."

    @property
    def mark(self) -> DecimalMark | None:
        """The mark that the column speaks for; None where it is not clear."""
        if self.comma or self.point:
            return DecimalMark.COMMA if self.comma > self.point else DecimalMark.POINT
        return None if self.open else DecimalMark.POINT


@dataclass
class StatusEvidence:
    """The words of a status column, as the file writes them first, and how many rows bear each."""

    counts: Counter[str] = field(default_factory=Counter)
    words: dict[str, str] = field(default_factory=dict)

    def add(self, values: Iterable[str]) -> None:
        """Take in the values of some rows; no more distinct words than `STATUS_WORDS_MOST` are kept apart."""
        for value, count in Counter(values).items():
            word = status_word(value)
            if word and (word in self.counts or len(self.counts) < STATUS_WORDS_MOST):
                self.counts[word] += count
                self.words.setdefault(word, value.strip())


def status_word(value: str) -> str:
    """A status as words are compared: in one line, without regard to case."""
    return " ".join(value.split()).casefold()
