"""Who asks: sessions, links to set a password, tries that were refused. Random secrets are kept as hashes."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import (
    Engine,
    Select,
    and_,
    bindparam,
    delete,
    exists,
    func,
    insert,
    literal,
    not_,
    select,
    text,
    update,
)
from sqlalchemy.dialects.mysql import insert as put

from goldthread.actor import Role
from goldthread.errors import Unavailable
from goldthread.store.books import STATE, BookState
from goldthread.store.people import NOW, UserRow, ago, ahead, hashed, one_user
from goldthread.store.schema.people import (
    PLACE_LENGTH,
    PROGRAM_LENGTH,
    Leaving,
    Member,
    PasswordLink,
    SignIn,
    Token,
    Tries,
    User,
)
from goldthread.store.server.faults import tried_again

IDLE_SECONDS, WHOLE_SECONDS = 12 * 3600, 30 * 86_400
"""A session ends after so long without use, and so long after its begin whatever happens."""
LINK_SECONDS, LEAVING_SECONDS = 3600, 600
SIGN_INS_MOST, LEAVINGS_MOST = 50, 5_000
"""Sessions of one account; people who are at the company's own sign-in."""
SEEN_AGAIN_SECONDS = 60
_TRIES_COUNTED_SECONDS, _TRIES_KEPT_SECONDS = 86_400, 90 * 86_400


_LIVES = (SignIn.used_at > ago(IDLE_SECONDS), SignIn.begun_at > ago(WHOLE_SECONDS))


def _bit(condition: Any) -> Any:
    """A condition as JSON holds it: as a number, not as a text."""
    return func.if_(condition, 1, 0)


def _since(moment: Any) -> Any:
    return func.timestampdiff(text("SECOND"), moment, NOW)


@dataclass(frozen=True)
class Standing:
    """Who asks, and how the book stands that they ask about; all as of one statement.

    ``user`` is None where nobody has signed in; ``sign_in`` is the session, ``token`` the token that it was by.
    ``role`` in the book, and the one that a token narrows it to. ``state`` is None where there is
    no such book.
    """

    has_accounts: bool
    state: BookState | None
    user: int | None = None
    name: str = ""
    is_admin: bool = False
    has_code: bool = False
    role: Role | None = None
    idle_seconds: int = 0
    sign_in: int | None = None
    is_whole: bool = True
    by_company: bool = False
    token: int | None = None
    token_role: Role | None = None
    token_book: int | None = None


def _standing(by: type[SignIn] | type[Token], lives: Any, further: tuple[Any, ...]) -> Select[Any]:
    of_member = and_(Member.user_id == User.id, Member.book_id == bindparam("book"))
    person = (User.id, User.name, User.is_admin, _bit(User.code_secret != ""))
    told = func.json_array(*person, Member.role, _since(by.used_at), by.id, *further)
    return (
        select(told, STATE.scalar_subquery())
        .select_from(by)
        .join(User, User.id == by.user_id)
        .outerjoin(Member, of_member)
        .where(by.hash == bindparam("hash"), *lives, User.ended_at.is_(None))
    )


_HAS_ACCOUNTS = _bit(exists(select(literal(1)).select_from(User.__table__.alias("any_user"))))
_NOBODY = select(func.json_array(_HAS_ACCOUNTS), STATE.scalar_subquery())
_SIGNED_IN = _standing(SignIn, _LIVES, (SignIn.is_whole, SignIn.by_company))
_BY_TOKEN = _standing(Token, (Token.ends_at > NOW,), (Token.role, Token.book_id))
"""Asked with every request: building them takes longer than asking."""


def standing(engine: Engine, book_id: int | None, sign_in: str = "", token: str = "") -> Standing:
    """Who a session or a token belongs to, and what they are in a book; one statement."""
    known = _of_somebody(engine, book_id, sign_in, token) if token or sign_in else None
    if known is not None:
        return known
    with engine.connect() as connection:
        told, state = connection.execute(_NOBODY, {"book": book_id}).one()
    return Standing(bool(json.loads(told)[0]), None if state is None else BookState.read(state))


