"""Where a server is reached from other machines nothing is to be had before the first account."""

from __future__ import annotations

import unittest
from typing import Any

from flask.testing import FlaskClient

from goldthread.actor import AT_THE_DESK, act_as
from goldthread.api.app import create_app
from goldthread.workspace import Workspace
from tests.support.people import PASSWORD
from tests.support.running import Place
from tests.support.sharing import new_book


class FirstAccount(unittest.TestCase):
    def setUp(self) -> None:
        act_as(AT_THE_DESK)
        self.addCleanup(act_as, AT_THE_DESK)
        place = Place()
        self.addCleanup(place.close)
        opened = place.workspace()
        self.addCleanup(opened.record.engine.dispose)
        self.book = new_book(opened)
        told = {"public_url": "https://localhost.example", "trusted_proxies": 1}
        self.workspace = Workspace(opened.settings.model_copy(update=told), opened.record)

    def _client(self) -> FlaskClient:
        client = create_app(self.workspace).test_client()
        client.environ_base |= {"HTTP_X_FORWARDED_PROTO": "https", "HTTP_X_FORWARDED_HOST": "localhost.example"}
        return client

    def _made(self, client: FlaskClient, code: str, status: int) -> Any:
        session = client.get("/api/session", base_url="https://localhost.example").get_json()
        body = {"name": "Ines", "password": PASSWORD, "code": code}
        headers = {"X-CSRFToken": session["csrf_token"]}
        reply = client.post("/api/first-account", json=body, headers=headers, base_url="https://localhost.example")
        self.assertEqual(reply.status_code, status, reply.text)
        return reply.get_json()

    def test_whoever_reads_files_of_the_server_makes_it_and_owns_the_books(self) -> None:
        client = self._client()
        known = client.get("/api/session", base_url="https://localhost.example").get_json()
        self.assertEqual((known["wants_first_account"], known["has_accounts"]), (True, False))
        self.assertEqual(client.get("/api/books", base_url="https://localhost.example").status_code, 401)
        self._made(client, "guessed", 401)
        made = self._made(client, self.workspace.settings.first_account_code, 200)
        self.assertEqual((made["person"]["name"], made["person"]["is_admin"]), ("Ines", True))
        books = client.get("/api/books", base_url="https://localhost.example").get_json()["books"]
        self.assertEqual([(book["id"], book["role"]) for book in books], [(self.book.id, "owner")])
        self._made(self._client(), self.workspace.settings.first_account_code, 409)


if __name__ == "__main__":
    unittest.main()
