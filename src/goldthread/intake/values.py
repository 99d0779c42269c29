"""Single values: a text becomes its exact form, or a reason why it cannot.

Each parser takes a text as it stands in the file and returns the canonical text; it raises `BadValue`
with a reason and a remedy otherwise. Nothing is guessed and nothing is shifted.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from zoneinfo import ZoneInfo

from goldthread.core.records import KeyKind, OrderStatus

ORDER_NUMBER_LENGTH = 64
CUSTOMER_LENGTH = 191
_AMOUNT = re.compile(r"([+-]?)([0-9]{1,15})(?:\.([0-9]+))?")
_LOOSE_AMOUNT = re.compile(r"[+-]?\s*\d[\d.,' ]*")
_ISO_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_LOOSE_DATE = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}([T ].*)?|\d{1,2} [A-Za-z]{3,9} \d{2,4}")
_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_STATUS_WORDS = {status.value: status for status in OrderStatus} | {"canceled": OrderStatus.CANCELLED}
_DECIMALS = 4
_YEARS = range(1900, 2200)
_UNSEEN = re.compile(r"[\x00-\x1f\x7f]")


class BadValue(Exception):
    """A value that cannot come in: ``reason`` and ``remedy`` are whole sentences."""

    def __init__(self, reason: str, remedy: str) -> None:
        super().__init__(reason)
        self.reason = reason
        self.remedy = remedy


Parser = Callable[[str], str]


PLAIN_KEY = re.compile(r"[^\s\x00-\x20\x7f]{1,64}(?:\x1f[^\s\x00-\x20\x7f]{1,64})*")
"""Keys joined by \x1f that are canonical as they stand: short, without white space or control characters."""


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


def date_parser(zone: ZoneInfo) -> Parser:
    """Parser of ISO 8601 dates and timestamps; gives ``YYYY-MM-DD`` or ``YYYY-MM-DD HH:MM:SS`` in the book's zone."""

    def parse(text: str) -> str:
        plain = text.strip()
        if not plain:
            raise BadValue("There is no date.", "Give the order's date, or leave the row out.")
        try:
            if _ISO_DATE.fullmatch(plain):
                return _in_range(dt.date.fromisoformat(plain)).isoformat()
            if not _ISO_DATE.match(plain):
                raise BadValue("This is not an ISO date.", "Write it as year-month-day, for example 2026-03-14.")
            moment = dt.datetime.fromisoformat(plain)
        except ValueError:
            raise BadValue(
                "There is no such date.", "Correct it; a date is never moved to a neighbouring day."
            ) from None
        _in_range(moment)
        if moment.tzinfo is not None:
            moment = moment.astimezone(zone)
        return moment.strftime("%Y-%m-%d %H:%M:%S")

    return parse


def _in_range(date: dt.date) -> dt.date:
    if date.year not in _YEARS:
        raise BadValue(f"The year {date.year} is outside {_YEARS[0]} to {_YEARS[-1]}.", "Correct the year.")
    return date


def amount(text: str) -> str:
    """An exact amount with at most four decimals, as a plain decimal."""
    plain = text.strip()
    if not plain:
        raise BadValue("There is no amount.", "Give the amount, or leave the row out.")
    match = _AMOUNT.fullmatch(plain)
    if match is None:
        raise BadValue("This is not a plain number.", "Write digits with a decimal point, for example 1234.50.")
    sign, whole, decimals = match.groups()
    decimals = (decimals or "").rstrip("0")
    if len(decimals) > _DECIMALS:
        raise BadValue("The amount has more than four decimals.", "Round it to four decimals or fewer.")
    exact = f"{int(whole)}.{decimals}" if decimals else str(int(whole))
    return f"-{exact}" if sign == "-" and exact != "0" else exact


def status(text: str) -> str:
    """One of open, paid, cancelled, refunded; a row without a status is a completed sale."""
    plain = text.strip().casefold()
    if not plain:
        return OrderStatus.PAID.value
    if plain not in _STATUS_WORDS:
        raise BadValue(
            f"The status is none of {', '.join(OrderStatus)}.", "Write one of these four words, or leave it empty."
        )
    return _STATUS_WORDS[plain].value


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


def optional_email(text: str) -> str:
    """A normalised e-mail, or nothing."""
    return customer_parser(KeyKind.EMAIL)(text) if text.strip() else ""


def optional_amount(text: str) -> str:
    """A plain decimal, or nothing."""
    return amount(text) if text.strip() else ""


def is_email(text: str) -> bool:
    return _EMAIL.fullmatch(text.strip()) is not None


def is_amount(text: str) -> bool:
    """Whether a text looks like a number in any country's writing: a hint for matching columns, no more."""
    return _LOOSE_AMOUNT.fullmatch(text.strip()) is not None


def is_date(text: str) -> bool:
    """Whether a text looks like a date in any common writing: a hint for matching columns, no more."""
    return _LOOSE_DATE.fullmatch(text.strip()) is not None
