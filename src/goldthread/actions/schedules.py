"""What a book does again and again: files and rows that come by themselves, letters that go out.

A schedule acts for whoever made it, and only for as long as they may do what it does.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

from goldthread.actions import arriving, uploads
from goldthread.actions.books import checked_name, find_book, zone
from goldthread.actions.log import Deed, put_down
from goldthread.actions.mailing import ADDRESS
from goldthread.actions.people import must_be_granted
from goldthread.actions.when import next_after, read_when, runs_between, when_words
from goldthread.actor import Role, actor
from goldthread.core.choices import Beyond, ScheduleKind
from goldthread.errors import InvalidInput, NotAllowed
from goldthread.intake.database import QUERY_LENGTH, Since
from goldthread.store import letters, people, schedules, waiting_files
from goldthread.store.books import BookRow
from goldthread.store.letters import LetterRow
from goldthread.store.schedules import RunRow, ScheduleRow
from goldthread.store.server.engine import moment
from goldthread.store.waiting_files import WaitingRow
from goldthread.workspace import Workspace

ADDRESSES_MOST = 50
ATTACHED = ("", "csv", "xlsx")


def list_schedules(workspace: Workspace, book: BookRow) -> list[ScheduleRow]:
    """The schedules of a book, each with its last run."""
    return schedules.list_schedules(workspace.record.engine, book.id)


def find_schedule(workspace: Workspace, book: BookRow, schedule: int) -> ScheduleRow:
    """One of them. Raises `NotFound`."""
    return schedules.find_schedule(workspace.record.engine, book.id, schedule)


def list_runs(workspace: Workspace, row: ScheduleRow, offset: int, limit: int) -> tuple[int, list[RunRow]]:
    """How many runs are kept of a schedule, and some of them, the newest first."""
    return schedules.list_runs(workspace.record.engine, row.id, offset, limit)


def add_folder(
    workspace: Workspace, book: BookRow, every: str, source: str, folder: str, *, any_of_machine: bool = False
) -> ScheduleRow:
    """Have the files of a folder imported. Raises `InvalidInput` and `TooLarge`."""
    path = arriving.checked_folder(workspace.settings, folder, any_of_machine=any_of_machine)
    called = arriving.called(workspace.settings, path)
    about = {"source": checked_name(source, "source"), "folder": str(path), "called": called}
    for other in list_schedules(workspace, book):
        if other.about.get("folder") == str(path):
            raise InvalidInput(
                f"Files are taken out of {path} already.", remedy="Change that schedule.", field="folder"
            )
    return _add(workspace, book, ScheduleKind.FOLDER, about, every)


def add_query(
    workspace: Workspace,
    book: BookRow,
    every: str,
    source: str,
    database: str,
    query: str,
    since_column: str = "",
    since: str = "",
) -> ScheduleRow:
    """Have the rows of a query to a database that the settings name imported. With a ``since_column`` it goes on from
    that column's largest value, beginning with ``since``. Raises `InvalidInput`, `NotFound` and `NotAllowed`."""
    must_be_granted(workspace, database)
    uploads.address_of(workspace.settings, database)
    if not query.strip() or len(query) > QUERY_LENGTH:
        raise InvalidInput(f"A query has 1 to {QUERY_LENGTH} characters.", remedy="Write a SELECT.", field="query")
    if bool(since_column) != (":since" in query) or (since_column and not since):
        raise InvalidInput(
            "A query that goes on from a value has :since in it, a column that gives that value, and where it begins.",
            remedy="Say all three, such as WHERE changed_at > :since, changed_at and 2026-01-01; or none of them.",
            field="since_column",
        )
    about = {
        "source": checked_name(source, "source"),
        "database": database,
        "query": query,
        "since_column": since_column,
        "since": Since(since_column, since).told(),
    }
    return _add(workspace, book, ScheduleKind.QUERY, about, every)


