"""Who is who: customers that sources share, customers that look like one, and what was said of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.coverage import Coverage, coverage, shared_customers
from goldthread.store.books import BookRow
from goldthread.store.read import duplicates as records
from goldthread.store.read.duplicates import Duplicate
from goldthread.workspace import Workspace


@dataclass(frozen=True, eq=False)
class Shared:
    """Customers with an order in each pair of sources, own customers on the diagonal."""

    sources: tuple[str, ...]
    customers: NDArray[np.int64]


def shared_by_sources(workspace: Workspace, book: BookRow) -> Shared:
    """How many customers each source shares with the others."""
    shelved = workspace.orders(book.id)
    shared = workspace.answer(shelved, "shared", lambda: shared_customers(shelved.orders))
    return Shared(shelved.orders.attributes["source"].labels, shared)


def months_of_sources(workspace: Workspace, book: BookRow) -> Coverage:
    """Orders per month and source, with the months that look missing or doubled."""
    shelved = workspace.orders(book.id)
    return workspace.answer(shelved, "coverage", lambda: coverage(shelved.orders))


def possible_duplicates(workspace: Workspace, book: BookRow, offset: int, limit: int) -> tuple[int, list[Duplicate]]:
    """Customers that look like one: how many groups, and some of them."""
    return records.possible_duplicates(workspace.record.engine, book.id, offset, limit)
