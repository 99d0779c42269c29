"""How the question to the cohort table is answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.cohorts.answer import CohortAnswer, ask_cohorts
from goldthread.stops.cohorts.checks import cohort_steps
from goldthread.stops.cohorts.evidence import counted, figure_words, open_cohort_figure
from goldthread.stops.cohorts.question import CohortFigureName, CohortQuestion
from goldthread.stops.cohorts.recount import recount_cohort_figure
from goldthread.stops.cohorts.shape import CohortsShape
from goldthread.stops.cohorts.sheet import cohort_sheet
from goldthread.stops.cohorts.text import cohort_text
from goldthread.stops.stop import Answering, Drawn, Evidence, Picture, whole

ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "cohorts": Answering[CohortQuestion, CohortAnswer](
        ask=ask_cohorts,
        as_json=whole(CohortsShape.of),
        shape=CohortsShape,
        sheet=cohort_sheet,
        file_name=lambda question: f"cohorts-by-{question.period}",
        text=cohort_text,
        picture=Picture(
            Drawn.CLOTH, "age", lambda answer: (answer.question.figure_shown.value, "retention_rate"), "cohort"
        ),
        evidence=Evidence[CohortAnswer, CohortFigureName](
            figure=CohortFigureName,
            counted=lambda answer, figure: counted(answer, figure.cell()),
            opened=lambda answer, figure, offset, limit: open_cohort_figure(answer, figure.cell(), offset, limit),
            words=lambda answer, figure: figure_words(answer, figure.cell()),
            recount=lambda workspace, answer, figure: recount_cohort_figure(workspace, answer, figure.cell()),
        ),
    )
}
STEPS = cohort_steps
"""What must hold of its tables."""
