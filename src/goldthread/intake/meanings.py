"""What a row of a file can be, and what its columns can mean."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from enum import StrEnum

from goldthread.core.records import FileKind


class Meaning(StrEnum):
    """What a column of a file holds."""

    ORDER_NUMBER = "order_number"
    CUSTOMER = "customer"
    DATE = "date"
    AMOUNT = "amount"
    STATUS = "status"
    CURRENCY = "currency"
    LINE_NUMBER = "line_number"
    PRODUCT = "product"
    CATEGORY = "category"
    QUANTITY = "quantity"
    UNIT_PRICE = "unit_price"
    CUSTOMER_NUMBER = "customer_number"
    EMAIL = "email"
    NAME = "name"
    TOWN = "town"
    CLOSED = "closed"
    DO_NOT_CONTACT = "do_not_contact"
    REP = "rep"
    CHANNEL = "channel"
    REFERENCE = "reference"
    MONTH = "month"
    UNTIL = "until"
    LABEL = "label"
    NUMBER_WITH = "number_with"
    YEAR = "year"
    DAY = "day"
    TIME = "time"
    DEBIT = "debit"
    CREDIT = "credit"
    RETURN = "return"


class Choice(StrEnum):
    """What columns alone do not settle about how a file is read; each has few answers."""

    RETURNS = "returns"
    CENTS = "cents"
    AMOUNTS = "amounts"
    NUMBERS = "numbers"
    WIDE = "wide"
    PAD = "pad"


class OrdersBy(StrEnum):
    """What makes lines one order where no column has its number: what one customer bought at one time, or on one day.

    A line without a time of day belongs to its day either way.
    """

    TIME = "time"
    DAY = "day"


class KeptAt(StrEnum):
    """Of what a further column says something; ``NOWHERE``: it is not kept."""

    CUSTOMER = "customer"
    ORDER = "order"
    LINE = "line"
    NOWHERE = "nowhere"


NEEDED: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.LINES: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.CUSTOMERS: (),
    FileKind.PAYMENTS: (Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.SPEND: (Meaning.MONTH, Meaning.CHANNEL, Meaning.AMOUNT),
    FileKind.EVENTS: (Meaning.DATE, Meaning.LABEL),
}
_OF_AN_ORDER = (Meaning.STATUS, Meaning.CURRENCY, Meaning.REP, Meaning.CHANNEL)
DATE_PARTS = (Meaning.YEAR, Meaning.MONTH, Meaning.DAY)
_IN_PARTS = (*DATE_PARTS, Meaning.TIME)
_TWO_SIDES = (Meaning.DEBIT, Meaning.CREDIT)
_HOW_IT_COUNTS = (Meaning.NUMBER_WITH, *_IN_PARTS, *_TWO_SIDES, Meaning.RETURN)
_OF_ITS_CUSTOMER = (Meaning.NAME, Meaning.EMAIL, Meaning.TOWN, Meaning.CLOSED, Meaning.DO_NOT_CONTACT)
OPTIONAL: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: (*_OF_AN_ORDER, *_OF_ITS_CUSTOMER, *_HOW_IT_COUNTS),
    FileKind.LINES: (
        *_OF_AN_ORDER,
        Meaning.LINE_NUMBER,
        Meaning.PRODUCT,
        Meaning.CATEGORY,
        Meaning.QUANTITY,
        Meaning.UNIT_PRICE,
        *_OF_ITS_CUSTOMER,
        *_HOW_IT_COUNTS,
    ),
    FileKind.CUSTOMERS: (
        Meaning.CUSTOMER_NUMBER,
        Meaning.EMAIL,
        Meaning.NAME,
        Meaning.TOWN,
        Meaning.CLOSED,
        Meaning.DO_NOT_CONTACT,
    ),
    FileKind.PAYMENTS: (Meaning.REFERENCE, Meaning.ORDER_NUMBER, Meaning.CURRENCY, *_IN_PARTS, *_TWO_SIDES),
    FileKind.SPEND: (Meaning.CURRENCY,),
    FileKind.EVENTS: (Meaning.UNTIL,),
}
KINDS = tuple(NEEDED)
"""The kinds of file; matches come in by hand alone."""
REASON_COLUMN = "reason it was rejected"
"""The column that is put beside rejected rows when they are taken out as a file; it is never read back."""


def missing_meanings(kind: FileKind, columns: Iterable[Meaning]) -> list[Meaning]:
    """Needed meanings that are not among some.

    Of a customer, a number or an e-mail is enough. A quantity and a unit price give a line's amount, debit and credit
    an amount, year, month and day a date; lines without an order number are made into orders by customer and date.
    """
    known = set(columns)
    if known.issuperset(DATE_PARTS):
        known.add(Meaning.DATE)
    if known >= set(_TWO_SIDES):
        known.add(Meaning.AMOUNT)
    if kind is FileKind.CUSTOMERS:
        return [] if known & {Meaning.CUSTOMER_NUMBER, Meaning.EMAIL} else [Meaning.CUSTOMER_NUMBER]
    if kind is FileKind.LINES:
        known.add(Meaning.ORDER_NUMBER)
        if known >= {Meaning.QUANTITY, Meaning.UNIT_PRICE}:
            known.add(Meaning.AMOUNT)
    return [meaning for meaning in NEEDED[kind] if meaning not in known]


def dated_by(columns: Collection[Meaning]) -> list[Meaning]:
    """The meanings among some that make a date: the one of the whole date, else those of its parts."""
    return [each for each in ((Meaning.DATE,) if Meaning.DATE in columns else DATE_PARTS) if each in columns]


def meanings_of(kind: FileKind) -> tuple[Meaning, ...]:
    """Every meaning that a column of this kind of file can carry."""
    return NEEDED[kind] + OPTIONAL[kind]