def _of_somebody(engine: Engine, book_id: int | None, sign_in: str, token: str) -> Standing | None:
    """The same of a session or a token that lives; None where none does."""
    with engine.connect() as connection:
        given = {"hash": hashed(token or sign_in), "book": book_id}
        row = connection.execute(_BY_TOKEN if token else _SIGNED_IN, given).first()
    if row is None:
        return None
    told, state = row
    user, name, is_admin, has_code, role, idle, entry, *more = json.loads(told)
    known = Standing(
        has_accounts=True,
        state=None if state is None else BookState.read(state),
        user=user,
        name=name,
        has_code=bool(has_code),
        role=Role(role) if role else None,
        idle_seconds=SEEN_AGAIN_SECONDS if idle is None else int(idle),
    )
    if token:
        # it is for one book: it knows of no other, and administers nothing
        token_role, book = more
        role = known.role if book == book_id else None
        return replace(known, role=role, token=entry, token_role=Role(token_role), token_book=book)
    return replace(known, is_admin=bool(is_admin), sign_in=entry, is_whole=bool(more[0]), by_company=bool(more[1]))


def note_use(engine: Engine, found: Standing) -> None:
    """Note that a session or a token is in use, once a minute."""
    kind, entry = (SignIn, found.sign_in) if found.token is None else (Token, found.token)
    if entry is not None and found.idle_seconds >= SEEN_AGAIN_SECONDS:
        with engine.begin() as connection:
            connection.execute(update(kind).where(kind.id == entry).values(used_at=NOW))


def use_code_step(engine: Engine, user_id: int, step: int) -> bool:
    """Note that a one-time code was used; False where it was already, or a later one."""
    with engine.begin() as connection:
        later = update(User).where(User.id == user_id, User.code_step < step).values(code_step=step)
        return bool(connection.execute(later).rowcount)


def use_recovery(engine: Engine, user_id: int, code: str) -> bool:
    """Use up a recovery code; False where it is none of the account's."""
    with engine.begin() as connection:
        mine = select(User.recovery).where(User.id == user_id).with_for_update()
        known = list(connection.execute(mine).scalar_one())
        if hashed(code) not in known:
            return False
        known.remove(hashed(code))
        connection.execute(update(User).where(User.id == user_id).values(recovery=known))
        return True


@dataclass(frozen=True)
class LeavingRow:
    """What was sent along with somebody who went to the company's own sign-in."""

    nonce: str
    verifier: str


def put_down_leaving(engine: Engine, state: str, nonce: str, verifier: str) -> None:
    """Put down that somebody goes to the company's own sign-in; who has not come back in time is forgotten."""
    with engine.begin() as connection:
        connection.execute(delete(Leaving).where(Leaving.ends_at <= NOW))
        if connection.execute(select(func.count()).select_from(Leaving)).scalar_one() >= LEAVINGS_MOST:
            raise Unavailable("Too many people sign in at once.", remedy="Try again in a moment.")
        values = {"nonce": nonce, "verifier": verifier, "ends_at": ahead(LEAVING_SECONDS)}
        connection.execute(insert(Leaving).values(hash=hashed(state), **values))


def take_leaving(engine: Engine, state: str) -> LeavingRow | None:
    """What was sent along with whoever comes back, once; None where nobody left like that."""
    with engine.begin() as connection:
        mine = (Leaving.hash == hashed(state), Leaving.ends_at > NOW)
        row = connection.execute(select(Leaving.nonce, Leaving.verifier).where(*mine).with_for_update()).first()
        connection.execute(delete(Leaving).where(Leaving.hash == hashed(state)))
    return None if row is None else LeavingRow(*row)


@dataclass(frozen=True)
class SignInRow:
    """A session of an account (UTC)."""

    id: int
    begun_at: dt.datetime
    used_at: dt.datetime
    came_from: str
    program: str


def begin_sign_in(
    engine: Engine,
    user_id: int,
    secret: str,
    came_from: str,
    program: str,
    *,
    is_whole: bool,
    by_company: bool = False,
) -> None:
    """Put down that somebody signed in; sessions that have ended go, and of too many the oldest."""

    def once() -> None:
        with engine.begin() as connection:
            connection.execute(delete(SignIn).where(not_(and_(*_LIVES))))
            mine = select(SignIn.id).where(SignIn.user_id == user_id).order_by(SignIn.used_at.desc())
            old = list(connection.execute(mine.offset(SIGN_INS_MOST - 1).limit(SIGN_INS_MOST)).scalars())
            connection.execute(delete(SignIn).where(SignIn.id.in_(old)))
            place = {
                "came_from": came_from[:PLACE_LENGTH],
                "program": program[:PROGRAM_LENGTH],
                "is_whole": is_whole,
                "by_company": by_company,
            }
            at = {"begun_at": NOW, "used_at": NOW}
            connection.execute(insert(SignIn).values(hash=hashed(secret), user_id=user_id, **place, **at))

    tried_again(once)


def complete_sign_in(engine: Engine, sign_in: int, secret: str) -> None:
    """The code that was wanted was given: the session is whole, and known by another secret."""
    with engine.begin() as connection:
        connection.execute(update(SignIn).where(SignIn.id == sign_in).values(is_whole=True, hash=hashed(secret)))


