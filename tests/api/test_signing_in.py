"""Signing in: what proves who somebody is, how guessing is slowed, what a session lasts, and what is never told."""

from __future__ import annotations

import re
import time
import unittest
from unittest.mock import Mock, patch

import pyotp
from flask.testing import FlaskClient
from sqlalchemy import text

from goldthread.actions import people, signing_in
from goldthread.actions.log import read_log
from goldthread.actions.signing_in import rotate_secrets
from goldthread.actor import AT_THE_DESK, acting_as
from goldthread.errors import InvalidInput, SignInRefused, TooManyTries
from goldthread.processes import POLL_SECONDS
from goldthread.store.log import LogChoice
from goldthread.store.people import UserRow
from tests.support.mail_server import PASSWORD as MAIL_PASSWORD
from tests.support.mail_server import USER, MailServer
from tests.support.people import PASSWORD, PeopleCase

OTHER = "tin whistle broom lantern"


class SigningIn(PeopleCase):
    def setUp(self) -> None:
        self.name = f"ada {self.id().rsplit('.', 1)[-1][5:30].replace('_', ' ')}"
        with acting_as(AT_THE_DESK):
            self.user = people.add_user(self.workspace, self.name, "ada@kiln.example", password=PASSWORD)
        with self.workspace.record.engine.begin() as connection:
            connection.execute(text("DELETE FROM sign_in_tries"))

    def _sign_in(self, client: FlaskClient, status: int, password: str = PASSWORD, name: str = "") -> dict[str, object]:
        body = {"name": name or self.name, "password": password}
        told: dict[str, object] = self.changed(client, "POST", "/api/sign-in", status, json=body)
        return told

    def _signed_in(self) -> FlaskClient:
        client = self.client()
        self._sign_in(client, 200)
        return client

    def _again(self) -> UserRow:
        return people.find_user(self.workspace, self.user.id)

    def test_a_session_begins_with_name_and_password_and_ends_when_it_is_ended(self) -> None:
        client = self.client()
        self.assertEqual(client.get("/api/books").status_code, 401)
        told = self._sign_in(client, 200, name=self.name.upper())
        self.assertEqual(told["person"]["name"], self.name)  # type: ignore[index]
        self.assertEqual(client.get("/api/books").get_json(), {"books": []})
        self.changed(client, "POST", "/api/sign-out", 200)
        self.assertEqual(client.get("/api/books").status_code, 401)

    def test_the_secret_of_a_session_and_the_page_token_are_new_with_each_sign_in(self) -> None:
        client = self.client()
        before = client.get("/api/session").get_json()["csrf_token"]
        self._sign_in(client, 200)
        forged = client.post("/api/sign-out", headers={"X-CSRFToken": before})
        self.assertEqual(forged.status_code, 400)
        with client.session_transaction() as session:
            first = session["sign_in"]
        self._sign_in(client, 200)
        with client.session_transaction() as session:
            self.assertNotEqual(session["sign_in"], first)

    def test_what_does_not_fit_is_told_alike_whether_or_not_there_is_such_an_account(self) -> None:
        wrong, nobody = (self._sign_in(self.client(), 401, OTHER, name) for name in (self.name, "nobody at all"))
        self.assertEqual(wrong, nobody)
        took = []
        for name in (self.name, "somebody else"):
            began = time.process_time()
            self._sign_in(self.client(), 401, OTHER, name)
            took.append(time.process_time() - began)
        self.assertLess(max(took), 5 * min(took) + 0.05)

    def test_too_many_tries_have_to_wait_and_hold_nobody_up_who_was_there_before(self) -> None:
        self._signed_in()
        stranger = {"REMOTE_ADDR": "203.0.113.9"}
        client = self.client()
        csrf = client.get("/api/session").get_json()["csrf_token"]
        body = {"name": self.name, "password": OTHER}
        statuses = [
            client.post(
                "/api/sign-in", json=body, headers={"X-CSRFToken": csrf}, environ_overrides=stranger
            ).status_code
            for _ in range(7)
        ]
        self.assertEqual(statuses, [401] * 5 + [429] * 2)
        waits = client.post("/api/sign-in", json=body, headers={"X-CSRFToken": csrf}, environ_overrides=stranger)
        self.assertGreaterEqual(int(waits.headers["Retry-After"]), 1)
        self._signed_in()

    def test_an_account_that_many_places_guess_is_closed_to_new_places_alone(self) -> None:
        self._signed_in()
        with patch.dict(signing_in._FREE_TRIES, {"account": 3}):
            for place in range(3):
                with self.assertRaises(SignInRefused):
                    signing_in.sign_in(self.workspace, self.name, OTHER, f"203.0.113.{place}", "")
            with self.assertRaises(TooManyTries):
                signing_in.sign_in(self.workspace, self.name, PASSWORD, "198.51.100.7", "")
            self._signed_in()

    def test_a_session_ends_after_twelve_idle_hours_and_after_a_month(self) -> None:
        for column, span in (("used_at", "13 HOUR"), ("begun_at", "31 DAY")):
            client = self._signed_in()
            self.assertEqual(client.get("/api/books").status_code, 200)
            with self.workspace.record.engine.begin() as connection:
                old = f"UPDATE sign_ins SET {column} = {column} - INTERVAL {span} WHERE user_id = :user"
                connection.execute(text(old), {"user": self.user.id})
            self.assertEqual(client.get("/api/books").status_code, 401)

    def test_people_see_their_sessions_and_end_them(self) -> None:
        one, other = self._signed_in(), self._signed_in()
        rows = one.get("/api/account/sessions").get_json()["sessions"]
        self.assertEqual([row["is_this"] for row in rows].count(True), 1)
        theirs = next(row["id"] for row in rows if not row["is_this"])
        left = self.changed(one, "DELETE", f"/api/account/sessions/{theirs}", 200)
        self.assertEqual(len(left["sessions"]), 1)
        self.assertEqual(other.get("/api/books").status_code, 401)

    def test_a_password_is_long_and_no_common_one_and_not_the_name(self) -> None:
        for password in ("short one", "password1234", "qwertyuiop12", f"{self.name} 1234", "x" * 300):
            with self.subTest(password=password), self.assertRaises(InvalidInput):
                signing_in.checked_password(password, self.name)
        self.assertEqual(signing_in.checked_password(PASSWORD, self.name), PASSWORD)

    def test_a_password_is_kept_by_argon2id_and_changed_with_the_one_before(self) -> None:
        self.assertTrue(self._again().password.startswith("$argon2id$"))
        client, other = self._signed_in(), self._signed_in()
        wrong = {"known": OTHER, "password": OTHER}
        self.changed(client, "PUT", "/api/account/password", 401, json=wrong)
        self.changed(client, "PUT", "/api/account/password", 204, json={"known": PASSWORD, "password": OTHER})
        self.assertEqual((client.get("/api/books").status_code, other.get("/api/books").status_code), (200, 401))
        self._sign_in(self.client(), 401)
        self._sign_in(self.client(), 200, OTHER)

    def test_a_link_sets_a_password_once_and_within_an_hour(self) -> None:
        before = self._signed_in()
        secret = people.password_link(self.workspace, self.user, is_mailed=False).partition("#")[2]
        client = self.client()
        self.assertEqual(
            self.changed(client, "POST", "/api/password-link", 200, json={"link": secret})["name"], self.name
        )
        body = {"link": secret, "password": OTHER}
        self.changed(client, "POST", "/api/password", 200, json=body)
        self.changed(client, "POST", "/api/password", 404, json=body)
        self.assertEqual(before.get("/api/books").status_code, 401)
        late = people.password_link(self.workspace, self.user, is_mailed=False).partition("#")[2]
        with self.workspace.record.engine.begin() as connection:
            connection.execute(text("UPDATE password_links SET ends_at = ends_at - INTERVAL 61 MINUTE"))
        self.changed(client, "POST", "/api/password", 404, json={"link": late, "password": OTHER})

    def test_a_link_is_mailed_to_whoever_forgot_their_password_and_nothing_is_told_of_others(self) -> None:
        client, server = self.client(), MailServer()
        self.addCleanup(server.close)
        path, mine = "/api/password-link/mail", {"name": self.name}
        self.changed(client, "POST", path, 503, json=mine)
        told = {
            "smtp_host": "127.0.0.1",
            "smtp_port": server.port,
            "smtp_security": "none",
            "smtp_from": "g@marlpit.example",
        }
        told |= {"smtp_user": USER, "smtp_password": MAIL_PASSWORD}
        settings = self.workspace.settings.model_copy(update=told)
        with patch.object(self.workspace, "settings", settings):
            self.assertTrue(client.get("/api/session").get_json()["mails"])
            for name in ("nobody at all", "owner one", self.name):
                self.changed(client, "POST", path, 204, json={"name": name})
            deadline = time.monotonic() + 30
            while not server.handler.messages and time.monotonic() < deadline:
                time.sleep(POLL_SECONDS)
            (message,) = server.handler.messages
            self.assertEqual(message["To"], "ada@kiln.example")
            found = re.search(r"/password#(\S+)", message.get_content())
            assert found is not None
            self.changed(client, "POST", "/api/password", 200, json={"link": found[1], "password": OTHER})
            for status in (204, 204, 204, 204, 429):
                self.changed(client, "POST", path, status, json=mine)

    def _with_codes(self, client: FlaskClient) -> tuple[pyotp.TOTP, list[str]]:
        secret = self.changed(client, "POST", "/api/account/codes", 200)["secret"]
        codes = pyotp.TOTP(secret)
        wrong = {"known": PASSWORD, "secret": secret, "code": "12345"}
        self.changed(client, "PUT", "/api/account/codes", 422, json=wrong)
        body = wrong | {"code": codes.now()}
        return codes, self.changed(client, "PUT", "/api/account/codes", 200, json=body)["codes"]

    def test_a_one_time_code_is_wanted_after_the_password_and_works_once(self) -> None:
        codes, recovery = self._with_codes(self._signed_in())
        client = self.client()
        self.assertEqual(self._sign_in(client, 200)["needs_code"], True)
        self.assertEqual(client.get("/api/books").status_code, 401)
        used = codes.now()
        self.changed(client, "POST", "/api/sign-in/code", 401, json={"code": used})
        soon = time.time() + 60
        later = codes.at(int(soon))
        with patch.object(signing_in, "time", Mock(time=lambda: soon)):
            self.assertFalse(self.changed(client, "POST", "/api/sign-in/code", 200, json={"code": later})["needs_code"])
        self.assertEqual(client.get("/api/books").status_code, 200)
        for status in (200, 401):
            again = self.client()
            self._sign_in(again, 200)
            self.changed(again, "POST", "/api/sign-in/code", status, json={"code": recovery[0].lower()})

    def test_codes_are_kept_encrypted_and_outlive_new_secrets_of_the_installation(self) -> None:
        codes, _ = self._with_codes(self._signed_in())
        self.assertNotIn(codes.secret, self._again().code_secret)
        before = self.client("owner")
        with acting_as(AT_THE_DESK):
            rotate_secrets(self.workspace)
        self.assertEqual(before.get("/api/books").status_code, 401)
        known = signing_in.unseal(self.workspace.settings.session_secret, self._again().code_secret)
        self.assertEqual(known, codes.secret)

    def test_where_codes_are_required_nothing_is_to_be_had_before_they_are_set_up(self) -> None:
        client = self._signed_in()
        required = self.workspace.settings.model_copy(update={"second_factor": "everybody"})
        with patch.object(self.workspace, "settings", required):
            refused = client.get("/api/books")
            self.assertEqual(refused.status_code, 403)
            self.assertIn("one-time codes", refused.get_json()["detail"])
            self.assertTrue(client.get("/api/session").get_json()["person"]["wants_code"])
            self._with_codes(client)
            self.assertEqual(client.get("/api/books").status_code, 200)

    def test_an_account_that_has_ended_does_nothing_any_more(self) -> None:
        client = self._signed_in()
        self.changed(self.client("admin"), "DELETE", f"/api/users/{self.user.id}", 200)
        self.assertEqual(client.get("/api/books").status_code, 401)
        self._sign_in(self.client(), 401)

    def test_what_people_do_to_sign_in_is_in_the_log_and_no_secret_is(self) -> None:
        self._sign_in(self.client(), 401, OTHER)
        self._signed_in()
        _, rows = read_log(self.workspace, LogChoice(None), 0, 20)
        said = [(row.who, row.deed) for row in rows[:2]]
        self.assertEqual(said, [(self.name, "signed in"), ("", "sign-in refused")])
        self.assertNotIn(OTHER, repr(rows))


if __name__ == "__main__":
    unittest.main()
