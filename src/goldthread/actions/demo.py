"""Fill a book with the invented supplier's files, imported like any others."""

from __future__ import annotations

import datetime as dt
import secrets
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from goldthread.actions import books, briefs, lists, people, schedules, usual
from goldthread.actions.arriving import inbox
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import Errand, deliver_file
from goldthread.actions.inspecting import known_readings, look_at_table
from goldthread.actions.lists import Part
from goldthread.actions.uploads import open_file
from goldthread.actor import Right, Role
from goldthread.core.choices import Beyond, PartKind
from goldthread.core.records import Progress, unreported
from goldthread.demo.exports import FILES, write_exports, write_next_week
from goldthread.errors import Conflict
from goldthread.store.books import BookRow
from goldthread.store.lists import Made
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace

PEOPLE = {"Ines": Role.OWNER, "Tobin": Role.ANALYST, "Mo": Role.CALLER, "Sefa": Role.READER}
"""Of the demo supplier: what each is in its book. The first administers, too."""
NAME, CURRENCY, TIME_ZONE = "Marlpit & Slip", "EUR", "Europe/Lisbon"
MARGIN_PERCENT = "42"
WatchOf = Callable[[Workspace, BookRow, str, str, dt.date], Mapping[str, Any]]
KeepOf = Callable[[Workspace, BookRow, dt.date, dict[str, str], bool], dict[str, Any]]
_RETENTION_LEAST_PERCENT = 35.0


def import_demo(workspace: Workspace, progress: Progress) -> DeliveryReport:
    """Bring in every file of the demo supplier. The report has no delivery id when all were there already."""
    known = {book.name: book for book in books.list_books(workspace)}
    may_change = [book.id for book, _, rights in books.list_own_books(workspace) if Right.CHANGE in rights]
    if NAME in known and known[NAME].id not in may_change:
        raise Conflict(f"Somebody else has a book called {NAME}.", remedy="Ask its owner to let you see it.")
    book = known.get(NAME) or books.add_book(workspace, NAME, CURRENCY, TIME_ZONE)
    total = DeliveryReport()
    if set(FILES) <= {delivery.file_name for delivery in books.list_deliveries(workspace, book)}:
        return total
    with tempfile.TemporaryDirectory(prefix="goldthread-demo-") as folder:
        exports = write_exports(Path(folder))
        for place, export in enumerate(exports):
            (Path(folder) / str(place)).mkdir()
            for file in open_file(workspace.settings, export.path, Path(folder) / str(place)):
                view = look_at_table(file.table(), known=known_readings(workspace, book), source=export.source)
                errand = Errand(export.source, file.name, view.file, reading_of(view), accept_rejected=True)
                report = deliver_file(workspace, book, errand, unreported)
                total.delivery_id = report.delivery_id or total.delivery_id
                for name, count in report.counts().items():
                    setattr(total, name, getattr(total, name) + count)
            progress(export.path.name, place + 1, len(exports))
    _make_ready_for_next_week(workspace, book)
    return total


def _make_ready_for_next_week(workspace: Workspace, book: BookRow) -> None:
    """Put next week's exports where they would come, with the schedules that take them; they rest until somebody has
    them go on."""
    folder = inbox(workspace.settings) / NAME
    for export in write_next_week(folder):
        row = schedules.add_folder(workspace, book, "every Monday at 06:00", export.source, str(export.path.parent))
        schedules.pause(workspace, book, row, paused=True)


@dataclass(frozen=True)
class _Finding:
    """A finding of the demo's brief: of a view, or of one figure of it."""

    heading: str
    words: str
    stop: str
    query: str = ""
    figure: str = ""
    live: bool = True


BRIEF = "October for the Monday meeting"
_FINDINGS = (
    _Finding(
        "September is the schools, as every year",
        "Most of the peak are people **coming back**: nothing to repeat for winning new ones.\n\n"
        "- plan clay for January, when they order again\n- no discount is needed",
        "newness",
        figure="at=2026-09&side=returning",
    ),
    _Finding(
        "Fewer came back after the first month",
        "The stall at the fair won many of September's new customers, and *they hardly ever return*.",
        "cohorts",
        figure="cohort=2026-09&age=1",
    ),
    _Finding(
        "By quarter of the first order nothing else has changed",
        "What a quarter keeps after a year is what the one before kept. A star is a quarter that is not over.",
        "cohorts",
        "period=quarter",
    ),
    _Finding(
        "Who is active and who has lapsed, before we call",
        "Idris and Maren call one half each of those who are late. Compare in December.",
        "followup",
        "view=standing",
        live=False,
    ),
    _Finding(
        "How long between two orders",
        "The gap that half of them are shorter than, step by step.",
        "rhythm",
        "view=gaps",
    ),
)


def begin_round(workspace: Workspace, watch_of: WatchOf, keep: KeepOf) -> None:
    """Say the demo book's gross margin, have a figure of it watched that has turned, and write the brief of its week.
    ``watch_of`` says what a watch is of, ``keep`` what something pinned says now."""
    book = books.find_book(workspace, NAME)
    usual.say_usual(workspace, book, {"margin": MARGIN_PERCENT}, (f"gross margin {MARGIN_PERCENT} %",))
    today = books.today_of(book)
    what = watch_of(workspace, book, "cohorts", "cohort=newest&age=1", today)
    row = schedules.add_watch(workspace, book, "every day at 06:30", what, Beyond.BELOW, _RETENTION_LEAST_PERCENT)
    schedules.run_now(workspace, book, row)
    brief = briefs.add_brief(workspace, book, BRIEF)
    for each in _FINDINGS:
        pinned = {"stop": each.stop, "query": each.query, "figure": each.figure}
        said = (each.heading, each.words, pinned, partial(keep, workspace, book, today))
        briefs.add_finding(workspace, book, brief, *said, live=each.live)


def add_people(workspace: Workspace) -> str:
    """Give the demo book people to sign in as, one for each role, and the caller a list; gives the password that they
    all have. Raises `Conflict` where there are accounts."""
    if people.has_accounts(workspace):
        raise Conflict("There are accounts already.", remedy="Add others: goldthread user add.")
    book = books.find_book(workspace, NAME)
    password = secrets.token_urlsafe(12)
    for name, role in PEOPLE.items():
        user = people.add_user(workspace, name, is_admin=role is Role.OWNER, password=password)
        people.set_member(workspace, book, user, role)
    orders = workspace.orders(book.id).orders
    region = orders.customers.attributes["region"]
    islands = orders.customer_id[region.codes == region.labels.index("Islands")]
    made = Made("Customers on the islands", "", "", "", books.today_of(book))
    kept = lists.keep_as_list(workspace, book, islands, "Islands, to call", made)
    caller = next(name for name, role in PEOPLE.items() if role is Role.CALLER)
    lists.divide_list(workspace, book, kept.id, [Part(caller, PartKind.LETTERS, "A-M")])
    return password
