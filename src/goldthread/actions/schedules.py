"""What a book does again and again: files and rows that come by themselves, letters that go out.

A schedule acts for whoever made it, and only for as long as they may do what it does.
"""

from __future__ import annotations

import datetime as dt
import logging
import math
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from email.message import EmailMessage
from typing import Any
from zoneinfo import ZoneInfo

from goldthread.actions import arriving, sending, uploads
from goldthread.actions.books import checked_name, find_book, zone
from goldthread.actions.log import Deed, put_down
from goldthread.actions.mailing import ADDRESS
from goldthread.actions.people import address_of, must_be_granted
from goldthread.actions.when import next_after, read_when, runs_between, when_words
from goldthread.actor import AT_THE_DESK, RIGHTS, Actor, Right, Role, acting_as, actor
from goldthread.core.choices import Beyond, RunState, ScheduleKind
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError, InvalidInput, NotAllowed, NotFound, Stopped, Unavailable
from goldthread.intake.database import QUERY_LENGTH, Since
from goldthread.store import people, schedules
from goldthread.store.books import BookRow
from goldthread.store.schedules import Ended, LetterRow, Measured, RunRow, ScheduleRow, WaitingRow
from goldthread.store.server.engine import moment
from goldthread.workspace import Workspace

_log = logging.getLogger(__name__)
RETRY_MINUTES = (5, 15, 60)
"""How long after each failure that may pass by itself it is tried again."""
ADDRESSES_MOST = 50
ATTACHED = ("", "csv", "xlsx")
_NEEDS = {kind: Right.OWN if kind is ScheduleKind.QUERY else Right.CHANGE for kind in ScheduleKind}
Compose = Callable[[Workspace, BookRow, Mapping[str, Any], dt.date], tuple[EmailMessage, str]]
"""Gives a letter as it is on a day, and what distinguishes what it says from anything else."""
Measure = Callable[[Workspace, BookRow, Mapping[str, Any], dt.date], Measured]
"""Gives a figure that is watched as it is on a day."""


@dataclass(frozen=True)
class Asking:
    """How a run asks the book: given by whoever may ask stops."""

    compose: Compose
    measure: Measure


COURSE_MONTHS = 12


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
    _must_be_allowed(workspace, book, addresses)
    return addresses


def _must_be_allowed(workspace: Workspace, book: BookRow, addresses: Sequence[str]) -> None:
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
            what = f"look whether {about['name']} is {_bound_words(about)}"
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
    job = schedules.run_now(workspace.record.engine, row, at or moment(), who.name, lambda _row: told)
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

    return schedules.take_due(workspace.record.engine, at or moment(), following, lambda _row: {})


def run(workspace: Workspace, given: Mapping[str, Any], progress: Progress, asking: Asking) -> None:
    """Do one run, and put down what came of it; a failure that may pass by itself is tried again."""
    book = find_book(workspace, int(given["book"]))
    try:
        row = find_schedule(workspace, book, int(given["schedule"]))
    except NotFound:
        # it was removed after this was put down
        return
    number, at = int(given["run"]), dt.datetime.fromisoformat(given["at"])
    engine, began = workspace.record.engine, time.monotonic()

    def over() -> dt.datetime:
        return at + dt.timedelta(seconds=time.monotonic() - began)

    try:
        with acting_as(_maker(workspace, row)):
            ended = _done(workspace, book, row, number, at, progress, asking)
    except NotAllowed as error:
        schedules.pause_schedule(engine, row, str(error))
        ended = Ended(RunState.FAILED, str(error))
    except Stopped:
        schedules.end_run(engine, row, number, over(), Ended(RunState.FAILED, "It was stopped."))
        raise
    except Unavailable as error:
        ended = _failed(row, at, error)
    except GoldThreadError as error:
        ended = Ended(RunState.FAILED, str(error))
    told = {"told": _tell(workspace, book, row, ended)}
    schedules.end_run(engine, row, number, over(), replace(ended, kept={**ended.kept, **told}))


def _tell(workspace: Workspace, book: BookRow, row: ScheduleRow, ended: Ended) -> int | str | None:
    """Write to whoever made a schedule when it begins to need somebody; what they were told of then, so that they are
    told once. The Overview says it whether or not a message can be sent."""
    waits = [each for each in list_waiting(workspace, book) if each.schedule == row.id]
    needs: int | str | None = None
    if waits:
        needs = waits[-1].id
    elif ended.state is RunState.FAILED and ended.again_at is None:
        needs = ended.state
    if needs is None or needs == row.kept.get("told"):
        return needs
    what = "A file waits for your answer" if waits else "Something was not done"
    _write(workspace, book, _whom_to_tell(workspace, row), what, f"{schedule_words(row)}.\n\n{ended.said}")
    return needs


