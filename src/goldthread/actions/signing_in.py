"""Signing in: passwords, one-time codes, tries that are slowed, sessions.

After OWASP ASVS 5: passwords are kept by argon2id, whoever guesses is slowed by place and by account, and what is told
of an account that does not exist is what is told of one that does, after as long.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from ipaddress import ip_address, ip_network

import pyotp
from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from cryptography.fernet import Fernet, InvalidToken

from goldthread.actions.log import Deed, put_down
from goldthread.actor import Actor, acting_as, actor
from goldthread.errors import InvalidInput, SignInRefused, TooManyTries, Unavailable
from goldthread.settings import FIRST_ACCOUNT, SESSION_SECRET, Settings, renew_secret
from goldthread.store import people, sign_ins
from goldthread.store.people import UserRow
from goldthread.store.sign_ins import SignInRow
from goldthread.workspace import Workspace

PASSWORD_LEAST, PASSWORD_MOST = 12, 256
_GUESSABLE_BELOW = 3
"""Of zxcvbn's scores: what is below is guessed in less than a hundred million tries."""
_LOOKED_AT = 72
"""Characters whose guessing is estimated: more take long, and are not guessed."""
RECOVERY_CODES = 10
_SECRET_BYTES = 32
_HASHING_AT_ONCE, _HASHING_SECONDS = 2, 20.0
"""Each takes 64 MiB of memory."""
_hashing = threading.BoundedSemaphore(_HASHING_AT_ONCE)
_FREE_TRIES = {"both": 5, "place": 50, "account": 100}
"""Refused sign-ins in a row before one has to wait: of one account from one place, from one place, of one account."""
_WAIT_LEAST_SECONDS, _WAIT_MOST_SECONDS = 4, 900


@dataclass(frozen=True)
class SignedIn:
    """A session that has begun, as the browser keeps it. ``is_whole`` is false while a one-time code is wanted."""

    secret: str
    is_whole: bool


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()


@cache
def _of_nobody() -> str:
    """What a password is held against where there is no account, so that it takes as long."""
    return _hasher().hash(secrets.token_urlsafe(_SECRET_BYTES))


@contextmanager
def _one_of_few() -> Iterator[None]:
    if not _hashing.acquire(timeout=_HASHING_SECONDS):
        raise Unavailable("Too many people sign in at once.", remedy="Try again in a moment.")
    try:
        yield
    finally:
        _hashing.release()


def hash_of(password: str) -> str:
    """The hash that a password is kept as."""
    with _one_of_few():
        return _hasher().hash(password)


def _fits(kept: str, password: str) -> bool:
    try:
        with _one_of_few():
            return _hasher().verify(kept or _of_nobody(), password) and bool(kept)
    except VerificationError:
        return False


def checked_password(password: str, name: str, email: str = "") -> str:
    """A password that may be used for an account. Raises `InvalidInput`."""
    if not PASSWORD_LEAST <= len(password) <= PASSWORD_MOST:
        raise _bad_password(f"A password has {PASSWORD_LEAST} to {PASSWORD_MOST} characters.")
    if name.casefold() in password.casefold():
        raise _bad_password("The password holds the name.")
    # its lists of words take a while to load
    from zxcvbn import zxcvbn

    own = [name, *name.split(), email, "gold thread", "goldthread"]
    if zxcvbn(password[:_LOOKED_AT], user_inputs=own)["score"] < _GUESSABLE_BELOW:
        raise _bad_password("This password is a common one, or much like one.")
    return password


def _bad_password(detail: str) -> InvalidInput:
    return InvalidInput(detail, remedy="Four words that do not belong together make a good one.", field="password")


def sign_in(workspace: Workspace, name: str, password: str, came_from: str, program: str) -> SignedIn:
    """Begin a session. Raises `SignInRefused`, which never says what did not fit, and `TooManyTries`."""
    engine = workspace.record.engine
    counted = _counted(name, came_from)
    _must_wait_no_more(workspace, counted)
    user = people.find_user(engine, name)
    if not _fits(user.password if user is not None else "", password) or user is None:
        sign_ins.note_refused(engine, counted.values())
        # what was typed for a name may be a password
        put_down_of(workspace, Actor(came_from=came_from), Deed.SIGN_IN_REFUSED, user.name if user else "nobody known")
        raise _refused()
    if _hasher().check_needs_rehash(user.password):
        people.change_user(engine, user.id, password=hash_of(password))
    signed_in = begin(workspace, user, came_from, program)
    if signed_in.is_whole:
        _note_good(workspace, counted)
    return signed_in


def _note_good(workspace: Workspace, counted: dict[str, str]) -> None:
    # a place has others who may be guessed from it, so that it is not counted anew
    sign_ins.note_good(workspace.record.engine, counted["both"])


