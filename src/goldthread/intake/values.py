"""Single values: a text becomes its exact form, or a reason why it cannot.

Each parser takes a text as it stands in the file and returns the canonical text; it raises `BadValue`
with a reason and a remedy otherwise. Nothing is guessed and nothing is shifted.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from zoneinfo import ZoneInfo

from goldthread.core.limits import AMOUNT_BELOW, FIRST_DATE, LAST_DATE
from goldthread.core.records import KeyKind
from goldthread.intake.formats import NUMERIC_DATE, SERIAL_DATE, DateForm, DecimalMark, TwoDigitYears

ORDER_NUMBER_LENGTH = 64
CUSTOMER_LENGTH = 191
_LOOSE_AMOUNT = re.compile(
    r"[-+(]?\s*(?:[€£$¥]|[A-Z]{3})?\s*[-+]?\d[\d.,'\u00a0\u2009\u202f ]*(?:[€£$¥]|[A-Z]{3})?\s*[-)]?"
)
_ISO_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_LOOSE_DATE = re.compile(
    r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}([T ].*)?|\d{1,2}(?:st|nd|rd|th)?[ ./-]+[A-Za-z]{3,9}\.?[ ,./-]+\d{2,4}( .*)?"
    r"|[A-Za-z]{3,9}\.? +\d{1,2}(?:st|nd|rd|th)?,? +\d{4}( .*)?"
)
_YEAR_FIRST = re.compile(r"([0-9]{4})[/.]?([0-9]{2})[/.]?([0-9]{2})(?:[ T]+(.+))?")
_DAY_NAMED_MONTH = re.compile(
    r"(?P<day>[0-9]{1,2})(?:st|nd|rd|th)?[. /-]+(?P<month>[A-Za-z]{3,9})\.?[, /-]+(?P<year>[0-9]{2,4})"
    r"(?:[ ,]+(?P<time>.+))?"
)
_NAMED_MONTH_DAY = re.compile(
    r"(?P<month>[A-Za-z]{3,9})\.? +(?P<day>[0-9]{1,2})(?:st|nd|rd|th)?,? +(?P<year>[0-9]{2,4})(?:[ ,]+(?P<time>.+))?"
)
_MONTHS = (
    *("january", "february", "march", "april", "may", "june"),
    *("july", "august", "september", "october", "november", "december"),
)
_TIME = re.compile(r"([0-9]{1,2}):([0-9]{2})(?::([0-9]{2})(?:\.[0-9]+)?)? ?([AaPp][Mm])?")
_SERIAL_START = dt.date(1899, 12, 30)
"""Spreadsheets count days so that 60 is the 29 February 1900 that never was; from 61 on this start is right."""
_CURRENCY = re.compile(
    r"(?P<minus>[-+(]?) ?(?P<before>[€£$¥]|[A-Za-z]{3})? ?(?P<number>[-+]?[0-9].*?) ?(?P<after>[€£$¥]|[A-Za-z]{3})?"
)
_SIGNS = {
    "€": ("EUR",),
    "£": ("GBP", "EGP", "GIP", "SHP", "FKP"),
    "$": ("USD", "AUD", "CAD", "NZD", "HKD", "SGD", "MXN"),
    "¥": ("JPY", "CNY"),
}
_NOT_DIGITS = re.compile(r"[^0-9]")
_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_MONTH = re.compile(
    r"(?P<year>[0-9]{4})[-/. ]?(?P<month>[0-9]{2})|(?P<month2>[0-9]{1,2})[-/. ](?P<year2>[0-9]{4})"
    r"|(?P<name>[A-Za-z]{3,9})\.?[ -]+(?P<year3>[0-9]{4})"
)
_EITHER_MARK = re.compile(
    r"(?P<point>[0-9]+\.(?:[0-9]{1,2}|[0-9]{4,})|[0-9]{1,3}(?:,[0-9]{3})+\.[0-9]+)"
    r"|(?P<comma>[0-9]+,(?:[0-9]{1,2}|[0-9]{4,})|[0-9]{1,3}(?:\.[0-9]{3})+,[0-9]+)"
)
_DECIMALS = 4
_DAY_SECONDS = 24 * 3600
_UNSEEN = re.compile(r"[\x00-\x1f\x7f]")


class BadValue(Exception):
    """A value that is rejected: ``reason`` and ``remedy`` are whole sentences."""

    def __init__(self, reason: str, remedy: str) -> None:
        super().__init__(reason)
        self.reason = reason
        self.remedy = remedy


Parser = Callable[[str], str]


PLAIN_KEY = re.compile(r"(?!')[^\s\x00-\x20\x7f]{1,64}(?:\x1f(?!')[^\s\x00-\x20\x7f]{1,64})*")
"""Keys joined by \x1f that are canonical as they stand: short, without white space, control characters or a guard."""


def order_number(text: str) -> str:
    """An order number, trimmed."""
    number = text.strip()
    if not number:
        raise BadValue("There is no order number.", "Give the order its number, or leave the row out.")
    _seen(number)
    if len(number) > ORDER_NUMBER_LENGTH:
        raise BadValue(
            f"The order number is longer than {ORDER_NUMBER_LENGTH} characters.",
            "Check that the column holds order numbers.",
        )
    return number


def _seen(text: str) -> None:
    if _UNSEEN.search(text):
        raise BadValue("The text holds characters that cannot be seen.", "Write it again by hand.")


def customer_parser(kind: KeyKind) -> Parser:
    """Parser of a customer key: a number, or an e-mail trimmed and case-folded."""

    def number(text: str) -> str:
        key = text.strip()
        if not key:
            raise BadValue("There is no customer.", "Give the customer's number, or leave the row out.")
        _seen(key)
        if len(key) > CUSTOMER_LENGTH:
            raise BadValue("The customer is too long to be a number.", "Check that the column holds customers.")
        return key

    def email(text: str) -> str:
        key = text.strip().casefold()
        if not key:
            raise BadValue("There is no customer.", "Give the customer's e-mail, or leave the row out.")
        if not is_email(key) or len(key) > CUSTOMER_LENGTH:
            raise BadValue("This is not an e-mail address.", "Correct it, or say that customers are known by number.")
        return key

    return email if kind is KeyKind.EMAIL else number


def date_parser(zone: ZoneInfo, form: DateForm = DateForm.ISO, years: TwoDigitYears | None = None) -> Parser:
    """Parser of dates and moments; gives ``YYYY-MM-DD`` or ``YYYY-MM-DD HH:MM:SS`` in the book's zone.

    ISO 8601, year-first dates and month names are read in every form; the form says how other numbers are meant, and
    ``years`` how a year of two digits is.
    """

    def parse(text: str) -> str:
        plain = text.strip()
        if not plain:
            raise BadValue("There is not a date.", "Give the order's date, or leave the row out.")
        try:
            found = _read_date(plain, form, years)
        except ValueError:
            raise BadValue(
                "There is no such date.", "Correct it; a date is never moved to a neighbouring day."
            ) from None
        if not isinstance(found, dt.datetime):
            return _in_range(found).isoformat()
        if found.tzinfo is not None:
            try:
                found = found.astimezone(zone)
            except OverflowError:
                raise _outside(found.year) from None
        _in_range(found.date())
        return found.strftime("%Y-%m-%d %H:%M:%S")

    return parse


def _read_date(plain: str, form: DateForm, years: TwoDigitYears | None) -> dt.date:
    """A date, or a moment where the text has a time. Raises `ValueError` for one that does not exist."""
    if _ISO_DATE.fullmatch(plain):
        return dt.date.fromisoformat(plain)
    if _ISO_DATE.match(plain):
        return dt.datetime.fromisoformat(plain)
    if year_first := _YEAR_FIRST.fullmatch(plain):
        return _with_time(dt.date(*map(int, year_first.group(1, 2, 3))), year_first[4])
    if named := _DAY_NAMED_MONTH.fullmatch(plain) or _NAMED_MONTH_DAY.fullmatch(plain):
        month = _month(named["month"].casefold())
        return _with_time(dt.date(_full_year(named["year"], years), month, int(named["day"])), named["time"])
    if numbers := NUMERIC_DATE.fullmatch(plain):
        if form in (DateForm.ISO, DateForm.SERIAL):
            raise BadValue("Day and month cannot be told apart.", "Say whether the day or the month comes first.")
        day, month = (int(numbers[1]), int(numbers[3])) if form is DateForm.DMY else (int(numbers[3]), int(numbers[1]))
        return _with_time(dt.date(_full_year(numbers[4], years), month, day), numbers[5])
    if form is DateForm.SERIAL and SERIAL_DATE.fullmatch(plain):
        return _of_serial(plain)
    raise BadValue("This is not a date.", "Write it as year-month-day, for example 2026-03-14.")


def _of_serial(plain: str) -> dt.date:
    """A spreadsheet's day number; what stands behind its point is the part of the day, to the second."""
    day, point, _ = plain.partition(".")
    date = _SERIAL_START + dt.timedelta(int(day))
    if not point:
        return date
    seconds = round((float(plain) - int(day)) * _DAY_SECONDS)
    return dt.datetime.combine(date, dt.time()) + dt.timedelta(seconds=seconds) if seconds else date


