"""Questions asked by their names, as a door asks them."""

from __future__ import annotations

from typing import Any

import numpy as np

from goldthread.actions.lists import keep_as_list
from goldthread.core.book.days import to_date
from goldthread.stops.reading import Read
from goldthread.stops.registry import question_called
from goldthread.stops.sheet import Sheet
from goldthread.store.lists import ListRow, Made
from goldthread.workspace import Workspace

NEEDED = {
    "cohort": ("2024-01", "all"),
    "age": ("0", "all", "99", "2024-01"),
    "at": ("all", "this_year", "2024-01", "late", "2024-01-06"),
    "days": ("0", "30", "99999999999"),
}
"""Values of what a question cannot be asked without."""


def sheet_of(workspace: Workspace, read: Read, name: str, **choices: Any) -> Sheet:
    """The table of a question, asked of a book as it was read."""
    stop, kind = question_called(name)
    answering = stop.answering(kind)
    return answering.sheet(workspace, answering.ask(workspace, read, kind.fields(**choices)))


def keep(workspace: Workspace, read: Read, places: list[int], name: str = "", rule: str = "some customers") -> ListRow:
    """Customers, by their places in the book, kept as a list."""
    made = Made(rule, "Reading orders.", "customers", "", to_date(read.as_of_day))
    ids = read.orders.customer_id.take(np.array(places, np.int64))
    return keep_as_list(workspace, read.book, ids, name, made)
