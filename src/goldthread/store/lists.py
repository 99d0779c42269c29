"""Customer lists, on record: named, frozen sets of customers with what made them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import (
    ColumnElement,
    Connection,
    Engine,
    bindparam,
    collate,
    delete,
    exists,
    func,
    insert,
    or_,
    select,
    true,
    update,
)

from goldthread.actor import Role, actor
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import PartKind, WorkField
from goldthread.core.records import HIDDEN
from goldthread.core.standing.divided import part_of
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.read.details import owners_of_keys
from goldthread.store.revisions import lock_book
from goldthread.store.saved_views import renamed_list
from goldthread.store.schema.models import AS_PEOPLE_READ, CustomerList
from goldthread.store.schema.people import ListPart, User
from goldthread.store.server.engine import now
from goldthread.store.server.faults import tried_again
from goldthread.store.undoing import bring_back, set_aside
from goldthread.store.working import list_is_gone, locked_list, put_changes

NAME_LENGTH, WORDS_LENGTH, READING_LENGTH, QUERY_LENGTH = 120, 500, 1000, 16_000
LISTS_MOST = 500
"""Lists of one book."""
STORED = np.dtype("<i8")


@dataclass(frozen=True)
class ListRow:
    """A customer list. ``rule`` says who its members were and ``reading`` how the book was read, as of ``as_of``;
    ``question`` and ``query`` ask for them anew, both empty where nobody could. ``made_at`` is UTC. ``changes``: the
    number of the last change that was put down of a member. ``made_by``: its author; others see it where ``shared``."""

    id: int
    name: str
    rule: str
    reading: str
    question: str
    query: str
    as_of: dt.date
    customer_count: int
    made_at: dt.datetime
    changes: int
    made_by: str
    shared: bool


@dataclass(frozen=True)
class PartRow:
    """Who works a list, or which part of it."""

    user: int
    name: str
    kind: PartKind
    value: str


@dataclass(frozen=True)
class Made:
    """What made a list: see `ListRow`."""

    rule: str
    reading: str
    question: str
    query: str
    as_of: dt.date


_ROW = select(
    CustomerList.id,
    CustomerList.name,
    CustomerList.rule,
    CustomerList.reading,
    CustomerList.question,
    CustomerList.query,
    CustomerList.as_of,
    CustomerList.customer_count,
    CustomerList.made_at,
    CustomerList.changes,
    CustomerList.made_by,
    CustomerList.shared,
)


def visible() -> ColumnElement[bool]:
    """Which lists whoever acts sees: everybody's that are shared, their own, and those given to them to work."""
    who = actor()
    if who.sees_everything:
        return true()
    given = exists().where(ListPart.list_id == CustomerList.id, ListPart.user_id == who.user)
    if who.role is Role.CALLER:
        return given
    return or_(CustomerList.shared, CustomerList.made_by == who.name, given)


def proposed_name(words: str) -> str:
    """A name for a list after the words that say who its customers are."""
    plain = " ".join(words.split()).rstrip(".")
    return f"{plain[:1].upper()}{plain[1:]}"[:NAME_LENGTH].strip() or "Customers"


@dataclass(frozen=True)
class HeldBack:
    """Members who are held back: their ids, and the seed that they were drawn with."""

    customer_ids: NDArray[np.int64]
    seed: int


def add_list(
    engine: Engine,
    book_id: int,
    name: str,
    made: Made,
    customer_ids: NDArray[np.int64],
    *,
    proposed: bool = False,
    held_back: HeldBack | None = None,
) -> ListRow:
    """Keep customers as a list. A ``proposed`` name that is taken gets a number.

    Raises `Conflict` when the name is taken, and `TooLarge` when a book has as many lists as it may.
    """
    values = {
        "book_id": book_id,
        "rule": HIDDEN.sub("", made.rule)[:WORDS_LENGTH],
        "reading": made.reading[:READING_LENGTH],
        "question": made.question,
        "query": made.query if len(made.query) <= QUERY_LENGTH else "",
        "as_of": made.as_of,
        "customer_count": int(customer_ids.size),
        "customer_ids": customer_ids.astype(STORED).tobytes(),
        "made_at": now(),
    }

    def once() -> int:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            count = select(func.count()).where(CustomerList.book_id == book_id)
            if connection.execute(count).scalar_one() >= LISTS_MOST:
                raise TooLarge(f"There are {LISTS_MOST} lists already.", remedy="Delete some of them.", field="name")
            free = _free_name(connection, book_id, name) if proposed else name
            if not proposed and _taken(connection, book_id, name) is not None:
                raise _is_taken(name)
            inserted: Any = connection.execute(insert(CustomerList).values(**values, name=free)).inserted_primary_key
            if held_back is not None:
                drawn = {WorkField.HELD_BACK: str(held_back.seed)}
                put_changes(
                    connection, int(inserted[0]), 1, [(each, drawn) for each in held_back.customer_ids.tolist()], ""
                )
            return int(inserted[0])

    return find_list(engine, book_id, tried_again(once))


