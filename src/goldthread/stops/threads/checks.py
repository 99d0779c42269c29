"""What must hold of the threads."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.core.checks import check_gaps
from goldthread.stops.reading import Read
from goldthread.stops.step import Step
from goldthread.workspace import Workspace


def thread_steps(_workspace: Workspace, read: Read) -> Iterator[Step]:
    """Gaps of all customers."""
    yield "Gaps", lambda: check_gaps(read.history)
