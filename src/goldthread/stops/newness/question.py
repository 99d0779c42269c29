"""The question about new and returning, and how one of its figures is named."""

from __future__ import annotations

from enum import StrEnum

from pydantic import BaseModel, Field

from goldthread.core.choices import Measure, Side, Span
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.stop import QuestionKind, Stop

EVERYTHING = "all"
THIS_YEAR = "this_year"


class NewnessView(StrEnum):
    """How the answer is drawn."""

    COLUMNS = "columns"
    SHARES = "shares"
    TABLE = "table"


class NewnessQuestion(ReadingLine):
    """A question about new and returning."""

    period: Span = Field(Span.MONTH, description="The length of a period.")
    measure: Measure = Field(Measure.ORDERS, description="What the page draws.")
    view: NewnessView = Field(NewnessView.COLUMNS, description="How the page draws it.")
    split: str = Field("", description="The field by whose labels orders are split.")


class NewnessFigureName(BaseModel):
    """One figure."""

    at: str = Field(description="A period's ISO name, all, or this_year.")
    side: Side = Field(Side.ALL, description="Which part of the period.")
    group: str = Field("", description="A group of the split; all orders when none is named.")


STOP = Stop(
    "newness",
    "New & returning",
    (QuestionKind("newness", NewnessQuestion, "How much of each period is new, how much is people coming back?"),),
)
