"""How the question of Overview is answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from goldthread.stops.overview.answer import SummaryAnswer, ask_summary
from goldthread.stops.overview.question import SummaryQuestion
from goldthread.stops.overview.shape import SummaryShape
from goldthread.stops.overview.sheet import HTML_TYPE, orders_by_month, summary_html, summary_sheet, summary_text
from goldthread.stops.step import no_steps
from goldthread.stops.stop import AnswerFile, Answering, Drawn, Picture, whole

ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "summary": Answering[SummaryQuestion, SummaryAnswer](
        ask=ask_summary,
        as_json=whole(SummaryShape.of),
        shape=SummaryShape,
        sheet=summary_sheet,
        file_name="how-the-book-stands",
        text=summary_text,
        picture=Picture(Drawn.COLUMNS, "month", ("orders",), table=orders_by_month),
        files={"letter": AnswerFile("html", HTML_TYPE, summary_html)},
    )
}
STEPS = no_steps
"""What it shows is held by the stops that it is of."""
