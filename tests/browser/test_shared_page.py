"""A view that is shared by a link, in Chromium: made by an owner, seen outside and within another site's page."""

from __future__ import annotations

import json
import re
import threading
import unittest
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import ClassVar

from playwright.sync_api import Page, expect

from goldthread.actions import briefs
from goldthread.actions.books import today_of
from goldthread.actions.shared_links import add_link
from goldthread.actor import AT_THE_DESK, Actor, Right, acting_as
from goldthread.stops.findings import keep
from goldthread.stops.registry import questions
from tests.support.page import faults_for_some
from tests.support.people_page import PeoplePageCase

PASSPHRASE = "slip and marl"


class _Site(SimpleHTTPRequestHandler):
    def log_message(self, *_: object) -> None:
        """Nobody reads it."""


class SharedPage(PeoplePageCase):
    folder: ClassVar[str]
    site: ClassVar[ThreadingHTTPServer]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = cls.enterClassContext(TemporaryDirectory())
        cls.site = ThreadingHTTPServer(("127.0.0.1", 0), partial(_Site, directory=cls.folder))
        cls.addClassCleanup(cls.site.server_close)
        threading.Thread(target=cls.site.serve_forever, daemon=True).start()
        cls.addClassCleanup(cls.site.shutdown)
        # by another name than the server's it is another site, which a browser sends no cookies of ours from
        cls.further = {"GOLDTHREAD_EMBEDDED_IN": json.dumps([f"http://localhost:{cls.site.server_port}"])}
        super().setUpClass()

    def _made(self, path: str, *chosen: str, passphrase: str = "") -> str:
        """The address of a link that an owner makes on the page."""
        page = self.signed_in("owner", f"/books/{self.book.id}/{path}")
        page.get_by_role("button", name="Share outside").click()
        panel = page.get_by_role("dialog", name="Share outside")
        for each in chosen:
            panel.get_by_label(re.compile(each)).check()
        panel.get_by_label("Passphrase").fill(passphrase)
        panel.get_by_role("button", name="Make link").click()
        address = panel.get_by_label("Address of the link")
        expect(address).to_have_value(re.compile(r"/shared/\d+#"))
        expect(panel.get_by_role("list").get_by_text("Not opened yet.").first).to_be_visible()
        return address.input_value()

    def _opened(self, address: str) -> Page:
        page = self.new_page()
        page.goto(address)
        expect(page.get_by_test_id("question")).to_be_visible()
        return page

    def test_somebody_outside_sees_the_view_with_its_definitions_and_opens_figures(self) -> None:
        page = self._opened(self._made("cohorts?period=year", "Figures can be opened"))
        expect(page.get_by_test_id("question")).to_contain_text("in each year")
        expect(page.get_by_test_id("reading")).to_contain_text("Reading orders of every source")
        expect(page.get_by_text("As it stands now. Shared by owner one; this link holds until")).to_be_visible()
        expect(page.get_by_role("navigation")).to_have_count(0)
        page.get_by_role("button", name="Retention rate").click()
        expect(page.get_by_role("region", name="What it means")).to_contain_text("cohort")
        page.get_by_role("button", name="close", exact=True).click()
        page.get_by_role("gridcell").nth(1).click()
        behind = page.get_by_role("region", name="Behind this number")
        expect(behind.get_by_text(re.compile("Counted here"))).to_be_visible()
        expect(behind.get_by_role("link")).to_have_count(0)
        expect(behind.get_by_role("button")).to_have_text(["Close"])
        page.reload()
        expect(behind.get_by_text(re.compile("Counted here"))).to_be_visible()
        self.assertEqual(faults_for_some(page), [])

    def test_a_brief_is_shared_and_read_outside(self) -> None:
        with acting_as(AT_THE_DESK):
            row = briefs.add_brief(self.workspace, self.book, "For the board")
            keeping = partial(keep, self.workspace, self.book, today_of(self.book))
            pinned = {"stop": "newness", "query": "period=month", "figure": ""}
            told = ("Who is new", "Look *here*.", pinned, keeping)
            briefs.add_finding(self.workspace, self.book, row, *told, live=True)
        page = self.new_page()
        page.goto(self._made(f"briefs?brief={row.id}"))
        expect(page.get_by_role("heading", level=1)).to_have_text("For the board")
        finding = page.get_by_test_id("finding")
        expect(finding).to_contain_text("Who is new")
        self.assertGreater(finding.get_by_role("img").evaluate("img => img.decode().then(() => img.naturalWidth)"), 100)
        expect(finding.get_by_role("link")).to_have_count(0)
        expect(finding.get_by_role("button")).to_have_count(0)
        self.assertEqual(faults_for_some(page), [])

    def test_what_it_does_not_reach_is_said_and_not_opened(self) -> None:
        page = self._opened(self._made("threads?view=customers"))
        rows = page.get_by_role("row")
        expect(rows.nth(1)).to_be_visible()
        at = page.url
        rows.nth(1).click()
        expect(page.get_by_role("status").get_by_text("This link shows one view and opens no figures.")).to_be_visible()
        self.assertEqual(page.url, at)
        page.get_by_role("button", name="close", exact=True).click()
        expect(page.get_by_text("For more, ask owner one.")).to_have_count(0)

    def test_a_passphrase_is_asked_for_and_an_ended_link_says_so(self) -> None:
        address = self._made("rhythm?view=gaps", "as they are now", passphrase=PASSPHRASE)
        page = self.new_page()
        page.goto(address)
        expect(page.get_by_role("heading", level=1)).to_have_text("This link has a passphrase")
        for given in ("slip", PASSPHRASE):
            page.get_by_label("Passphrase").fill(given)
            page.get_by_role("button", name="Open").click()
            if given != PASSPHRASE:
                expect(page.get_by_role("alert")).to_contain_text("This is not the passphrase.")
        expect(page.get_by_test_id("question")).to_contain_text("How many days pass")
        expect(page.get_by_role("contentinfo")).to_contain_text("As it was on")
        owner = self.signed_in("owner", f"/books/{self.book.id}/cohorts")
        owner.get_by_role("button", name="Share outside").click()
        panel = owner.get_by_role("dialog", name="Share outside")
        mine = panel.get_by_role("listitem").filter(has_text="with a passphrase")
        expect(mine).to_contain_text("Opened 1 time, last")
        mine.get_by_role("button", name="end it").click()
        expect(mine).to_have_count(0)
        page.reload()
        expect(page.get_by_role("alert")).to_contain_text("This link has ended, or its address is not whole.")

    def test_another_site_holds_it_in_a_frame_where_the_settings_name_it(self) -> None:
        address = self._made("cohorts?period=year")
        frame = f'<!doctype html><iframe src="{address}" width="1200" height="700"></iframe>'
        (Path(self.folder) / "index.html").write_text(frame, encoding="utf-8")
        page = self.new_page()
        page.goto(f"http://localhost:{self.site.server_port}/index.html")
        held = page.frame_locator("iframe")
        expect(held.get_by_test_id("question")).to_contain_text("in each year")
        # the same site by a name that the settings do not give
        with page.expect_console_message(lambda told: "frame-ancestors" in told.text):
            page.goto(f"http://127.0.0.1:{self.site.server_port}/index.html")
        expect(held.get_by_test_id("question")).to_have_count(0)

    def test_every_view_that_answers_a_question_is_drawn(self) -> None:
        page, owner, faults = self.new_page(), self.users["owner"], list[str]()
        page.on("pageerror", lambda fault: faults.append(fault.message))
        page.on("response", lambda reply: faults.append(f"{reply.status} {reply.url}") if not reply.ok else None)
        shared = [(stop, kind) for stop, kind in questions() if kind.right is Right.ASK]
        self.assertGreater(len(shared), 20)
        for stop, kind in shared:
            query = f"view={kind.name}" if len(stop.questions) > 1 else ""
            with acting_as(Actor(owner.name, owner.id)):
                address = add_link(
                    self.workspace, self.book, kind.name, stop.name, query, today_of(self.book), opens_figures=True
                )
            page.goto(address)
            with self.subTest(view=kind.name):
                expect(page.get_by_test_id("question")).to_be_visible()
                expect(page.get_by_role("contentinfo")).to_contain_text("Shared by owner one")
                self.assertEqual((page.get_by_role("alert").all_inner_texts(), faults), ([], []))

    def test_others_than_owners_are_offered_no_link(self) -> None:
        page = self.signed_in("analyst", f"/books/{self.book.id}/cohorts")
        expect(page.get_by_role("button", name="copy link")).to_be_visible()
        expect(page.get_by_role("button", name="Share outside")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
