"""Every stop, in the sequence in which people work. Routes, commands and the description are made of this list."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.stops.cohorts.question import STOP as COHORTS
from goldthread.stops.customer.question import STOP as CUSTOMER
from goldthread.stops.followup.question import STOP as FOLLOWUP
from goldthread.stops.newness.question import STOP as NEWNESS
from goldthread.stops.overview.question import STOP as OVERVIEW
from goldthread.stops.rhythm.question import STOP as RHYTHM
from goldthread.stops.stop import QuestionKind, Stop
from goldthread.stops.threads.question import STOP as THREADS
from goldthread.stops.worth.question import STOP as WORTH

STOPS: tuple[Stop, ...] = (OVERVIEW, THREADS, CUSTOMER, COHORTS, NEWNESS, RHYTHM, FOLLOWUP, WORTH)


def questions() -> Iterator[tuple[Stop, QuestionKind]]:
    """Every question with the stop at which it is asked."""
    return ((stop, kind) for stop in STOPS for kind in stop.questions)


def question_called(name: str) -> tuple[Stop, QuestionKind]:
    """A question that there is, by its name, with its stop."""
    return next((stop, kind) for stop, kind in questions() if kind.name == name)