def _write(workspace: Workspace, book: BookRow, whom: Sequence[str], what: str, text: str) -> None:
    """Write to some people of a book, where there is a mail server; one that does not answer keeps nothing up."""
    settings = workspace.settings
    if not sending.is_set_up(settings):
        return
    for address in whom:
        try:
            text_of = f"{text}\n\nLook at it in {book.name}: {address_of(settings)}\n"
            sending.mail_plain(settings, address, f"{book.name}: {what}", text_of)
        except Unavailable as error:
            _log.warning("Nobody could be told of a schedule: %s", error)


def _whom_to_tell(workspace: Workspace, row: ScheduleRow) -> Sequence[str]:
    """The address of whoever made a schedule, else those that the settings name."""
    maker = None if row.user is None else people.find_user(workspace.record.engine, row.user)
    return [maker.email] if maker is not None and maker.email else workspace.settings.tell_at


def _failed(row: ScheduleRow, at: dt.datetime, error: Unavailable) -> Ended:
    if row.tries >= len(RETRY_MINUTES):
        return Ended(RunState.FAILED, f"{error} It was tried {row.tries + 1} times.")
    minutes = RETRY_MINUTES[row.tries]
    said = f"{error} It is tried again in {minutes} minutes."
    return Ended(RunState.FAILED, said, again_at=at + dt.timedelta(minutes=minutes))


def _maker(workspace: Workspace, row: ScheduleRow) -> Actor:
    """Whoever made a schedule, with what they may do now. Raises `NotAllowed`."""
    if row.user is None:
        return replace(AT_THE_DESK, came_from="schedule")
    role = people.roles_of(workspace.record.engine, row.user).get(row.book)
    rights = frozenset[Right]() if role is None else RIGHTS[role]
    if _NEEDS[row.kind] not in rights:
        raise NotAllowed(
            f"{row.made_by}, who made this schedule, may not do this in the book any more.",
            remedy="Somebody who may can make it anew.",
        )
    return Actor(row.made_by, row.user, "schedule", role, rights)


def _done(
    workspace: Workspace,
    book: BookRow,
    row: ScheduleRow,
    number: int,
    at: dt.datetime,
    progress: Progress,
    asking: Asking,
) -> Ended:
    match row.kind:
        case ScheduleKind.FOLDER:
            return arriving.take_folder(workspace, book, row, at, progress)
        case ScheduleKind.QUERY:
            return arriving.take_query(workspace, book, row, at, progress)
        case ScheduleKind.LETTER:
            return _post(workspace, book, row, number, at, progress, asking.compose)
        case ScheduleKind.WATCH:
            return _watch(workspace, book, row, _day(book, at), progress, asking.measure)


def _watch(
    workspace: Workspace, book: BookRow, row: ScheduleRow, day: dt.date, progress: Progress, measure: Measure
) -> Ended:
    """Look at a figure. It turns when it is beyond its bound, a share when its whole confidence interval is, so that
    small numbers do not cry wolf; that is over when the figure itself is back."""
    about, course = row.about, list[dict[str, Any]]()
    days = _course(day)
    for place, each in enumerate(days):
        progress("measuring", place, len(days))
        # what it is of may not have been there yet
        with suppress(InvalidInput):
            value = measure(workspace, book, about, each).value
            course.append({"on": each.isoformat(), "value": value})
    found = measure(workspace, book, about, day)
    course.append({"on": day.isoformat(), "value": found.value})
    kept: dict[str, Any] = {"course": course}
    if found.value is None:
        return Ended(RunState.NOTHING, f"{found.words}: nothing applies yet.", kept)
    bound, is_below = about["bound"], about["side"] == Beyond.BELOW
    surest = next(each for each in (found.high if is_below else found.low, found.value) if each is not None)
    is_beyond = surest < bound if is_below else surest > bound
    is_back = found.value >= bound if is_below else found.value <= bound
    since, beyond, said = row.kept.get("turned"), _bound_words(about), f"{found.words}: {measured_words(found)}"
    if since is None and not is_beyond:
        how = f"not {beyond}" if is_back else f"{beyond}, which could be chance"
        return Ended(RunState.NOTHING, f"{said}; {how}.", kept)
    if since is not None and not is_back:
        return Ended(RunState.NOTHING, f"{said}; {beyond} since {since}.", kept)
    said += f", {beyond}." if since is None else f", no more {beyond}."
    _tell_turn(workspace, book, row, said)
    return Ended(RunState.TURNED, said, {**kept, "turned": day.isoformat() if since is None else None})