def _month(name: str) -> int:
    for place, month in enumerate(_MONTHS, 1):
        if month.startswith(name) or (month == "september" and name == "sept"):
            return place
    raise BadValue("This month's name is not known.", "Write the date as year-month-day.")


def _full_year(year: str, years: TwoDigitYears | None) -> int:
    if len(year) == 2 and years is not None:
        return years.first_year + int(year)
    if len(year) != 4:
        raise BadValue(
            "The year has two digits only.", "Say how years of two digits are read, or write all four digits."
        )
    return int(year)


def month_parser(zone: ZoneInfo, form: DateForm, years: TwoDigitYears | None = None) -> Parser:
    """Parser of months, or of any date in one; gives the month's first day."""
    date = date_parser(zone, form, years)

    def parse(text: str) -> str:
        plain = text.strip()
        match = _MONTH.fullmatch(plain)
        if match is None:
            return f"{date(text)[:7]}-01"
        month = _month(match["name"].casefold()) if match["name"] else int(match["month"] or match["month2"])
        year = int(match["year"] or match["year2"] or match["year3"])
        if not 1 <= month <= 12:
            raise BadValue("There is no such month.", "Write it as year-month, for example 2026-03.")
        return _in_range(dt.date(year, month, 1)).isoformat()

    return parse


