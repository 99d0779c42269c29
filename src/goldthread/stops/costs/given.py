"""What profit needs, as a question gives it: the gross margin, and what winning a customer cost."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal, InvalidOperation
from typing import Annotated

from pydantic import Field

from goldthread.core.book.days import to_month
from goldthread.core.choices import SMALL_BELOW, FirstDay
from goldthread.core.money import minor_of
from goldthread.errors import InvalidInput
from goldthread.stops.sentences.reading_line import ReadingLine, Typed

SPEND = "spend"
NOT_SET = "gross margin not set: revenue is shown"
"""What is said where profit would stand."""
MARGIN_LENGTH = 4_000
"""Characters of a margin by month: room for every month of thirty years."""
_MONTH = re.compile(r"(19|20|21)[0-9]{2}-(0[1-9]|1[0-2])")
_LARGEST_COST = Decimal(10) ** 9
_REMEDY = "Give a percentage from 0 to 100, and others from a month on: 42.5 or 42,2025-01=40."


SmallBelow = Annotated[int, Field(ge=1, le=10**6)]
"""Below how many customers a group is small."""
MonthNumber = Annotated[int, Field(ge=1, le=12)]
"""A month of the year."""


class Margined(ReadingLine):
    """A question about what is left of revenue."""

    margin: Annotated[str, Typed("text", "percent", "42, or 42,2025-01=40")] = Field(
        "",
        description="Gross margin in percent; by month as 42,2025-01=40, each until the next. Where it is not set, "
        "revenue is shown.",
    )

    @property
    def margin_set(self) -> bool:
        """Whether a gross margin is known, so that there is a profit."""
        return bool(self.margin.strip())

    @property
    def margin_shares(self) -> tuple[float, tuple[tuple[int, float], ...]]:
        """The gross margin as a fraction, NaN where it is not set, and month indices with that from each on. Raises
        `InvalidInput`."""
        if not self.margin_set:
            return float("nan"), ()
        if len(self.margin) > MARGIN_LENGTH:
            raise InvalidInput("That is too long for a gross margin.", remedy=_REMEDY, field="margin")
        base, *named = [part.strip() for part in self.margin.split(",")]
        changes: dict[int, float] = {}
        for part in named:
            month, _, percent = part.partition("=")
            if not _MONTH.fullmatch(month.strip()):
                raise InvalidInput(f"{part[:40] or 'Nothing'} names no month.", remedy=_REMEDY, field="margin")
            changes[to_month(dt.date.fromisoformat(f"{month.strip()}-01"))] = _share(percent.strip())
        return _share(base), tuple(sorted(changes.items()))


class Costed(Margined):
    """A question about profit."""

    cac: Annotated[str, Typed("number", "an amount")] = Field(
        SPEND, description="What winning a customer cost (CAC), or spend for what is recorded."
    )
    small: Annotated[SmallBelow, Typed("number", "customers")] = Field(
        SMALL_BELOW, description="Groups of fewer customers are marked as small, and speak for no others."
    )

    @property
    def cac_minor(self) -> int | None:
        """The cost of winning one customer in ten-thousandths; None for what was spent. Raises `InvalidInput`."""
        if self.cac == SPEND:
            return None
        cost = decimal_given(self.cac, "cac", "Give an amount such as 12.50, or spend.")
        if not 0 <= cost < _LARGEST_COST:
            raise InvalidInput(
                f"{self.cac} is not a cost of winning a customer.", remedy="Give an amount from 0.", field="cac"
            )
        return minor_of(cost)


class UsualSettings(Costed):
    """The usual settings of a book: the choices of questions that they stand in for, and its calendar."""

    fiscal_month: MonthNumber = Field(
        1, description="The month in which the fiscal year begins, 1 to 12; it is named by the year in which it ends."
    )
    week_begins: FirstDay = Field(FirstDay.MONDAY, description="The day on which weeks begin.")


def _share(percent: str) -> float:
    share = decimal_given(percent, "margin", _REMEDY)
    if not 0 <= share <= 100:
        raise InvalidInput(f"{percent} % is not a gross margin.", remedy=_REMEDY, field="margin")
    return float(share / 100)


def decimal_given(text: str, of: str, remedy: str) -> Decimal:
    """A plain number as it is typed. Raises `InvalidInput`, which names the choice that it was given in."""
    try:
        number = Decimal(text)
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite():
        raise InvalidInput(f"{text[:40] or 'Nothing'} is not a number.", remedy=remedy, field=of)
    return number


def margin_words(margin: str) -> str:
    """A margin as people say it: 42 %, or 42 %, 40 % from 2025-01; not set."""
    if not margin.strip():
        return "not set"
    base, *named = [part.strip() for part in margin.split(",")]
    changes = (part.partition("=") for part in named)
    return ", ".join([f"{base} %", *(f"{percent.strip()} % from {month.strip()}" for month, _, percent in changes)])


def cac_words(cac: str) -> str:
    """What winning a customer cost, as people say it."""
    return "from recorded spend" if cac == SPEND else "nothing" if cac == "0" else f"{cac} each"
