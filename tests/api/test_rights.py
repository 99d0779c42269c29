"""Every route of the server, tried by everybody: who is let in, and who is not."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from unittest.mock import Mock, patch

from flask import Flask
from werkzeug.routing import Rule
from werkzeug.test import TestResponse

from goldthread.actor import Role
from goldthread.api import access
from goldthread.api.access import declare_rights
from tests.support.people import PeopleCase

EVERYBODY = {"nobody", "ended", "reader", "caller", "analyst", "owner", "admin", "stranger"}
PEOPLE = EVERYBODY - {"nobody", "ended"}
MEMBERS = {"reader", "caller", "analyst", "owner"}
READERS = {"reader", "analyst", "owner"}
WORKERS = {"caller", "analyst", "owner"}
CHANGERS = {"analyst", "owner"}
WHO = {
    "everybody": EVERYBODY,
    "people": PEOPLE,
    "members": MEMBERS,
    "readers": READERS,
    "workers": WORKERS,
    "changers": CHANGERS,
    "owner": {"owner"},
    "beginners": {"admin", "owner", "stranger"},
    "admin": {"admin"},
}
MAY = {
    "everybody": """
        GET /api/session  POST /api/sign-in  POST /api/sign-in/code  POST /api/sign-out  POST /api/first-account
        GET /api/sign-in/company  GET /api/sign-in/company/back
        POST /api/password-link  POST /api/password-link/mail
        POST /api/password  GET /api/openapi.json  GET /api/health/live  GET /api/health/ready
        GET /api/shared/<int:link>  GET /api/shared/<int:link>/answer  GET /api/shared/<int:link>/behind
        """,
    "people": """
        GET /api/books  GET /api/health/backup  GET /api/jobs/<job>  DELETE /api/jobs/<job>  GET /api/jobs/<job>/file
        GET /api/account/sessions  DELETE /api/account/sessions  DELETE /api/account/sessions/<int:number>
        PUT /api/account/password  POST /api/account/codes  PUT /api/account/codes  POST /api/account/no-codes
        GET /api/account/tokens  POST /api/account/tokens  DELETE /api/account/tokens/<int:number>
        """,
    "beginners": "POST /api/books  POST /api/books/package  POST /api/demo",
    "admin": """
        GET /api/users  POST /api/users  PATCH /api/users/<int:number>  DELETE /api/users/<int:number>
        POST /api/users/<int:number>/link  DELETE /api/users/<int:number>/sessions
        DELETE /api/users/<int:number>/codes  PUT /api/users/<int:number>/databases/<database>
        DELETE /api/users/<int:number>/databases/<database>  GET /api/log  GET /api/log/file
        """,
    "members": """
        GET changes  GET lists  GET orders/<int:order>/lines  GET ask/thread  GET ask/worked  GET ask/worked/one
        """,
    "workers": "PUT lists/<int:list>/members/<int:customer>  POST lists/<int:list>/undo  GET lists/<int:list>/history",
    "readers": """
        GET /  GET find  GET fields  GET condition  GET reading  POST checks  GET sources  GET attributes  GET usual
        GET deliveries  GET views  POST views  POST views/<int:saved>/restore  DELETE views/<int:saved>
        GET notes  GET notes/things  POST notes  PUT notes/<int:note>  DELETE notes/<int:note>
        GET briefs  POST briefs  GET briefs/<int:brief>  PUT briefs/<int:brief>  DELETE briefs/<int:brief>
        GET briefs/<int:brief>/file  POST briefs/<int:brief>/findings  PUT briefs/<int:brief>/findings/<int:finding>
        DELETE briefs/<int:brief>/findings/<int:finding>  GET briefs/<int:brief>/findings/<int:finding>/picture
        POST views/<int:saved>/undelete  PUT lists/<int:list>  DELETE lists/<int:list>  POST lists/<int:list>/undelete
        """,
    "changers": """
        POST refresh  POST deliveries  GET deliveries/<int:delivery>  DELETE deliveries/<int:delivery>
        GET deliveries/<int:delivery>/problems  GET deliveries/<int:delivery>/rejected  PATCH attributes
        POST uploads  POST uploads/<upload>/look  DELETE uploads/<upload>  GET uploads/<upload>/rejected
        GET duplicates  POST matches  GET orders  POST orders  DELETE orders  POST customers
        POST events  DELETE events/<int:event>
        GET lists/<int:list>/mail  POST lists/<int:list>/mail  POST lists/<int:list>/mail/preview
        POST lists/<int:list>/mail/dry-run  PUT lists/<int:list>/shared  GET lists/<int:list>/parts
        PUT lists/<int:list>/parts  PUT views/<int:saved>/shared
        GET schedules  POST schedules  GET schedules/when  PATCH schedules/<int:schedule>
        DELETE schedules/<int:schedule>  POST schedules/<int:schedule>/run  GET schedules/<int:schedule>/runs
        GET schedules/<int:schedule>/letter  GET waiting  POST waiting/<int:waiting>/look
        DELETE waiting/<int:waiting>  GET letters  GET letters/<int:letter>
        """,
    "owner": """
        POST package  POST uploads/query  GET members  PUT members  DELETE members/<int:number>  GET log  GET log/file
        GET settings  PUT settings  PUT usual  GET links  POST links  DELETE links/<int:link>
        GET customers/<int:customer>/record  GET customers/<int:customer>/erasure  POST customers/<int:customer>/erasure
        """,
}
"""Who may ask each route (docs/definitions.md, section 15); those without a slash are of a book. Every question that is
not named here is for readers."""
_BOOK = "/api/books/<int:book>"
_NOT_THEIRS = "There is no such book."
_SIGNED_OUT = "urn:goldthread:SignInNeeded"
_NOT_LISTED = "Callers see the customers on their lists."


def _address(route: str) -> str:
    return route if route.startswith("/api") else f"{_BOOK}/{route.lstrip('/')}".rstrip("/")


def _table() -> dict[tuple[str, str], set[str]]:
    table: dict[tuple[str, str], set[str]] = {}
    for group, routes in MAY.items():
        words = routes.split()
        table |= {(method, _address(route)): WHO[group] for method, route in zip(words[::2], words[1::2], strict=True)}
    return table


TABLE = _table()


class Rights(PeopleCase):
    def _routes(self) -> Iterator[tuple[str, Rule]]:
        for rule in self.app.url_map.iter_rules():
            if rule.rule.startswith("/api"):
                yield from ((method, rule) for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"}))

    def _expected(self, method: str, rule: Rule) -> set[str]:
        known = TABLE.get((method, rule.rule))
        if known is None and rule.rule.startswith(f"{_BOOK}/ask/"):
            known = READERS
        assert known is not None, f"{method} {rule.rule}: say who may ask it"
        return known

    def _path(self, rule: Rule) -> str:
        named = dict.fromkeys(rule.arguments, "99999999") | {"book": str(self.book.id)}
        return str(
            self.app.url_map.bind("localhost").build(rule.endpoint, named, method=sorted(rule.methods or [""])[0])
        )

    def _verdict(self, reply: TestResponse) -> str:
        status = reply.status_code
        told = reply.get_json() if status in (401, 403, 404) else {"type": "", "detail": ""}
        detail = told["detail"]
        reply.close()
        if status == 404 and detail == _NOT_THEIRS:
            return "no such book"
        if detail == _NOT_LISTED:
            return "let in"
        if told["type"] == _SIGNED_OUT:
            return "sign in"
        # what a route itself says of who somebody is, it says to whoever was let in
        return "refused" if status == 403 else "let in"

    def test_every_route_lets_in_who_may_and_nobody_else(self) -> None:
        seen, tried = set(), 0
        # a change is let in when nothing is missing any more but the page's own token, so that none is made
        clients = {name: self.client(name) for name in sorted(PEOPLE)}
        clients |= {"nobody": self.client(), "ended": self.client("stranger", ended=True)}
        clients["stranger"] = self.client("stranger")
        for method, rule in self._routes():
            seen.add((method, rule.rule))
            expected, of_book = self._expected(method, rule), "<int:book>" in rule.rule
            for name, client in clients.items():
                got = self._verdict(client.open(self._path(rule), method=method))
                tried += 1
                outside = "no such book" if of_book else "refused"
                refused = "sign in" if name in ("nobody", "ended") else outside if name not in MEMBERS else "refused"
                wanted = "let in" if name in expected else refused
                with self.subTest(method=method, route=rule.rule, who=name):
                    self.assertEqual(got, wanted)
        self.assertEqual(set(TABLE) - seen, set(), "routes that are gone")
        self.assertGreater(tried, 1_000)

    def test_a_token_does_no_more_than_its_role_in_its_own_book(self) -> None:
        headers = self.token("owner", Role.READER)
        client = self.client()
        for method, rule in self._routes():
            if method != "GET" or rule.rule.endswith("/changes"):
                continue
            group = self._expected(method, rule)
            is_own = rule.rule.startswith("/api/account")
            wanted = (
                "let in" if group in (EVERYBODY, READERS, MEMBERS) or (group == PEOPLE and not is_own) else "refused"
            )
            with self.subTest(route=rule.rule):
                self.assertEqual(self._verdict(client.get(self._path(rule), headers=headers)), wanted)
        other = f"/api/books/{self.other_book.id}"
        self.assertEqual(self._verdict(client.get(other, headers=headers)), "no such book")
        known = client.get("/api/books", headers=headers).get_json()["books"]
        self.assertEqual([(book["id"], book["role"]) for book in known], [(self.book.id, "reader")])

    def test_a_token_needs_no_page_token_and_a_session_beside_it_counts_for_nothing(self) -> None:
        client = self.client("owner")
        body = {"name": "of a program", "stop": "cohorts", "query": "", "words": "Cohorts."}
        without = client.post(f"{self.at}/views", json=body)
        self.assertEqual((without.status_code, without.get_json()["type"]), (400, "urn:goldthread:Forged"))
        made = client.post(f"{self.at}/views", json=body, headers=self.token("reader", Role.READER))
        self.assertEqual(made.status_code, 201, made.text)
        self.assertEqual([view["made_by"] for view in made.get_json()["views"]], ["reader one"])
        refused = client.get(f"{self.at}/members", headers=self.token("reader", Role.READER))
        self.assertEqual(refused.status_code, 403)
        self.assertEqual(client.get(f"{self.at}/members").status_code, 200)

    def test_a_token_asks_so_often_in_a_minute(self) -> None:
        headers, client = self.token("reader", Role.READER), self.client()
        settings = self.workspace.settings.model_copy(update={"token_requests_per_minute": 3})
        with patch.object(self.workspace, "settings", settings), patch.object(access, "time", Mock(time=lambda: 90.0)):
            replies = [client.get(self.at, headers=headers) for _ in range(5)]
        self.assertEqual([reply.status_code for reply in replies], [200] * 3 + [429] * 2)
        self.assertEqual(replies[-1].headers["Retry-After"], "31")

    def test_whoever_is_refused_learns_who_could(self) -> None:
        refused = self.client("reader").get(f"{self.at}/members").get_json()
        self.assertEqual(refused["detail"], "This is for owners.")
        self.assertEqual(refused["remedy"], "Ask an owner of the book: owner one.")

    def test_a_server_with_a_route_that_does_not_say_who_may_ask_does_not_start(self) -> None:
        app = Flask(__name__)
        app.add_url_rule("/api/anything", view_func=lambda: "something")
        with self.assertRaisesRegex(TypeError, "who may ask"):
            declare_rights(app)


if __name__ == "__main__":
    unittest.main()
