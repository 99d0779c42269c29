"""Accounts, members of books, databases that are allowed and tokens on record. Random secrets are kept as hashes.

Moments are the database's own (UTC), so that processes need not agree on the time.
"""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, delete, func, insert, literal, literal_column, select, update
from sqlalchemy.dialects.mysql import insert as put
from sqlalchemy.exc import IntegrityError

from goldthread.actor import Role
from goldthread.errors import Conflict, NotFound, TooLarge
from goldthread.store.schema.models import Book, CustomerList
from goldthread.store.schema.people import DatabaseGrant, ListPart, Member, PasswordLink, SignIn, Token, User
from goldthread.store.server.faults import tried_again

USERS_MOST, TOKENS_MOST = 2_000, 50
"""Accounts; tokens of one account."""
NOW: Any = literal_column("UTC_TIMESTAMP(6)")


def hashed(secret: str) -> str:
    """The hash that a random secret is kept as: there is so much chance in it that a plain one does."""
    return hashlib.sha256(secret.encode()).hexdigest()


def ahead(seconds: int) -> Any:
    """The moment so many seconds from now."""
    return literal_column(f"UTC_TIMESTAMP(6) + INTERVAL {seconds} SECOND")


def ago(seconds: int) -> Any:
    """The moment so many seconds before now."""
    return literal_column(f"UTC_TIMESTAMP(6) - INTERVAL {seconds} SECOND")


@dataclass(frozen=True)
class UserRow:
    """An account. ``password`` is its hash, blank without one; ``code_secret`` as it is kept, blank without one-time
    codes; ``recovery`` are hashes."""

    id: int
    name: str
    email: str
    password: str
    is_admin: bool
    code_secret: str
    code_step: int
    recovery: list[str]
    made_at: dt.datetime
    ended_at: dt.datetime | None


_USER = select(
    User.id,
    User.name,
    User.email,
    User.password,
    User.is_admin,
    User.code_secret,
    User.code_step,
    User.recovery,
    User.made_at,
    User.ended_at,
)


def list_users(engine: Engine) -> list[UserRow]:
    """Every account, ended ones too, by name."""
    with engine.connect() as connection:
        return [UserRow(**row._mapping) for row in connection.execute(_USER.order_by(User.name))]


def find_user(engine: Engine, name_or_id: str | int) -> UserRow | None:
    """An account that has not ended, whatever case and accents its name is written in."""
    which = User.id == name_or_id if isinstance(name_or_id, int) else User.name == name_or_id
    return one_user(engine, which, User.ended_at.is_(None))


def one_user(engine: Engine, *which: ColumnElement[bool]) -> UserRow | None:
    """The one account that conditions hold for; None where they hold for none."""
    with engine.connect() as connection:
        row = connection.execute(_USER.where(*which)).first()
    return None if row is None else UserRow(**row._mapping)


def add_user(engine: Engine, name: str, email: str, password: str, *, is_admin: bool) -> int:
    """Begin an account; its id. The first one owns the books that are there already. Raises `Conflict`, `TooLarge`."""

    def once() -> int:
        with engine.begin() as connection:
            count = connection.execute(select(func.count()).select_from(User).with_for_update()).scalar_one()
            if count >= USERS_MOST:
                raise TooLarge(f"There are {USERS_MOST} accounts already.", remedy="Use one of them.", field="name")
            values = {"name": name, "email": email, "password": password, "is_admin": is_admin}
            blank = {"code_secret": "", "code_step": 0, "recovery": [], "made_at": NOW}
            try:
                made: Any = connection.execute(insert(User).values(**values, **blank)).inserted_primary_key
            except IntegrityError:
                raise Conflict(
                    f"There is an account called {name} already.", remedy="Choose another name.", field="name"
                ) from None
            if count == 0:
                there = select(Book.id, literal(made[0]), literal(Role.OWNER.value), NOW)
                connection.execute(insert(Member).from_select(["book_id", "user_id", "role", "made_at"], there))
            return int(made[0])

    return tried_again(once)


def change_user(engine: Engine, user_id: int, **values: Any) -> None:
    """Change what an account has."""
    with engine.begin() as connection:
        connection.execute(update(User).where(User.id == user_id).values(**values))


def must_not_be_last_admin(engine: Engine, user_id: int) -> None:
    """Raises `Conflict` for the last administrator."""
    with engine.connect() as connection:
        _must_not_be_last_admin(connection, user_id)


def _must_not_be_last_admin(connection: Connection, user_id: int) -> None:
    admins = select(User.id).where(User.is_admin, User.ended_at.is_(None)).with_for_update()
    if list(connection.execute(admins).scalars()) == [user_id]:
        raise Conflict("This is the only administrator.", remedy="Make somebody else one first.")


def end_user(engine: Engine, user_id: int) -> None:
    """End an account, and everything by which somebody could act as it. Raises `Conflict` for the last
    administrator."""

    def once() -> None:
        with engine.begin() as connection:
            _must_not_be_last_admin(connection, user_id)
            connection.execute(update(User).where(User.id == user_id).values(ended_at=NOW, password="", code_secret=""))
            for kind in (SignIn, PasswordLink, Token, Member, DatabaseGrant, ListPart):
                connection.execute(delete(kind).where(kind.user_id == user_id))

    tried_again(once)


