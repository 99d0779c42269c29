"""What is done about the members of a list, on record change by change: the last one of each field stands."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, func, insert, select, text, update

from goldthread.actor import actor
from goldthread.core.choices import MemberState, WorkField
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.schema.models import CustomerKey, CustomerList, ListChange
from goldthread.store.server.engine import now
from goldthread.store.server.faults import tried_again

NOTE_LENGTH, CHANNEL_LENGTH, BY_LENGTH = 2_000, 60, 120
CHANGES_MOST = 500_000
"""Changes of one list."""
_IDS_AT_ONCE = 1_000


@dataclass(frozen=True)
class Entry:
    """How far one member is worked. ``changed_at`` is UTC; None while nothing was done."""

    state: MemberState = MemberState.TO_DO
    contacted_on: dt.date | None = None
    channel: str = ""
    contacted_by: str = ""
    call_on: dt.date | None = None
    note: str = ""
    held_back: bool = False
    changed_by: str = ""
    changed_at: dt.datetime | None = None


UNTOUCHED = Entry()


@dataclass(frozen=True)
class ChangeRow:
    """One change, as the history of a list shows it. ``action`` groups what was done at once; ``undone`` when it was
    taken back since, ``undoes`` the action that it took back. ``made_at`` is UTC."""

    number: int
    action: int
    undoes: int | None
    undone: bool
    customer_id: int
    field: WorkField
    value: str
    made_by: str
    made_at: dt.datetime


@dataclass(frozen=True)
class ContactRow:
    """A contact of one customer, from any list of the book."""

    list_name: str
    on: dt.date
    channel: str
    by: str
    note: str


_NEWEST = text(
    "SELECT c.customer_id, c.field, c.value, c.made_by, c.made_at FROM list_changes c "
    "JOIN (SELECT MAX(number) AS number FROM list_changes WHERE list_id = :list GROUP BY customer_id, field) newest "
    "ON newest.number = c.number WHERE c.list_id = :list ORDER BY c.number"
)
_OF_MEMBER = text(
    "SELECT c.field, c.value, c.made_by, c.made_at FROM customer_keys k JOIN list_changes c ON c.customer_id = k.id "
    "WHERE k.customer_id = :customer AND c.list_id = :list ORDER BY c.number"
)
_OF_CUSTOMER = text(
    "SELECT l.name, c.field, c.value, c.list_id FROM customer_keys k JOIN list_changes c ON c.customer_id = k.id "
    "JOIN customer_lists l ON l.id = c.list_id AND l.book_id = k.book_id "
    "WHERE k.customer_id = :customer ORDER BY c.list_id, c.number"
)


_CHANGE = (
    ListChange.number,
    ListChange.action,
    ListChange.undoes,
    ListChange.customer_id,
    ListChange.field,
    ListChange.value,
    ListChange.made_by,
    ListChange.made_at,
)


def entries(engine: Engine, list_id: int) -> dict[int, Entry]:
    """How far the members of a list are worked, by the customers that they are now; those untouched are not there."""
    with engine.connect() as connection:
        rows = connection.execute(_NEWEST, {"list": list_id}).all()
        owners = _owners(connection, sorted({int(row[0]) for row in rows}))
    found: dict[int, Entry] = {}
    for customer, field, value, by, at in rows:
        owner = owners.get(int(customer), int(customer))
        found[owner] = _with(found.get(owner, UNTOUCHED), WorkField(field), value, by, at)
    return found


def entry_of(engine: Engine, list_id: int, customer_id: int) -> Entry:
    """How far one member of a list is worked."""
    entry = UNTOUCHED
    with engine.connect() as connection:
        for field, value, by, at in connection.execute(_OF_MEMBER, {"customer": customer_id, "list": list_id}):
            entry = _with(entry, WorkField(field), value, by, at)
    return entry


def _owners(connection: Connection, ids: Sequence[int]) -> dict[int, int]:
    """The customers that some are now: whoever was found to be another one is that one."""
    owners: dict[int, int] = {}
    for start in range(0, len(ids), _IDS_AT_ONCE):
        some = ids[start : start + _IDS_AT_ONCE]
        rows = connection.execute(select(CustomerKey.id, CustomerKey.customer_id).where(CustomerKey.id.in_(some)))
        owners |= {int(key): int(owner) for key, owner in rows}
    return owners


def _with(entry: Entry, field: WorkField, value: str, by: str, at: dt.datetime | None) -> Entry:
    given: dict[str, Any] = {}
    match field:
        case WorkField.STATE:
            given["state"] = MemberState(value or MemberState.TO_DO)
        case WorkField.CONTACTED_ON | WorkField.CALL_ON:
            given[field.value] = dt.date.fromisoformat(value) if value else None
        case WorkField.HELD_BACK:
            given |= {"held_back": True, "state": MemberState.LEFT_OUT}
        case WorkField.NOTE if not actor().sees_people:
            pass
        case _:
            given[field.value] = value
    if at is not None:
        given |= {"changed_by": by, "changed_at": at}
    return replace(entry, **given)


def change_member(
    engine: Engine, book_id: int, list_id: int, customer_id: int, values: Mapping[WorkField, str], by: str
) -> int:
    """Put down what was done about a member; gives the number of the action. Raises `NotFound` or `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            at = locked_list(connection, book_id, list_id) + 1
            return put_changes(connection, list_id, at, [(customer_id, values)], by)

    return tried_again(once)


def put_changes(
    connection: Connection,
    list_id: int,
    number: int,
    changes: Sequence[tuple[int, Mapping[WorkField, str]]],
    by: str,
    undoes: int | None = None,
) -> int:
    """Write changes of a locked list from a number on, as one action; gives its number. Raises `TooLarge`."""
    made_at = now()
    rows = [
        {
            "list_id": list_id,
            "action": number,
            "undoes": undoes,
            "customer_id": customer_id,
            "field": field,
            "value": value,
            "made_by": by,
            "made_at": made_at,
        }
        for customer_id, values in changes
        for field, value in values.items()
    ]
    if number + len(rows) > CHANGES_MOST:
        raise TooLarge(f"A list keeps up to {CHANGES_MOST} changes.", remedy="Keep the rest as a new list.")
    for place, row in enumerate(rows):
        row["number"] = number + place
    if rows:
        connection.execute(insert(ListChange), rows)
        last = number + len(rows) - 1
        connection.execute(update(CustomerList).where(CustomerList.id == list_id).values(changes=last))
    return number


def locked_list(connection: Connection, book_id: int, list_id: int) -> int:
    """The number of the last change of a list, which nobody else changes meanwhile. Raises `NotFound`."""
    found = connection.execute(
        select(CustomerList.changes)
        .where(CustomerList.book_id == book_id, CustomerList.id == list_id)
        .with_for_update()
    ).scalar()
    if found is None:
        raise list_is_gone()
    return int(found)


def list_is_gone() -> NotFound:
    """What is said of a list that is not there."""
    return NotFound("That list is not there any more.", remedy="Choose another one.", field="list")


def undo(
    engine: Engine, book_id: int, list_id: int, action: int | None, by: str, only_of: str | None = None
) -> list[int]:
    """Take back an action, None for the last one that stands; gives the customers whom it was about.

    What somebody changed since stays. ``only_of``: only what they did. Raises `Conflict` where all of it was, and
    `NotFound` where there is nothing to take back.
    """

    def once() -> list[int]:
        with engine.begin() as connection:
            at = locked_list(connection, book_id, list_id) + 1
            wanted = action if action is not None else _last_standing(connection, list_id, only_of)
            rows = connection.execute(
                select(ListChange.number, ListChange.customer_id, ListChange.field).where(
                    ListChange.list_id == list_id,
                    ListChange.action == wanted,
                    ListChange.field != WorkField.HELD_BACK,
                    *_of(only_of),
                )
            ).all()
            if wanted is None or not rows:
                raise NotFound("There is nothing to take back.", remedy="Choose an action of the list's history.")
            back = [
                (int(customer), {field: before})
                for number, customer, field in rows
                if (before := _before(connection, list_id, number, customer, field)) is not None
            ]
            if not back:
                raise Conflict("All of it was changed since.", remedy="Change it to what it should be.")
            put_changes(connection, list_id, at, back, by, undoes=wanted)
            return sorted({customer for customer, _ in back})

    return tried_again(once)


def _of(whom: str | None) -> list[ColumnElement[bool]]:
    """Changes that somebody made; None: those of everybody."""
    return [] if whom is None else [ListChange.made_by == whom]


def _last_standing(connection: Connection, list_id: int, only_of: str | None) -> int | None:
    """The last action that took nothing back and was not taken back."""
    mine = ListChange.list_id == list_id
    undone = select(ListChange.undoes).where(mine, ListChange.undoes.is_not(None))
    last = select(func.max(ListChange.action)).where(
        mine,
        ListChange.undoes.is_(None),
        ListChange.action.not_in(undone),
        ListChange.field != WorkField.HELD_BACK,
        *_of(only_of),
    )
    found: int | None = connection.execute(last).scalar()
    return found


def _before(connection: Connection, list_id: int, number: int, customer: int, field: WorkField) -> str | None:
    """What a field said before a change; None where it was changed again since."""
    same = select(ListChange.value).where(
        ListChange.list_id == list_id, ListChange.customer_id == customer, ListChange.field == field
    )
    if connection.execute(same.where(ListChange.number > number).limit(1)).first() is not None:
        return None
    earlier = same.where(ListChange.number < number).order_by(ListChange.number.desc()).limit(1)
    return str(connection.execute(earlier).scalar() or "")


def history(
    engine: Engine, list_id: int, offset: int, limit: int, only_of: str | None = None
) -> tuple[int, list[ChangeRow]]:
    """How many changes a list has, and some of them, the newest first. Who was held back at the beginning is none.
    ``only_of``: only those that they made."""
    mine = (ListChange.list_id == list_id, ListChange.field != WorkField.HELD_BACK, *_of(only_of))
    taken_back = select(ListChange.undoes).where(ListChange.list_id == list_id, ListChange.undoes.is_not(None))
    with engine.connect() as connection:
        count = int(connection.execute(select(func.count()).where(*mine)).scalar_one())
        undone = set(connection.execute(taken_back).scalars())
        rows = connection.execute(
            select(*_CHANGE).where(*mine).order_by(ListChange.number.desc()).offset(offset).limit(limit)
        ).all()
        owners = _owners(connection, sorted({int(row.customer_id) for row in rows}))
    return count, [
        ChangeRow(
            row.number,
            row.action,
            row.undoes,
            row.action in undone,
            owners.get(int(row.customer_id), int(row.customer_id)),
            WorkField(row.field),
            row.value,
            row.made_by,
            row.made_at,
        )
        for row in rows
    ]


def contacts_of(engine: Engine, customer_id: int, seen: Collection[int]) -> list[ContactRow]:
    """The contacts of one customer from the lists that are ``seen``, by id; latest first."""
    by_list: dict[int, tuple[str, Entry]] = {}
    with engine.connect() as connection:
        for name, field, value, list_id in connection.execute(_OF_CUSTOMER, {"customer": customer_id}):
            if list_id not in seen:
                continue
            known = by_list.get(list_id, (name, UNTOUCHED))[1]
            by_list[list_id] = name, _with(known, WorkField(field), value, "", None)
    found = [
        ContactRow(name, entry.contacted_on, entry.channel, entry.contacted_by, entry.note)
        for name, entry in by_list.values()
        if entry.state is MemberState.CONTACTED and entry.contacted_on is not None
    ]
    return sorted(found, key=lambda each: each.on, reverse=True)
