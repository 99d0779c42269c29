"""A figure of new and returning counted again by the database."""

from __future__ import annotations

from goldthread.askers import asker_is_gone
from goldthread.core.choices import Side
from goldthread.stops.behind.recount import NO_USUAL_GAPS, Recounted, looked_at
from goldthread.stops.newness.answer import NewnessAnswer
from goldthread.stops.newness.evidence import stretch_of
from goldthread.stops.newness.question import NewnessFigureName
from goldthread.store.recount.figure import recount_stretch
from goldthread.workspace import Workspace


def recount_newness_figure(workspace: Workspace, answer: NewnessAnswer, figure: NewnessFigureName) -> Recounted:
    """Count an opened figure of new and returning again."""
    stretch = stretch_of(answer, figure)
    page = stretch.counted.tally
    if figure.group:
        return Recounted(page, None, "The database's recount cannot distinguish the groups of a split.")
    if figure.side is Side.WON_BACK and not answer.read.history.rule.lapse.is_span:
        return Recounted(page, None, NO_USUAL_GAPS)
    among, reason = looked_at(answer.read.history, answer.read.line.where, None)
    if reason:
        return Recounted(page, None, reason)
    days = stretch.first_day, stretch.last_day
    measure = answer.question.measure
    engine = workspace.record.engine
    found = recount_stretch(
        engine, answer.read.book.id, answer.read.history, days, measure, figure.side, among, asker_is_gone()
    )
    return Recounted(page, found)
