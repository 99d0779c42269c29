"""Single values: a text becomes its exact form, or a reason why it cannot.

Each parser takes a text as it stands in the file and returns the canonical text; it raises `BadValue`
with a reason and a remedy otherwise. Nothing is guessed and nothing is shifted.
"""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from collections.abc import Callable
from zoneinfo import ZoneInfo

from goldthread.core.limits import AMOUNT_BELOW, FIRST_DATE, LAST_DATE
from goldthread.core.records import KeyKind
from goldthread.intake.dates import Counted, is_date, month_of, taken_apart
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears, is_negative, plain_amount

ORDER_NUMBER_LENGTH = 64
CUSTOMER_LENGTH = 191
_SERIAL_STARTS = {DateForm.SERIAL: dt.date(1899, 12, 30), DateForm.SERIAL_1904: dt.date(1904, 1, 1)}
"""Spreadsheets count days so that 60 is the 29 February 1900 that never was; from 61 on this start is right."""
_EPOCH = dt.datetime(1970, 1, 1, tzinfo=dt.UTC)
_PER_SECOND = {DateForm.SECONDS: 1, DateForm.MILLISECONDS: 1_000}
_COUNTED_FORMS = {
    Counted.DAYS: tuple(_SERIAL_STARTS),
    Counted.SECONDS: (DateForm.SECONDS,),
    Counted.MILLISECONDS: (DateForm.MILLISECONDS,),
}
_AROUND = r"[^0-9,'()+\-]{0,4}[^0-9.,'()+ \-][. ]?"
_CURRENCY = re.compile(
    rf"(?P<minus>[-+]?) ?(?P<before>{_AROUND})? ?"
    rf"(?P<number>[-+]? ?[0-9](?:[0-9.,' ]*[0-9.,])?) ?-?(?P<after>{_AROUND})?"
)
_SIGNS = {
    "€": ("EUR",),
    "£": ("GBP", "EGP", "GIP", "SHP", "FKP"),
    "$": ("USD", "AUD", "CAD", "NZD", "HKD", "SGD", "MXN"),
    "US$": ("USD",),
    "R$": ("BRL",),
    "¥": ("JPY", "CNY"),
    "₹": ("INR",),
    "₺": ("TRY",),
    "₴": ("UAH",),
    "ZŁ": ("PLN",),
    "KČ": ("CZK",),
    "FT": ("HUF",),
    "KR": ("SEK", "NOK", "DKK", "ISK"),
    "FR": ("CHF",),
    "SFR": ("CHF",),
    "LEI": ("RON",),
    "EURO": ("EUR",),
}
_SIDES = frozenset(["DR", "CR"])
"""Debit and credit, behind an amount: a credit is below 0."""
_NOT_DIGITS = re.compile(r"[^0-9]")
_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_DECIMALS_AT_END = re.compile(r"[0-9][.,][0-9]{1,2}(?![0-9])")
_NAMED_EMAIL = re.compile(r"(?P<name>[^<>]*)<(?:mailto:)?\s*(?P<email>[^<>\s]+@[^<>\s]+)\s*>|mailto:(?P<bare>\S+)")
_EITHER_MARK = re.compile(
    r"(?P<point>[0-9]+\.(?:[0-9]{1,2}|[0-9]{4,})|[0-9]{1,3}(?:,[0-9]{3})+\.[0-9]+)"
    r"|(?P<comma>[0-9]+,(?:[0-9]{1,2}|[0-9]{4,})|[0-9]{1,3}(?:\.[0-9]{3})+,[0-9]+)"
)
_DECIMALS, _DAY_SECONDS = 4, 24 * 3600
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
        key = without_name(text).strip().casefold()
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
        found = _read_date(plain, form, years)
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
    """A date, or a moment where the text has a time."""
    date = taken_apart(plain)
    if date is None:
        raise BadValue("This is not understood as a date.", "Write it as year-month-day, for example 2026-03-14.")
    if date.counted is not None:
        if form not in _COUNTED_FORMS[date.counted]:
            raise BadValue("This is a number and not a date, as others are.", "Write it as year-month-day.")
        return _of_number(date.number, form)
    month, day = date.first, date.second
    if date.open:
        if form not in (DateForm.DMY, DateForm.MDY):
            raise BadValue("Day and month cannot be told apart.", "Say whether the day or the month comes first.")
        if form is DateForm.DMY:
            month, day = day, month
    year = date.year or 0
    if date.short_year:
        if years is None:
            raise BadValue(
                "The year has two digits only.", "Say how years of two digits are read, or write all four digits."
            )
        year += years.first_year
    try:
        found = dt.date(year, month, day)
    except ValueError:
        raise BadValue("There is no such date.", "Correct it; a date is never moved to a neighbouring day.") from None
    return found if date.time is None else dt.datetime.combine(found, date.time, date.zone)


