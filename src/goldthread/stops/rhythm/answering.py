"""How the questions of Rhythm are answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.calendars import CALENDAR_TYPE
from goldthread.stops.rhythm import evidence, recount
from goldthread.stops.rhythm.answer import (
    CountsAnswer,
    DueAnswer,
    GapsAnswer,
    NextOrderAnswer,
    ask_counts,
    ask_due,
    ask_gaps,
    ask_next_order,
)
from goldthread.stops.rhythm.calendar import due_calendar
from goldthread.stops.rhythm.checks import rhythm_steps
from goldthread.stops.rhythm.due_shape import DueShape
from goldthread.stops.rhythm.gap_shape import GapsShape
from goldthread.stops.rhythm.question import (
    CountsFigureName,
    CountsQuestion,
    DueFigureName,
    DueQuestion,
    GapsFigureName,
    GapsQuestion,
    NextOrderFigureName,
    NextOrderQuestion,
)
from goldthread.stops.rhythm.shape import NextOrderShape, OrderCountsShape
from goldthread.stops.rhythm.sheet import counts_sheet, due_sheet, gaps_sheet, next_order_sheet
from goldthread.stops.rhythm.words import BY
from goldthread.stops.stop import AnswerFile, Answering, Drawn, Evidence, Picture, whole, windowed

ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "counts": Answering[CountsQuestion, CountsAnswer](
        ask=ask_counts,
        as_json=whole(OrderCountsShape.of),
        shape=OrderCountsShape,
        sheet=counts_sheet,
        file_name="order-counts",
        picture=Picture(Drawn.COLUMNS, "orders", ("customers",)),
        evidence=Evidence(
            CountsFigureName,
            evidence.counts_counted,
            evidence.open_counts,
            evidence.counts_words,
            recount.recount_counts,
        ),
    ),
    "gaps": Answering[GapsQuestion, GapsAnswer](
        ask=ask_gaps,
        as_json=windowed(GapsShape.of),
        shape=GapsShape,
        sheet=gaps_sheet,
        file_name=lambda question: f"gaps-by-{question.by if question.by in BY else 'label'}",
        picture=Picture(Drawn.COLUMNS, "step", ("median",)),
        evidence=Evidence(
            GapsFigureName, evidence.gaps_counted, evidence.open_gaps, evidence.gaps_words, recount.recount_gaps
        ),
    ),
    "next-order": Answering[NextOrderQuestion, NextOrderAnswer](
        ask=ask_next_order,
        as_json=whole(NextOrderShape.of),
        shape=NextOrderShape,
        sheet=next_order_sheet,
        file_name=lambda question: f"time-to-next-after-order-{question.step}",
        picture=Picture(Drawn.CURVES, "days", ("share",), "group"),
        evidence=Evidence(
            NextOrderFigureName,
            evidence.next_order_counted,
            evidence.open_next_order,
            evidence.next_order_words,
            recount.recount_next_order,
        ),
    ),
    "due": Answering[DueQuestion, DueAnswer](
        ask=ask_due,
        as_json=windowed(DueShape.of),
        shape=DueShape,
        sheet=due_sheet,
        file_name="who-is-due",
        evidence=Evidence(
            DueFigureName, evidence.due_counted, evidence.open_due, evidence.due_words, recount.recount_due
        ),
        files={"calendar": AnswerFile("ics", CALENDAR_TYPE, due_calendar)},
    ),
}
STEPS = rhythm_steps
"""What must hold of its tables."""
