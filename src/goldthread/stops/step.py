"""One step of the checks: its name, and the work that finds whether something holds.

A step that takes long gives None now and then, so that it can be stopped.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

from goldthread.core.checks import Check
from goldthread.core.choices import Period
from goldthread.stops.reading import Read
from goldthread.workspace import Workspace

Found = Iterable[Check | None]
Step = tuple[str, Callable[[], Found]]
PERIODS_LISTED = (Period.MONTH, Period.QUARTER, Period.YEAR)
"""Cells of weeks and days are too many to list what stands behind each."""


def no_steps(_workspace: Workspace, _read: Read) -> Iterator[Step]:
    """Of a stop whose tables are those of others."""
    return iter(())


def recounted(what: str, differing_count: int) -> Check:
    """A whole table counted again by the database."""
    return Check(8, f"{what} in which the database's own recount differs", 0, differing_count)


def at(where: str, checks: Found) -> Iterator[Check | None]:
    """Checks of one table, with what it is called."""
    return (check and replace(check, where=where) for check in checks)
