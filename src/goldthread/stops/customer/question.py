"""The question for one customer."""

from __future__ import annotations

from pydantic import Field

from goldthread.actor import Right
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.stop import QuestionKind, Stop


class ThreadQuestion(ReadingLine):
    """One customer, by number in the record, or by what somebody would type to find them."""

    find: str = Field("", description="Any part of a name, number, e-mail or town.")
    customer: int | None = Field(None, ge=0, lt=2**63, description="The customer's id, where that is known.")


STOP = Stop(
    "customer",
    "Customer",
    (
        QuestionKind(
            "thread",
            ThreadQuestion,
            "Every order of one customer, found by any part of name, number, e-mail or town.",
            argument="find",
            windowed=True,
            right=Right.LISTED,
        ),
    ),
)
