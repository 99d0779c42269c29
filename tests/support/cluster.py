"""A cluster of two workers on this machine for all tests of a run, and workspaces whose books are in parts there."""

from __future__ import annotations

import atexit
import functools
import tempfile
from contextlib import ExitStack
from pathlib import Path

from goldthread.cluster.local import local_cluster
from goldthread.settings import Settings
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace

WORKERS = 2
PART_ORDERS = 12
"""Books of more orders are in parts, of a quarter as many orders each."""


@functools.cache
def shared_cluster() -> Settings:
    """The settings of a cluster that lives as long as the test run."""
    running = ExitStack()
    atexit.register(running.close)
    folder = running.enter_context(tempfile.TemporaryDirectory())
    settings = Settings(var=Path(folder) / "var", compute="processes", part_orders=PART_ORDERS)
    settings.scratch.mkdir(parents=True)
    running.enter_context(local_cluster(settings, WORKERS))
    return settings


def in_parts(workspace: Workspace, **more: object) -> Workspace:
    """Another workspace on the same record, whose books are in parts on the shared cluster."""
    shared = shared_cluster()
    told = {"compute": "processes", "part_orders": PART_ORDERS, "cluster_keys_at": str(shared.cluster_keys), **more}
    return Workspace(workspace.settings.model_copy(update=told), workspace.record)


def put_in_parts(workspace: Workspace, book: BookRow) -> int:
    """Have the parts of a book written; how many there are."""
    cluster, shelved = workspace.cluster, workspace.orders(book.id)
    assert cluster is not None
    cluster.write_parts(shelved.book_id, shelved.at, shelved.orders)
    workspace.account.clear()
    found = cluster.in_parts(shelved.book_id, shelved.at, shelved.orders)
    assert found is not None
    return len(found.parted.parts)