def add_letter(
    workspace: Workspace,
    book: BookRow,
    every: str,
    what: dict[str, Any],
    to: Sequence[str],
    *,
    attach: str = "",
    only_new: bool = False,
) -> ScheduleRow:
    """Have a letter sent. ``what`` it is of is known to whoever composes it; ``only_new``: not where it would say what
    the last one did. Raises `InvalidInput` and `NotAllowed`."""
    if attach not in ATTACHED:
        raise InvalidInput("A table is attached as csv or xlsx.", remedy="Choose one, or none.", field="attach")
    about = {**what, "to": _addresses(workspace, book, to, least=1), "attach": attach, "only_new": only_new}
    return _add(workspace, book, ScheduleKind.LETTER, about, every)


def add_watch(
    workspace: Workspace,
    book: BookRow,
    every: str,
    what: Mapping[str, Any],
    side: Beyond,
    bound: float,
    to: Sequence[str] = (),
) -> ScheduleRow:
    """Have a figure watched: whoever made it, or ``to`` some addresses, are told once when it is beyond a bound, and
    once when that is over. ``what`` it is of is known to whoever measures it. Raises `InvalidInput` and
    `NotAllowed`."""
    if not math.isfinite(bound):
        raise InvalidInput("The bound is no number.", remedy="Give one, such as 35.", field="bound")
    about = {**what, "side": side.value, "bound": bound, "to": _addresses(workspace, book, to, least=0)}
    return _add(workspace, book, ScheduleKind.WATCH, about, every)


def _addresses(workspace: Workspace, book: BookRow, to: Sequence[str], least: int) -> list[str]:
    """Addresses that may be written to. Raises `InvalidInput` and `NotAllowed`."""
    addresses = list(dict.fromkeys(address.strip() for address in to if address.strip()))
    if not least <= len(addresses) <= ADDRESSES_MOST:
        raise InvalidInput(f"It goes to {least} to {ADDRESSES_MOST} addresses.", remedy="Name some.", field="to")
    for address in addresses:
        if not ADDRESS.fullmatch(address):
            raise InvalidInput(f"“{address}” is no e-mail address.", remedy="Correct it.", field="to")
    must_be_allowed(workspace, book, addresses)
    return addresses


def must_be_allowed(workspace: Workspace, book: BookRow, addresses: Sequence[str]) -> None:
    """Raises `NotAllowed` where a letter would go to somebody who is no member, and whoever acts is no owner."""
    who = actor()
    if who.user is None or who.role is Role.OWNER:
        return
    own = {each.email.casefold() for each in people.list_members(workspace.record.engine, book.id)}
    outside = [address for address in addresses if address.casefold() not in own]
    if outside:
        raise NotAllowed(
            f"{outside[0]} is the address of no member of this book.", remedy="An owner of the book may send there."
        )


def _add(workspace: Workspace, book: BookRow, kind: ScheduleKind, about: dict[str, Any], every: str) -> ScheduleRow:
    cron = read_when(every)
    engine = workspace.record.engine
    first = next_after(cron, zone(book.time_zone), moment())
    row = find_schedule(workspace, book, schedules.add_schedule(engine, book.id, kind, about, cron, first))
    put_down(workspace, Deed.SCHEDULE_MADE, book.id, schedule_words(row), schedule=row.id)
    return row


def schedule_words(row: ScheduleRow) -> str:
    """What a schedule does, as a sentence without its full stop."""
    about, when = row.about, when_words(row.cron)
    match row.kind:
        case ScheduleKind.FOLDER:
            what = f"import the files of {about['source']} out of {about['called']}"
        case ScheduleKind.QUERY:
            what = f"import what is new of {about['source']} from the database {about['database']}"
        case ScheduleKind.LETTER:
            to, attached = about["to"], f", with the table as {about['attach'].upper()}" if about["attach"] else ""
            whom = to[0] if len(to) == 1 else f"{len(to)} people"
            what = (
                f"send {letter_words(about)} to {whom}{attached}{', if something is new' if about['only_new'] else ''}"
            )
        case ScheduleKind.WATCH:
            what = f"look whether {about['name']} is {bound_words(about)}"
    return f"{when[:1].upper()}{when[1:]} {what}"


