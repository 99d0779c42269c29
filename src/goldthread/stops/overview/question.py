"""The question of Overview."""

from __future__ import annotations

from goldthread.stops.costs.given import Costed
from goldthread.stops.stop import QuestionKind, Stop


class SummaryQuestion(Costed):
    """How the book stands, and what needs attention."""


SUMMARY = QuestionKind("summary", SummaryQuestion, "How does the book stand, and what needs attention?")
STOP = Stop("overview", "Overview", (SUMMARY,))
