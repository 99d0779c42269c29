"""What a book does by itself, on the page: said, run, paused and removed; a file that waits is answered on Import."""

from __future__ import annotations

import os
import re
import time

from playwright.sync_api import expect

from goldthread.actions import arriving, books, saved_views, schedules
from goldthread.core.choices import Beyond
from goldthread.stops.watched import watch_of
from tests.support.page import PageCase, faults_for_some
from tests.support.rounds import HEADER
from tests.support.sharing import deliver, new_book, write_csv


class Schedules(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.own = new_book(self.workspace)
        rows = [(f"F-{n}", f"C{n % 9}", f"2026-{1 + n % 11:02d}-{1 + n % 28:02d}", 10 + n, "paid") for n in range(40)]
        self.inbox = arriving.inbox(self.workspace.settings) / f"desk {self.own.id}"
        self.inbox.mkdir()
        deliver(self.workspace, self.own, write_csv(self.inbox / "first.csv", [HEADER, *rows]), "desk")
        (self.inbox / "first.csv").unlink()
        self.listed = self.page.get_by_test_id("schedules").get_by_role("listitem")

    def visit(self, stop: str = "schedules", query: str = "") -> None:
        self.page.goto(f"{self.address}/books/{self.own.id}/{stop}{query}")

    def watch(self) -> None:
        self.visit()
        self.page.get_by_label("When").fill("every weekday at 7")
        self.page.get_by_label("Source").fill("desk")
        self.page.get_by_role("textbox", name="Folder").fill(self.inbox.name)
        self.page.get_by_role("button", name="Add schedule").click()
        expect(self.listed).to_contain_text(
            f"Every weekday at 07:00 import the files of desk out of “{self.inbox.name}” in the inbox."
        )

    def test_a_target_is_a_line_where_its_figure_is_drawn(self) -> None:
        today = books.today_of(self.own)
        for question, query, bound in (
            ("cohorts", "period=month&cohort=newest&age=1", 35.0),
            ("newness", "measure=customers&at=newest&side=all", 4.0),
        ):
            what = watch_of(self.workspace, self.own, question, query, today)
            schedules.add_watch(self.workspace, self.own, "every day at 7", what, Beyond.BELOW, bound)
        lines = self.page.locator("line.target")
        self.visit("cohorts", "?period=month")
        expect(lines).to_have_count(1)
        expect(lines.locator("title")).to_have_text("target 35 %")
        # another question has no target: that of the newest month is none of a quarter's
        self.visit("cohorts", "?period=quarter")
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(lines).to_have_count(0)
        self.visit("newness", "?measure=customers")
        expect(lines).to_have_count(1)
        expect(self.page.get_by_text("target 4", exact=True)).to_be_visible()
        self.visit("newness", "?measure=orders")
        expect(self.page.get_by_role("img", name="orders by month, new and returning")).to_be_visible()
        expect(lines).to_have_count(0)

    def test_when_is_read_while_it_is_typed(self) -> None:
        self.visit()
        expect(self.page.get_by_text("As an expression: 0 6 * * 1")).to_be_visible()
        self.page.get_by_label("When").fill("now and then")
        expect(self.page.get_by_text("does not say when")).to_be_visible()
        self.page.get_by_label("When").fill("on the first of the month at 8")
        expect(self.page.get_by_text("As an expression: 0 8 1 * *")).to_be_visible()

    def test_a_file_comes_waits_and_is_answered(self) -> None:
        self.watch()
        path = write_csv(self.inbox / "week.csv", [(*HEADER, "coupon"), ("N-1", "C1", "2026-11-30", 20, "paid", "x")])
        os.utime(path, (time.time() - 3600,) * 2)
        self.listed.get_by_role("button", name="run now").click()
        expect(self.listed).to_contain_text("week.csv waits: No file of desk had the column “coupon” before.")
        self.visit("overview")
        self.page.get_by_role("link", name="week.csv of desk waits").click()
        waits = self.page.get_by_role("region", name="Files that wait")
        expect(waits).to_contain_text("“coupon”")
        waits.get_by_role("button", name="Look at it").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("week.csv")
        self.page.get_by_role("button", name="Import it").click()
        expect(self.page.get_by_text("That is imported.")).to_be_visible()
        expect(waits).to_have_count(0)
        self.assertEqual(books.find_book(self.workspace, self.own.id).revision, 2)
        self.visit()
        self.listed.get_by_role("button", name="history").click()
        expect(self.listed.get_by_role("listitem")).to_contain_text("asked for")

    def test_a_schedule_pauses_changes_and_goes(self) -> None:
        self.watch()
        self.listed.get_by_role("button", name="pause").click()
        expect(self.listed).to_contain_text("Paused.")
        self.listed.get_by_role("button", name="go on").click()
        expect(self.listed).to_contain_text("Next on")
        self.listed.get_by_role("button", name="change when").click()
        self.listed.get_by_label("When").fill("every hour")
        self.listed.get_by_role("button", name="Apply").click()
        expect(self.listed).to_contain_text("Every hour import")
        self.listed.get_by_role("button", name="remove").click()
        expect(self.page.get_by_text("Nothing yet.")).to_be_visible()

    def test_a_saved_view_is_sent_on_a_schedule(self) -> None:
        saved_views.save_view(self.workspace, self.own, "By quarter", "cohorts", "period=quarter", "words", None)
        self.visit("cohorts")
        self.page.get_by_role("button", name="Saved views").click()
        self.page.get_by_role("button", name="send on a schedule").click()
        expect(self.page).to_have_url(re.compile("/schedules"))
        expect(self.page.get_by_role("combobox", name="Letter")).to_have_value("By quarter")
        self.page.get_by_label("To", exact=True).fill("nobody")
        self.page.get_by_role("button", name="Add schedule").click()
        expect(self.page.get_by_text("“nobody” is no e-mail address.")).to_be_visible()
        self.page.get_by_label("To", exact=True).fill("mo@marlpit.example, ada@marlpit.example")
        self.page.get_by_label("Only when something is new").check()
        self.page.get_by_role("button", name="Add schedule").click()
        expect(self.listed).to_contain_text("send the view “By quarter” to 2 people, if something is new.")
        self.listed.get_by_role("button", name="run now").click()
        expect(self.listed).to_contain_text("No mail server is set up.")

    def test_an_opened_figure_is_watched_and_its_turn_stands_on_the_overview(self) -> None:
        self.visit("cohorts", "?open=2026-03~1")
        panel = self.page.get_by_role("region", name="Behind this number")
        panel.get_by_role("button", name="Watch this figure").click()
        self.page.get_by_label("Tell me when it").select_option("above")
        self.page.get_by_label("Bound, %").fill("-5")
        self.page.get_by_label("Always the newest cohort that is over").check()
        self.page.get_by_role("button", name="Watch it", exact=True).click()
        expect(self.page.get_by_role("status").filter(has_text="is over -5 %")).to_be_visible()
        self.assertEqual(faults_for_some(self.page), [])
        self.visit()
        expect(self.listed).to_contain_text("the newest cohort")
        self.listed.get_by_role("button", name="run now").click()
        expect(self.listed.get_by_role("img", name=re.compile("by month, and its bound -5"))).to_be_visible()
        self.visit("overview")
        expect(self.page.get_by_role("img", name=re.compile("and its bound -5"))).to_be_visible()
        self.assertEqual(faults_for_some(self.page), [])

    def test_everybody_can_use_it_at_any_width(self) -> None:
        self.watch()
        self.assertEqual(faults_for_some(self.page), [])
        self.page.set_viewport_size({"width": 320, "height": 800})
        self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 320)
