"""What OWASP ASVS 5 asks of a web application at level 2, tried point by point: ``python -m tests.attack.test_attack``
prints which points hold and which do not apply, and why."""

from __future__ import annotations

import io
import re
import sys
import time
import unittest
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar

import pyotp
from flask.testing import FlaskClient
from joserfc import jwt
from joserfc.jwk import KeySet, OctKey
from sqlalchemy import text
from werkzeug.test import TestResponse

from goldthread.actions import company, people, signing_in
from goldthread.actions.log import read_log
from goldthread.actions.upkeep import unsafe
from goldthread.actor import AT_THE_DESK, Role, acting_as
from goldthread.api.app import create_app
from goldthread.errors import GoldThreadError, InvalidInput, SignInRefused
from goldthread.store.log import LogChoice
from goldthread.store.people import UserRow
from tests.support.people import PASSWORD, PeopleCase
from tests.support.running import ROOT

OTHER = "tin whistle broom lantern"


@dataclass(frozen=True)
class Point:
    """A point of the standard by its number, what it asks, and how it is tried; or why it does not apply."""

    number: str
    asks: str
    tried: Callable[[Attack], None] | None = None
    not_here: str = ""


class Attack(PeopleCase):
    """Everything is tried from outside where that is possible, as whoever would try it."""

    maxDiff = None
    client_of_owner: ClassVar[FlaskClient]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        with acting_as(AT_THE_DESK):
            people.add_user(cls.workspace, "Ada Kiln", "ada@kiln.example", password=PASSWORD)

    def setUp(self) -> None:
        with self.workspace.record.engine.begin() as connection:
            connection.execute(text("DELETE FROM sign_in_tries"))

    def test_every_point_holds_or_does_not_apply(self) -> None:
        for point in POINTS:
            with self.subTest(point=point.number, asks=point.asks):
                self.setUp()
                if point.tried is not None:
                    point.tried(self)
                said = "holds" if point.tried else "not here"
                sys.stdout.write(f"{point.number:8}{said}: {point.asks} {point.not_here}".rstrip() + "\n")
        self.assertEqual(len({point.number for point in POINTS}), len(POINTS))

    def signed_in(self, name: str = "Ada Kiln", password: str = PASSWORD) -> FlaskClient:
        client = self.client()
        self.changed(client, "POST", "/api/sign-in", 200, json={"name": name, "password": password})
        return client

    def user(self) -> UserRow:
        return people.find_user(self.workspace, "Ada Kiln")


def _no_sql_from_outside(case: Attack) -> None:
    owner = case.client("owner")
    before = owner.get(f"{case.at}/ask/customers").get_json()["count"]
    for attack in ("' OR 1=1 --", "1; DROP TABLE orders", "x' UNION SELECT password FROM users --", '"\\'):
        for name in ("list", "where", "text", "source"):
            for path in ("ask/customers", "find"):
                reply = owner.get(f"{case.at}/{path}", query_string={name: attack})
                case.assertLess(reply.status_code, 500)
                case.assertNotIn("argon2", reply.text)
    case.assertEqual(owner.get(f"{case.at}/ask/customers").get_json()["count"], before)


def _no_formula_leaves(case: Attack) -> None:
    owner = case.client("owner")
    body = {"number": "F-1", "name": "=cmd|' /C calc'!A0", "town": "@SUM(1)"}
    case.changed(owner, "POST", f"{case.at}/customers", 201, json=body)
    reply = owner.get(f"{case.at}/ask/customers/file?form=csv")
    table = reply.text
    reply.close()
    case.assertIn("'=cmd", table)
    case.assertNotRegex(table, r"(^|,|\n)\"?=cmd")


def _no_markup_from_data(case: Attack) -> None:
    owner = case.client("owner")
    body = {"number": "F-2", "name": "<img src=x onerror=alert(1)>"}
    case.changed(owner, "POST", f"{case.at}/customers", 201, json=body)
    answer = owner.get(f"{case.at}/find?text=onerror")
    case.assertTrue(answer.content_type.startswith("application/json"))
    number = answer.get_json()["found"][0]["customer"]
    page = owner.get(f"{case.at}/customers/{number}/record?form=html").text
    case.assertNotIn("<img", page)
    case.assertIn("&lt;img", page)