def _course(day: dt.date) -> list[dt.date]:
    """The last days of the months before a day."""
    ends, first = list[dt.date](), day.replace(day=1)
    for _ in range(COURSE_MONTHS):
        ends.append(first - dt.timedelta(days=1))
        first = ends[-1].replace(day=1)
    return ends[::-1]


def measured_words(found: Measured) -> str:
    """A figure with its unit, and its interval where it has one."""
    value = f"{found.value:,.1f}".removesuffix(".0").replace(",", "\u202f")
    interval = ""
    if found.low is not None and found.high is not None:
        interval = f" (95 % confidence interval {found.low:.0f} to {found.high:.0f})"
    return f"{value}{f' {found.unit}' if found.unit else ''}{interval}"


def _bound_words(about: Mapping[str, Any]) -> str:
    """Beyond which bound: under 35 %."""
    unit = f" {about['unit']}" if about["unit"] else ""
    return f"{'under' if about['side'] == Beyond.BELOW else 'over'} {about['bound']:g}{unit}"


def _tell_turn(workspace: Workspace, book: BookRow, row: ScheduleRow, said: str) -> None:
    """Write that a figure has turned, or that this is over, to whom the watch says, else to whoever made it."""
    whom = row.about["to"] or _whom_to_tell(workspace, row)
    _write(workspace, book, whom, said.rstrip("."), f"{said}\n\n{schedule_words(row)}.")


def _post(
    workspace: Workspace,
    book: BookRow,
    row: ScheduleRow,
    number: int,
    at: dt.datetime,
    progress: Progress,
    compose: Compose,
) -> Ended:
    """Send a letter, or go on with the one that the last try did not come to the end of."""
    engine = workspace.record.engine
    _must_be_allowed(workspace, book, row.about["to"])
    half_sent = row.kept.get("letter") if row.tries else None
    if half_sent is None:
        message, digest = compose(workspace, book, row.about, _day(book, at))
        if row.about["only_new"] and row.kept.get("digest") == digest:
            return Ended(RunState.NOTHING, "Nothing is new.")
        to, content = row.about["to"], message.as_bytes()
        half_sent = schedules.add_letter(engine, row, number, at, str(message["Subject"]), to, content)
        schedules.keep(engine, row, {"letter": half_sent, "digest_of_letter": digest})
    letter, written = schedules.find_letter(engine, book.id, int(half_sent))
    for address, became in letter.addresses.items():
        if became == sending.SENDING:
            schedules.note_sent(engine, letter.id, address, sending.UNKNOWN)
    left = [address for address, became in letter.addresses.items() if not became]

    def note(address: str, became: str) -> None:
        schedules.note_sent(engine, letter.id, address, became)

    sending.post(workspace.settings, written, left, note, progress)
    put_down(workspace, Deed.LETTER_SENT, book.id, letter.subject, letter=letter.id)
    now, _ = schedules.find_letter(engine, book.id, letter.id)
    said = schedules.find_schedule(engine, book.id, row.id).kept.get("digest_of_letter")
    kept = {"digest": said, "letter": None, "digest_of_letter": None}
    return Ended(RunState.DONE, _sent_words(now), kept)


def _sent_words(letter: LetterRow) -> str:
    sent = sum(became == sending.SENT for became in letter.addresses.values())
    others = [f"{address}: {became}" for address, became in letter.addresses.items() if became != sending.SENT]
    return " ".join([f"Sent to {sent} of {len(letter.addresses)}.", *(f"{each}." for each in others)])


def _day(book: BookRow, at: dt.datetime) -> dt.date:
    """The day of a moment in a book's time zone."""
    return at.replace(tzinfo=dt.UTC).astimezone(zone(book.time_zone)).date()


def draft(workspace: Workspace, book: BookRow, row: ScheduleRow, compose: Compose) -> EmailMessage:
    """The letter of a schedule as it would be sent now; nothing is sent. Raises `InvalidInput`."""
    if row.kind is not ScheduleKind.LETTER:
        raise InvalidInput("This schedule sends no letter.", remedy="Choose one that does.", field="schedule")
    message, _ = compose(workspace, book, row.about, _day(book, moment()))
    return message


def list_waiting(workspace: Workspace, book: BookRow) -> list[WaitingRow]:
    """The files of a book that came by themselves and wait for an answer."""
    return schedules.list_waiting(workspace.record.engine, book.id)


def list_letters(workspace: Workspace, book: BookRow, offset: int, limit: int) -> tuple[int, list[LetterRow]]:
    """How many letters are kept, and some of them, the newest first."""
    return schedules.list_letters(workspace.record.engine, book.id, offset, limit)


def find_letter(workspace: Workspace, book: BookRow, letter: int) -> tuple[LetterRow, bytes]:
    """A letter as it was sent. Raises `NotFound`."""
    return schedules.find_letter(workspace.record.engine, book.id, letter)
