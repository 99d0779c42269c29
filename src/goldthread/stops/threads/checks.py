"""What must hold of the threads."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.core.checks import check_gaps, check_standing
from goldthread.stops.reading import Read
from goldthread.stops.step import Step
from goldthread.workspace import Workspace


def thread_steps(_workspace: Workspace, read: Read) -> Iterator[Step]:
    """Gaps and standings of all customers."""
    history = read.history
    yield "Gaps", lambda: check_gaps(history)
    yield "Standings", lambda: check_standing(history, history.rule.lapse)