def find_user_by_subject(engine: Engine, subject: str) -> UserRow | None:
    """The account, ended or not, of whom the company's own sign-in names by a hash."""
    return one_user(engine, User.subject == subject)


@dataclass(frozen=True)
class MemberRow:
    """A member of a book."""

    user: int
    name: str
    email: str
    role: Role
    made_at: dt.datetime


def list_members(engine: Engine, book_id: int) -> list[MemberRow]:
    """The members of a book, by name."""
    row = select(User.id, User.name, User.email, Member.role, Member.made_at).join(Member, Member.user_id == User.id)
    with engine.connect() as connection:
        found = connection.execute(row.where(Member.book_id == book_id).order_by(User.name))
        return [MemberRow(*each) for each in found]


def set_member(engine: Engine, book_id: int, user_id: int, role: Role | None) -> None:
    """What somebody is in a book from now on; None: no member. Raises `Conflict` for the last owner."""

    def once() -> None:
        with engine.begin() as connection:
            of_book = Member.book_id == book_id
            owners = select(Member.user_id).where(of_book, Member.role == Role.OWNER).with_for_update()
            if role is not Role.OWNER and list(connection.execute(owners).scalars()) == [user_id]:
                raise Conflict("This is the only owner of the book.", remedy="Make somebody else an owner first.")
            if role is None:
                connection.execute(delete(Member).where(of_book, Member.user_id == user_id))
                lists = select(CustomerList.id).where(CustomerList.book_id == book_id)
                connection.execute(delete(Token).where(Token.book_id == book_id, Token.user_id == user_id))
                connection.execute(delete(ListPart).where(ListPart.list_id.in_(lists), ListPart.user_id == user_id))
            else:
                new = put(Member).values(book_id=book_id, user_id=user_id, role=role, made_at=NOW)
                connection.execute(new.on_duplicate_key_update(role=role))

    tried_again(once)


def roles_of(engine: Engine, user_id: int) -> dict[int, Role]:
    """What somebody is in each book that they are a member of."""
    with engine.connect() as connection:
        found = connection.execute(select(Member.book_id, Member.role).where(Member.user_id == user_id))
        return {int(book): role for book, role in found}


def databases_by_user(engine: Engine, user_id: int | None = None) -> dict[int, set[str]]:
    """The databases that somebody may ask, or that each may who may ask any."""
    row = select(DatabaseGrant.user_id, DatabaseGrant.database)
    granted: dict[int, set[str]] = {}
    with engine.connect() as connection:
        for user, name in connection.execute(row if user_id is None else row.where(DatabaseGrant.user_id == user_id)):
            granted.setdefault(user, set()).add(name)
    return granted


def grant_database(engine: Engine, user_id: int, database: str, *, granted: bool) -> None:
    """Allow somebody to ask a database, or no longer."""
    values: Mapping[str, Any] = {"user_id": user_id, "database": database}
    with engine.begin() as connection:
        connection.execute(delete(DatabaseGrant).filter_by(**values))
        if granted:
            connection.execute(insert(DatabaseGrant).values(**values))


@dataclass(frozen=True)
class TokenRow:
    """A token (UTC)."""

    id: int
    user_id: int
    user_name: str
    book_id: int
    book_name: str
    role: Role
    name: str
    made_at: dt.datetime
    ends_at: dt.datetime
    used_at: dt.datetime | None


def add_token(engine: Engine, secret: str, user_id: int, book_id: int, role: Role, name: str, days: int) -> TokenRow:
    """Make a token. Raises `TooLarge` where the account has as many as it may."""
    with engine.begin() as connection:
        connection.execute(delete(Token).where(Token.user_id == user_id, Token.ends_at <= NOW))
        mine = select(func.count()).where(Token.user_id == user_id)
        if connection.execute(mine).scalar_one() >= TOKENS_MOST:
            raise TooLarge(f"There are {TOKENS_MOST} tokens already.", remedy="End some of them.", field="name")
        values = {"user_id": user_id, "book_id": book_id, "role": role, "name": name, "made_at": NOW}
        made: Any = connection.execute(
            insert(Token).values(hash=hashed(secret), ends_at=ahead(days * 86_400), **values)
        ).inserted_primary_key
    return next(row for row in list_tokens(engine, user_id) if row.id == made[0])


def list_tokens(engine: Engine, user_id: int | None = None) -> list[TokenRow]:
    """The tokens of an account, or of all, newest first."""
    row = select(
        Token.id,
        Token.user_id,
        User.name.label("user_name"),
        Token.book_id,
        Book.name.label("book_name"),
        Token.role,
        Token.name,
        Token.made_at,
        Token.ends_at,
        Token.used_at,
    )
    found = row.join(User, User.id == Token.user_id).join(Book, Book.id == Token.book_id)
    which = found if user_id is None else found.where(Token.user_id == user_id)
    with engine.connect() as connection:
        return [TokenRow(**each._mapping) for each in connection.execute(which.order_by(Token.id.desc()))]


def end_token(engine: Engine, token_id: int, user_id: int | None) -> None:
    """End a token, of an account where that is given. Raises `NotFound`."""
    which = [Token.id == token_id, *([] if user_id is None else [Token.user_id == user_id])]
    with engine.begin() as connection:
        if not connection.execute(delete(Token).where(*which)).rowcount:
            raise NotFound("There is no such token.", remedy="Choose one from the list of tokens.")
