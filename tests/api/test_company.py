"""Signing in with the company's own: who comes back is who the provider says, and nothing else is taken for it."""

from __future__ import annotations

import os
import time
import unittest
from typing import ClassVar
from unittest.mock import Mock, patch
from urllib.parse import parse_qs, urlsplit

import requests
from flask.testing import FlaskClient
from joserfc.jwk import RSAKey
from werkzeug.test import TestResponse

from goldthread.actions import company, people
from goldthread.actor import AT_THE_DESK, Role, acting_as
from goldthread.api.app import create_app
from tests.support.people import PASSWORD, PeopleCase
from tests.support.provider import Provider


class Company(PeopleCase):
    provider: ClassVar[Provider]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        # the provider of the tests speaks no TLS
        cls.enterClassContext(patch.dict(os.environ, {"AUTHLIB_INSECURE_TRANSPORT": "1"}))
        cls.provider = Provider()
        cls.addClassCleanup(cls.provider.close)
        roles = {"it": "administrator", "sales": f"analyst of {cls.book.name}", "all": f"reader of {cls.book.name}"}
        told = {**cls.provider.settings, "oidc_roles_claim": "groups", "oidc_roles": roles, "oidc_name": "Marl login"}
        cls.workspace.settings = cls.workspace.settings.model_copy(update=told)
        cls.app = create_app(cls.workspace)

    def setUp(self) -> None:
        company._kept.clear()
        self.provider.claims = {"sub": self.id(), "preferred_username": f"Orla {len(self.id())}", "groups": []}
        self.provider.says, self.provider.signs_with = {}, None

    def _left(self, client: FlaskClient) -> str:
        """Where the provider sends a browser back to that went there."""
        leaving = client.get("/api/sign-in/company")
        self.assertEqual(leaving.status_code, 302)
        asked = parse_qs(urlsplit(leaving.headers["Location"]).query)
        self.assertEqual((asked["response_type"], asked["code_challenge_method"]), (["code"], ["S256"]))
        reply = requests.get(leaving.headers["Location"], allow_redirects=False, timeout=10)
        back = urlsplit(reply.headers["Location"])
        return f"{back.path}?{back.query}"

    def _come_back(self, client: FlaskClient) -> TestResponse:
        return client.get(self._left(client))

    def _refused(self, reply: TestResponse) -> None:
        self.assertEqual(reply.status_code, 401, reply.text)
        self.assertEqual(reply.get_json()["type"], "urn:goldthread:SignInRefused")

    def test_a_browser_comes_back_from_another_site_and_asks_nothing_else_from_there(self) -> None:
        from_elsewhere = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
        client = self.client()
        back = self._left(client)
        self.assertEqual(client.get(back, headers=from_elsewhere | {"Sec-Fetch-Mode": "no-cors"}).status_code, 403)
        self.assertEqual(client.get("/api/session", headers=from_elsewhere).status_code, 403)
        self.assertEqual(client.get(back, headers=from_elsewhere).status_code, 200)

    def test_whoever_the_provider_names_gets_an_account_and_is_signed_in(self) -> None:
        client = self.client()
        self.assertEqual(client.get("/api/session").get_json()["company"], "Marl login")
        self.assertEqual(self._come_back(client).status_code, 200)
        name = client.get("/api/session").get_json()["person"]["name"]
        self.assertEqual(name, self.provider.claims["preferred_username"])
        self.provider.claims["preferred_username"] = "called otherwise since"
        again = self.client()
        self._come_back(again)
        self.assertEqual(again.get("/api/session").get_json()["person"]["name"], name)

    def test_roles_come_from_the_claim_and_go_with_it(self) -> None:
        def role() -> tuple[str | None, bool]:
            client = self.client()
            self._come_back(client)
            known = {each["id"]: each["role"] for each in client.get("/api/books").get_json()["books"]}
            return known.get(self.book.id), client.get("/api/session").get_json()["person"]["is_admin"]

        self.assertEqual(role(), (None, False))
        self.provider.claims["groups"] = ["sales", "all", "it", "something else"]
        self.assertEqual(role(), (Role.ANALYST, True))
        self.provider.claims["groups"] = ["all"]
        self.assertEqual(role(), (Role.READER, False))
        self.provider.claims["groups"] = []
        self.assertEqual(role(), (None, False))

    def test_a_state_and_a_code_work_once_and_in_the_browser_that_left(self) -> None:
        client = self.client()
        back = self._left(client)
        self._refused(self.client().get(back))
        # another browser's try has used the state up
        self._refused(client.get(back))
        fresh = self._left(client)
        self.assertEqual(client.get(fresh).status_code, 200)
        self._refused(client.get(fresh))
        code = parse_qs(urlsplit(fresh).query)["code"][0]
        other = self._left(client)
        state = parse_qs(urlsplit(other).query)["state"][0]
        self._refused(client.get(f"{urlsplit(other).path}?code={code}&state={state}"))
        self._refused(client.get("/api/sign-in/company/back?code=x&state=made-up"))
        self._refused(client.get("/api/sign-in/company/back"))

    def test_what_is_said_wrongly_is_refused(self) -> None:
        wrong = (
            {"iss": "https://somebody.example"},
            {"aud": "another program"},
            {"aud": ["gold-thread", "another"], "azp": "another"},
            {"exp": int(time.time()) - 3_600},
            {"nonce": "of another sign-in"},
            {"nonce": None},
            {"sub": None},
        )
        for says in wrong:
            self.provider.says = says
            with self.subTest(says=says):
                self._refused(self._come_back(self.client()))

    def test_another_key_is_refused_and_one_that_was_turned_over_is_found(self) -> None:
        self.assertEqual(self._come_back(self.client()).status_code, 200)
        self.provider.signs_with = RSAKey.generate_key(2048, {"kid": str(self.provider.key.kid)})
        self._refused(self._come_back(self.client()))
        self.provider.signs_with = None
        self.provider.turn_keys_over()
        with patch("goldthread.actions.company.time", Mock(monotonic=lambda: time.monotonic() + 5)):
            self.assertEqual(self._come_back(self.client()).status_code, 200)

    def test_an_account_that_was_made_otherwise_is_never_taken_over(self) -> None:
        with acting_as(AT_THE_DESK):
            people.add_user(self.workspace, "Tansy Rill", password=PASSWORD)
        self.provider.claims["preferred_username"] = "tansy rill"
        self._refused(self._come_back(self.client()))

    def test_an_account_that_has_ended_stays_so(self) -> None:
        client = self.client()
        self._come_back(client)
        name = client.get("/api/session").get_json()["person"]["name"]
        with acting_as(AT_THE_DESK):
            people.end_user(self.workspace, people.find_user(self.workspace, name))
        self._refused(self._come_back(self.client()))

    def test_codes_are_not_asked_for_whom_the_company_has_asked(self) -> None:
        settings = self.workspace.settings.model_copy(update={"second_factor": "everybody"})
        with patch.object(self.workspace, "settings", settings):
            client = self.client()
            self._come_back(client)
            self.assertEqual(client.get("/api/books").status_code, 200)
            self.assertFalse(client.get("/api/session").get_json()["person"]["wants_code"])

    def test_a_provider_that_does_not_answer_is_told(self) -> None:
        settings = self.workspace.settings.model_copy(update={"oidc_issuer": "http://127.0.0.1:9"})
        with patch.object(self.workspace, "settings", settings):
            reply = self.client().get("/api/sign-in/company")
        self.assertEqual((reply.status_code, reply.get_json()["title"]), (503, "Not available"))


if __name__ == "__main__":
    unittest.main()