def _values_are_checked(case: Attack) -> None:
    owner = case.client("owner")
    for query in ("limit=-1", "limit=1e9", "offset=99999999999999999999", "no_such_choice=1", "as_of=yesterday"):
        case.assertIn(owner.get(f"{case.at}/ask/customers?{query}").status_code, (404, 422), query)
    reply = case.changed(owner, "POST", "/api/sign-in", 422, json={"name": "x", "password": "y", "is_admin": True})
    case.assertEqual(reply["type"], "urn:goldthread:InvalidInput")


def _guessing_is_slowed(case: Attack) -> None:
    client = case.client()
    csrf = client.get("/api/session").get_json()["csrf_token"]
    body = {"name": "Ada Kiln", "password": OTHER}
    sent = {"json": body, "headers": {"X-CSRFToken": csrf}, "environ_overrides": {"REMOTE_ADDR": "203.0.113.4"}}
    case.assertEqual([client.post("/api/sign-in", **sent).status_code for _ in range(7)][-2:], [429, 429])


def _headers(case: Attack) -> None:
    for path in ("/api/session", "/api/books", "/no-such-page"):
        headers = case.client("owner").get(path).headers
        policy = headers["Content-Security-Policy"]
        case.assertIn("default-src 'none'", policy)
        case.assertNotIn("unsafe", policy)
        case.assertIn("frame-ancestors 'none'", policy)
        case.assertIn("base-uri 'none'", policy)
        case.assertEqual(headers["X-Content-Type-Options"], "nosniff")
        case.assertEqual(headers["Referrer-Policy"], "same-origin")
        case.assertEqual(headers["Cross-Origin-Opener-Policy"], "same-origin")
        case.assertEqual(headers["Cross-Origin-Resource-Policy"], "same-origin")
        case.assertNotIn("Access-Control-Allow-Origin", headers)
        case.assertNotIn("X-Powered-By", headers)


def _behind_tls(case: Attack) -> TestResponse:
    told = {"public_url": "https://orders.example", "trusted_proxies": 1}
    settings = case.workspace.settings
    case.workspace.settings = settings.model_copy(update=told)
    try:
        return create_app(case.workspace).test_client().get("/api/session", base_url="https://orders.example")
    finally:
        case.workspace.settings = settings


def _tls_alone(case: Attack) -> None:
    case.assertIn("max-age=31536000", _behind_tls(case).headers["Strict-Transport-Security"])
    exposed = case.workspace.settings.model_copy(update={"host": "192.0.2.1"})
    case.assertIsNotNone(unsafe(exposed))


def _cookies(case: Attack) -> None:
    cookie = _behind_tls(case).headers["Set-Cookie"]
    case.assertTrue(cookie.startswith("__Host-"))
    for word in ("Secure", "HttpOnly", "SameSite=Strict", "Path=/"):
        case.assertIn(word, cookie)


def _no_request_of_another_site(case: Attack) -> None:
    owner = case.client("owner")
    body = {"json": {"hides_people": True}}
    csrf = {"X-CSRFToken": owner.get("/api/session").get_json()["csrf_token"]}
    case.assertEqual(owner.put(f"{case.at}/settings", **body).status_code, 400)
    for name, value in (("Origin", "https://evil.example"), ("Sec-Fetch-Site", "cross-site")):
        reply = owner.put(f"{case.at}/settings", headers={**csrf, name: value}, **body)
        case.assertEqual(reply.status_code, 403, name)
    case.assertEqual(owner.get("/api/session", headers={"Host": "evil.example"}).status_code, 400)


