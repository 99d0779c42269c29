"""Runs of schedules: done for whoever made them, as far as they may, and told of where somebody is needed.

Nothing here asks a clock: the moment of a run comes with it.
"""

from __future__ import annotations

import datetime as dt
import logging
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from email.message import EmailMessage
from typing import Any

from goldthread.actions import arriving, sending
from goldthread.actions.books import find_book, zone
from goldthread.actions.log import Deed, put_down
from goldthread.actions.people import address_of
from goldthread.actions.schedules import bound_words, find_schedule, must_be_allowed, schedule_words
from goldthread.actor import AT_THE_DESK, RIGHTS, Actor, Right, acting_as
from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.periods import period_end, period_of_day
from goldthread.core.choices import Beyond, Period, RunState, ScheduleKind
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError, InvalidInput, NotAllowed, NotFound, Stopped, Unavailable
from goldthread.store import letters, people, schedules, waiting_files
from goldthread.store.books import BookRow
from goldthread.store.schedules import Ended, Measured, ScheduleRow
from goldthread.store.server.engine import moment
from goldthread.workspace import Workspace

_log = logging.getLogger(__name__)
RETRY_MINUTES = (5, 15, 60)
"""How long after each failure that may pass by itself it is tried again."""
COURSE_MONTHS = 12
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
    except OSError as error:
        ended = Ended(RunState.FAILED, f"A file could not be read, written or moved: {error}.")
    told = {"told": _tell(workspace, book, row, ended)}
    schedules.end_run(engine, row, number, over(), replace(ended, kept={**ended.kept, **told}))


def _tell(workspace: Workspace, book: BookRow, row: ScheduleRow, ended: Ended) -> int | str | None:
    """Write to whoever made a schedule when it begins to need somebody; what they were told of then, so that they are
    told once. The Overview says it whether or not a message can be sent."""
    waits = waiting_files.list_waiting(workspace.record.engine, book.id, row.id)
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
    since, beyond, said = row.kept.get("turned"), bound_words(about), f"{found.words}: {measured_words(found)}"
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
    month = period_of_day(to_day(day), Period.MONTH)
    return [to_date(int(period_end(month - back, Period.MONTH))) for back in range(COURSE_MONTHS, 0, -1)]


def measured_words(found: Measured) -> str:
    """A figure with its unit, and its interval where it has one."""
    value = f"{found.value:,.1f}".removesuffix(".0").replace(",", "\u202f")
    interval = ""
    if found.low is not None and found.high is not None:
        interval = f" (95 % confidence interval {found.low:.0f} to {found.high:.0f})"
    return f"{value}{f' {found.unit}' if found.unit else ''}{interval}"


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
    must_be_allowed(workspace, book, row.about["to"])
    half_sent, digest = (row.kept.get("letter"), row.kept.get("digest_of_letter")) if row.tries else (None, None)
    if half_sent is None:
        message, digest = compose(workspace, book, row.about, _day(book, at))
        if row.about["only_new"] and row.kept.get("digest") == digest:
            return Ended(RunState.NOTHING, "Nothing is new.")
        to, content = row.about["to"], message.as_bytes()
        half_sent = letters.add_letter(engine, row, number, at, str(message["Subject"]), to, content)
        schedules.keep(engine, row.id, {"letter": half_sent, "digest_of_letter": digest})
    letter, written = letters.find_letter(engine, book.id, int(half_sent))
    became = dict(letter.addresses)

    def note(address: str, what: str) -> None:
        letters.note_sent(engine, letter.id, address, what)
        became[address] = what

    for address, what in letter.addresses.items():
        if what == sending.SENDING:
            note(address, sending.UNKNOWN)
    sending.post(workspace.settings, written, [each for each, what in became.items() if not what], note, progress)
    put_down(workspace, Deed.LETTER_SENT, book.id, letter.subject, letter=letter.id)
    kept = {"digest": digest, "letter": None, "digest_of_letter": None}
    return Ended(RunState.DONE, _sent_words(became), kept)


def _sent_words(became: Mapping[str, str]) -> str:
    sent = sum(what == sending.SENT for what in became.values())
    others = [f"{address}: {what}." for address, what in became.items() if what != sending.SENT]
    return " ".join([f"Sent to {sent} of {len(became)}.", *others])


def _day(book: BookRow, at: dt.datetime) -> dt.date:
    """The day of a moment in a book's time zone."""
    return at.replace(tzinfo=dt.UTC).astimezone(zone(book.time_zone)).date()


def draft(workspace: Workspace, book: BookRow, row: ScheduleRow, compose: Compose) -> EmailMessage:
    """The letter of a schedule as it would be sent now; nothing is sent. Raises `InvalidInput`."""
    if row.kind is not ScheduleKind.LETTER:
        raise InvalidInput("This schedule sends no letter.", remedy="Choose one that does.", field="schedule")
    message, _ = compose(workspace, book, row.about, _day(book, moment()))
    return message
