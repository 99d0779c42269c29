"""What goes over the wire about people: sessions, accounts, members, tokens, and who did what. Moments are UTC."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.log import Deed, sentence
from goldthread.actor import Role
from goldthread.api.shapes.books import BookPath
from goldthread.shape import Id, Moment, Place, Shape
from goldthread.store.log import LogRow

Text = Annotated[str, Field(max_length=1_000)]


class PersonShape(Shape):
    """Whoever is signed in. ``wants_code``: they must set up one-time codes before anything else."""

    name: str
    email: str
    is_admin: bool
    has_code: bool
    wants_code: bool


class SessionShape(Shape):
    """What a page needs before it may change anything. ``has_accounts`` is false where everybody may do everything,
    unless ``wants_first_account``. ``needs_code``: a password was given, and a one-time code is still wanted.
    ``mails``: links to set a password can be sent. ``company``: what the company's own sign-in is called, blank
    without one."""

    csrf_token: str
    version: str
    upload_limit_mib: int
    databases: list[str]
    has_accounts: bool
    wants_first_account: bool
    needs_code: bool
    may_begin_books: bool
    mails: bool
    company: str
    person: PersonShape | None


class SignInBody(Shape):
    name: Text
    password: Text


class CodeBody(Shape):
    """A one-time code, or a recovery code."""

    code: Text


class FirstAccountBody(SignInBody):
    """The first account. ``code`` stands in a file on the server."""

    code: Text
    email: Text = ""


class LinkBody(Shape):
    """The secret of a link to set a password."""

    link: Text


class NameBody(Shape):
    """The name of an account."""

    name: Text


class LinkNameShape(Shape):
    """Whose password a link sets."""

    name: str


class NewPasswordBody(LinkBody):
    password: Text


class OwnPasswordBody(Shape):
    """One's own password as it is, and as it shall be."""

    known: Text
    password: Text


class ProofBody(Shape):
    """One's own password, for what is more than a session may do by itself."""

    known: Text


class NewCodeShape(Shape):
    """The secret of new one-time codes, and the address (otpauth) that an app of codes takes it from."""

    secret: str
    address: str


class UseCodesBody(ProofBody):
    secret: Text
    code: Text


class RecoveryShape(Shape):
    """Codes that stand in for one-time codes, once each; they are not shown again."""

    codes: list[str]


class SignInShape(Shape):
    """A session. ``is_this``: the one that asks."""

    id: int
    begun_at: Moment
    used_at: Moment
    came_from: str
    program: str
    is_this: bool


class SignInsShape(Shape):
    sessions: list[SignInShape]


class TokenShape(Shape):
    """What a program signs in with, for one book."""

    id: int
    name: str
    book_name: str
    role: Role
    made_at: Moment
    ends_at: Moment
    used_at: Moment | None


class TokensShape(Shape):
    tokens: list[TokenShape]


class TokenBody(Shape):
    name: Text
    book: Id
    role: Role = Role.READER
    days: int = 30


class NewTokenShape(TokensShape):
    """A new token, which is not shown again, and all of them."""

    token: str


class NumberPath(BaseModel):
    number: Id


class UserShape(Shape):
    """An account. ``databases`` may be asked by it."""

    id: int
    name: str
    email: str
    is_admin: bool
    has_code: bool
    made_at: Moment
    ended_at: Moment | None
    databases: list[str]


class UsersShape(Shape):
    """Every account. ``mails``: whether links can be sent by mail; ``databases``: those that the settings name."""

    users: list[UserShape]
    mails: bool
    databases: list[str]


class UserBody(Shape):
    name: Text
    email: Text = ""
    is_admin: bool = False


class UserChangeBody(Shape):
    """What is to change of an account; null leaves it as it is."""

    email: Text | None = None
    is_admin: bool | None = None


class PasswordLinkQuery(BaseModel):
    """``mail``: send it to the account's address, in place of showing it."""

    mail: bool = False


class PasswordLinkShape(Shape):
    """A link by which somebody sets their password, once, for an hour; blank where it was mailed."""

    link: str


class DatabasePath(NumberPath):
    database: str


class BookMemberShape(Shape):
    user: int
    name: str
    email: str
    role: Role
    made_at: Moment


class BookMembersShape(Shape):
    members: list[BookMemberShape]


class MemberBody(Shape):
    """What an account, by its name, is to be in the book."""

    user: Text
    role: Role


class MemberOfBookPath(BookPath):
    number: Id


class LogQuery(BaseModel):
    """Which entries: of whom, of which kind, of which days (UTC, both inside)."""

    who: str = ""
    deed: str = ""
    since: dt.date | None = None
    until: dt.date | None = None


class LogPageQuery(LogQuery):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=500)] = 100


class LogEntryShape(Shape):
    """One thing that somebody did: ``who``, blank for whoever works at the machine itself, did ``what``."""

    id: int
    at: Moment
    who: str
    came_from: str
    deed: str
    what: str
    rows: int | None

    @classmethod
    def of(cls, row: LogRow) -> LogEntryShape:
        rows = row.details.get("rows")
        return cls.like(row, what=sentence(row), rows=rows if isinstance(rows, int) else None)


class LogShape(Shape):
    """Some entries, the newest first, and what can be chosen among all."""

    total: int
    entries: list[LogEntryShape]
    people: list[str]
    deeds: list[Deed]
