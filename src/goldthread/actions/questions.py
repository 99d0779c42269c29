"""Questions: frozen values whose names are those of the page's address, the HTTP query and the command line."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from goldthread.core.choices import COUNTED_BY_DEFAULT, Firsts
from goldthread.core.days import to_date, to_day
from goldthread.core.limits import as_of_date
from goldthread.core.records import OrderStatus
from goldthread.errors import InvalidInput

if TYPE_CHECKING:
    from goldthread.core.book import OrderBook
    from goldthread.core.history import HistoryRule
    from goldthread.core.lapse import LapseRule

LATEST, TODAY = "latest", "today"
_LAPSE = re.compile(r"([0-9]{1,4})([dm])")


class HeldAs(StrEnum):
    """How customers in hand are shown: alone, against the rest, or the rest alone."""

    ALONE = "alone"
    AGAINST = "against"
    OTHERS = "others"


@dataclass(frozen=True)
class HistoryChoice:
    """The reading line: which orders are read, as of when.

    ``as_of`` is ``latest`` (the last order date that is not after today), ``today`` or an ISO date. ``status`` and
    ``source`` name what counts; an empty ``source`` means every source. ``where`` is a condition as CQL2 text, empty
    for none. ``held`` is the number of a hold. ``lapse`` is a number of days or months: 90d, 6m.
    """

    as_of: str = LATEST
    status: tuple[OrderStatus, ...] = tuple(status for status in OrderStatus if status in COUNTED_BY_DEFAULT)
    source: tuple[str, ...] = ()
    where: str = ""
    firsts: Firsts = Firsts.ALL
    held: int | None = None
    held_as: HeldAs = HeldAs.ALONE
    lapse: str = "90d"

    def rule(self, book: OrderBook, today: dt.date) -> HistoryRule:
        """The rule that this choice means for a book on a day. Raises `InvalidInput`."""
        # a choice is words until there is a book to apply it to
        from goldthread.core.fields import fields_by_name
        from goldthread.core.history import HistoryRule

        if not self.status:
            raise InvalidInput(
                "No status counts, so there is nothing to read.", remedy="Let one count.", field="status"
            )
        known = book.attributes["source"].labels
        unknown = sorted(set(self.source) - set(known))
        if unknown:
            raise InvalidInput(
                f"No source is called {', '.join(unknown)}.", remedy=f"Sources: {', '.join(known)}.", field="source"
            )
        sources = None if not self.source or set(self.source) == set(known) else frozenset(self.source)
        where = None
        if self.where.strip():
            # the grammar is worth its time only where there is a condition
            from goldthread.cql2.meaning import meaning_of
            from goldthread.cql2.reading import read_condition

            where = meaning_of(read_condition(self.where), fields_by_name(book))
        # without a condition there is nothing to stand in either layer, and answers can be shared
        firsts = self.firsts if where is not None else Firsts.ALL
        as_of_day = self._as_of_day(book, today)
        return HistoryRule(as_of_day, frozenset(self.status), sources, where, firsts, lapse_rule(self.lapse))

    def _as_of_day(self, book: OrderBook, today: dt.date) -> int:
        if self.as_of == TODAY:
            return to_day(as_of_date(today))
        if self.as_of == LATEST:
            past = book.day[book.day <= to_day(today)]
            return int(past.max()) if past.size else to_day(today)
        try:
            chosen = dt.date.fromisoformat(self.as_of)
        except ValueError:
            raise InvalidInput(
                f"{self.as_of[:40]} is no date.",
                remedy="Give latest, today, or a date such as 2026-10-31.",
                field="as_of",
            ) from None
        return to_day(as_of_date(chosen))


def lapse_rule(text: str) -> LapseRule:
    """A lapse rule from its short form: 90d, 6m. Raises `InvalidInput`."""
    from goldthread.core.lapse import LapseRule

    found = _LAPSE.fullmatch(text)
    if found is None or int(found[1]) == 0:
        raise InvalidInput(
            f"{text or 'Nothing'} is no span after which a customer is lapsed.",
            remedy="Give days or calendar months, such as 90d or 6m.",
            field="lapse",
        )
    return LapseRule(days=int(found[1])) if found[2] == "d" else LapseRule(months=int(found[1]))


def period_words(label: str) -> str:
    """A period's ISO name as people read it: Mar 2024, quarter 1 of 2024, week 5 of 2024, 2024."""
    year, _, rest = label.partition("-")
    if rest.startswith("W"):
        return f"week {int(rest[1:])} of {year}"
    if rest.startswith("Q"):
        return f"quarter {rest[1:]} of {year}"
    return f"{dt.date(int(year), int(rest), 1):%b} {year}" if rest else year


def date_words(day: int) -> str:
    """A date as people read it: 12 Jul 2026."""
    date = to_date(day)
    return f"{date.day} {date:%b} {date.year}"
