"""How the questions of Follow-up are answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.calendars import CALENDAR_TYPE
from goldthread.stops.followup import evidence, recount, worked_evidence
from goldthread.stops.followup.answer import (
    FollowUpAnswer,
    LapseCurveAnswer,
    StandingAnswer,
    ask_follow_up,
    ask_lapse_curve,
    ask_standing,
)
from goldthread.stops.followup.call_dates import call_dates
from goldthread.stops.followup.cards import CARDS_TYPE, cards
from goldthread.stops.followup.checks import followup_steps
from goldthread.stops.followup.list_shape import FollowUpShape
from goldthread.stops.followup.phone_sheet import SHEET_TYPE, phone_sheet
from goldthread.stops.followup.question import (
    FollowUpFigureName,
    FollowUpQuestion,
    LapseCurveFigureName,
    LapseCurveQuestion,
    OutcomesQuestion,
    StandingFigureName,
    StandingQuestion,
    WorkedFigureName,
    WorkedQuestion,
)
from goldthread.stops.followup.shape import LapseCurveShape, StandingShape
from goldthread.stops.followup.sheet import follow_up_sheet, lapse_curve_sheet, standing_sheet
from goldthread.stops.followup.worked import (
    OutcomesAnswer,
    WorkedAnswer,
    ask_outcomes,
    ask_worked,
    read_worked,
    worked_counted,
)
from goldthread.stops.followup.worked_shape import OneMemberShape, OutcomesShape, WorkedListShape
from goldthread.stops.followup.worked_sheet import outcomes_sheet, worked_sheet
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.stop import AnswerFile, Answering, Drawn, Evidence, One, Picture, whole, windowed
from goldthread.workspace import Workspace


def _phone_sheet(_workspace: Workspace, answer: FollowUpAnswer) -> bytes:
    said = sentences(answer.read, answer.words)
    return phone_sheet(answer.read, answer.by, answer.found.rows, "Whom to contact", said, ())


def _worked_phone_sheet(_workspace: Workspace, answer: WorkedAnswer) -> bytes:
    notes = [answer.worked.entries[place].note for place in answer.rows_to_reach.tolist()]
    said = sentences(answer.read, answer.words)
    return phone_sheet(answer.read, answer.by, answer.to_be_reached, answer.row.name, said, notes)


ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "follow-up": Answering[FollowUpQuestion, FollowUpAnswer](
        ask=ask_follow_up,
        as_json=windowed(FollowUpShape.of),
        shape=FollowUpShape,
        sheet=follow_up_sheet,
        file_name="follow-up",
        evidence=Evidence(
            FollowUpFigureName,
            evidence.follow_up_counted,
            evidence.open_follow_up,
            evidence.follow_up_words,
            recount.recount_follow_up,
        ),
        nothing_new=lambda answer: answer.earlier is not None and answer.found.count == 0,
        files={
            "cards": AnswerFile("vcf", CARDS_TYPE, lambda _workspace, answer: cards(answer.read, answer.found.rows)),
            "phone-sheet": AnswerFile("html", SHEET_TYPE, _phone_sheet),
        },
    ),
    "standing": Answering[StandingQuestion, StandingAnswer](
        ask=ask_standing,
        as_json=whole(StandingShape.of),
        shape=StandingShape,
        sheet=standing_sheet,
        file_name=lambda question: f"standings-by-{question.over}" if question.over else "standings",
        picture=Picture(Drawn.COLUMNS, "standing", ("customers",)),
        evidence=Evidence(
            StandingFigureName,
            evidence.standing_counted,
            evidence.open_standing,
            evidence.standing_words,
            recount.recount_standing,
        ),
    ),
    "lapse-curve": Answering[LapseCurveQuestion, LapseCurveAnswer](
        ask=ask_lapse_curve,
        as_json=whole(LapseCurveShape.of),
        shape=LapseCurveShape,
        sheet=lapse_curve_sheet,
        file_name="lapse-curve",
        picture=Picture(Drawn.CURVES, "days", ("customers",)),
        evidence=Evidence(
            LapseCurveFigureName,
            evidence.lapse_curve_counted,
            evidence.open_lapse_curve,
            evidence.lapse_curve_words,
            recount.recount_lapse_curve,
        ),
    ),
    "worked": Answering[WorkedQuestion, WorkedAnswer](
        ask=ask_worked,
        as_json=windowed(WorkedListShape.of),
        shape=WorkedListShape,
        sheet=worked_sheet,
        file_name="worked-list",
        evidence=Evidence(
            WorkedFigureName,
            worked_counted,
            worked_evidence.open_worked,
            worked_evidence.worked_words,
            worked_evidence.recount_worked,
        ),
        one=One(OneMemberShape.of, OneMemberShape),
        read=read_worked,
        files={
            "calendar": AnswerFile("ics", CALENDAR_TYPE, call_dates),
            "cards": AnswerFile(
                "vcf",
                CARDS_TYPE,
                lambda _workspace, answer: cards(answer.read, answer.to_be_reached),
            ),
            "phone-sheet": AnswerFile("html", SHEET_TYPE, _worked_phone_sheet),
        },
    ),
    "outcomes": Answering[OutcomesQuestion, OutcomesAnswer](
        ask=ask_outcomes,
        as_json=whole(OutcomesShape.of),
        shape=OutcomesShape,
        sheet=outcomes_sheet,
        file_name="list-outcomes",
    ),
}
STEPS = followup_steps
"""What must hold of its tables."""