def day_parser(zone: ZoneInfo, form: DateForm, years: TwoDigitYears | None = None) -> Parser:
    """Parser of dates of which only the day counts."""
    date = date_parser(zone, form, years)
    return lambda text: date(text)[:10]


def _with_time(date: dt.date, time: str | None) -> dt.date:
    if not time:
        return date
    match = _TIME.fullmatch(time.strip())
    if match is None:
        raise ValueError(time)
    hour = int(match[1])
    if match[4]:
        if not 1 <= hour <= 12:
            raise ValueError(time)
        hour = hour % 12 + (12 if match[4].casefold() == "pm" else 0)
    return dt.datetime.combine(date, dt.time(hour, int(match[2]), int(match[3] or 0)))


def _in_range(date: dt.date) -> dt.date:
    if not FIRST_DATE <= date <= LAST_DATE:
        raise _outside(date.year)
    return date


def _outside(year: int) -> BadValue:
    return BadValue(f"The year {year} is outside {FIRST_DATE.year} to {LAST_DATE.year}.", "Correct the year.")


def amount_parser(currency: str = "", mark: DecimalMark = DecimalMark.POINT, typed: bool = False) -> Parser:
    """Parser of exact amounts with at most four decimals; gives a plain decimal.

    Thousands marks, signs and codes of the book's currency and accounting negatives, ``(12.50)`` and ``12.50-``, are
    read. Another currency is reported. Where numbers were ``typed``, they stand with a point beside texts that may not:
    an amount that can be read in one way only is then read whatever the mark.
    """
    point, thousands = (",", ".") if mark is DecimalMark.COMMA else (".", ",")
    grouped = re.compile(
        rf"([0-9]{{1,15}}|[0-9]{{1,3}}(?:[{thousands}' \u00a0\u2009\u202f][0-9]{{3}}){{1,4}})(?:[{point}]([0-9]+))?"
    )

    def parse(text: str) -> str:
        plain = text.strip()
        if not plain:
            raise BadValue("There is no amount.", "Give the amount, or leave the row out.")
        plain, negative = _without_sign(_without_currency(plain, currency))
        if typed and (either := _EITHER_MARK.fullmatch(plain)):
            plain = _with_mark(plain, "," if either["comma"] else ".", point)
        match = grouped.fullmatch(plain)
        if match is None:
            raise BadValue("This is not a number.", f"Write digits with a decimal {mark}, for example 1234{point}50.")
        whole, decimals = _NOT_DIGITS.sub("", match[1]), (match[2] or "").rstrip("0")
        if len(decimals) > _DECIMALS:
            raise BadValue("The amount has more than four decimals.", "Round it to four decimals or fewer.")
        if int(whole) >= AMOUNT_BELOW:
            raise BadValue(
                f"The amount has more than {len(str(AMOUNT_BELOW)) - 1} digits.",
                "Check that the column holds amounts and not, for example, numbers of goods.",
            )
        exact = f"{int(whole)}.{decimals}" if decimals else str(int(whole))
        return f"-{exact}" if negative and exact != "0" else exact

    return parse


