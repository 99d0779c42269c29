"""Work a customer list: put down what was done about a member, take it back, see what was done."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np

from goldthread.actions.books import today_of
from goldthread.actions.log import Deed, put_down
from goldthread.actor import Role, actor
from goldthread.core.choices import MemberState, WorkField
from goldthread.core.limits import FIRST_DATE, LAST_DATE
from goldthread.core.records import HIDDEN
from goldthread.errors import InvalidInput, NotFound
from goldthread.store import lists, working
from goldthread.store.books import BookRow
from goldthread.store.working import ChangeRow, Entry
from goldthread.workspace import Workspace

_LIMITS = {
    WorkField.CHANNEL: working.CHANNEL_LENGTH,
    WorkField.CONTACTED_BY: working.BY_LENGTH,
    WorkField.NOTE: working.NOTE_LENGTH,
}


@dataclass(frozen=True)
class Done:
    """What was done about a member; None leaves a field as it is. A date of None is said by ``no_call``."""

    state: MemberState | None = None
    contacted_on: dt.date | None = None
    channel: str | None = None
    call_on: dt.date | None = None
    no_call: bool = False
    note: str | None = None


def work_member(
    workspace: Workspace, book: BookRow, list_id: int, customer_id: int, done: Done, by: str
) -> tuple[int, Entry]:
    """Put down what was done about a member; gives the number of the action, and how far the member is worked now.

    Who is contacted without a date was contacted today. Raises `InvalidInput`, `NotFound` or `TooLarge`.
    """
    by = who_says(by)
    values = _values(done, by, today_of(book))
    if not values:
        raise InvalidInput("Nothing was done.", remedy="Give a state, a date, a channel or a note.", field="state")
    engine = workspace.record.engine
    _require_member(workspace, book, list_id, customer_id)
    action = working.change_member(engine, book.id, list_id, customer_id, values, by)
    put_down(workspace, Deed.WORKED, book.id, lists.find_list(engine, book.id, list_id).name)
    return action, working.entry_of(engine, list_id, customer_id)


def _values(done: Done, by: str, today: dt.date) -> dict[WorkField, str]:
    values: dict[WorkField, str] = {}
    if done.state is not None:
        values[WorkField.STATE] = done.state
        if done.state is MemberState.CONTACTED:
            values[WorkField.CONTACTED_ON] = _date(done.contacted_on or today, "contacted_on", today)
            values[WorkField.CONTACTED_BY] = by
    elif done.contacted_on is not None:
        values[WorkField.CONTACTED_ON] = _date(done.contacted_on, "contacted_on", today)
    if done.call_on is not None:
        values[WorkField.CALL_ON] = _date(done.call_on, "call_on", LAST_DATE)
    elif done.no_call:
        values[WorkField.CALL_ON] = ""
    for field, text in ((WorkField.CHANNEL, done.channel), (WorkField.NOTE, done.note)):
        if text is not None:
            values[field] = _text(text, field.value, _LIMITS[field])
    return values


def _date(date: dt.date, field: str, latest: dt.date) -> str:
    if not FIRST_DATE <= date <= latest:
        raise InvalidInput(
            f"{date.isoformat()} is outside {FIRST_DATE.isoformat()} to {latest.isoformat()}.",
            remedy="Give a date inside.",
            field=field,
        )
    return date.isoformat()


def _text(text: str, field: str, most: int) -> str:
    """A trimmed text of visible characters; a note keeps its lines. Raises `InvalidInput`."""
    plain = "\n".join(HIDDEN.sub("", line).rstrip() for line in text.splitlines()).strip()
    if field != WorkField.NOTE:
        plain = " ".join(plain.split())
    if len(plain) > most:
        raise InvalidInput(f"That is {len(plain)} characters; {most} are the most.", remedy="Shorten it.", field=field)
    return plain


def _require_member(workspace: Workspace, book: BookRow, list_id: int, customer_id: int) -> None:
    shelved = workspace.orders(book.id)
    members = workspace.list_members(shelved, list_id)
    if not members[np.flatnonzero(shelved.orders.customer_id == customer_id)].any():
        raise NotFound("That customer is not on this list.", remedy="Choose one of its members.", field="customer")


def undo_work(workspace: Workspace, book: BookRow, list_id: int, action: int | None, by: str) -> list[int]:
    """Take back an action, None for the last one; gives the customers whom it was about. What somebody changed since
    stays. Raises `Conflict` where all of it was, and `NotFound`."""
    engine = workspace.record.engine
    row = lists.find_list(engine, book.id, list_id)
    customers = working.undo(engine, book.id, list_id, action, who_says(by), _only_of())
    put_down(workspace, Deed.WORK_UNDONE, book.id, row.name)
    return customers


def who_says(by: str) -> str:
    """Who did something: whoever has signed in; without accounts, who a program says it was."""
    return actor().name or _text(by, "by", working.BY_LENGTH)


def _only_of() -> str | None:
    """Whose work on a list alone somebody sees who works a part of it."""
    return actor().name if actor().role is Role.CALLER else None


def work_history(
    workspace: Workspace, book: BookRow, list_id: int, offset: int, limit: int
) -> tuple[int, list[ChangeRow]]:
    """How many changes there are, and some of them, the newest first. Raises `NotFound`."""
    engine = workspace.record.engine
    lists.find_list(engine, book.id, list_id)
    return working.history(engine, list_id, offset, limit, _only_of())


def customer_names(workspace: Workspace, book: BookRow, customer_ids: list[int]) -> dict[int, str]:
    """What customers are called, by id; those who left the book are not there."""
    known = workspace.orders(book.id).orders
    places = np.flatnonzero(np.isin(known.customer_id, customer_ids))
    return {int(known.customer_id[place]): known.customers.name(place) for place in places.tolist()}


def customer_by_key(workspace: Workspace, book: BookRow, key: str) -> int:
    """The id of the customer with a number or an e-mail. Raises `NotFound`."""
    known = workspace.orders(book.id).orders
    for name, wanted in (("number", key.strip()), ("email", key.strip().casefold())):
        places = np.flatnonzero(known.customers.texts[name].equal(wanted)) if wanted else np.zeros(0, np.int64)
        if places.size:
            return int(known.customer_id[places[0]])
    raise NotFound(f"No customer is called {key}.", remedy="Give the number or the e-mail.", field="customer")