_OF_BOOK = _ROW.where(CustomerList.book_id == bindparam("book")).order_by(CustomerList.id.desc())


def list_lists(engine: Engine, book_id: int) -> list[ListRow]:
    """The lists of a book that whoever acts sees, newest first."""
    statement = _OF_BOOK if actor().sees_everything else _OF_BOOK.where(visible())
    with engine.connect() as connection:
        rows = connection.execute(statement, {"book": book_id}).all()
    return [ListRow(**row._mapping) for row in rows]


def find_list(engine: Engine, book_id: int, list_id: int) -> ListRow:
    """One list that whoever acts sees. Raises `NotFound`."""
    with engine.connect() as connection:
        mine = (CustomerList.book_id == book_id, CustomerList.id == list_id, visible())
        row = connection.execute(_ROW.where(*mine)).first()
    if row is None:
        raise list_is_gone()
    return ListRow(**row._mapping)


def list_called(known: list[ListRow], name: str, of: str = "list") -> ListRow:
    """A list by its name, whatever case it is written in. Raises `NotFound`, which names the choice that it was given
    in."""
    for each in known:
        if each.name.casefold() == name.strip().casefold():
            return each
    names = ", ".join(each.name for each in known[:20])
    raise NotFound(
        f"There is no customer list called {name}.",
        remedy=f"Lists: {names}." if known else "Keep some customers as a list first.",
        field=of,
    )


def rename_list(engine: Engine, book_id: int, list_id: int, name: str) -> ListRow:
    """Give a list another name; saved views that use it follow. Raises `NotFound` or `Conflict`."""

    def once() -> None:
        with engine.begin() as connection:
            lock_book(connection, book_id)
            mine = select(CustomerList.name).where(CustomerList.book_id == book_id, CustomerList.id == list_id)
            old = connection.execute(mine).scalar()
            if old is None:
                raise list_is_gone()
            if _taken(connection, book_id, name) not in (None, list_id):
                raise _is_taken(name)
            connection.execute(
                update(CustomerList)
                .where(CustomerList.book_id == book_id, CustomerList.id == list_id)
                .values(name=name)
            )
            renamed_list(connection, book_id, old, name)

    tried_again(once)
    return find_list(engine, book_id, list_id)


def delete_list(engine: Engine, book_id: int, list_id: int) -> None:
    """Delete a list; its customers stay. Raises `NotFound`."""
    tried_again(lambda: _delete_list(engine, book_id, list_id))


def _delete_list(engine: Engine, book_id: int, list_id: int) -> None:
    with engine.begin() as connection:
        # nobody may put down a message or a change of it meanwhile
        locked_list(connection, book_id, list_id)
        set_aside(connection, CustomerList, book_id, CustomerList.id == list_id)


def undelete_list(engine: Engine, book_id: int, list_id: int) -> None:
    """Bring back a list that was deleted, with what was done on it. Raises as `bring_back`."""

    def once() -> None:
        with engine.begin() as connection:
            bring_back(connection, CustomerList, book_id, list_id, LISTS_MOST)

    tried_again(once)


def list_key(engine: Engine, list_id: int) -> tuple[object, ...]:
    """What tells apart what people see of a list who may not see the same: those who work a part of it see that."""
    return list_id, *_own_parts(engine, list_id)


def _own_parts(engine: Engine, list_id: int) -> list[PartRow]:
    """The parts that alone of a list whoever acts sees; none where they see all of it."""
    who = actor()
    return [part for part in list_parts(engine, list_id) if part.user == who.user] if who.role is Role.CALLER else []


