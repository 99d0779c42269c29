"""Find a customer by any part of name, number, e-mail or town, as it is typed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from goldthread.core.book.days import to_date
from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.facts import latest_day, open_gap_days
from goldthread.stops.reading import Read
from goldthread.store.read.folding import fold_text
from goldthread.workspace import Workspace

LONGEST = 120


@dataclass(frozen=True)
class Found:
    """A customer who was found. ``latest`` is an ISO date, None for one without a counted order."""

    customer_id: int
    name: str
    key: str
    email: str
    town: str
    latest: str | None
    days_since: int | None


def find_customers(workspace: Workspace, read: Read, text: str, limit: int) -> list[Found]:
    """The best matches, best first. All words must occur; accents, case and apostrophes do not matter."""
    index = workspace.search_index(read.shelved)
    rows = index.find(fold_text(text[:LONGEST]), limit)
    read, places = read.of_a_few(np.array(rows, np.int64))
    book, about = read.orders, read.history.whole.customers
    latest, since = latest_day(book), open_gap_days(book, read.as_of_day)
    town = about.attributes["town"]
    return [
        Found(
            customer_id=int(book.customer_id[row]),
            name=about.name(row),
            key=about.key(row),
            email=about.texts["email"].at(row),
            town=town.labels[town.codes[row]],
            latest=None if latest[row] == NO_DAY else to_date(int(latest[row])).isoformat(),
            days_since=None if np.isnan(since[row]) else int(since[row]),
        )
        for row in places.tolist()
    ]