def _methods(case: Attack) -> None:
    owner = case.client("owner")
    for method in ("TRACE", "TRACK", "CONNECT"):
        case.assertIn(owner.open("/api/books", method=method).status_code, (400, 404, 405))
    sent = {"X-HTTP-Method-Override": "DELETE"}
    case.assertEqual(owner.get(f"{case.at}/members", headers=sent).status_code, 200)
    case.assertEqual(len(owner.get(f"{case.at}/members").get_json()["members"]), 4)


def _bodies_are_bounded(case: Attack) -> None:
    owner = case.client("owner")
    csrf = {"X-CSRFToken": owner.get("/api/session").get_json()["csrf_token"]}
    large = owner.post("/api/sign-in", data=b"[" * (64 << 20), content_type="application/json", headers=csrf)
    case.assertEqual(large.status_code, 413)
    deep = owner.post("/api/sign-in", data=b"[" * 100_000, content_type="application/json", headers=csrf)
    case.assertIn(deep.status_code, (400, 422))


def _sent(case: Attack, name: str, content: bytes) -> dict[str, Any]:
    owner = case.client("owner")
    data = {"file": (io.BytesIO(content), name)}
    job: dict[str, Any] = case.changed(owner, "POST", f"{case.at}/uploads", 202, data=data)
    deadline = time.monotonic() + 60
    while job["state"] in ("waiting", "running") and time.monotonic() < deadline:
        time.sleep(0.05)
        job = owner.get(f"/api/jobs/{job['id']}").get_json()
    return job


def _files_stay_in_their_place(case: Attack) -> None:
    job = _sent(case, "../../../../etc/evil.csv", b"order,customer_no,date,amount\nA,B,2024-01-01,1\n")
    case.assertEqual(job["state"], "done")
    case.assertNotIn("/", job["files"][0]["file_name"])
    for path in ("/assets/../../etc/passwd", "/assets/%2e%2e/%2e%2e/settings.toml", "/../settings.toml"):
        case.assertNotIn("root:", case.client().get(path).text)


def _files_do_not_unpack_without_end(case: Attack) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as file:
        for at in range(3):
            file.writestr(f"{at}.csv", b"0" * (60 << 20))
    limit = case.workspace.settings.model_copy(update={"unpacked_limit_mib": 64})
    settings, case.workspace.settings = case.workspace.settings, limit
    try:
        case.assertEqual(_sent(case, "bomb.zip", packed.getvalue())["state"], "failed")
    finally:
        case.workspace.settings = settings


def _passwords(case: Attack) -> None:
    for bad in ("seven 7", "password1234", "Ada Kiln 2026", "aaaaaaaaaaaaaaaa"):
        with case.assertRaises(InvalidInput):
            signing_in.checked_password(bad, "Ada Kiln")
    for good in (PASSWORD, "ünïcödé wörds töö ja", "all small letters without a digit", "x9" * 30 + " otter marl"):
        case.assertEqual(signing_in.checked_password(good, "Ada Kiln"), good)


def _passwords_are_kept_well(case: Attack) -> None:
    case.assertRegex(case.user().password, r"^\$argon2id\$v=19\$m=(?:6[0-9]{4,}|[0-9]{6,}),t=[3-9]")
    long = "kiln " * 20
    with acting_as(AT_THE_DESK):
        user = people.add_user(case.workspace, "of a long password", password=f"{long}otter 1")
    with case.assertRaises(SignInRefused):
        signing_in.sign_in(case.workspace, user.name, f"{long}otter 2", "203.0.113.5", "")


def _nothing_is_told_of_names(case: Attack) -> None:
    told = [
        case.changed(case.client(), "POST", "/api/sign-in", 401, json={"name": name, "password": OTHER})
        for name in ("Ada Kiln", "nobody like that")
    ]
    case.assertEqual(told[0], told[1])


def _no_account_is_there_from_the_start(case: Attack) -> None:
    for name in ("admin", "root", "goldthread", "demo"):
        with case.assertRaises(GoldThreadError):
            signing_in.sign_in(case.workspace, name, name, "203.0.113.6", "")


