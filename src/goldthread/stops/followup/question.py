"""The questions of Follow-up, and how their figures are named."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, Field, field_validator

from goldthread.actor import Right
from goldthread.core.choices import Became, Direction, Flow, Period, Stands, Who
from goldthread.stops.sentences.reading_line import ReadingLine, Typed
from goldthread.stops.stop import QuestionKind, Stop

LIMIT_DAYS_MOST = 120_000
"""More than the longest silence that dates on record allow."""


class Contactable(StrEnum):
    """Whether those who are closed or not to be contacted are left out."""

    ONLY = "only"
    ALL = "all"


class Part(StrEnum):
    """Which part of those for whom a reason holds: on the list, left out of it as closed or not to be contacted; and
    beside an earlier list, who is new since, who is still on it, who left it."""

    LISTED = "listed"
    LEFT_OUT = "left_out"
    NEW = "new"
    STILL = "still"
    GONE = "gone"


class FollowUpQuestion(ReadingLine):
    """Whom to contact."""

    who: tuple[Who, ...] = Field((Who.LAPSED,), description="Why somebody is followed up; repeatable.")
    once_ago: Annotated[str, Typed("text", "days", "45d")] = Field(
        "0d", description="Of who ordered once: how long ago that was at least, such as 60d."
    )
    contactable: Contactable = Field(
        Contactable.ONLY, description="Whether those closed or not to be contacted are left out."
    )
    since_list: str = Field("", description="An earlier list: show only who is new since it was made.")
    by: str = Field("days_since", description="The field of customers that the list goes by.")
    direction: Direction | None = Field(None, description="The sequence; what is asked for most when not given.")

    @field_validator("who")
    @classmethod
    def _reasons_in_sequence(cls, given: tuple[Who, ...]) -> tuple[Who, ...]:
        return tuple(each for each in Who if each in given)


class FollowUpFigureName(BaseModel):
    """A part of those for whom a reason holds."""

    part: Part = Field(Part.LISTED, description="On the list, left out, or compared with an earlier list.")
    reason: Who | None = Field(None, description="One of the reasons; any of them when none is named.")


class StandingQuestion(ReadingLine):
    """Where customers stand."""

    by: str = Field("", description="A field of customers whose labels are the groups; none for all together.")
    and_by: str = Field("", description="A second field: groups are pairs of labels.")
    over: Period | None = Field(None, description="The standings at the end of every such period; none for the latest.")


class StandingFigureName(BaseModel):
    """Customers of a standing, of a group, at the end of a period; or those whom a flow moved in it."""

    stands: Stands | None = Field(None, description="A standing; all when none is named.")
    group: str | None = Field(None, description="A group; all when none is named.")
    at: str = Field("", description="A period, as 2026-03; the as-of date when none is named.")
    flow: Flow | None = Field(None, description="In place of a standing: what moved customers in that period.")


class LapseCurveQuestion(ReadingLine):
    """How many customers would count as lapsed at every limit."""


class LapseCurveFigureName(BaseModel):
    """Those who would be lapsed at a limit."""

    days: Annotated[int, Field(ge=0, le=LIMIT_DAYS_MOST)] = Field(description="A limit in days.")


class MembersShown(StrEnum):
    """Which members of a list are shown."""

    ALL = "all"
    TO_DO = "to_do"
    CONTACTED = "contacted"
    LEFT_OUT = "left_out"
    HELD_BACK = "held_back"


class WorkedQuestion(ReadingLine):
    """How far a customer list is worked, and what became of its members. The list is that of the reading line."""

    within: Annotated[str, Typed("text", "days", "45d")] = Field(
        "30d", description="Within how many days of the contact an order counts, such as 30d."
    )
    shown: MembersShown = Field(MembersShown.ALL, description="Which members are shown.")
    by: str = Field("days_since", description="The field of customers that the list goes by.")
    direction: Direction | None = Field(None, description="The sequence; what is asked for most when not given.")


class WorkedFigureName(BaseModel):
    """Members of a list: how far they are worked, and what became of them."""

    members: MembersShown = Field(MembersShown.ALL, description="Which members.")
    became: Became | None = Field(None, description="What became of them; all when none is named.")


class OutcomesQuestion(ReadingLine):
    """What became of every list that was worked."""

    within: Annotated[str, Typed("text", "days", "45d")] = Field(
        "30d", description="Within how many days of the contact an order counts, such as 30d."
    )


FOLLOW_UP = QuestionKind("follow-up", FollowUpQuestion, "Whom do we contact, and why?", windowed=True)
STANDING = QuestionKind(
    "standing", StandingQuestion, "How many customers are active, lapsed, or never ordered; where, and since when?"
)
LAPSE_CURVE = QuestionKind(
    "lapse-curve", LapseCurveQuestion, "How many customers would count as lapsed at every limit?"
)
WORKED = QuestionKind(
    "worked",
    WorkedQuestion,
    "How far is a customer list worked, and what became of its members?",
    windowed=True,
    right=Right.LISTED,
)
OUTCOMES = QuestionKind("outcomes", OutcomesQuestion, "What became of every list that was worked?")
STOP = Stop("followup", "Follow-up", (FOLLOW_UP, STANDING, LAPSE_CURVE, WORKED, OUTCOMES))
