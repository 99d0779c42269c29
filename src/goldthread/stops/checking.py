"""Every identity of the definitions over every table of a book, and whole tables counted again by the database.

Each stop says in its module ``checks`` what must hold of its own tables; here they are held, one step after another.
"""

from __future__ import annotations

import datetime as dt

from goldthread.core.checks import Check
from goldthread.core.records import Progress
from goldthread.stops.reading import read_book
from goldthread.stops.registry import STOPS
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace


def check_book(
    workspace: Workspace, book: BookRow, line: ReadingLine, today: dt.date, progress: Progress
) -> list[Check]:
    """Hold every identity, in the order of their numbers. Raises `Stopped` when the progress says so.

    The database's recount knows neither conditions nor lists, so it is left out under either.
    """
    read = read_book(workspace, book, line, today)
    steps = [step for stop in STOPS for step in stop.steps(workspace, read)]
    checks: list[Check] = []
    for place, (phase, work) in enumerate(steps):
        progress(phase, place, len(steps))
        for check in work():
            progress(phase, place, len(steps))
            if check is not None:
                checks.append(check)
    progress("done", len(steps), len(steps))
    return sorted(checks, key=lambda check: check.number)