def members_mask(engine: Engine, book_id: int, list_id: int, book: OrderBook) -> NDArray[np.bool_]:
    """Which customers of a book are on a list, or on the part of it that whoever acts was given to work; bool, shape
    (customers,).

    A customer who was found to be another one since is on it as that one.
    """
    find_list(engine, book_id, list_id)
    members = _members(engine, list_id, book)
    if actor().role is not Role.CALLER:
        return members
    rows, own = _by_id(book, members), np.zeros_like(members)
    for part in _own_parts(engine, list_id):
        own[rows[part_of(book, rows, part.kind, part.value)]] = True
    return own


def _by_id(book: OrderBook, members: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Where members stand in the book, by their ids; int64, shape (members,)."""
    rows = np.flatnonzero(members)
    return rows[np.argsort(book.customer_id.take(rows))]


def _members(engine: Engine, list_id: int, book: OrderBook) -> NDArray[np.bool_]:
    """Which customers of a book are on a list, whoever asks; bool, shape (customers,)."""
    with engine.connect() as connection:
        stored = connection.execute(select(CustomerList.customer_ids).where(CustomerList.id == list_id)).scalar_one()
    ids = np.frombuffer(stored, STORED).astype(np.int64)
    mask = np.isin(book.customer_id, ids)
    gone = ids[~np.isin(ids, book.customer_id)]
    if gone.size:
        mask |= np.isin(book.customer_id, owners_of_keys(engine, gone.tolist()))
    return mask


def list_parts(engine: Engine, list_id: int) -> list[PartRow]:
    """Who works which part of a list, by name."""
    row = select(User.id, User.name, ListPart.kind, ListPart.value).join(ListPart, ListPart.user_id == User.id)
    with engine.connect() as connection:
        return [
            PartRow(*each) for each in connection.execute(row.where(ListPart.list_id == list_id).order_by(User.name))
        ]


def divide_list(engine: Engine, book_id: int, list_id: int, parts: Sequence[PartRow], book: OrderBook) -> None:
    """Say who works which part of a list, in place of what was said before. Raises `Conflict` where a customer would be
    in two parts, and `InvalidInput` for what is no part."""
    rows = _by_id(book, _members(engine, list_id, book))
    taken = np.zeros(rows.size, np.bool_)
    for part in parts:
        mine = part_of(book, rows, part.kind, part.value)
        both = int((mine & taken).sum())
        if both:
            raise Conflict(
                f"{both} customers would be in the part of {part.name} and in another one.",
                remedy="Divide the list so that nobody is called twice.",
                field="parts",
            )
        taken |= mine

    def once() -> None:
        with engine.begin() as connection:
            changes = locked_list(connection, book_id, list_id)
            connection.execute(delete(ListPart).where(ListPart.list_id == list_id))
            rows = [
                {"list_id": list_id, "user_id": each.user, "kind": each.kind, "value": each.value} for each in parts
            ]
            if rows:
                connection.execute(insert(ListPart), rows)
            # whoever has asked before is told that the list is another one
            touched = update(CustomerList).where(CustomerList.id == list_id)
            connection.execute(touched.values(changes=changes + 1))

    tried_again(once)


def share_list(engine: Engine, book_id: int, list_id: int, *, shared: bool) -> None:
    """Have everybody in the book see a list, or its author alone."""
    with engine.begin() as connection:
        which = (CustomerList.book_id == book_id, CustomerList.id == list_id)
        connection.execute(update(CustomerList).where(*which).values(shared=shared))


def _taken(connection: Connection, book_id: int, name: str) -> int | None:
    """The list that has a name, whatever case and accents it is written in."""
    same = collate(CustomerList.name, AS_PEOPLE_READ) == name
    return connection.execute(select(CustomerList.id).where(CustomerList.book_id == book_id, same)).scalar()


def _free_name(connection: Connection, book_id: int, name: str) -> str:
    number, free = 1, name
    while _taken(connection, book_id, free) is not None:
        number += 1
        ending = f" ({number})"
        free = name[: NAME_LENGTH - len(ending)] + ending
    return free


def _is_taken(name: str) -> Conflict:
    return Conflict(f"There is a list called {name} already.", remedy="Choose another name.", field="name")
