"""Sign in with the company's own: OpenID Connect, the authorization code with PKCE.

Everything that comes back is held against what went out: the state belongs to this browser and works once, the code is
exchanged with the verifier that made its challenge, and the token of who it is must be signed by a key of the provider,
be for us, and name the nonce that was sent (OpenID Connect Core 1.0, 3.1.3.7).
"""

from __future__ import annotations

import json
import re
import secrets
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import requests
from authlib.integrations.requests_client import OAuth2Session, OAuthError
from cachetools import TTLCache, cached
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from joserfc.jwt import JWTClaimsRegistry, decode

from goldthread.actions import people as accounts
from goldthread.actions.books import find_book
from goldthread.actions.log import Deed
from goldthread.actions.people import address_of
from goldthread.actions.signing_in import SignedIn, begin, put_down_of
from goldthread.actor import AT_THE_DESK, Actor, Role, acting_as
from goldthread.core.records import HIDDEN
from goldthread.errors import GoldThreadError, NotFound, SignInRefused, Unavailable
from goldthread.settings import Settings
from goldthread.store import people, sign_ins
from goldthread.store.people import UserRow
from goldthread.workspace import Workspace

BACK = "/api/sign-in/company/back"
"""Where the provider sends people back to."""
_SCOPE = "openid profile email"
_ALGORITHMS = ("RS256", "PS256", "ES256", "EdDSA")
_TIMEOUT_SECONDS = 10.0
_REPLY_BYTES_MOST = 1 << 20
_LEEWAY_SECONDS = 60
_KEPT_SECONDS = 3_600
_ROLE = re.compile(r"(reader|caller|analyst|owner) of (.+)")
_ADMINISTRATOR = "administrator"
_kept: TTLCache[str, Any] = TTLCache(8, _KEPT_SECONDS)
"""What providers say of themselves, and their keys, by address."""
_keeping = threading.Lock()


@dataclass(frozen=True)
class Leaving:
    """Where a browser goes to sign in, and what it keeps until it comes back."""

    address: str
    state: str


def leave(workspace: Workspace) -> Leaving:
    """Begin a sign-in with the company's own. Raises `NotFound` where none is set, and `Unavailable`."""
    settings = workspace.settings
    said = _said(settings)
    state, nonce, verifier = (secrets.token_urlsafe(48) for _ in range(3))
    sign_ins.put_down_leaving(workspace.record.engine, state, nonce, verifier)
    with _session(settings) as session:
        address, _ = session.create_authorization_url(
            said["authorization_endpoint"], state=state, code_verifier=verifier, nonce=nonce
        )
    return Leaving(address, state)


def come_back(
    workspace: Workspace, kept_state: str, given: Mapping[str, str], came_from: str, program: str
) -> SignedIn:
    """Begin a session of whoever comes back. Raises `SignInRefused` and `Unavailable`."""
    settings = workspace.settings
    state = given.get("state", "")
    left = sign_ins.take_leaving(workspace.record.engine, state) if state else None
    if left is None or not secrets.compare_digest(state, kept_state):
        raise _refused("This sign-in was not begun here, or is over.")
    if "code" not in given:
        raise _refused(f"The company's sign-in said: {HIDDEN.sub('', given.get('error', 'nothing'))[:100]}.")
    claims = _claims(settings, given["code"], left.verifier, left.nonce)
    with acting_as(AT_THE_DESK):
        user = _account(workspace, claims)
        _give_roles(workspace, user, claims)
    if user.ended_at is not None:
        raise _refused("This account has ended.")
    return begin(workspace, user, came_from, program, by_company=True)


def _claims(settings: Settings, code: str, verifier: str, nonce: str) -> dict[str, Any]:
    """What the provider says of whoever it is, of which every word was checked."""
    said = _said(settings)
    try:
        with _session(settings) as session:
            token = session.fetch_token(
                said["token_endpoint"],
                grant_type="authorization_code",
                code=code,
                code_verifier=verifier,
                redirect_uri=_back(settings),
                timeout=_TIMEOUT_SECONDS,
            )
    except OAuthError as error:
        raise _refused(f"The company's sign-in did not take the code: {error.error}.") from None
    except (requests.RequestException, ValueError) as error:
        raise _unreachable(error) from None
    return _checked(settings, said, str(token.get("id_token", "")), nonce)


def _checked(settings: Settings, said: Mapping[str, Any], id_token: str, nonce: str) -> dict[str, Any]:
    registry = JWTClaimsRegistry(
        leeway=_LEEWAY_SECONDS,
        iss={"essential": True, "value": said["issuer"]},
        aud={"essential": True, "value": settings.oidc_client_id},
        exp={"essential": True},
        sub={"essential": True},
        nonce={"essential": True, "value": nonce},
    )
    for again in (False, True):
        try:
            token = decode(id_token, _keys(said, anew=again), algorithms=list(_ALGORITHMS))
            registry.validate(token.claims)
        except (JoseError, ValueError, KeyError):
            # keys are turned over: one look at the present ones
            if again:
                raise _refused("What the company's sign-in says of you does not hold.") from None
        else:
            party = token.claims.get("azp", settings.oidc_client_id)
            if party != settings.oidc_client_id:
                raise _refused("What the company's sign-in says is for somebody else.")
            return dict(token.claims)
    raise _refused("What the company's sign-in says of you does not hold.")