def letter_words(about: dict[str, Any]) -> str:
    """What a letter is of."""
    return "the Overview" if about["of"] == "overview" else f"the {about['of']} “{about['name']}”"


def change_when(workspace: Workspace, book: BookRow, row: ScheduleRow, every: str) -> None:
    """Have a schedule run at other times. Raises `InvalidInput`."""
    cron = read_when(every)
    following = next_after(cron, zone(book.time_zone), moment())
    schedules.change_schedule(workspace.record.engine, row, cron=cron, planned_at=following, due_at=following)
    put_down(workspace, Deed.SCHEDULE_CHANGED, book.id, schedule_words(replace(row, cron=cron)), schedule=row.id)


def pause(workspace: Workspace, book: BookRow, row: ScheduleRow, *, paused: bool) -> None:
    """Have a schedule run no more until somebody wants that, or again from its next time on."""
    following = next_after(row.cron, zone(book.time_zone), moment())
    again = {} if paused else {"planned_at": following, "due_at": following, "tries": 0}
    schedules.change_schedule(workspace.record.engine, row, paused=paused, why="", **again)
    put_down(workspace, Deed.SCHEDULE_CHANGED, book.id, schedule_words(row), schedule=row.id, paused=paused)


def remove(workspace: Workspace, book: BookRow, row: ScheduleRow) -> None:
    """Remove a schedule; what it brought or sent stays."""
    schedules.remove_schedule(workspace.record.engine, row)
    put_down(workspace, Deed.SCHEDULE_REMOVED, book.id, schedule_words(row), schedule=row.id)


def run_now(workspace: Workspace, book: BookRow, row: ScheduleRow, at: dt.datetime | None = None) -> str:
    """Have a schedule run at once; the piece of work that does it. Raises `Conflict` while it runs."""
    who = actor()
    told = {"acting": who.told()}
    job = schedules.run_now(workspace.record.engine, row, at or moment(), who.name, told)
    put_down(workspace, Deed.SCHEDULE_RUN, book.id, schedule_words(row), schedule=row.id)
    return job


def take_due(workspace: Workspace, at: dt.datetime | None = None) -> int:
    """Begin every run that is due; how many. A run that was missed while nothing ran here is made up once."""
    zones = dict[int, ZoneInfo]()

    def following(row: ScheduleRow, now: dt.datetime) -> tuple[dt.datetime, int]:
        if row.book not in zones:
            zones[row.book] = zone(find_book(workspace, row.book).time_zone)
        own = zones[row.book]
        return next_after(row.cron, own, now), runs_between(row.cron, own, row.planned_at, now)

    return schedules.take_due(workspace.record.engine, at or moment(), following)


def bound_words(about: Mapping[str, Any]) -> str:
    """Beyond which bound: under 35 %."""
    unit = f" {about['unit']}" if about["unit"] else ""
    bound = f"{about['bound']:,.4f}".rstrip("0").rstrip(".").replace(",", "\u202f")
    return f"{'under' if about['side'] == Beyond.BELOW else 'over'} {bound}{unit}"


def list_waiting(workspace: Workspace, book: BookRow) -> list[WaitingRow]:
    """The files of a book that came by themselves and wait for an answer."""
    return waiting_files.list_waiting(workspace.record.engine, book.id)


def list_letters(workspace: Workspace, book: BookRow, offset: int, limit: int) -> tuple[int, list[LetterRow]]:
    """How many letters are kept, and some of them, the newest first."""
    return letters.list_letters(workspace.record.engine, book.id, offset, limit)


def find_letter(workspace: Workspace, book: BookRow, letter: int) -> tuple[LetterRow, bytes]:
    """A letter as it was sent. Raises `NotFound`."""
    return letters.find_letter(workspace.record.engine, book.id, letter)
