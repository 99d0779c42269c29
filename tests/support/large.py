"""A large book on record without its files, and a process that asks it many questions and says what memory it holds."""

from __future__ import annotations

import datetime as dt
import subprocess
import sys
from dataclasses import dataclass, replace
from itertools import cycle, islice

import numpy as np
import psutil

from goldthread.api.app import create_app
from goldthread.core.book.columns import FOUND_BY, Attribute, CustomerColumns
from goldthread.core.book.days import to_date
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.texts import TextColumn
from goldthread.settings import load_settings
from goldthread.stops.registry import questions
from goldthread.store.revisions import present_revision
from goldthread.store.snapshot import save_snapshot
from goldthread.workspace import Workspace, open_workspace
from tests.support import synthetic
from tests.support.running import ROOT, Place
from tests.support.sharing import new_book

MIB = 1 << 20
QUESTIONS = (
    "cohorts?period=month",
    "newness?period=day",
    "customers?by=revenue&direction=down",
    "counts?groups=5",
    "gaps?by=customer",
    "due?within=28d",
    "follow-up?who=lapsed&by=revenue",
    "standing?over=quarter",
    "worth?period=quarter",
    "cohorts?period=week&where=amount%20%3E%2040",
)


@dataclass(frozen=True)
class Held:
    """What a process held, in bytes: its memory after it had answered and before its first question (the code and its
    libraries), and the columns of its book."""

    resident: int
    before: int
    columns: int


def large_book(orders: int) -> OrderBook:
    """A synthetic book with everything that a book on record has."""
    columns, customers = synthetic.orders(orders)
    none = Attribute(np.zeros(orders, np.uint16), ("",))
    columns = replace(columns, attributes={**columns.attributes, "rep": none, "channel": none, "category": none})
    names, numbers, found_by = (
        TextColumn.of([form.format(place) for place in range(customers)])
        for form in ("Customer {:07}", "{:07}", "\tcustomer {0:07}\t{0:07}\t\n\t")
    )
    nobody = Attribute(np.zeros(customers, np.uint16), ("no", "yes"))
    about = CustomerColumns(
        {"town": Attribute(np.zeros(customers, np.uint16), ("",)), "closed": nobody, "do_not_contact": nobody},
        {"name": names, "number": numbers, "email": TextColumn.of([""] * customers), FOUND_BY: found_by},
    )
    return OrderBook.build(columns, np.arange(customers, dtype=np.int64), about)


def filed(workspace: Workspace, orders: int) -> int:
    """The id of a new book whose snapshot holds so many orders; nothing of them is in the database."""
    row, at = new_book(workspace), present_revision
    save_snapshot(workspace.settings.snapshots, row.id, at(workspace.record.engine, row.id), large_book(orders))
    return row.id


def held_after(place: Place, book_id: int, readings: int) -> Held:
    """What a fresh process holds after so many questions, each as of another day; for none, after everything that can
    be asked was asked once."""
    command = [sys.executable, "-W", "error", "-m", "tests.support.large", str(book_id), str(readings)]
    done = subprocess.run(command, env=place.environment, cwd=ROOT, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr)
    return Held(*map(int, done.stdout.split()))


def _ask(book_id: int, readings: int) -> Held:
    settings = load_settings()
    client = create_app(open_workspace(settings)).test_client()
    process = psutil.Process()
    before = process.memory_info().rss
    latest = synthetic.FIRST_DAY + synthetic.SPAN_DAYS
    for _stop, kind in questions() if readings == 0 else ():
        # the database has none of the orders, and nobody was named
        reply = client.get(f"/api/books/{book_id}/ask/{kind.name}")
        if reply.status_code not in (200, 404, 422, 503):
            raise RuntimeError(f"{kind.name}: {reply.text}")
    for ago, question in enumerate(islice(cycle(QUESTIONS), readings)):
        as_of: dt.date = to_date(latest - ago)
        reply = client.get(f"/api/books/{book_id}/ask/{question}&as_of={as_of}")
        if reply.status_code != 200:
            raise RuntimeError(f"{question}: {reply.text}")
    columns = sum(file.stat().st_size for file in settings.snapshots.glob(f"{book_id}-*/*.npy"))
    return Held(process.memory_info().rss, before, columns)


if __name__ == "__main__":
    held = _ask(int(sys.argv[1]), int(sys.argv[2]))
    sys.stdout.write(f"{held.resident} {held.before} {held.columns}\n")
