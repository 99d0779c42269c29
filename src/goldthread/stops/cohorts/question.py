"""The question to the cohort table, and how one of its figures is named."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from pydantic import BaseModel, Field

from goldthread.core.choices import AgeKind, Average, CohortFigure, Period
from goldthread.errors import InvalidInput
from goldthread.stops.costs.given import Costed
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.stop import QuestionKind, Stop

ALL = "all"
_PERIOD_NAME = re.compile(r"(FY)?[0-9]{4}(-(Q[1-4]|W[0-9]{2}|[0-9]{2}(-[0-9]{2}/P7D)?))?")


class Columns(StrEnum):
    """What the columns of the table are: ages since the first order, or periods of the calendar."""

    AGES = "ages"
    PERIODS = "periods"


class CohortView(StrEnum):
    """How the answer is drawn: as a table, as stacked bars over the calendar, or as a line for each cohort."""

    TABLE = "table"
    BARS = "bars"
    LINES = "lines"


class Layout(StrEnum):
    """How a table is written: one row per cell, or as people read it."""

    TIDY = "tidy"
    GRID = "grid"


class CohortQuestion(Costed):
    """A question to the cohort table."""

    period: Period = Field(Period.MONTH, description="The length of a cohort's period.")
    ages: AgeKind = Field(AgeKind.CALENDAR, description="How the periods since the first order are counted.")
    figure: CohortFigure = Field(CohortFigure.RETENTION, description="What the cells show.")
    average: Average = Field(Average.WEIGHTED, description="How cohorts are averaged.")
    first_column: Shown | None = Field(None, description="The first period itself; hidden where it says nothing.")
    columns: Columns = Field(Columns.AGES, description="Of the grid: ages, or calendar periods.")
    view: CohortView = Field(CohortView.TABLE, description="How the page draws it.")
    split: str = Field("", description="The field by whose values customers are split.")
    against: str = Field("", description="The group that the others are compared with; the largest when none is named.")
    layout: Layout = Field(Layout.TIDY, description="Of files: one row per cell, or the grid as people read it.")

    @property
    def figure_shown(self) -> CohortFigure:
        """As chosen; there is no profit where the gross margin is not set."""
        if self.figure is CohortFigure.PROFIT_PER_CUSTOMER and not self.margin_set:
            return CohortFigure.REVENUE_PER_CUSTOMER
        return self.figure

    @property
    def view_shown(self) -> CohortView:
        """As chosen; groups have tables and curves of their own in place of a line for each cohort."""
        return CohortView.TABLE if self.split and self.view is CohortView.LINES else self.view

    @property
    def first_column_shown(self) -> bool:
        """As chosen; else hidden where it says nothing: shares of customers and of the first revenue."""
        if self.first_column is None:
            says_nothing = CohortFigure.RETENTION, CohortFigure.CHURN, CohortFigure.CAME_BACK
            return self.figure not in (*says_nothing, CohortFigure.REVENUE_RETENTION, CohortFigure.STILL_BUYING)
        return self.first_column is Shown.SHOWN

    @property
    def by_calendar(self) -> bool:
        """Whether columns are periods of the calendar; elapsed ages have none."""
        return self.columns is Columns.PERIODS and self.ages is AgeKind.CALENDAR


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
                f"{age} is not an age.",
                remedy="Give a whole number from 0, all, or a period such as 2026-03.",
                field="age",
            )
        return cls(cohort, int(age), group)


class CohortFigureName(BaseModel):
    """One figure of the table."""

    cohort: str = Field(description="A cohort's ISO name, or all.")
    age: str = Field(description="An age, all for every age after the first, or a calendar period's ISO name.")
    group: str = Field("", description="A group of the split; all customers when none is named.")

    def cell(self) -> CellChoice:
        """Raises `InvalidInput`."""
        return CellChoice.read(self.cohort, self.age, self.group)


STOP = Stop(
    "cohorts",
    "Cohorts",
    (
        QuestionKind(
            "cohorts",
            CohortQuestion,
            "Of those who first ordered in the same period, who came back, when, for how much?",
        ),
    ),
)
