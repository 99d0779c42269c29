"""How the question about new and returning is answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.newness.answer import NewnessAnswer, ask_newness
from goldthread.stops.newness.checks import newness_steps
from goldthread.stops.newness.evidence import counted, customer_words, open_newness_figure
from goldthread.stops.newness.question import NewnessFigureName, NewnessQuestion
from goldthread.stops.newness.recount import recount_newness_figure
from goldthread.stops.newness.shape import NewnessShape
from goldthread.stops.newness.sheet import newness_sheet
from goldthread.stops.stop import Answering, Drawn, Evidence, Picture, whole

ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "newness": Answering[NewnessQuestion, NewnessAnswer](
        ask=ask_newness,
        as_json=whole(NewnessShape.of),
        shape=NewnessShape,
        sheet=newness_sheet,
        file_name=lambda question: f"new-and-returning-by-{question.period}",
        picture=Picture(
            Drawn.COLUMNS,
            "period",
            lambda answer: tuple(f"{side}_{answer.question.measure}" for side in ("returning", "new")),
        ),
        evidence=Evidence(NewnessFigureName, counted, open_newness_figure, customer_words, recount_newness_figure),
    )
}
STEPS = newness_steps
"""What must hold of its tables."""