def _of_number(number: str, form: DateForm) -> dt.date:
    """The date of a number of days, seconds or milliseconds; part of a day is a time, to the second."""
    if form not in _SERIAL_STARTS:
        return _EPOCH + dt.timedelta(seconds=float(number) // _PER_SECOND[form])
    day, point, _ = number.partition(".")
    date = _SERIAL_STARTS[form] + dt.timedelta(int(day))
    if not point:
        return date
    seconds = round((float(number) - int(day)) * _DAY_SECONDS)
    return dt.datetime.combine(date, dt.time()) + dt.timedelta(seconds=seconds) if seconds else date


def month_parser(zone: ZoneInfo, form: DateForm, years: TwoDigitYears | None = None) -> Parser:
    """Parser of months, or of any date in one; gives the month's first day."""
    date = date_parser(zone, form, years)

    def parse(text: str) -> str:
        found = month_of(text)
        if found is None:
            return f"{date(text)[:7]}-01"
        year, month = found
        if not 1 <= month <= 12:
            raise BadValue("There is no such month.", "Write it as year-month, for example 2026-03.")
        return _in_range(dt.date(year, month, 1)).isoformat()

    return parse


def day_parser(zone: ZoneInfo, form: DateForm, years: TwoDigitYears | None = None) -> Parser:
    """Parser of dates of which only the day counts."""
    date = date_parser(zone, form, years)
    return lambda text: date(text)[:10]


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
        rf"([0-9]{{1,15}}|[0-9]{{1,3}}(?:[{thousands}' ](?:[0-9]{{2}}[{thousands}])?[0-9]{{3}}){{1,4}})"
        rf"(?:[{point}]([0-9]+|(?=-|$)))?"
    )

    def parse(text: str) -> str:
        plain = plain_amount(text)
        if not plain:
            raise BadValue("There is no amount.", "Give the amount, or leave the row out.")
        plain, negative = _without_sign(plain, currency)
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


def _without_sign(plain: str, currency: str) -> tuple[str, bool]:
    """The digits and marks of a plain amount, and whether it is below 0. Raises `BadValue` for another currency's."""
    negative = is_negative(plain)
    match = _bare(plain)
    if match is None:
        return plain, negative
    for sign in (match["before"], match["after"]):
        word = (sign or "").strip(" .").upper()
        if word and word not in _SIDES and currency and currency not in _SIGNS.get(word, (word,)):
            raise BadValue(f"The book is kept in {currency}.", f"Give the amount in {currency}, or use another book.")
    return match["number"].lstrip("+- "), negative


def _bare(plain: str) -> re.Match[str] | None:
    """An amount taken apart: what stands around its number; None where it has two signs, or is none."""
    in_brackets = plain.startswith("(") and plain.endswith(")")
    match = _CURRENCY.fullmatch(plain[1:-1].strip() if in_brackets else plain.rstrip("- "))
    if match is None:
        return None
    signs = in_brackets + plain.endswith("-") + bool(match["minus"]) + (match["number"][0] in "+-")
    return match if signs <= 1 else None


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


def without_name(text: str) -> str:
    """The address of ``Name <mail@example>``; any other text as it is."""
    found = _NAMED_EMAIL.fullmatch(text.strip())
    return (found["email"] or found["bare"]) if found else text


def is_email(text: str) -> bool:
    return _EMAIL.fullmatch(without_name(text).strip()) is not None


def is_amount(text: str) -> bool:
    """Whether a text looks like a number in any country's writing: a hint for matching columns, no more."""
    match = _bare(plain_amount(text))
    return match is not None and all(map(_may_stand_beside, (match["before"], match["after"])))


def _may_stand_beside(sign: str | None) -> bool:
    """Whether a text is the sign or the code of a currency, or says debit or credit."""
    own = (sign or "").strip(" .")
    word, is_code = own.upper(), len(own) == 3 and own.isascii() and own.isalpha() and own.isupper()
    return not word or word in _SIDES or word in _SIGNS or is_code or all(unicodedata.category(w) == "Sc" for w in word)


def has_decimals(text: str) -> bool:
    """Whether an amount is written with decimals."""
    return is_amount(text) and _DECIMALS_AT_END.search(plain_amount(text)) is not None


def is_month(text: str) -> bool:
    """Whether a text looks like a month or a date: a hint for matching columns, no more."""
    return month_of(text) is not None or is_date(text)
