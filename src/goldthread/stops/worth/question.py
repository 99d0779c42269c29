"""The questions of Worth, and how their figures are named."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from goldthread.core.choices import AgeKind, Period, Side
from goldthread.errors import InvalidInput
from goldthread.stops.costs.given import Costed, Margined, decimal_given
from goldthread.stops.sentences.reading_line import A_DATE, InColumns, ReadingLine, Shown, Typed
from goldthread.stops.stop import QuestionKind, Stop

ALL = "all"
YEAR_EARLIER, RANGE_BEFORE = "year-earlier", "before"
"""What a range of dates is compared with, beside two dates."""
CHANGE_LEAST, CHANGE_MOST = -90, 100
"""Per cent by which a part of the arithmetic can be moved."""
_PER_CENT = Typed("text", "per cent", "5 or -5")
_WHOM = Typed("text", "whom", "2026-03 or list:fairs")


class WorthMeasure(StrEnum):
    """One figure of the arithmetic."""

    ORDERS = "orders"
    CUSTOMERS = "customers"
    REVENUE = "revenue"
    ORDERS_PER_CUSTOMER = "orders_per_customer"
    AVERAGE_ORDER_VALUE = "average_order_value"
    PURCHASE_FREQUENCY = "purchase_frequency"
    AVERAGE_RETENTION_RATE = "average_retention_rate"
    AVERAGE_CHURN_RATE = "average_churn_rate"
    LIFESPAN = "lifespan"
    GROSS_MARGIN = "gross_margin"
    PROJECTED_CLV = "projected_clv"
    SPEND = "spend"
    NEW_CUSTOMERS = "new_customers"
    CAC = "cac"
    OBSERVED_GROSS_PROFIT = "observed_gross_profit"
    OBSERVED_PROFIT = "observed_profit"
    OBSERVED_AGE = "observed_age"
    BREAK_EVEN_AGE = "break_even_age"


class Brought(StrEnum):
    """What of a customer is drawn by age."""

    PROFIT = "profit"
    REVENUE = "revenue"


def drawn(question: Margined) -> Brought:
    """What is drawn of a question: there is no profit where the gross margin is not set."""
    asked: Brought = getattr(question, "figure", Brought.PROFIT)
    return asked if question.margin_set else Brought.REVENUE


class ByAge(ReadingLine):
    """A question about what customers have brought by age."""

    period: Period = Field(Period.MONTH, description="The length of a cohort's period.")
    ages: AgeKind = Field(AgeKind.CALENDAR, description="How the periods since the first order are counted.")


class WorthQuestion(Costed, ByAge):
    """What a customer is worth."""

    split: str = Field("", description="The field by whose values customers are split.")
    if_margin: Annotated[str, _PER_CENT] = Field(
        "0", description="If the gross margin were so many per cent higher, as 5 or -5."
    )
    if_cac: Annotated[str, _PER_CENT] = Field("0", description="If winning a customer cost so many per cent more.")
    if_order_value: Annotated[str, _PER_CENT] = Field(
        "0", description="If the average order were worth so many per cent more."
    )
    if_retention: Annotated[str, _PER_CENT] = Field(
        "0", description="If the retention rate were so many per cent higher."
    )

    def change(self, name: str) -> float:
        """By what fraction a part is moved; ``name`` : that of the field. Raises `InvalidInput`."""
        remedy = f"Give per cent from {CHANGE_LEAST} to {CHANGE_MOST}, such as 5 or -5."
        percent = decimal_given(getattr(self, name), name, remedy)
        if not CHANGE_LEAST <= percent <= CHANGE_MOST:
            raise InvalidInput(f"{percent} % is no small change.", remedy=remedy, field=name)
        return float(percent / 100)


class WorthFigureName(BaseModel):
    """One figure of the arithmetic."""

    measure: WorthMeasure = Field(description="Which figure.")
    group: str = Field("", description="A group of the split; all customers when none is named.")


class PaybackQuestion(Costed, ByAge):
    """What customers have brought by age, and when winning them is paid back."""

    figure: Brought = Field(Brought.PROFIT, description="What is drawn: profit or revenue per customer.")
    split: str = Field("", description="The field by whose values customers are split.")


class PaybackFigureName(BaseModel):
    """What a cohort, or all that are complete, had brought up to an age."""

    age: Annotated[int, Field(ge=0, le=200_000)] = Field(description="Periods since the first order.")
    cohort: str = Field(ALL, description="A cohort's ISO name, or all that are complete at the age.")
    group: str = Field("", description="A group of the split; all customers when none is named.")


class SpendShown(StrEnum):
    """Which months and channels are listed."""

    ALL = "all"
    PROBLEMS = "problems"


class SpendQuestion(InColumns):
    """What was spent to win customers, beside those who were won."""

    shown: SpendShown = Field(SpendShown.ALL, description="Every month and channel, or those to be checked.")


class SpendFigureName(BaseModel):
    """The new customers of a month."""

    month: str = Field(description="A month's ISO name, as 2026-03.")
    channel: str = Field("", description="The channel of the first order; all when none is named.")


class CompareQuestion(Margined, ByAge):
    """What customers of one group have brought more than those of another at the same age."""

    one: Annotated[str, _WHOM] = Field(
        "", description="A period of first orders as 2026-03, list:NAME, or FIELD:LABEL; all when empty."
    )
    other: Annotated[str, _WHOM] = Field("", description="The same of the other group; everybody else when empty.")


class CompareFigureName(BaseModel):
    """One of the two groups at an age."""

    age: Annotated[int, Field(ge=0, le=200_000)] = Field(description="Periods since the first order.")
    side: str = Field("one", pattern="^(one|other)$", description="one or other.")


class Top(StrEnum):
    """How many of the customers, the largest first."""

    ALL = "all"
    TOP_1 = "1"
    TOP_5 = "5"
    TOP_10 = "10"
    TOP_20 = "20"
    TOP_50 = "50"
    HALF = "half"


class TopCustomersQuestion(InColumns):
    """Who brings the revenue."""

    top: Top = Field(Top.ALL, description="The top per cent of customers, or the fewest who brought half.")


class TopCustomersFigureName(BaseModel):
    """The customers who brought the most."""

    largest: Top | None = Field(None, description="How many of them; as many as are shown when it is not named.")


class BoughtBy(StrEnum):
    """What order lines are added up by."""

    CATEGORY = "category"
    PRODUCT = "product"


class BoughtQuestion(InColumns):
    """What customers bring the revenue with."""

    by: BoughtBy = Field(BoughtBy.CATEGORY, description="By category or by product.")


class BoughtFigureName(BaseModel):
    """The orders with a line of a product or category."""

    label: str = Field(description="The product or category; blank for lines without one.")


class LeadsToQuestion(ReadingLine):
    """What a first purchase leads to."""


class LeadsToFigureName(BaseModel):
    """Those of a first category who came to another one later."""

    first: str = Field(description="The category of the first order.")
    later: str | None = Field(None, description="A category of later orders; any later order when none is named.")


class Forecasted(StrEnum):
    """What of cohorts is forecast."""

    CUSTOMERS = "customers"
    ORDERS = "orders"
    REVENUE = "revenue"
    PROFIT = "profit"


class ForecastQuestion(Costed):
    """What the customers on record will bring."""

    period: Period = Field(Period.QUARTER, description="The length of a cohort's period; weeks are too short.")
    figure: Forecasted = Field(Forecasted.REVENUE, description="What is forecast; profit is before CAC.")
    few: Shown = Field(Shown.HIDDEN, description="Whether it goes on where few cohorts or customers carry it.")

    @property
    def figure_shown(self) -> Forecasted:
        """As chosen; there is no profit where the gross margin is not set."""
        if self.figure is Forecasted.PROFIT and not self.margin_set:
            return Forecasted.REVENUE
        return self.figure


class Differing(StrEnum):
    """What two ranges of dates are compared by."""

    REVENUE = "revenue"
    ORDERS = "orders"
    CUSTOMERS = "customers"
    AVERAGE_ORDER_VALUE = "average_order_value"
    RETURNING_SHARE = "returning_share"


class DifferenceQuestion(ReadingLine):
    """Two ranges of dates, and what made the difference."""

    model_config = ConfigDict(validate_by_name=True)

    measure: Differing = Field(Differing.REVENUE, description="What is compared.")
    from_date: Annotated[str, A_DATE] = Field(
        "", alias="from", description="The first date of the range; 1 January of the year of the last one."
    )
    to_date: Annotated[str, A_DATE] = Field("", alias="to", description="The last date of the range; the as-of date.")
    against: Annotated[str, Typed("text", "two dates", "2025-01-01/2025-03-31")] = Field(
        YEAR_EARLIER,
        description="The range it is compared with: year-earlier, before (as many days), or two dates with / between.",
    )
    by: str = Field("", description="A field by whose labels, of each order, the difference is taken apart.")


class OfRange(StrEnum):
    """Which of two ranges."""

    BEFORE = "before"
    AFTER = "after"


class DifferenceFigureName(BaseModel):
    """What came in one of the two ranges."""

    range: OfRange = Field(OfRange.AFTER, description="The range, or the one that it is compared with.")
    side: Side = Field(Side.ALL, description="Of new customers, of returning ones, or of all.")
    group: str | None = Field(None, description="A group; all orders when none is named.")


WORTH = QuestionKind("worth", WorthQuestion, "What is a customer worth: observed, and by the shop-floor formula?")
PAYBACK = QuestionKind(
    "payback", PaybackQuestion, "What have customers brought by age, and when is winning one paid back?"
)
SPEND_BY_MONTH = QuestionKind(
    "spend", SpendQuestion, "What was spent to win customers, and how many were won?", windowed=True
)
COMPARE = QuestionKind(
    "compare", CompareQuestion, "Which of two cohorts, lists or groups brought more at the same age?"
)
TOP_CUSTOMERS = QuestionKind(
    "top-customers", TopCustomersQuestion, "Who brings the revenue, and how much do the largest bring?", windowed=True
)
BOUGHT = QuestionKind("bought", BoughtQuestion, "What do customers bring the revenue with?", windowed=True)
LEADS_TO = QuestionKind("leads-to", LeadsToQuestion, "What does a first purchase lead to?")
FORECAST = QuestionKind("forecast", ForecastQuestion, "What will the customers on record bring, and how sure is that?")
DIFFERENCE = QuestionKind("difference", DifferenceQuestion, "What made the difference between two ranges of dates?")
STOP = Stop(
    "worth", "Worth", (WORTH, PAYBACK, FORECAST, DIFFERENCE, SPEND_BY_MONTH, COMPARE, TOP_CUSTOMERS, BOUGHT, LEADS_TO)
)
