"""A link for somebody outside shows its one view for as long as it holds, and nothing else."""

from __future__ import annotations

import base64
import datetime as dt
import struct
import tempfile
import unittest
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any
from unittest.mock import Mock, patch
from urllib.parse import urlsplit

from flask.testing import FlaskClient
from sqlalchemy import insert, text
from werkzeug.test import TestResponse

from goldthread.actions import briefs, people, schedules
from goldthread.actions.books import today_of
from goldthread.actions.log import read_log
from goldthread.actor import AT_THE_DESK, Role, acting_as
from goldthread.api import access
from goldthread.api.app import create_app
from goldthread.core import limits
from goldthread.stops import outside
from goldthread.stops.findings import keep
from goldthread.store import shared_links
from goldthread.store.log import LogChoice
from goldthread.store.schema.rounds import ScheduleRun
from tests.support.people import PeopleCase
from tests.support.sharing import deliver, write_csv

PASSPHRASE = "slip and marl"
COHORTS = {"name": "Cohorts for the board", "stop": "cohorts", "query": "period=year"}
CUSTOMERS = {"name": "Who orders", "stop": "threads", "query": "view=customers&by=orders"}

_COUNTED = count(1)


class SharedLinks(PeopleCase):
    def setUp(self) -> None:
        with self.workspace.record.engine.begin() as connection:
            for table in ("shared_links", "sign_in_tries"):
                connection.execute(text(f"DELETE FROM {table}"))
        self.owner = self.client("owner")

    def _made(self, view: dict[str, str], status: int = 201, client: FlaskClient | None = None, **how: Any) -> Any:
        until = today_of(self.book) + dt.timedelta(days=how.pop("days", 7))
        body = view | {"until": until.isoformat()} | how
        return self.changed(client or self.owner, "POST", f"{self.at}/links", status, json=body)

    def _link(self, view: dict[str, str], **how: Any) -> tuple[str, str]:
        """The address of a link in the interface, and its secret."""
        parts = urlsplit(self._made(view, **how)["address"])
        return f"/api{parts.path}", parts.fragment

    def _get(self, path: str, secret: str, passphrase: str = "", **more: Any) -> TestResponse:
        given = base64.b64encode(f"{secret}:{passphrase}".encode()).decode()
        return self.app.test_client().get(path, headers={"Authorization": f"Basic {given}"}, **more)

    def _names(self) -> set[str]:
        with acting_as(AT_THE_DESK):
            about = self.workspace.orders(self.book.id).orders.customers.texts
        known, numbers = (
            {about[name].at(at) for name in names for at in range(about[name].count)}
            for names in (("name", "email"), ("number",))
        )
        return {each for each in known - numbers if each}

    def test_what_the_book_does_by_itself_is_told_to_whoever_may_change_it_alone(self) -> None:
        with acting_as(AT_THE_DESK):
            row = schedules.add_folder(self.workspace, self.book, "every hour", "counter", "kept to ourselves")
            run = {"state": "failed", "said": "kept to ourselves", "due_at": row.due_at, "begun_at": row.due_at}
            with self.workspace.record.engine.begin() as connection:
                connection.execute(
                    insert(ScheduleRun).values(schedule_id=row.id, job_id="", skipped=0, ended_at=row.due_at, **run)
                )
        self.addCleanup(schedules.remove, self.workspace, self.book, row)
        path, secret = self._link({"name": "How it stands", "stop": "overview", "query": ""})
        frozen, key = self._link({"name": "As it stood", "stop": "overview", "query": ""}, frozen=True)
        for client, is_told in (("owner", True), ("analyst", True), ("reader", False)):
            with self.subTest(client):
                told = self.client(client).get(f"{self.at}/ask/summary").get_json()["looks"]
                self.assertEqual("kept to ourselves" in [each["why"] for each in told], is_told)
        for link, own in ((path, secret), (frozen, key)):
            self.assertNotIn("kept to ourselves", self._get(f"{link}/answer", own).text)

    def _brief(self, *pinned: dict[str, str] | None, live: bool = True) -> dict[str, str]:
        with acting_as(AT_THE_DESK):
            row = briefs.add_brief(self.workspace, self.book, f"Brief {next(_COUNTED)}")
            keeping = partial(keep, self.workspace, self.book, today_of(self.book))
            for each in pinned:
                briefs.add_finding(self.workspace, self.book, row, "Found", "In *words*.", each, keeping, live=live)
        return {"name": row.name, "stop": "briefs", "query": f"brief={row.id}"}

    def test_a_brief_is_shown_with_its_pictures_and_nothing_leads_further(self) -> None:
        cell = {"stop": "cohorts", "query": "period=year", "figure": "cohort=2024&age=1"}
        path, secret = self._link(self._brief(cell, None))
        self.assertEqual(self._get(path, secret).get_json()["question"], "brief")
        found = self._get(f"{path}/answer", secret).get_json()
        first, words = found["findings"]
        inside = self.owner.get(f"{self.at}/briefs/{found['brief']['id']}").get_json()["findings"][0]
        self.assertEqual((first["figure"], first["words"]), (inside["figure"], inside["words"]))
        self.assertTrue(first["picture"].startswith("data:image/png;base64,"))
        width, height = struct.unpack(">II", base64.b64decode(first["picture"].split(",")[1])[16:24])
        self.assertEqual((width, height), (first["picture_width"], first["picture_height"]))
        self.assertEqual((first["pinned"], first["made_by"], found["brief"]["made_by"]), ({}, "", ""))
        self.assertEqual((words["pinned"], words["picture"]), (None, ""))
        self.assertEqual(self._get(f"{path}/behind?{cell['figure']}", secret).status_code, 403)
        frozen, key = self._link(self._brief(cell), frozen=True)
        self.assertEqual(self._get(f"{frozen}/answer", key).get_json()["findings"][0]["figure"], first["figure"])

    def test_a_brief_that_may_name_customers_is_shared_with_their_names_alone(self) -> None:
        names = {"stop": "threads", "query": "", "figure": ""}
        by_name = {"stop": "cohorts", "query": "where=name+%3D+'Ada+O''Fallon'", "figure": ""}
        for view in (self._brief(names, live=False), self._brief(by_name)):
            self.assertIn("names customers", self._made(view, 422)["detail"])
            path, secret = self._link(view, shows_people=True)
            self.assertEqual(self._get(f"{path}/answer", secret).status_code, 200)
        # a table that is live shows numbers in place of names
        path, secret = self._link(self._brief(names))
        shown = self._get(f"{path}/answer", secret).text
        self.assertEqual([name for name in self._names() if name in shown], [])
        self.assertIn("No brief is opened", self._made({**COHORTS, "stop": "briefs"}, 422)["detail"])

    def test_whoever_has_the_link_sees_the_view_and_what_it_is(self) -> None:
        path, secret = self._link(COHORTS)
        told = self._get(path, secret).get_json()
        self.assertEqual((told["name"], told["made_by"]), ("Cohorts for the board", "owner one"))
        self.assertEqual((told["stop"], told["question"], told["query"]), ("cohorts", "cohorts", "period=year"))
        self.assertEqual(told["book"]["name"], self.book.name)
        shown = self._get(f"{path}/answer", secret)
        expected = self.owner.get(f"{self.at}/ask/cohorts?period=year").get_json()
        self.assertTrue(any(control["options"] for control in expected["controls"]))
        for control in expected["controls"]:
            control["options"] = []
        self.assertEqual(shown.get_json(), expected)
        again = self._get(f"{path}/answer?period=month&as_of=2024-01-01", secret)
        self.assertEqual(again.get_json(), expected, "the question is the link's, whatever else is said")
        self.assertEqual(shown.headers["Cache-Control"], "private, no-store")

    def test_nothing_else_is_reached_by_it(self) -> None:
        path, secret = self._link(COHORTS, shows_people=True, opens_figures=True)
        for other in (self.at, f"{self.at}/ask/cohorts?period=year", f"{self.at}/ask/customers", f"{self.at}/links"):
            with self.subTest(path=other):
                self.assertEqual(self._get(other, secret).status_code, 401)
        self.assertEqual(self.app.test_client().get(path).status_code, 404)
        self.assertEqual(self._get(path, secret[:-1]).status_code, 404)
        number = int(path.rsplit("/", 1)[1])
        self.assertEqual(self._get(f"/api/shared/{number + 1}", secret).status_code, 404)
        # another link's secret opens its own view alone
        other_path, other_secret = self._link(CUSTOMERS)
        self.assertEqual(self._get(path, other_secret).status_code, 404)
        self.assertEqual(self._get(other_path, other_secret).status_code, 200)

    def test_customers_are_numbers_unless_the_owner_shows_them(self) -> None:
        names = self._names()
        self.assertGreater(len(names), 5)
        for shows, expected in ((False, False), (True, True)):
            path, secret = self._link(CUSTOMERS, shows_people=shows, opens_figures=True)
            frozen, other = self._link(CUSTOMERS, shows_people=shows, frozen=True)
            _, cohorts = figures = self._link(COHORTS, shows_people=shows, opens_figures=True)
            replies = [
                self._get(f"{path}/answer?limit=200", secret),
                self._get(f"{frozen}/answer", other),
                self._get(f"{figures[0]}/behind?cohort=all&age=0", cohorts),
            ]
            for reply in replies:
                self.assertEqual(reply.status_code, 200, reply.text)
                told = {name for name in names if name in reply.text}
                with self.subTest(shows=shows, path=reply.request.path):
                    self.assertEqual(bool(told), expected, told)

    def test_a_view_whose_filter_names_customers_shows_them_or_is_not_shared(self) -> None:
        named = COHORTS | {"query": "where=name+LIKE+'A%25'"}
        self.assertEqual(self._made(named, 422)["field"], "shows_people")
        self._made(named, shows_people=True)
        unknown = COHORTS | {"query": "where=no_such_field+=+1"}
        self.assertEqual(self._made(unknown, 422)["field"], "where")

    def test_one_of_now_stays_as_it_is_and_others_follow_the_book(self) -> None:
        live, frozen = self._link(CUSTOMERS), self._link(CUSTOMERS, frozen=True)
        before = [self._get(f"{path}/answer", secret).get_json() for path, secret in (live, frozen)]
        self.assertEqual(before[0]["count"], before[1]["count"])
        with tempfile.TemporaryDirectory() as folder, acting_as(AT_THE_DESK):
            rows = [("order", "customer_no", "date", "amount"), ("new-1", "Z-9", "2025-06-01", "10")]
            deliver(self.workspace, self.book, write_csv(Path(folder) / "one more.csv", rows), "counter")
        after = [self._get(f"{path}/answer", secret).get_json() for path, secret in (live, frozen)]
        self.assertEqual(after[0]["count"], before[0]["count"] + 1)
        self.assertEqual(after[1], before[1])

    def test_figures_are_opened_where_the_link_allows_it(self) -> None:
        figure = "behind?cohort=all&age=0&limit=5"
        path, secret = self._link(COHORTS, opens_figures=True)
        opened = self._get(f"{path}/{figure}", secret)
        inside = self.client("reader").get(f"{self.at}/ask/cohorts/{figure}&period=year").get_json()
        self.assertEqual((opened.get_json()["value"], len(opened.get_json()["threads"])), (inside["value"], 5))
        wrong = self._get(f"{path}/behind?cohort=1999", secret)
        self.assertEqual((wrong.status_code, wrong.get_json()["field"]), (422, "age"))
        closed, other = self._link(COHORTS)
        refused = self._get(f"{closed}/{figure}", other)
        self.assertEqual((refused.status_code, refused.get_json()["detail"]), (403, "This link opens no figures."))
        told = self._made(COHORTS, 422, frozen=True, opens_figures=True)
        self.assertEqual(told["field"], "opens_figures")

    def test_a_passphrase_is_asked_for_and_guessing_it_is_slowed(self) -> None:
        path, secret = self._link(COHORTS, passphrase=PASSPHRASE)
        for given in ("", "slip"):
            told = self._get(path, secret, given)
            self.assertEqual((told.status_code, told.get_json()["type"]), (401, "urn:goldthread:PassphraseNeeded"))
        self.assertEqual(self._get(path, secret, PASSPHRASE).status_code, 200)
        wrong = [self._get(f"{path}/answer", secret, "marl").status_code for _ in range(6)]
        self.assertEqual((wrong[0], wrong[-1]), (401, 429))
        # who has given it goes on meanwhile
        self.assertEqual(self._get(f"{path}/answer", secret, PASSPHRASE).status_code, 200)
        self.assertEqual(self._made(COHORTS, 422, passphrase="short")["field"], "passphrase")

    def test_links_are_listed_counted_and_ended(self) -> None:
        path, secret = self._link(COHORTS, passphrase=PASSPHRASE)
        for _ in range(3):
            self._get(path, secret, PASSPHRASE)
            self._get(f"{path}/answer", secret, PASSPHRASE)
        listed = self.owner.get(f"{self.at}/links").get_json()["links"]
        self.assertEqual(
            [(each["name"], each["opened"], each["has_passphrase"]) for each in listed], [(COHORTS["name"], 3, True)]
        )
        self.assertEqual(listed[0]["last_day"], (today_of(self.book) + dt.timedelta(days=7)).isoformat())
        self.assertNotIn(secret, str(listed))
        number = path.rsplit("/", 1)[1]
        other = self.changed(self.client("stranger"), "DELETE", f"/api/books/{self.other_book.id}/links/{number}", 404)
        self.assertEqual(other["detail"], "This link has ended already.")
        self.assertEqual(self.changed(self.owner, "DELETE", f"{self.at}/links/{number}", 200), {"links": []})
        for part in ("", "/answer", "/behind?cohort=all&age=0"):
            self.assertEqual(self._get(path + part, secret, PASSPHRASE).status_code, 404)
        _, rows = read_log(self.workspace, LogChoice(self.book.id), 0, 4)
        said = [(row.who, row.deed, row.subject) for row in rows if row.deed.startswith("link")]
        name = COHORTS["name"]
        self.assertEqual(
            said, [("owner one", "link ended", name), ("", "link opened", name), ("owner one", "link made", name)]
        )

    def test_it_holds_to_the_end_of_its_day_while_whoever_made_it_owns_the_book(self) -> None:
        path, secret = self._link(COHORTS, days=0)
        self.assertEqual(self._get(path, secret).status_code, 200)
        with acting_as(AT_THE_DESK):
            people.set_member(self.workspace, self.book, self.users["admin"], Role.OWNER)
            people.set_member(self.workspace, self.book, self.users[Role.OWNER], Role.ANALYST)
            self.assertEqual(self._get(path, secret).status_code, 404)
            self.assertEqual(shared_links.list_links(self.workspace.record.engine, self.book.id), [])
            people.set_member(self.workspace, self.book, self.users[Role.OWNER], Role.OWNER)
            people.remove_member(self.workspace, self.book, self.users["admin"])
        self.assertEqual(self._get(path, secret).status_code, 200)
        with self.workspace.record.engine.begin() as connection:
            connection.execute(text("UPDATE shared_links SET ends_at = UTC_TIMESTAMP(6)"))
        self.assertEqual(self._get(path, secret).status_code, 404)
        for days in (-1, 400):
            self.assertEqual(self._made(COHORTS, 422, days=days)["field"], "until")

    def test_there_is_an_end_to_how_many_how_long_and_how_often(self) -> None:
        with patch.object(shared_links, "LINKS_MOST", 2):
            paths = [self._link(COHORTS) for _ in range(2)]
            self._made(COHORTS, 413)
            with self.workspace.record.engine.begin() as connection:
                connection.execute(text("UPDATE shared_links SET ends_at = UTC_TIMESTAMP(6) LIMIT 1"))
            paths.append(self._link(COHORTS))
        with patch.object(outside, "FROZEN_ROWS_MOST", 3):
            self.assertEqual(self._made(CUSTOMERS, 413, frozen=True)["field"], "frozen")
        with patch.object(outside, "FROZEN_BYTES_MOST", 1_000):
            self.assertEqual(self._made(COHORTS, 413, frozen=True)["field"], "frozen")
        self.assertLessEqual(limits.FROZEN_ROWS_MOST, 200, "the page asks for so many at once")
        worked = {"name": "work", "stop": "followup", "query": "view=worked&list=anything"}
        self.assertEqual(self._made(worked, 422)["field"], "view")
        settings = self.workspace.settings.model_copy(update={"token_requests_per_minute": 3})
        with patch.object(self.workspace, "settings", settings), patch.object(access, "time", Mock(time=lambda: 90.0)):
            replies = [self._get(*paths[-1]).status_code for _ in range(5)]
        self.assertEqual(replies, [200] * 3 + [429] * 2)

    def test_a_view_of_lists_that_are_the_makers_own_is_shown_as_they_see_it(self) -> None:
        self.changed(self.owner, "POST", f"{self.at}/ask/customers/list", 201, json={"name": "own people"})
        path, secret = self._link({"name": "mine", "stop": "cohorts", "query": "list=own+people"})
        shown = self._get(f"{path}/answer", secret)
        self.assertEqual(shown.status_code, 200, shown.text)
        self.assertIn("own people", shown.text)

    def test_its_page_may_be_held_in_a_frame_of_the_sites_that_the_settings_name(self) -> None:
        def policy(app: Any, path: str) -> str:
            return str(app.test_client().get(path).headers["Content-Security-Policy"])

        self.assertIn("frame-ancestors 'none'", policy(self.app, "/shared/1"))
        settings = self.workspace.settings.model_copy(update={"embedded_in": ("https://intranet.example",)})
        with patch.object(self.workspace, "settings", settings):
            app = create_app(self.workspace)
        self.assertIn("frame-ancestors https://intranet.example", policy(app, "/shared/1"))
        for path in ("/", "/books/1/cohorts", "/api/shared/1", "/shared/", "/shared/1/cohorts"):
            self.assertIn("frame-ancestors 'none'", policy(app, path))


if __name__ == "__main__":
    unittest.main()
