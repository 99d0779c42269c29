"""The API of a workspace that holds the small history, asked through Flask's own client."""

from __future__ import annotations

import json
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any, ClassVar

from flask.testing import FlaskClient
from flask_openapi3 import OpenAPI
from werkzeug.test import TestResponse

from goldthread.api.app import create_app
from goldthread.processes import POLL_SECONDS
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace
from tests.support.sharing import shared_workspace, tiny_book, work_here

LIMIT_SECONDS = 60


class ApiCase(unittest.TestCase):
    app: ClassVar[OpenAPI]
    client: ClassVar[FlaskClient]
    workspace: ClassVar[Workspace]
    book: ClassVar[BookRow]
    at: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.workspace = shared_workspace()
        work_here()
        cls.app = create_app(cls.workspace)
        cls.client = cls.app.test_client()
        with tempfile.TemporaryDirectory() as folder:
            cls.book = tiny_book(cls.workspace, Path(folder))
        cls.at = f"/api/books/{cls.book.id}"

    def get(self, path: str, **headers: str) -> Any:
        reply = self.client.get(path, headers=headers)
        self.assertEqual(reply.status_code, 200, reply.text)
        return reply.json

    def changed(self, method: str, path: str, headers: dict[str, str] | None = None, **more: Any) -> TestResponse:
        told = {"X-CSRFToken": self.get("/api/session")["csrf_token"], **(headers or {})}
        return self.client.open(path, method=method, headers=told, **more)

    def ended(self, reply: TestResponse) -> Any:
        """The job that a reply began, when it is over."""
        self.assertEqual(reply.status_code, 202, reply.text)
        job = json.loads(reply.text)
        deadline = time.monotonic() + LIMIT_SECONDS
        while job["state"] == "running" and time.monotonic() < deadline:
            time.sleep(POLL_SECONDS)
            job = self.get(f"/api/jobs/{job['id']}")
        return job

    def problem(self, reply: TestResponse, status: int) -> dict[str, Any]:
        """The problem details of a reply that must be one."""
        self.assertEqual(reply.status_code, status, reply.text)
        self.assertEqual(reply.content_type, "application/problem+json")
        told: dict[str, Any] = json.loads(reply.text)
        self.assertEqual(told["status"], status)
        self.assertTrue(told["type"] and told["title"] and told["detail"])
        return told
