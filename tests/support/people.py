"""A Gold Thread with accounts: one for each role in a book, an administrator, and somebody of another book."""

from __future__ import annotations

import secrets
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

from flask.testing import FlaskClient
from flask_openapi3 import OpenAPI

from goldthread.actions import people
from goldthread.actor import AT_THE_DESK, Role, act_as, acting_as
from goldthread.api.access import SESSION
from goldthread.api.app import create_app
from goldthread.server import worker_of
from goldthread.store import sign_ins
from goldthread.store.books import BookRow
from goldthread.store.people import UserRow
from goldthread.workspace import Workspace
from tests.support.running import Place
from tests.support.sharing import new_book, tiny_book

PASSWORD = "marl slip kiln otter"


class PeopleCase(unittest.TestCase):
    """``users``: by role, and ``admin`` and ``stranger``, who owns another book."""

    place: ClassVar[Place]
    workspace: ClassVar[Workspace]
    app: ClassVar[OpenAPI]
    book: ClassVar[BookRow]
    other_book: ClassVar[BookRow]
    users: ClassVar[dict[str, UserRow]]
    at: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        # whoever acted last in this thread acts no more
        act_as(AT_THE_DESK)
        cls.addClassCleanup(act_as, AT_THE_DESK)
        cls.place = Place()
        cls.addClassCleanup(cls.place.close)
        cls.workspace = cls.place.workspace()
        cls.addClassCleanup(cls.workspace.record.engine.dispose)
        with tempfile.TemporaryDirectory() as folder:
            cls.book = tiny_book(cls.workspace, Path(folder))
        cls.other_book = new_book(cls.workspace)
        cls.at = f"/api/books/{cls.book.id}"
        cls.app = create_app(cls.workspace)
        worker = worker_of(cls.workspace)
        worker.start()
        cls.addClassCleanup(worker.end)
        with acting_as(AT_THE_DESK):
            names = ("admin", *Role, "stranger")
            cls.users = {
                name: people.add_user(cls.workspace, f"{name} one", is_admin=name == "admin") for name in names
            }
            for role in Role:
                people.set_member(cls.workspace, cls.book, cls.users[role], role)
            people.set_member(cls.workspace, cls.other_book, cls.users["stranger"], Role.OWNER)
            for book in (cls.book, cls.other_book):
                people.remove_member(cls.workspace, book, cls.users["admin"])

    def client(self, name: str = "", *, ended: bool = False) -> FlaskClient:
        """A browser in which somebody has signed in, or nobody."""
        client = self.app.test_client()
        if name:
            secret, user = secrets.token_urlsafe(32), self.users[name]
            sign_ins.begin_sign_in(self.workspace.record.engine, user.id, secret, "127.0.0.1", "test", is_whole=True)
            with client.session_transaction() as session:
                session[SESSION] = secret
            if ended:
                sign_ins.end_sign_ins(self.workspace.record.engine, user.id)
        return client

    def token(self, name: str, role: Role, book: BookRow | None = None) -> dict[str, str]:
        """Headers of a program with a token of somebody."""
        secret, _ = people.add_token(self.workspace, self.users[name], book or self.book, role, "test", 1)
        return {"Authorization": f"Bearer {secret}"}

    def changed(self, client: FlaskClient, method: str, path: str, status: int, **more: Any) -> Any:
        """What a change told, which must have a status; the page's token is sent with it."""
        csrf = client.get("/api/session").get_json()["csrf_token"]
        reply = client.open(path, method=method, headers={"X-CSRFToken": csrf}, **more)
        self.assertEqual(reply.status_code, status, reply.text)
        return reply.get_json(silent=True)
