"""Every limit of the definitions in one place (``docs/definitions.md``, 1.9).

They are checked wherever something comes from outside: at intake, in the reading line, and in every answer. What is
inside them can be counted and summed without a check: no sum of ten-thousandths leaves 63 bits.
"""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

from goldthread.errors import InvalidInput, TooLarge

FIRST_DATE, LAST_DATE = dt.date(1900, 1, 1), dt.date(2199, 12, 31)
"""Of every date on record, in the book's zone, and of every as-of date; both inside."""
AMOUNT_BELOW = Decimal(10) ** 11
"""Units of the currency that one amount stays below, whatever its sign."""
BOOK_AMOUNT_BELOW = 4 * Decimal(10) ** 14
"""Units of the currency that the absolute amounts of a book's orders add up to less than; its payments likewise."""
ROWS_MOST = (1 << 31) - 2
"""Rows of one file: the record numbers them in 31 bits."""
ATTRIBUTES_MOST = 64
"""Own attributes that the orders of a book can have."""
ATTRIBUTE_NAME_LENGTH = 120
"""Characters of the name of one."""
ATTRIBUTE_VALUES_MOST = 1_000_000
"""Different values of one of them in one file."""
ATTRIBUTE_LENGTH = 255
"""Characters of one value."""
CELLS_MOST = 4_000_000
"""Cells of one table."""
PERIODS_MOST = 20_000
"""Periods of one table."""
GROUPS_SHOWN_MOST = 2_000
"""Groups of one reply; a file takes them all."""
CELLS_SHOWN_MOST = 1_000_000
"""Cells of one reply; a file takes them all."""
REPLY_BYTES_MOST = 64 << 20
"""Bytes of one reply that is not a file."""
ORDER_COUNTS_MOST = 100
"""Numbers of orders, and steps from one order to the next, that a question distinguishes."""
CALENDAR_ENTRIES_MOST = 5_000
"""Entries of one calendar: more are no help to anybody, and calendars are slow to take them."""
BODY_BYTES_MOST = 16 << 20
"""Bytes of one request that is not a file."""
LARGEST_REPLY_BYTES = 8 << 20
"""A reply that is larger goes out piece by piece where it can, and is not kept."""
FROZEN_ROWS_MOST, FROZEN_BYTES_MOST = 200, 4 << 20
"""Rows and bytes of an answer that a link keeps as it was."""
SAID_OF_MOST = 20
"""Customers that one match may be about."""
WORKED_MOST = 100_000
"""Members of a list that is worked: nobody reaches more one by one."""
HELD_BACK_MOST = 0.5
"""The share of a list that can be held back."""
CARDS_MOST = 10_000
"""Address cards of one file, and rows of one sheet to print."""
WORKBOOK_CELLS_MOST = 4_000_000
"""Cells of a workbook that is written: larger ones take too long to write and to open."""


def as_of_date(date: dt.date) -> dt.date:
    """An as-of date. Raises `InvalidInput` outside the dates that a record can have."""
    if not FIRST_DATE <= date <= LAST_DATE:
        raise InvalidInput(
            f"{date.isoformat()} is outside {FIRST_DATE.isoformat()} to {LAST_DATE.isoformat()}.",
            remedy="Give a date inside.",
            field="as_of",
        )
    return date


def limit_cells(count: int, *, most: int | None = None, remedy: str, field: str) -> None:
    """Raises `TooLarge` for a table of more cells than may be; ``remedy`` says what to choose instead."""
    limit = CELLS_MOST if most is None else most
    if count > limit:
        raise TooLarge(f"That would be {count} cells; {limit} are the most.", remedy=remedy, field=field)


def limit_groups(count: int, most: int, field: str) -> None:
    """Raises `TooLarge` for more groups than a reply may tell apart."""
    if count > most:
        raise TooLarge(
            f"That would be {count} groups; {most} are the most that can be shown.",
            remedy="Choose a field with fewer values, or take them all as a file.",
            field=field,
        )


def limit_periods(count: int) -> None:
    """Raises `TooLarge` for a table of more periods than may be."""
    if count > PERIODS_MOST:
        raise TooLarge(
            f"That would be {count} periods; {PERIODS_MOST} are the most.",
            remedy="Choose a longer period, or an earlier as-of date.",
            field="period",
        )
