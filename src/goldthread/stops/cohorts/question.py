"""Questions to the cohort table, as frozen values under the names of the page, HTTP and the command line."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from enum import StrEnum

from goldthread.actions.questions import HistoryChoice
from goldthread.core.choices import AgeKind, Average, CohortFigure, Period
from goldthread.errors import InvalidInput

ALL = "all"
SPEND = "spend"
MINOR = 10_000
_PERIOD_NAME = re.compile(r"[0-9]{4}(-(Q[1-4]|W[0-9]{2}|[0-9]{2}))?")
_LARGEST_COST = Decimal(10) ** 9


class FirstColumn(StrEnum):
    """Whether the cohort's own period is shown; its retention rate is always 100 %."""

    SHOWN = "shown"
    HIDDEN = "hidden"


class Columns(StrEnum):
    """What the columns of the table are: ages since the first order, or periods of the calendar."""

    AGES = "ages"
    PERIODS = "periods"


class CohortView(StrEnum):
    """How the answer is drawn: as a table, or as stacked bars over the calendar."""

    TABLE = "table"
    BARS = "bars"


class Layout(StrEnum):
    """How a table is written: one row per cell, or as people read it."""

    TIDY = "tidy"
    GRID = "grid"


@dataclass(frozen=True)
class CohortQuestion:
    """A question to the cohort table.

    ``split`` names the field by whose values customers are told apart, empty for all together; ``against`` is the group
    that the others are compared with, empty for the largest. ``margin`` is the gross margin in percent. ``cac`` is the
    cost of winning a customer, or ``spend`` for what the book's records tell.
    """

    history: HistoryChoice = field(default_factory=HistoryChoice)
    period: Period = Period.MONTH
    ages: AgeKind = AgeKind.CALENDAR
    figure: CohortFigure = CohortFigure.RETENTION
    average: Average = Average.WEIGHTED
    first_column: FirstColumn | None = None
    columns: Columns = Columns.AGES
    view: CohortView = CohortView.TABLE
    split: str = ""
    against: str = ""
    margin: str = "100"
    cac: str = SPEND

    @property
    def first_column_shown(self) -> bool:
        """As chosen; else hidden where it says nothing: shares of customers and of the first revenue."""
        if self.first_column is None:
            says_nothing = CohortFigure.RETENTION, CohortFigure.CHURN, CohortFigure.CAME_BACK
            return self.figure not in (*says_nothing, CohortFigure.REVENUE_RETENTION, CohortFigure.STILL_BUYING)
        return self.first_column is FirstColumn.SHOWN

    @property
    def by_calendar(self) -> bool:
        """Whether columns are periods of the calendar; elapsed ages have none."""
        return self.columns is Columns.PERIODS and self.ages is AgeKind.CALENDAR

    @property
    def margin_share(self) -> float:
        """The gross margin as a fraction. Raises `InvalidInput`."""
        share = _decimal(self.margin, "margin", "Give a percentage from 0 to 100, such as 42.5.")
        if not 0 <= share <= 100:
            raise InvalidInput(
                f"{self.margin} % is no gross margin.", remedy="Give a percentage from 0 to 100.", field="margin"
            )
        return float(share / 100)

    @property
    def cac_minor(self) -> int | None:
        """The cost of winning one customer in ten-thousandths; None where spend tells. Raises `InvalidInput`."""
        if self.cac == SPEND:
            return None
        cost = _decimal(self.cac, "cac", "Give an amount such as 12.50, or spend.")
        if not 0 <= cost < _LARGEST_COST:
            raise InvalidInput(
                f"{self.cac} is no cost of winning a customer.", remedy="Give an amount from 0.", field="cac"
            )
        return int(cost * MINOR)


def _decimal(text: str, field: str, remedy: str) -> Decimal:
    try:
        number = Decimal(text)
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite():
        raise InvalidInput(f"{text or 'Nothing'} is no number.", remedy=remedy, field=field)
    return number


@dataclass(frozen=True)
class CellChoice:
    """A figure to be opened: a cohort's ISO name or ``all``; an age, or None for every age after the first period.

    ``group`` is the group of a split that it stands in; empty for all customers. ``period`` is the ISO name of a
    calendar period, for a diagonal: everybody who ordered in it, whenever they first did.
    """

    cohort: str
    age: int | None
    group: str = ""
    period: str = ""

    @classmethod
    def read(cls, cohort: str, age: str, group: str = "") -> CellChoice:
        """From texts. Raises `InvalidInput`."""
        if age == ALL:
            return cls(cohort, None, group)
        if cohort == ALL and _PERIOD_NAME.fullmatch(age):
            return cls(cohort, None, group, age)
        if not age.isascii() or not age.isdigit() or len(age) > 6:
            raise InvalidInput(
                f"{age} is no age.", remedy="Give a whole number from 0, all, or a period such as 2026-03.", field="age"
            )
        return cls(cohort, int(age), group)