def _codes_work_once(case: Attack) -> None:
    secret = pyotp.random_base32()
    codes = pyotp.TOTP(secret)
    with acting_as(AT_THE_DESK):
        recovery = signing_in.use_codes(case.workspace, case.user(), secret, codes.now())
    try:
        for code, status in ((codes.now(), 401), (recovery[0], 200), (recovery[0], 401)):
            client = case.client()
            case.changed(client, "POST", "/api/sign-in", 200, json={"name": "Ada Kiln", "password": PASSWORD})
            case.assertEqual(client.get("/api/books").status_code, 401)
            case.changed(client, "POST", "/api/sign-in/code", status, json={"code": code})
    finally:
        with acting_as(AT_THE_DESK):
            signing_in.use_no_codes(case.workspace, case.user())


def _links_work_once(case: Attack) -> None:
    with acting_as(AT_THE_DESK):
        link = people.password_link(case.workspace, case.user(), is_mailed=False).partition("#")[2]
    case.assertGreaterEqual(len(link), 43)
    for status in (200, 404):
        case.changed(case.client(), "POST", "/api/password", status, json={"link": link, "password": PASSWORD})


def _sessions_are_references(case: Attack) -> None:
    client = case.signed_in()
    with client.session_transaction() as session:
        first = session["sign_in"]
    case.assertGreaterEqual(len(first), 43)
    with case.workspace.record.engine.connect() as connection:
        kept = connection.execute(text("SELECT hash FROM sign_ins")).scalars().all()
    case.assertNotIn(first, kept)
    case.changed(client, "POST", "/api/sign-in", 200, json={"name": "Ada Kiln", "password": PASSWORD})
    with client.session_transaction() as session:
        case.assertNotEqual(session["sign_in"], first)


def _sessions_end(case: Attack) -> None:
    client = case.signed_in()
    with client.session_transaction() as session:
        kept = dict(session)
    case.changed(client, "POST", "/api/sign-out", 200)
    with client.session_transaction() as session:
        session.update(kept)
    case.assertEqual(client.get("/api/books").status_code, 401)
    for column, span in (("used_at", "12 HOUR"), ("begun_at", "30 DAY")):
        late = case.signed_in()
        with case.workspace.record.engine.begin() as connection:
            connection.execute(text(f"UPDATE sign_ins SET {column} = {column} - INTERVAL {span}"))
        case.assertEqual(late.get("/api/books").status_code, 401)


def _others_are_ended(case: Attack) -> None:
    one, other = case.signed_in(), case.signed_in()
    case.assertEqual(len(one.get("/api/account/sessions").get_json()["sessions"]), 2)
    body = {"known": PASSWORD, "password": OTHER}
    case.changed(one, "PUT", "/api/account/password", 204, json=body)
    case.assertEqual((one.get("/api/books").status_code, other.get("/api/books").status_code), (200, 401))
    case.changed(one, "PUT", "/api/account/password", 204, json={"known": OTHER, "password": PASSWORD})
    case.changed(case.client("admin"), "DELETE", f"/api/users/{case.user().id}/sessions", 204)
    case.assertEqual(one.get("/api/books").status_code, 401)


def _objects_of_others(case: Attack) -> None:
    stranger = case.client("stranger")
    for path in (case.at, f"{case.at}/ask/customers", f"{case.at}/lists", f"{case.at}/log", f"{case.at}/members"):
        case.assertEqual(stranger.get(path).status_code, 404)
    sessions = case.signed_in().get("/api/account/sessions").get_json()["sessions"]
    case.changed(stranger, "DELETE", f"/api/account/sessions/{sessions[0]['id']}", 200)
    case.assertEqual(len(case.signed_in().get("/api/account/sessions").get_json()["sessions"]), len(sessions) + 1)


def _nobody_raises_themselves(case: Attack) -> None:
    analyst = case.client("analyst")
    case.changed(analyst, "PUT", f"{case.at}/members", 403, json={"user": "analyst one", "role": "owner"})
    case.changed(
        analyst, "PATCH", f"/api/users/{case.users['analyst'].id}", 403, json={"email": None, "is_admin": True}
    )
    body = {"name": "up", "book": case.book.id, "role": "owner", "days": 1}
    case.changed(analyst, "POST", "/api/account/tokens", 403, json=body)


