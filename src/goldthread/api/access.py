"""Who asks, and whether they may. Every route says beside it which right it asks for; one that does not keeps the
server from starting."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

from cachetools import TTLCache
from flask import Flask, current_app, g, request, session

from goldthread.actions import people, signing_in
from goldthread.actions.books import no_book
from goldthread.actions.log import Deed, put_down
from goldthread.actor import EVERY_RIGHT, NOBODY, RIGHTS, Actor, Right, Role, act_as, actor, roles_with
from goldthread.api.security import READING
from goldthread.errors import NotAllowed, SignInNeeded, TooManyTries
from goldthread.settings import Settings
from goldthread.store.books import BookState
from goldthread.store.sign_ins import Standing
from goldthread.workspace import Workspace

View = TypeVar("View", bound=Callable[..., Any])
_RIGHT = "__right__"
_OF_THE_PAGE = ("page", "assets")
SESSION = "sign_in"
"""Where a browser's session keeps the secret of a sign-in."""
_BEARER = "Bearer "
_NAMED_MOST = 5
_OF_A_PERSON = frozenset({Right.ANYBODY, Right.PERSON, Right.SELF})
_OF_AN_ADMINISTRATOR = frozenset({Right.ADMINISTER, Right.BEGIN})
_BEFORE_CODES = frozenset({Right.ANYBODY, Right.SELF})
_MINUTE_SECONDS = 60
_ASKED_BY: TTLCache[tuple[tuple[str, int], int], int] = TTLCache(10_000, 2 * _MINUTE_SECONDS)
_REFUSALS_NOTED: TTLCache[tuple[int, str], bool] = TTLCache(1_000, _MINUTE_SECONDS)
_counting = threading.Lock()
"""Held while either is used: requests are answered by several threads."""


def asks(right: Right) -> Callable[[View], View]:
    """Declares which right a route asks for."""

    def declare(view: View) -> View:
        setattr(view, _RIGHT, right)
        return view

    return declare


def guard(app: Flask, workspace: Workspace) -> None:
    """Have every request checked. Call it before the routes are made, and `declare_rights` after."""
    app.before_request(partial(_check, workspace))


def declare_rights(app: Flask) -> None:
    """Note for `guard` what every route asks for. Raises `TypeError` for one that does not say."""
    declared = {name: getattr(view, _RIGHT, None) for name, view in app.view_functions.items()}
    declared |= dict.fromkeys(_OF_THE_PAGE, Right.ANYBODY)
    missing = sorted(name for name, right in declared.items() if right is None)
    if missing:
        raise TypeError(f"These routes do not say who may ask them: {', '.join(missing)}")
    app.config["RIGHTS"] = declared


def _check(workspace: Workspace) -> None:
    """Find out who asks, and refuse what they may not."""
    act_as(Actor(came_from=request.remote_addr or "", rights=NOBODY.rights))
    endpoint = request.endpoint
    if endpoint is None or endpoint in _OF_THE_PAGE:
        return
    right: Right = current_app.config["RIGHTS"][endpoint]
    if right is not Right.ANYBODY:
        found = who_asks(workspace)
        may = people.may_begin(workspace, actor()) if right is Right.BEGIN else actor().may(right)
        if not may:
            _refuse(workspace, found, right)
    # a program sends no cookie, so that no other site can have it do anything
    if request.method not in READING and not _token():
        current_app.extensions["csrf"].protect()


def who_asks(workspace: Workspace) -> Standing:
    """Who asks, found out once for each request."""
    if "standing" not in g:
        found = people.who_asks(workspace, _book(), session.get(SESSION, ""), _token())
        if found.token is not None:
            limit_in_a_minute(workspace.settings, ("token", found.token))
        g.standing = found
        act_as(_actor(workspace.settings, found))
    known: Standing = g.standing
    return known


