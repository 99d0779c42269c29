"""One database and one server for all tests of a run, and books that do not get in each other's way."""

from __future__ import annotations

import atexit
import csv
import functools
import tempfile
import uuid
from collections.abc import Iterable, Sequence
from pathlib import Path

from goldthread.actions import books, worker
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import Errand, deliver_file
from goldthread.actions.inspecting import Given, known_readings, look_at_table
from goldthread.actions.uploads import open_file
from goldthread.core.records import FileKind, KeyKind, OrderStatus
from goldthread.intake.meanings import KeptAt, Meaning
from goldthread.intake.packing import Table
from goldthread.processes import POLL_SECONDS
from goldthread.server import worker_of
from goldthread.store.books import BookRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace
from tests.support import tiny
from tests.support.mariadb import named_for_tests
from tests.support.running import Place


@functools.cache
def shared_place() -> Place:
    """A place that lives as long as the test run."""
    place = Place(named=named_for_tests())
    atexit.register(place.close)
    return place


@functools.cache
def shared_workspace() -> Workspace:
    """The workspace of the shared place."""
    workspace = shared_place().workspace()
    atexit.register(workspace.record.engine.dispose)
    return workspace


@functools.cache
def work_here() -> None:
    """Do in this process what takes longer than a request: for whoever asks the shared place without a server."""
    worker.LOOK_SECONDS = POLL_SECONDS
    own = worker_of(shared_workspace())
    own.start()
    atexit.register(own.end)


def new_book(workspace: Workspace, time_zone: str = "Europe/Lisbon") -> BookRow:
    """An empty book with a name of its own."""
    return books.add_book(workspace, f"book {uuid.uuid4().hex[:12]}", "EUR", time_zone)


def write_csv(path: Path, rows: Iterable[Sequence[object]]) -> Path:
    """A comma-separated file."""
    with path.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows(rows)
    return path


def deliver(
    workspace: Workspace,
    book: BookRow,
    path: Path,
    source: str = "counter",
    kind: FileKind | None = None,
    key: KeyKind | None = None,
    columns: dict[Meaning, str | None] | None = None,
    dry_run: bool = False,
    statuses: dict[str, OrderStatus] | None = None,
    remember: bool = False,
    further: dict[str, KeptAt] | None = None,
) -> DeliveryReport:
    """Import a file with what is guessed, or said."""
    with tempfile.TemporaryDirectory() as folder:
        table = open_file(workspace.settings, path, Path(folder))[0].table()
        known = known_readings(workspace, book) if remember else ()
        view = look_at_table(table, kind, known=known, source=source)
        reading = reading_of(view, Given(columns or {}, key, statuses=statuses or {}, further=further or {}))
        errand = Errand(source, path.name, view.file, reading, dry_run, accept_rejected=True)
        return deliver_file(workspace, book, errand, lambda *_progress: None)


def errand_for(path: Path, source: str = "counter") -> Errand:
    """A delimited file on its way, read as it is guessed to be."""
    view = look_at_table(Table("", path, typed=False))
    return Errand(source, path.name, view.file, reading_of(view))


def iso_tiny(folder: Path) -> list[tuple[str, Path]]:
    """The small history as files with ISO dates and decimal points: source and file, customers last."""
    headers = ("order", "customer_no", "date", "amount", "status")
    files = []
    for source in ("counter", "phone"):
        rows = [
            (order.number, order.customer, order.date, order.amount, order.status)
            for order in tiny.orders()
            if order.source == source
        ]
        files.append((source, write_csv(folder / f"{source}.csv", [headers, *rows])))
    return [*files, ("web", tiny.FOLDER / "web_lines.csv"), ("customers", tiny.FOLDER / "customers.csv")]


RAW_TINY = (
    ("counter", "counter.csv"),
    ("phone", "phone.tsv"),
    ("web", "web_lines.csv"),
    ("customers", "customers.csv"),
)
"""The files of the small history as they are, with their own separators, dates and decimal marks."""


def tiny_book(workspace: Workspace, folder: Path) -> BookRow:
    """A book that holds the small history, imported file by file."""
    book = new_book(workspace)
    for source, path in iso_tiny(folder):
        deliver(workspace, book, path, source)
    return book