def _account(workspace: Workspace, claims: Mapping[str, Any]) -> UserRow:
    """The account of whoever it is; a new one where they never were here. Raises `SignInRefused`."""
    engine = workspace.record.engine
    subject = people.hashed(f"{claims['iss']}\n{claims['sub']}")
    known = people.find_user_by_subject(engine, subject)
    if known is not None:
        return known
    if not accounts.has_accounts(workspace):
        raise _refused("The first account is made on the server, or by the page.")
    name = str(claims.get("preferred_username") or claims.get("name") or claims.get("email") or "")
    try:
        made = accounts.add_user(workspace, name, str(claims.get("email") or ""))
    except GoldThreadError as error:
        # somebody else's account is never taken over because two have one name
        raise _refused(f"No account could be made for you: {error.detail}") from None
    people.change_user(engine, made.id, subject=subject)
    return made


def _give_roles(workspace: Workspace, user: UserRow, claims: Mapping[str, Any]) -> None:
    """What the claim of roles gives, and takes away again: of the books alone that the settings name."""
    settings = workspace.settings
    if not settings.oidc_roles_claim:
        return
    said = claims.get(settings.oidc_roles_claim, [])
    held = {str(each) for each in (said if isinstance(said, list) else [said])}
    given: dict[str, Role] = {}
    named: set[str] = set()
    for value, meaning in settings.oidc_roles.items():
        if meaning == _ADMINISTRATOR:
            if (value in held) != user.is_admin:
                accounts.change_user(workspace, user, None, value in held)
            continue
        found = _ROLE.fullmatch(meaning)
        if found is None:
            continue
        named.add(found[2])
        if value in held:
            given[found[2]] = max(given.get(found[2], Role.READER), Role(found[1]), key=_STRENGTH.__getitem__)
    own = accounts.roles_of(workspace, user.id)
    for name in named:
        try:
            book = find_book(workspace, name)
        except NotFound:
            continue
        wanted = given.get(name)
        if wanted is not None and own.get(book.id) is not wanted:
            accounts.set_member(workspace, book, user, wanted)
        elif wanted is None and book.id in own:
            accounts.remove_member(workspace, book, user)


_STRENGTH = {Role.CALLER: 0, Role.READER: 1, Role.ANALYST: 2, Role.OWNER: 3}
"""Of several roles in one book the strongest counts."""


def _session(settings: Settings) -> OAuth2Session:
    return OAuth2Session(
        settings.oidc_client_id,
        settings.oidc_client_secret or None,
        token_endpoint_auth_method="client_secret_basic" if settings.oidc_client_secret else "none",
        scope=_SCOPE,
        redirect_uri=_back(settings),
        code_challenge_method="S256",
    )


def _back(settings: Settings) -> str:
    return f"{address_of(settings)}{BACK}"


def _said(settings: Settings) -> dict[str, Any]:
    """What the provider says of itself (OpenID Connect Discovery 1.0). Raises `NotFound` and `Unavailable`."""
    issuer = settings.oidc_issuer.rstrip("/")
    if not issuer:
        raise NotFound("No sign-in of the company is set.", remedy="Set oidc_issuer, or sign in with a password.")
    return _said_by(issuer)


@cached(_kept, key=str, lock=_keeping)
def _said_by(issuer: str) -> dict[str, Any]:
    said = _fetched(f"{issuer}/.well-known/openid-configuration")
    if str(said.get("issuer", "")).rstrip("/") != issuer:
        raise Unavailable("The company's sign-in is another one than the settings name.", remedy="See oidc_issuer.")
    return said


def _keys(said: Mapping[str, Any], *, anew: bool) -> KeySet:
    address = str(said["jwks_uri"])
    looked_at, keys = _keys_at(address)
    # unknown keys make us look once in a while, not with each try
    if anew and time.monotonic() - looked_at >= 1:
        with _keeping:
            _kept.pop(address, None)
        _, keys = _keys_at(address)
    return keys


@cached(_kept, key=str, lock=_keeping)
def _keys_at(address: str) -> tuple[float, KeySet]:
    """The keys at an address, and when they were fetched."""
    return time.monotonic(), KeySet.import_key_set(_fetched(address))  # type: ignore[arg-type]


def _fetched(address: str) -> dict[str, Any]:
    try:
        with requests.get(address, timeout=_TIMEOUT_SECONDS, stream=True, allow_redirects=False) as reply:
            reply.raise_for_status()
            content = reply.raw.read(_REPLY_BYTES_MOST, decode_content=True)
        found = json.loads(content)
    except (requests.RequestException, ValueError) as error:
        raise _unreachable(error) from None
    if not isinstance(found, dict):
        raise _unreachable(ValueError("no object"))
    return found


def _unreachable(error: Exception) -> Unavailable:
    return Unavailable(
        f"The company's sign-in does not answer: {type(error).__name__}.",
        remedy="Try again, or sign in with a password.",
    )


def _refused(detail: str) -> SignInRefused:
    return SignInRefused(detail, remedy="Begin again.")


def note_refused(workspace: Workspace, came_from: str) -> None:
    """Put down that somebody came back and was refused."""
    put_down_of(workspace, Actor(came_from=came_from), Deed.SIGN_IN_REFUSED, "somebody of the company's sign-in")