def begin(workspace: Workspace, user: UserRow, came_from: str, program: str, *, by_company: bool = False) -> SignedIn:
    """Begin a session of somebody who has proved who they are, but for a one-time code where one is wanted: whoever
    comes from the company's own sign-in was asked there."""
    secret = secrets.token_urlsafe(_SECRET_BYTES)
    is_whole = by_company or not user.code_secret
    how = {"is_whole": is_whole, "by_company": by_company}
    sign_ins.begin_sign_in(workspace.record.engine, user.id, secret, came_from, program, **how)
    if is_whole:
        _put_down_signed_in(workspace, user, came_from)
    return SignedIn(secret, is_whole)


def _put_down_signed_in(workspace: Workspace, user: UserRow, came_from: str) -> None:
    put_down_of(workspace, Actor(user.name, user.id, came_from), Deed.SIGNED_IN)


def put_down_of(workspace: Workspace, who: Actor, deed: Deed, subject: str = "", book_id: int | None = None) -> None:
    """Put down what somebody did who is not known from the request."""
    with acting_as(who):
        put_down(workspace, deed, book_id, subject)


def give_code(workspace: Workspace, user_id: int, sign_in_id: int, code: str, came_from: str) -> SignedIn:
    """Make a session whole by a one-time code, or by a recovery code. Raises `SignInRefused` and `TooManyTries`."""
    engine = workspace.record.engine
    user = people.find_user(engine, user_id)
    if user is None:
        raise _refused()
    counted = _counted(user.name, came_from)
    _must_wait_no_more(workspace, counted)
    if not _code_fits(workspace, user, code) and not sign_ins.use_recovery(engine, user.id, _plain(code)):
        sign_ins.note_refused(engine, counted.values())
        put_down_of(workspace, Actor(came_from=came_from), Deed.SIGN_IN_REFUSED, user.name)
        raise SignInRefused("This code does not fit.", remedy="Give the newest code, or one of your recovery codes.")
    secret = secrets.token_urlsafe(_SECRET_BYTES)
    sign_ins.complete_sign_in(engine, sign_in_id, secret)
    _note_good(workspace, counted)
    _put_down_signed_in(workspace, user, came_from)
    return SignedIn(secret, is_whole=True)


def _plain(code: str) -> str:
    return "".join(code.split()).replace("-", "").upper()


def _refused() -> SignInRefused:
    return SignInRefused(
        "Name and password do not fit.", remedy="Try again, or ask an administrator for a link to set a password."
    )


def _counted(name: str, came_from: str) -> dict[str, str]:
    """What tries are counted by: the place, the account, and both."""
    account, place = f"account {' '.join(name.casefold().split())}", f"place {_place(came_from)}"
    return {"both": f"{account} {place}", "place": place, "account": account}


def _place(came_from: str) -> str:
    """Where somebody asks from: of IPv6 the network, since one machine has many addresses there."""
    try:
        address = ip_address(came_from)
    except ValueError:
        return came_from
    return str(address) if address.version == 4 else str(ip_network(f"{came_from}/64", strict=False))


def _must_wait_no_more(workspace: Workspace, counted: dict[str, str]) -> None:
    """Raises `TooManyTries`. Where an account was signed in to before, others who guess it hold nobody up."""
    known = sign_ins.refused_lately(workspace.record.engine, counted.values())
    is_at_home = known.get(counted["both"], (0, 0, False))[2]
    for kind, each in counted.items():
        refused, seconds_ago, _ = known.get(each, (0, 0, False))
        if refused < _FREE_TRIES[kind] or (kind == "account" and is_at_home):
            continue
        left = min(_WAIT_LEAST_SECONDS << min(refused - _FREE_TRIES[kind], 12), _WAIT_MOST_SECONDS) - seconds_ago
        if left > 0:
            raise TooManyTries("Too many sign-ins were refused.", remedy=f"Try again in {left} seconds.", seconds=left)


def slow_down(workspace: Workspace, what: str, came_from: str) -> None:
    """Count something that anybody may ask for, as tries are counted. Raises `TooManyTries`."""
    counted = _counted(what, came_from)
    _must_wait_no_more(workspace, counted)
    sign_ins.note_refused(workspace.record.engine, counted.values())


def tried(workspace: Workspace, what: str, came_from: str, kept: str, given: str) -> bool:
    """Whether a secret fits the hash that is kept of it; wrong ones are counted. Raises `TooManyTries`."""
    counted = _counted(what, came_from)
    _must_wait_no_more(workspace, counted)
    if _fits(kept, given):
        return True
    sign_ins.note_refused(workspace.record.engine, counted.values())
    return False


def sign_out(workspace: Workspace, user_id: int, sign_in_id: int) -> None:
    """End a session."""
    sign_ins.end_sign_ins(workspace.record.engine, user_id, only=sign_in_id)
    put_down(workspace, Deed.SIGNED_OUT)


def list_sessions(workspace: Workspace, user_id: int) -> list[SignInRow]:
    """The sessions of an account, the last used first."""
    return sign_ins.list_sign_ins(workspace.record.engine, user_id)