def limit_in_a_minute(settings: Settings, by: tuple[str, int]) -> None:
    """Count what is asked by a token or a link. Raises `TooManyTries` where that is more in a minute than may be."""
    now = time.time()
    minute = int(now // _MINUTE_SECONDS)
    with _counting:
        asked = _ASKED_BY[by, minute] = _ASKED_BY.get((by, minute), 0) + 1
    if asked > settings.token_requests_per_minute:
        left = int((minute + 1) * _MINUTE_SECONDS - now) + 1
        raise TooManyTries(
            f"This {by[0]} may ask {settings.token_requests_per_minute} times a minute.",
            remedy=f"Ask again in {left} seconds.",
            seconds=left,
        )


def stand(state: BookState) -> None:
    """Have this request be about a book, for whoever asks by a link."""
    g.standing = Standing(has_accounts=True, state=state)


def forget_who_asks() -> None:
    """Whoever asks has become somebody else within this request."""
    g.pop("standing", None)


def _book() -> int | None:
    book = (request.view_args or {}).get("book")
    return book if isinstance(book, int) else None


def _token() -> str:
    """What a program signs in with; a session that comes along counts for nothing then."""
    header = request.headers.get("Authorization", "")
    return header.removeprefix(_BEARER).strip() if header.startswith(_BEARER) else ""


def _actor(settings: Settings, found: Standing) -> Actor:
    came_from = request.remote_addr or ""
    if found.user is not None and found.is_whole:
        role, rights = _role(found), _rights(settings, found)
        hides = found.state is not None and found.state.hides_people and role is Role.READER
        only = (found.token_book, found.token_role)
        return Actor(found.name, found.user, came_from, role, rights, *only, sees_people=not hides)
    is_open = not (found.has_accounts or settings.is_for_others or _token())
    return Actor(came_from=came_from, rights=EVERY_RIGHT if is_open else NOBODY.rights)


def _role(found: Standing) -> Role | None:
    """What somebody is in the book; by a token, what that narrows it to."""
    narrowed, own = found.token_role, found.role
    return own if narrowed is None or own is None or not RIGHTS[narrowed] <= RIGHTS[own] else narrowed


def _rights(settings: Settings, found: Standing) -> frozenset[Right]:
    of_book = RIGHTS[found.role] if found.role is not None else frozenset[Right]()
    if found.token_role is not None:
        # a program has no account of its own to look after
        return (_OF_A_PERSON - {Right.SELF}) | (of_book & RIGHTS[found.token_role])
    if wants_codes(settings, found):
        return _BEFORE_CODES
    return _OF_A_PERSON | of_book | (_OF_AN_ADMINISTRATOR if found.is_admin else frozenset())


def wants_codes(settings: Settings, found: Standing) -> bool:
    """Whether somebody has to set up one-time codes first: not where the company's own sign-in asked for them."""
    has_code = found.has_code or found.by_company
    return signing_in.wants_code(settings, is_admin=found.is_admin) and not has_code


def _refuse(workspace: Workspace, found: Standing, right: Right) -> None:
    """Raises `SignInNeeded`, `NotAllowed`, or `NotFound` for a book that is not theirs."""
    who = actor()
    if who.user is None:
        raise SignInNeeded("Nobody has signed in.", remedy="Sign in, or send a token.")
    if not who.may(Right.PERSON):
        raise NotAllowed("Everybody here signs in with one-time codes.", remedy="Set them up under your account.")
    book = _book()
    if book is not None and who.role is None:
        raise no_book()
    key = (who.user, request.endpoint or "")
    with _counting:
        is_noted = key in _REFUSALS_NOTED
        _REFUSALS_NOTED.setdefault(key, True)
    if not is_noted:
        put_down(workspace, Deed.REFUSED, book, right)
    raise NotAllowed(f"This is for {_who_may(right)}.", remedy=_whom_to_ask(workspace, right, found))


def _who_may(right: Right) -> str:
    match right:
        case Right.ADMINISTER:
            return "administrators"
        case Right.BEGIN:
            return "administrators and owners of books"
        case Right.SELF:
            return "people, not for programs"
        case _:
            return " and ".join(f"{role}s" for role in roles_with(right))


def _whom_to_ask(workspace: Workspace, right: Right, found: Standing) -> str:
    if right in (Right.ADMINISTER, Right.BEGIN) or found.state is None:
        return "Ask an administrator."
    owners = [each.name for each in people.list_members(workspace, found.state.book) if each.role is Role.OWNER]
    named = owners[:_NAMED_MOST]
    return f"Ask an owner of the book: {', '.join(named)}."


def state_of_book(workspace: Workspace) -> BookState:
    """The book that this request is about, as it stood when it came. Raises `NotFound`."""
    state = who_asks(workspace).state
    if state is None:
        raise no_book()
    return state