def _with_mark(plain: str, own: str, wanted: str) -> str:
    """An amount whose decimal mark is known, without thousands marks and with the wanted one."""
    whole, _, decimals = plain.rpartition(own)
    return f"{_NOT_DIGITS.sub('', whole)}{wanted}{decimals}"


def _without_currency(plain: str, currency: str) -> str:
    """The amount without the sign or code of its currency. Raises `BadValue` for another currency's."""
    match = _CURRENCY.fullmatch(plain)
    if match is None:
        return plain
    sign = (match["before"] or match["after"] or "").strip()
    if sign and currency and currency not in _SIGNS.get(sign, (sign.upper(),)):
        raise BadValue(f"The book is kept in {currency}.", f"Give the amount in {currency}, or use another book.")
    return f"{match['minus'] or ''}{match['number']}".strip()


def _without_sign(plain: str) -> tuple[str, bool]:
    if plain.startswith("(") and plain.endswith(")"):
        return plain[1:-1].strip(), True
    if plain.endswith("-"):
        return plain[:-1].strip(), True
    return plain[1:].strip() if plain[:1] in ("+", "-") else plain, plain.startswith("-")


amount = amount_parser()
"""An exact amount with a decimal point, of whatever currency."""


def fits(parse: Parser, text: str) -> bool:
    """Whether a parser takes a text: a hint for matching columns."""
    try:
        parse(text)
    except BadValue:
        return False
    return True


def currency_parser(wanted: str) -> Parser:
    """Parser that lets only the book's currency through; an empty value means that one."""

    def parse(text: str) -> str:
        plain = text.strip().upper()
        if plain not in ("", wanted):
            raise BadValue(f"The book is kept in {wanted}.", f"Give the amount in {wanted}, or use another book.")
        return wanted

    return parse


def text_parser(limit: int) -> Parser:
    """Parser of a free text in one line, of at most ``limit`` characters."""

    def parse(text: str) -> str:
        plain = " ".join(text.split())
        _seen(plain)
        if len(plain) > limit:
            raise BadValue(f"The text is longer than {limit} characters.", "Shorten it.")
        return plain

    return parse


def needed_text(limit: int) -> Parser:
    """Parser of a text that must not be empty."""
    text = text_parser(limit)

    def parse(match: str) -> str:
        plain = text(match)
        if not plain:
            raise BadValue("There is nothing in it.", "Fill it in, or leave the row out.")
        return plain

    return parse


def optional_email(text: str) -> str:
    """A normalised e-mail, or nothing."""
    return customer_parser(KeyKind.EMAIL)(text) if text.strip() else ""


def optional(parse: Parser) -> Parser:
    """A parser that takes nothing for nothing."""
    return lambda text: parse(text) if text.strip() else ""


def is_email(text: str) -> bool:
    return _EMAIL.fullmatch(text.strip()) is not None


def is_amount(text: str) -> bool:
    """Whether a text looks like a number in any country's writing: a hint for matching columns, no more."""
    return _LOOSE_AMOUNT.fullmatch(text.strip()) is not None


def is_month(text: str) -> bool:
    """Whether a text looks like a month or a date: a hint for matching columns, no more."""
    return _MONTH.fullmatch(text.strip()) is not None or is_date(text)


def is_date(text: str) -> bool:
    """Whether a text looks like a date in any common writing: a hint for matching columns, no more."""
    return _LOOSE_DATE.fullmatch(text.strip()) is not None
