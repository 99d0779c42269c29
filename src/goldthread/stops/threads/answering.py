"""How the questions of Threads are answered."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from goldthread.stops.reading import Read
from goldthread.stops.stop import Answering, Evidence, Kept, whole, windowed
from goldthread.stops.threads.answer import (
    FiguresAnswer,
    Listing,
    PairsAnswer,
    ask_figures,
    ask_pairs,
    list_backdated,
    list_customers,
    list_every_order,
    list_nth,
)
from goldthread.stops.threads.checks import thread_steps
from goldthread.stops.threads.group_shape import FiguresShape, PairsShape
from goldthread.stops.threads.loom import LoomAnswer, ask_loom, loom_counted, loom_words, open_loom
from goldthread.stops.threads.loom_recount import recount_loom
from goldthread.stops.threads.loom_shape import LoomShape, loom_sheet
from goldthread.stops.threads.question import (
    FiguresQuestion,
    ListedQuestion,
    LoomFigureName,
    LoomQuestion,
    PairsQuestion,
)
from goldthread.stops.threads.shape import ListShape
from goldthread.stops.threads.sheet import figures_sheet, list_sheet, pairs_sheet
from goldthread.stops.threads.words import member_words
from goldthread.workspace import Workspace


def _list(
    ask: Callable[[Workspace, Read, Any], Listing], file_name: str | Callable[[Any], str]
) -> Answering[ListedQuestion, Listing]:
    return Answering(
        ask=ask,
        as_json=ListShape.of,
        shape=ListShape,
        sheet=list_sheet,
        file_name=file_name,
        kept=lambda listing: Kept(listing.customers(listing.found.rows), member_words(listing.read, listing.question)),
    )


ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "customers": _list(list_customers, "customers"),
    "loom": Answering[LoomQuestion, LoomAnswer](
        ask=ask_loom,
        as_json=whole(LoomShape.of),
        shape=LoomShape,
        sheet=loom_sheet,
        file_name="threads",
        evidence=Evidence(LoomFigureName, loom_counted, open_loom, loom_words, recount_loom),
    ),
    "nth": _list(list_nth, lambda question: f"{question.rank}-orders"),
    "orders": _list(list_every_order, "orders-with-their-threads"),
    "backdated": _list(list_backdated, "backdated"),
    "figures": Answering[FiguresQuestion, FiguresAnswer](
        ask=ask_figures,
        as_json=lambda workspace, answer, _window: FiguresShape.of(workspace, answer),
        shape=FiguresShape,
        sheet=figures_sheet,
        file_name="figures",
    ),
    "pairs": Answering[PairsQuestion, PairsAnswer](
        ask=ask_pairs,
        as_json=windowed(PairsShape.of),
        shape=PairsShape,
        sheet=pairs_sheet,
        file_name="pairs",
    ),
}
STEPS = thread_steps
"""What must hold of its tables."""