def _a_role_that_goes_goes_at_once(case: Attack) -> None:
    headers = case.token("reader", Role.READER)
    client, session = case.client(), case.client("reader")
    case.assertEqual(client.get(f"{case.at}/ask/customers", headers=headers).status_code, 200)
    with acting_as(AT_THE_DESK):
        people.set_member(case.workspace, case.book, case.users["reader"], Role.CALLER)
    try:
        case.assertEqual(client.get(f"{case.at}/ask/customers", headers=headers).status_code, 403)
        case.assertEqual(session.get(f"{case.at}/ask/customers").status_code, 403)
    finally:
        with acting_as(AT_THE_DESK):
            people.set_member(case.workspace, case.book, case.users["reader"], Role.READER)


def _tokens_of_others_are_not_taken(case: Attack) -> None:
    settings = case.workspace.settings.model_copy(update={"oidc_client_id": "gold-thread"})
    said = {"issuer": "https://login.example", "jwks_uri": "https://login.example/keys"}
    key = OctKey.import_key("a secret that everybody can guess, with more than 32 bytes")
    company._kept[said["jwks_uri"]] = (time.monotonic(), KeySet([key]))
    about = {"iss": said["issuer"], "aud": "gold-thread", "sub": "1", "nonce": "n", "exp": int(time.time()) + 60}
    symmetric = jwt.encode({"alg": "HS256"}, about, key)
    unsigned = re.sub(r"^[^.]+", "eyJhbGciOiJub25lIn0", symmetric).rpartition(".")[0] + "."
    for token in (symmetric, unsigned, "", "x.y.z"):
        with case.assertRaises(SignInRefused):
            company._checked(settings, said, token, "n")


def _secrets_are_hashed(case: Attack) -> None:
    headers = case.token("owner", Role.READER)
    token = headers["Authorization"].removeprefix("Bearer ")
    case.assertGreaterEqual(len(token), 43)
    with case.workspace.record.engine.connect() as connection:
        rows = str(connection.execute(text("SELECT * FROM tokens")).all())
    case.assertNotIn(token, rows)
    ended = headers | {"Authorization": headers["Authorization"][:-1]}
    case.assertEqual(case.client().get(case.at, headers=ended).status_code, 401)


def _errors_tell_nothing(case: Attack) -> None:
    for path in ("/api/nothing", f"{case.at}/ask/nothing", "/api/jobs/none"):
        told = case.client("owner").get(path).text
        for word in ("Traceback", ".py", "SELECT", "sqlalchemy", str(case.place.folder)):
            case.assertNotIn(word, told)


def _nothing_personal_is_kept_on_the_way(case: Attack) -> None:
    for path in (
        "/api/books",
        f"{case.at}/ask/customers",
        f"{case.at}/find?text=a",
        f"{case.at}/ask/customers/file?form=csv",
    ):
        reply = case.client("owner").get(path)
        case.assertEqual(reply.headers["Cache-Control"], "private, no-store", path)
        reply.close()
    client = case.signed_in()
    csrf = client.get("/api/session").get_json()["csrf_token"]
    case.assertEqual(client.post("/api/sign-out", headers={"X-CSRFToken": csrf}).headers["Clear-Site-Data"], '"cache"')


def _the_log_knows(case: Attack) -> None:
    forged = "Ada\nadmin one signed in"
    case.changed(case.client(), "POST", "/api/sign-in", 401, json={"name": forged, "password": OTHER})
    case.client("reader").get(f"{case.at}/members")
    _, outside = read_log(case.workspace, LogChoice(None), 0, 5)
    case.assertEqual(outside[0].deed, "sign-in refused")
    case.assertNotIn("\n", outside[0].subject)
    case.assertNotIn(OTHER, str(outside))
    _, inside = read_log(case.workspace, LogChoice(case.book.id, deed="refused"), 0, 1)
    case.assertEqual((inside[0].who, inside[0].deed), ("reader one", "refused"))
    for method in ("POST", "PUT", "PATCH", "DELETE"):
        case.assertEqual(case.client("owner").open(f"{case.at}/log", method=method).status_code, 405)


