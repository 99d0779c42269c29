"""What who looks after an installation asks: does it live, can it answer, do its settings fit, is its proxy heard."""

from __future__ import annotations

import datetime as dt
import json
import unittest
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

from click.testing import CliRunner
from flask.testing import FlaskClient
from pydantic import ValidationError

from goldthread.actions.upkeep import unsafe, wrong_with
from goldthread.api.app import create_app
from goldthread.cli.main import main
from goldthread.settings import Settings
from goldthread.workspace import Workspace
from tests.support.api import ApiCase
from tests.support.running import ROOT, Place
from tests.support.sharing import shared_place


class Health(ApiCase):
    def test_a_server_that_lives_and_can_answer_says_so(self) -> None:
        for what in ("live", "ready"):
            self.assertEqual(self.get(f"/api/health/{what}"), {"well": True})

    def test_tables_of_another_version_are_told(self) -> None:
        with mock.patch("goldthread.store.server.engine.newest_revision", return_value="9999"):
            told = self.problem(self.client.get("/api/health/ready"), 503)
        self.assertIn("9999", told["detail"])

    def test_a_full_disk_is_told(self) -> None:
        with mock.patch("goldthread.actions.upkeep.LEAST_FREE_BYTES", 1 << 60):
            told = self.problem(self.client.get("/api/health/ready"), 507)
        self.assertIn(str(self.workspace.settings.var), told["detail"])

    def test_settings_that_cannot_work_here_are_named(self) -> None:
        fit = self.workspace.settings.model_copy(update={"web": ROOT / "web" / "dist"})
        self.assertEqual(wrong_with(fit), [])
        wrong = Settings(var=Path("/proc/nothing"), web=fit.var, smtp_host="mail.example")
        self.assertEqual([each.field for each in wrong_with(wrong)], ["var", "web", "smtp_from"])


class Backups(ApiCase):
    def test_the_last_backup_is_told_and_whether_it_is_too_old(self) -> None:
        place = self.workspace.settings
        daily = place.model_copy(update={"backup_daily_at": "03:00"})
        client = create_app(Workspace(daily, self.workspace.record)).test_client()
        note = place.var / "last-backup.json"
        self.addCleanup(note.unlink)
        self.assertEqual(client.get("/api/health/backup").json, {"made_at": None, "is_daily": True, "is_old": True})
        for days, old in ((1, False), (3, True)):
            made_at = (dt.datetime.now(dt.UTC) - dt.timedelta(days=days)).replace(microsecond=0)
            note.write_text(json.dumps({"made_at": made_at.isoformat(), "file": "x"}))
            told = client.get("/api/health/backup").get_json()
            self.assertEqual((told["is_old"], dt.datetime.fromisoformat(told["made_at"])), (old, made_at))
        self.assertFalse(self.get("/api/health/backup")["is_old"], "nobody wants one every day")


class BehindAProxy(ApiCase):
    ASKED: ClassVar = {
        "X-Forwarded-Proto": "https",
        "X-Forwarded-Host": "orders.example",
        "X-Forwarded-For": "203.0.113.9",
    }

    def client_of(self, **settings: Any) -> FlaskClient:
        known = self.workspace.settings.model_copy(update=settings)
        return create_app(Workspace(known, self.workspace.record)).test_client(use_cookies=False)

    def test_what_the_proxy_says_of_who_asks_is_believed_and_held_against_the_public_address(self) -> None:
        client = self.client_of(public_url="https://orders.example", trusted_proxies=1)
        session = client.get("/api/session", headers=self.ASKED)
        cookie = session.headers["Set-Cookie"]
        self.assertTrue(cookie.startswith("__Host-"), cookie)
        for part in ("; Secure", "; HttpOnly", "; Path=/", "; SameSite=Strict"):
            self.assertIn(part, cookie)
        assert session.json is not None
        told = {**self.ASKED, "Cookie": cookie.partition(";")[0], "X-CSRFToken": session.json["csrf_token"]}
        path, body = "/api/sign-in", {"name": "nobody", "password": "of an account"}
        for origin, status in (("https://evil.example", 403), ("https://orders.example", 401)):
            reply = client.post(path, json=body, headers={**told, "Origin": origin})
            self.assertEqual(reply.status_code, status, reply.text)
        self.problem(client.get("/api/books", headers={**self.ASKED, "X-Forwarded-Host": "evil.example"}), 400)
        self.problem(client.get("/api/books", headers=self.ASKED), 401)
        stream = self.client.get(f"{self.at}/changes")
        self.assertEqual(stream.headers["X-Accel-Buffering"], "no")
        stream.close()

    def test_without_a_proxy_nobody_is_believed(self) -> None:
        client = self.client_of()
        self.assertEqual(
            client.get("/api/books", headers={**self.ASKED, "X-Forwarded-Host": "evil.example"}).status_code, 200
        )
        self.assertNotIn("Secure", client.get("/api/session", headers=self.ASKED).headers["Set-Cookie"])

    def test_a_path_of_the_public_address_stands_before_everything(self) -> None:
        client = self.client_of(public_url="https://site.example/shop/orders", web=ROOT / "web" / "dist")
        for path in ("/shop/orders/api/health/live", "/api/health/live"):
            self.assertEqual(client.get(path).status_code, 200, "whether the proxy takes it away or not")
        page = client.get("/shop/orders/books/1/cohorts")
        self.assertIn('name="root" content="/shop/orders"', page.text)
        self.assertIn('src="/shop/orders/assets/index-', page.text)
        self.assertNotIn('"./', page.text)
        again = client.get("/shop/orders/", headers={"If-None-Match": page.headers["ETag"]})
        self.assertEqual((again.status_code, again.data), (304, b""))
        for wrong in ("https://site.example/a b", 'https://site.example/"', "site.example", "https://a@site.example"):
            with self.subTest(wrong), self.assertRaises(ValidationError):
                Settings(public_url=wrong)

    def test_a_server_that_others_could_reach_without_tls_is_refused(self) -> None:
        tls = {"public_url": "https://orders.example", "trusted_proxies": 1}
        for settings, is_safe in (
            ({"host": "127.0.0.1"}, True),
            ({"host": "::1"}, True),
            ({"host": "localhost"}, True),
            ({"host": "0.0.0.0"}, False),
            ({"host": "app.example"}, False),
            ({"host": "0.0.0.0", **tls}, True),
            ({"host": "0.0.0.0", **tls, "trusted_proxies": 0}, False),
            ({"host": "0.0.0.0", **tls, "public_url": "http://orders.example"}, False),
        ):
            with self.subTest(settings):
                self.assertEqual(unsafe(Settings(**settings)) is None, is_safe)
        told = CliRunner().invoke(main, ["serve"], env={**self.environment, "GOLDTHREAD_HOST": "0.0.0.0"})
        self.assertEqual(told.exit_code, 1)
        self.assertIn("Let a proxy that speaks TLS ask it", told.output)

    @property
    def environment(self) -> dict[str, str]:
        return shared_place().environment


class WithoutADatabase(unittest.TestCase):
    def test_it_lives_and_cannot_answer(self) -> None:
        place = Place()
        self.addCleanup(place.close)
        workspace = place.workspace()
        self.addCleanup(workspace.record.engine.dispose)
        client = create_app(workspace).test_client()
        place.database.stop()
        self.assertEqual(client.get("/api/health/live").status_code, 200)
        told = client.get("/api/health/ready")
        self.assertEqual((told.status_code, told.content_type), (503, "application/problem+json"))
        self.assertEqual(told.headers["Retry-After"], "5")


if __name__ == "__main__":
    unittest.main()