def end_sessions(workspace: Workspace, user: UserRow, only: int | None = None, but: int | None = None) -> int:
    """End sessions of an account: one, all, or all but one; gives how many."""
    ended = sign_ins.end_sign_ins(workspace.record.engine, user.id, only, but)
    if ended:
        put_down(workspace, Deed.SESSIONS_ENDED, subject=user.name, sessions=ended)
    return ended


def change_password(workspace: Workspace, user: UserRow, known: str, wanted: str, sign_in_id: int | None) -> None:
    """Set one's own password, which ends every other session. Raises `SignInRefused`, `TooManyTries`,
    `InvalidInput`."""
    must_be(workspace, user, known)
    password = hash_of(checked_password(wanted, user.name, user.email))
    people.change_user(workspace.record.engine, user.id, password=password)
    sign_ins.end_sign_ins(workspace.record.engine, user.id, but=sign_in_id)
    put_down(workspace, Deed.PASSWORD_SET, subject=user.name)


def must_be(workspace: Workspace, user: UserRow, password: str) -> None:
    """Have somebody who is signed in prove who they are once more. Raises `SignInRefused` and `TooManyTries`."""
    if not tried(workspace, user.name, actor().came_from, user.password, password):
        raise SignInRefused("This is not your password.", remedy="Give the one that you sign in with.")


@dataclass(frozen=True)
class NewCode:
    """One-time codes that are about to be used: their secret, and the address that an app of codes takes it from."""

    secret: str
    address: str


def begin_code(user: UserRow) -> NewCode:
    """A new secret of one-time codes; nothing is changed until one of its codes is given."""
    secret = pyotp.random_base32()
    return NewCode(secret, pyotp.TOTP(secret).provisioning_uri(name=user.name, issuer_name="Gold Thread"))


def use_codes(workspace: Workspace, user: UserRow, secret: str, code: str) -> list[str]:
    """Have an account sign in with one-time codes from now on; gives its recovery codes, which are shown once. Raises
    `InvalidInput` where the code is not one of the secret's."""
    step = _step_of(secret, code)
    if step is None:
        raise InvalidInput("This code does not fit.", remedy="Give the newest code of the app.", field="code")
    codes = [secrets.token_hex(5).upper() for _ in range(RECOVERY_CODES)]
    hashes = [people.hashed(each) for each in codes]
    sealed = seal(workspace.settings.session_secret, secret)
    people.change_user(workspace.record.engine, user.id, code_secret=sealed, code_step=step, recovery=hashes)
    put_down(workspace, Deed.CODES_CHANGED, subject=user.name)
    return [f"{each[:5]}-{each[5:]}" for each in codes]


def use_no_codes(workspace: Workspace, user: UserRow) -> None:
    """Have an account sign in without one-time codes."""
    people.change_user(workspace.record.engine, user.id, code_secret="", code_step=0, recovery=[])
    put_down(workspace, Deed.CODES_CHANGED, subject=user.name)


def wants_code(settings: Settings, *, is_admin: bool) -> bool:
    """Whether somebody may do nothing before they have one-time codes."""
    return settings.second_factor == "everybody" or (settings.second_factor == "administrators" and is_admin)


def _code_fits(workspace: Workspace, user: UserRow, code: str) -> bool:
    if not user.code_secret:
        return False
    step = _step_of(unseal(workspace.settings.session_secret, user.code_secret), code)
    return step is not None and sign_ins.use_code_step(workspace.record.engine, user.id, step)


def _step_of(secret: str, code: str) -> int | None:
    """The step (RFC 6238) that a code is of: the present one or one beside it, since clocks differ."""
    try:
        codes = pyotp.TOTP(secret)
        now = int(time.time()) // codes.interval
        found = [
            step for step in (now - 1, now, now + 1) if hmac.compare_digest(codes.generate_otp(step), _plain(code))
        ]
    except (ValueError, TypeError):
        return None
    return found[-1] if found else None


def rotate_secrets(workspace: Workspace) -> None:
    """Replace what sessions are signed with and one-time codes are encrypted with, which ends every session."""
    settings, engine = workspace.settings, workspace.record.engine
    old, new = settings.session_secret, secrets.token_hex(_SECRET_BYTES)
    sealed = {
        user.id: seal(new, unseal(old, user.code_secret)) for user in people.list_users(engine) if user.code_secret
    }
    sign_ins.renew_sessions(engine, sealed)
    renew_secret(settings.var / SESSION_SECRET, new)
    renew_secret(settings.var / FIRST_ACCOUNT, secrets.token_hex(_SECRET_BYTES))
    put_down(workspace, Deed.SECRETS_ROTATED)


def _sealing(key: str) -> Fernet:
    return Fernet(base64.urlsafe_b64encode(hashlib.sha256(f"one-time codes {key}".encode()).digest()))


def seal(key: str, text: str) -> str:
    """A text as only the installation reads it."""
    return _sealing(key).encrypt(text.encode()).decode()


def unseal(key: str, sealed: str) -> str:
    """What was sealed; blank where the installation's secret is another one by now."""
    try:
        return _sealing(key).decrypt(sealed.encode()).decode()
    except InvalidToken:
        return ""
