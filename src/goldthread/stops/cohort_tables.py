"""Cohort tables of a book as it is read, kept for every stop that asks for one."""

from __future__ import annotations

from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.history.history import History
from goldthread.stops.reading import Read
from goldthread.workspace import Workspace


def cohort_table_of(
    workspace: Workspace, read: Read, history: History, period: Period, ages: AgeKind = AgeKind.CALENDAR
) -> CohortTable:
    """The cohort table of those who are read, of everybody else than a list's, or of everybody."""
    if history is read.rest:
        whose: tuple[object, ...] = ("others", *read.key)
    else:
        whose = ("cohorts", *(read.key if history is read.history else (history.rule,)))
    found: CohortTable = workspace.answer(
        read.shelved, (*whose, period, ages), lambda: cohort_table(history, period, ages)
    )
    return found
