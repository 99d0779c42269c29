"""The tables of people: accounts, who is signed in, who may do what, and who did what. Secrets are kept as hashes."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, BigInteger, Boolean, ForeignKey, Index, Integer, String, Text
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT
from sqlalchemy.orm import Mapped, mapped_column

from goldthread.actor import Role
from goldthread.core.choices import PartKind
from goldthread.store.schema.models import AS_PEOPLE_READ, EXACT, Base, enum_of

NAME_LENGTH, EMAIL_LENGTH, PLACE_LENGTH, PROGRAM_LENGTH, SUBJECT_LENGTH = 120, 191, 64, 191, 500
_HASH = String(64, collation=EXACT)
_MOMENT = DATETIME(fsp=6)


class User(Base):
    """An account. It is never deleted, so that a name always means the same person; it ends.

    ``code_secret``: of one-time codes, encrypted, blank without; ``code_step`` the last step that a code was used of.
    ``recovery``: hashes of the codes that stand in for one. ``subject``: a hash of whom the company's own sign-in takes
    it for.
    """

    __tablename__ = "users"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=AS_PEOPLE_READ), unique=True)
    email: Mapped[str] = mapped_column(String(EMAIL_LENGTH))
    password: Mapped[str] = mapped_column(String(191, collation=EXACT))
    is_admin: Mapped[bool] = mapped_column(Boolean)
    code_secret: Mapped[str] = mapped_column(String(255, collation=EXACT))
    code_step: Mapped[int] = mapped_column(BigInteger)
    recovery: Mapped[list[str]] = mapped_column(JSON)
    subject: Mapped[str | None] = mapped_column(_HASH, unique=True)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    ended_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class SignIn(Base):
    """A session of somebody who signed in, known to a browser by a random text. ``is_whole`` is false until the
    one-time code that is wanted was given."""

    __tablename__ = "sign_ins"
    __table_args__ = (Index("ix_sign_ins_user", "user_id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    hash: Mapped[str] = mapped_column(_HASH, unique=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    is_whole: Mapped[bool] = mapped_column(Boolean)
    by_company: Mapped[bool] = mapped_column(Boolean)
    begun_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    used_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    came_from: Mapped[str] = mapped_column(String(PLACE_LENGTH))
    program: Mapped[str] = mapped_column(String(PROGRAM_LENGTH))


class Leaving(Base):
    """Somebody who went to the company's own sign-in and has not come back, by the state that went along."""

    __tablename__ = "leavings"

    hash: Mapped[str] = mapped_column(_HASH, primary_key=True)
    nonce: Mapped[str] = mapped_column(_HASH)
    verifier: Mapped[str] = mapped_column(_HASH)
    ends_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class PasswordLink(Base):
    """A link by which somebody sets a password, once; one at a time for each account."""

    __tablename__ = "password_links"

    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), primary_key=True)
    hash: Mapped[str] = mapped_column(_HASH, unique=True)
    ends_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class Member(Base):
    """What somebody is in a book."""

    __tablename__ = "members"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), primary_key=True)
    role: Mapped[Role] = mapped_column(enum_of(Role, "role"))
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class DatabaseGrant(Base):
    """Somebody may take rows from a database that the settings name, by a query of their own."""

    __tablename__ = "database_grants"

    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), primary_key=True)
    database: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT), primary_key=True)


class ListPart(Base):
    """Somebody works a list, or a part of it; see `goldthread.core.standing.divided`."""

    __tablename__ = "list_parts"
    __table_args__ = (Index("ix_list_parts_user", "user_id"),)

    list_id: Mapped[int] = mapped_column(ForeignKey("customer_lists.id"), primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"), primary_key=True)
    kind: Mapped[PartKind] = mapped_column(enum_of(PartKind, "part_kind"))
    value: Mapped[str] = mapped_column(String(255))


class Token(Base):
    """What a program signs in with, for one book."""

    __tablename__ = "tokens"
    __table_args__ = (Index("ix_tokens_user", "user_id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    hash: Mapped[str] = mapped_column(_HASH, unique=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    role: Mapped[Role] = mapped_column(enum_of(Role, "role"))
    name: Mapped[str] = mapped_column(String(NAME_LENGTH))
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    ends_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    used_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class SharedLink(Base):
    """A link by which somebody outside sees one view of a book, without an account.

    ``user_id``: whoever made it, null without accounts; it holds while they own the book. ``passphrase``: its hash,
    blank without one. ``frozen``: the answer as it was (JSON); null where it is asked each time.
    """

    __tablename__ = "shared_links"
    __table_args__ = (Index("ix_shared_links_book", "book_id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    hash: Mapped[str] = mapped_column(_HASH)
    passphrase: Mapped[str] = mapped_column(String(191, collation=EXACT))
    name: Mapped[str] = mapped_column(String(NAME_LENGTH))
    stop: Mapped[str] = mapped_column(String(20))
    query: Mapped[str] = mapped_column(Text)
    opens_figures: Mapped[bool] = mapped_column(Boolean)
    shows_people: Mapped[bool] = mapped_column(Boolean)
    frozen: Mapped[str | None] = mapped_column(MEDIUMTEXT)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    ends_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    opened: Mapped[int] = mapped_column(Integer)
    opened_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class Tries(Base):
    """Sign-ins that were refused in a row: from one place, of one account, or both; by a hash of what is counted.
    ``good_at``: when one last succeeded."""

    __tablename__ = "sign_in_tries"

    hash: Mapped[str] = mapped_column(_HASH, primary_key=True)
    refused: Mapped[int] = mapped_column(Integer)
    tried_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    good_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class LogEntry(Base):
    """One thing that somebody did; never changed. ``book_id`` may be of a book that is gone."""

    __tablename__ = "log"
    __table_args__ = (Index("ix_log_book", "book_id", "id"), Index("ix_log_at", "at"))

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    who: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=AS_PEOPLE_READ))
    came_from: Mapped[str] = mapped_column(String(PLACE_LENGTH))
    deed: Mapped[str] = mapped_column(String(40, collation=EXACT))
    book_id: Mapped[int | None] = mapped_column(Integer)
    subject: Mapped[str] = mapped_column(String(SUBJECT_LENGTH))
    details: Mapped[dict[str, Any]] = mapped_column(JSON)