def _packages_are_pinned(case: Attack) -> None:
    for name in ("requirements.txt", "requirements-checks.txt", "constraints.txt"):
        lines = (ROOT / name).read_text(encoding="utf-8").splitlines()
        case.assertEqual([line for line in lines if line and line[0] != "#" and "==" not in line], [])


POINTS = (
    Point("1.2.4", "data never becomes SQL", _no_sql_from_outside),
    Point("1.2.10", "no cell of a table becomes a formula", _no_formula_leaves),
    Point("1.2.1", "data never becomes markup", _no_markup_from_data),
    Point("1.2.5", "data never becomes a command", None, "(none is made of what comes from outside)"),
    Point("1.2.6", "data never becomes LDAP", None, "(nothing speaks LDAP)"),
    Point("1.5.1", "XML is parsed without external entities", None, "(workbooks are read by a parser that knows none)"),
    Point("2.2.1", "every value is checked where it comes in", _values_are_checked),
    Point("2.4.1", "guessing is slowed", _guessing_is_slowed),
    Point("3.4.3", "headers keep other sites out and scripts of ours in", _headers),
    Point("3.4.1", "TLS alone, and said so", _tls_alone),
    Point("3.3.1", "cookies go to this host alone, over TLS, to no script", _cookies),
    Point("3.5.1", "no other site's page does anything", _no_request_of_another_site),
    Point("4.1.4", "no method but those that are meant", _methods),
    Point("4.2.1", "bodies are bounded", _bodies_are_bounded),
    Point("4.3.1", "GraphQL is bounded", None, "(there is none)"),
    Point("4.4.1", "WebSockets go over TLS", None, "(there are none)"),
    Point("5.3.2", "a file's name chooses no place", _files_stay_in_their_place),
    Point("5.2.3", "a packed file does not unpack without end", _files_do_not_unpack_without_end),
    Point("6.2.1", "passwords are long, uncommon, and free otherwise", _passwords),
    Point("11.4.2", "passwords are kept by argon2id, whole", _passwords_are_kept_well),
    Point("6.3.8", "nobody learns which names there are", _nothing_is_told_of_names),
    Point("6.3.2", "no account is there from the start", _no_account_is_there_from_the_start),
    Point("6.5.1", "one-time and recovery codes work once", _codes_work_once),
    Point("6.4.1", "links to set a password work once", _links_work_once),
    Point("6.6.1", "codes by telephone are restricted", None, "(none are sent)"),
    Point("7.2.1", "sessions are random references, new with each sign-in", _sessions_are_references),
    Point("7.3.1", "sessions end: by sign-out, idle, and after a month", _sessions_end),
    Point("7.4.3", "a changed password and an administrator end sessions", _others_are_ended),
    Point("8.2.2", "what is others' is not there", _objects_of_others),
    Point("8.2.1", "nobody gives themselves a right", _nobody_raises_themselves),
    Point("8.3.2", "a right that is taken is gone at once", _a_role_that_goes_goes_at_once),
    Point("9.1.2", "tokens signed otherwise are refused", _tokens_of_others_are_not_taken),
    Point("10.2.1", "state, nonce and PKCE hold (tests/api/test_company.py)", None, "(tried there, with a provider)"),
    Point("11.4.1", "secrets are random, and kept as hashes", _secrets_are_hashed),
    Point("13.4.2", "errors tell nothing of the inside", _errors_tell_nothing),
    Point("14.3.2", "nothing personal is kept on the way", _nothing_personal_is_kept_on_the_way),
    Point("16.3.1", "sign-ins, refusals and changes are in a log that nobody changes", _the_log_knows),
    Point("15.1.1", "every package is pinned", _packages_are_pinned),
    Point("17.1.1", "TURN servers are safe", None, "(nothing uses WebRTC)"),
)


if __name__ == "__main__":
    unittest.main()