def list_sign_ins(engine: Engine, user_id: int) -> list[SignInRow]:
    """The sessions of an account that have not ended, the last used first."""
    row = select(SignIn.id, SignIn.begun_at, SignIn.used_at, SignIn.came_from, SignIn.program)
    with engine.connect() as connection:
        found = connection.execute(row.where(SignIn.user_id == user_id, *_LIVES).order_by(SignIn.used_at.desc()))
        return [SignInRow(*each) for each in found]


def end_sign_ins(engine: Engine, user_id: int, only: int | None = None, but: int | None = None) -> int:
    """End the sessions of an account: one, all, or all but one. Gives how many."""
    which = [SignIn.user_id == user_id]
    which += [] if only is None else [SignIn.id == only]
    which += [] if but is None else [SignIn.id != but]
    with engine.begin() as connection:
        return int(connection.execute(delete(SignIn).where(*which)).rowcount)


def renew_sessions(engine: Engine, code_secrets: Mapping[int, str]) -> None:
    """End every session and every link, and keep the secrets of one-time codes, by account, as they are given."""
    with engine.begin() as connection:
        for kind in (SignIn, PasswordLink):
            connection.execute(delete(kind))
        for user_id, sealed in code_secrets.items():
            connection.execute(update(User).where(User.id == user_id).values(code_secret=sealed))


def add_link(engine: Engine, user_id: int, secret: str) -> None:
    """A link by which an account's password is set, in place of an earlier one."""
    with engine.begin() as connection:
        values = {"hash": hashed(secret), "ends_at": ahead(LINK_SECONDS)}
        connection.execute(put(PasswordLink).values(user_id=user_id, **values).on_duplicate_key_update(**values))


def user_of_link(engine: Engine, secret: str) -> UserRow | None:
    """The account whose password a link sets."""
    return one_user(engine, User.id == _account_of_link(secret).scalar_subquery(), User.ended_at.is_(None))


def _account_of_link(secret: str) -> Select[int]:
    """Whose password a link sets, as long as it holds."""
    return select(PasswordLink.user_id).where(PasswordLink.hash == hashed(secret), PasswordLink.ends_at > NOW)


def use_link(engine: Engine, secret: str, password: str) -> int | None:
    """Set the password of a link's account, once, and end its sessions; the account, None where the link has ended."""
    with engine.begin() as connection:
        user = connection.execute(_account_of_link(secret).with_for_update()).scalar()
        if user is not None:
            connection.execute(delete(PasswordLink).where(PasswordLink.user_id == user))
            connection.execute(delete(SignIn).where(SignIn.user_id == user))
            connection.execute(update(User).where(User.id == user, User.ended_at.is_(None)).values(password=password))
        return user


def refused_lately(engine: Engine, counted: Collection[str]) -> dict[str, tuple[int, int, bool]]:
    """Of what is counted: how many sign-ins were refused in a row, how many seconds ago the last one was, and whether
    one ever succeeded."""
    by_hash = {hashed(each): each for each in counted}
    row = select(Tries.hash, Tries.refused, _since(Tries.tried_at), Tries.good_at.is_not(None))
    with engine.connect() as connection:
        found = connection.execute(row.where(Tries.hash.in_(by_hash)))
        return {by_hash[each]: (int(refused), int(ago), bool(good)) for each, refused, ago, good in found}


def note_refused(engine: Engine, counted: Collection[str]) -> None:
    """Count a sign-in that was refused, from one again after a day without; what was counted long ago is forgotten."""

    def once() -> None:
        with engine.begin() as connection:
            connection.execute(delete(Tries).where(Tries.tried_at < ago(_TRIES_KEPT_SECONDS)))
            for each in sorted(map(hashed, counted)):
                new = put(Tries).values(hash=each, refused=1, tried_at=NOW, good_at=None)
                again = func.IF(Tries.tried_at < ago(_TRIES_COUNTED_SECONDS), 1, Tries.refused + 1)
                connection.execute(new.on_duplicate_key_update(refused=again, tried_at=NOW))

    tried_again(once)


def note_good(engine: Engine, counted: str) -> None:
    """Count from none again what a sign-in succeeded for."""
    values = {"refused": 0, "tried_at": NOW, "good_at": NOW}
    put_down = put(Tries).values(hash=hashed(counted), **values).on_duplicate_key_update(**values)

    def once() -> None:
        with engine.begin() as connection:
            connection.execute(put_down)

    tried_again(once)
