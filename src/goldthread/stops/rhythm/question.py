"""The questions of Rhythm, and how their figures are named."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from goldthread.core.choices import Period, Waiting
from goldthread.core.limits import ORDER_COUNTS_MOST
from goldthread.stops.sentences.reading_line import A_DATE, InColumns, ReadingLine, Shown, Typed
from goldthread.stops.stop import QuestionKind, Stop

COUNTS_APART = 10
STEP, ORDER, TOGETHER = "step", "order", "all"
LONGEST_GAP_DAYS = 120_000
PERIODS = tuple(period.value for period in Period)
"""By what gaps are shown, beside customers and fields: as the periods in which they ended."""
LATE = "late"
"""In place of a date: everybody whose next order was expected before the as-of date."""


A_CONDITION = Typed("text", "a condition", "channel = 'shop'")


class CountsQuestion(ReadingLine):
    """How many orders customers placed in a window of dates."""

    model_config = ConfigDict(validate_by_name=True)

    from_date: Annotated[str, A_DATE] = Field(
        "", alias="from", description="The first date of the window; that of the first order."
    )
    to_date: Annotated[str, A_DATE] = Field("", alias="to", description="The last date of the window; the as-of date.")
    groups: Annotated[int, Field(ge=1, le=ORDER_COUNTS_MOST), Typed("number", "orders")] = Field(
        COUNTS_APART, description="The number of orders of the last group, which is open."
    )
    zero: Shown = Field(Shown.HIDDEN, description="Whether those without an order in the window are shown.")


class CountsFigureName(BaseModel):
    """Some groups together."""

    orders: tuple[str, ...] = Field((), description="A number of orders, as 3 or 10+; repeatable. All when none.")


class GapsQuestion(InColumns):
    """How many days pass between orders."""

    by: str = Field(
        STEP,
        description="step, all, customer, order, a field, or the week, month, quarter or year in which gaps ended.",
    )


class GapsFigureName(BaseModel):
    """The gaps of one group, or those of it that are so long."""

    group: str | None = Field(None, description="A group; all gaps when none is named.")
    shortest: Annotated[int, Field(ge=0)] | None = Field(None, description="Gaps from so many days on.")
    longest: Annotated[int, Field(ge=0)] | None = Field(None, description="Gaps of up to so many days.")


class NextOrderQuestion(ReadingLine):
    """How long it takes to the next order."""

    step: Annotated[int, Field(ge=1, le=ORDER_COUNTS_MOST), Typed("number", "after order number")] = Field(
        1, description="After which order of each customer."
    )
    after: Annotated[str, A_CONDITION] = Field(
        "", description="A condition (CQL2): only orders that meet it begin the wait, and are numbered."
    )
    then: Annotated[str, A_CONDITION] = Field(
        "", description="A condition (CQL2): only a later order that meets it counts as the next."
    )
    within: Annotated[int, Field(ge=0, le=LONGEST_GAP_DAYS), Typed("number", "days")] = Field(
        90, description="Up to which day customers are counted."
    )
    split: str = Field("", description="A field by whose labels, of that order, customers are compared.")


class NextOrderFigureName(BaseModel):
    """Those who are so, some days after the order."""

    days: Annotated[int, Field(ge=0)] = Field(description="Days after the order.")
    who: Waiting = Field(Waiting.ORDERED, description="Ordered again by then, waiting still, or not so far yet.")
    group: str | None = Field(None, description="A group of the split; everybody when none is named.")


class DueQuestion(InColumns):
    """Whose next order is expected."""

    within: Annotated[str, Typed("text", "days", "45d")] = Field("28d", description="How far ahead, such as 28d.")
    overdue: Shown = Field(Shown.SHOWN, description="Whether those who were expected earlier are shown.")


class DueFigureName(BaseModel):
    """Those who are expected in a stretch of days, or are late."""

    at: str = Field("", description="A date, late, or late-1 to late-5 for how late; all that are coming.")


COUNTS = QuestionKind("counts", CountsQuestion, "How many orders did customers place in a window of dates?")
GAPS = QuestionKind("gaps", GapsQuestion, "How many days pass between an order and the next?", windowed=True)
NEXT_ORDER = QuestionKind("next-order", NextOrderQuestion, "How long until the next order?")
DUE = QuestionKind("due", DueQuestion, "Whose next order is expected, and who is late?", windowed=True)
STOP = Stop("rhythm", "Rhythm", (COUNTS, GAPS, NEXT_ORDER, DUE))
