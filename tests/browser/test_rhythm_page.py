"""Rhythm as a person uses it, in Chromium: the window, bars, histograms of gaps, curves, who is due."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import icalendar
from playwright.sync_api import Locator, expect

from tests.support.page import PageCase

AS_OF = "as_of=2025-08-31"


class RhythmCase(PageCase):
    def rhythm(self, query: str = "") -> None:
        self.open(f"/books/{self.tiny.id}/rhythm?{AS_OF}{query and '&'}{query}")
        expect(self.page.get_by_test_id("question")).to_be_visible()
        self.settled()

    @property
    def asked(self) -> dict[str, list[str]]:
        return parse_qs(urlsplit(self.page.url).query)

    def bar(self, name: str) -> Locator:
        return self.page.get_by_role("group", name="Customers by number of orders").get_by_role("button", name=name)


class Counts(RhythmCase):
    def test_the_window_is_moved_by_keys_by_dragging_and_by_typing(self) -> None:
        self.rhythm()
        heading = self.page.get_by_role("heading", level=1)
        expect(heading).to_contain_text("did customers place from 15 Jan 2024 to 31 Aug 2025?")
        begins, ends = (self.page.get_by_role("slider", name=f"The window {which}") for which in ("begins", "ends"))
        begins.focus()
        for _ in range(12):
            self.page.keyboard.press("ArrowRight")
        expect(heading).to_contain_text("from 1 Jan 2025 to 31 Aug 2025")
        expect(self.bar("1 order: 10 customers")).to_be_visible()
        ends.focus()
        self.page.keyboard.press("Shift+ArrowLeft")
        expect(heading).to_contain_text("to 30 Aug 2025")
        self.page.keyboard.press("ArrowLeft")
        expect(heading).to_contain_text("to 31 Jul 2025")
        self.page.keyboard.press("End")
        self.word("From").click()
        self.page.get_by_label("a date").fill("2024-03-10")
        self.page.get_by_role("button", name="Apply").click()
        expect(heading).to_contain_text("from 10 Mar 2024 to 31 Aug 2025")
        self.assertEqual(self.asked["from"], ["2024-03-10"])

    def test_counts_follow_while_the_window_is_dragged_and_the_address_when_it_is_let_go(self) -> None:
        self.rhythm()
        brush = self.page.get_by_role("group", name="The window on the months of the book")
        begins = self.page.get_by_role("slider", name="The window begins")
        heading = self.page.get_by_role("heading", level=1)
        at, whole = begins.bounding_box(), brush.bounding_box()
        assert at is not None
        assert whole is not None
        self.page.mouse.move(at["x"] + 7, at["y"] + 7)
        self.page.mouse.down()
        self.page.mouse.move(whole["x"] + whole["width"] * 0.6, at["y"] + 7, steps=12)
        expect(heading).to_contain_text(re.compile("from .* 2025 to 31 Aug 2025"))
        self.assertNotIn("from", self.asked)
        self.page.mouse.up()
        expect(heading).to_contain_text(re.compile("from .* 2025 to 31 Aug 2025"))
        expect(self.page).to_have_url(re.compile(r"[?&]from=2025"))
        before = self.asked
        middle = whole["x"] + whole["width"] * 0.8
        self.page.mouse.move(middle, at["y"] + 7)
        self.page.mouse.down()
        self.page.mouse.move(middle - 120, at["y"] + 7, steps=6)
        self.page.mouse.up()
        expect(self.page).not_to_have_url(re.compile(rf"[?&]to={before['to'][0]}"))
        self.assertLess(self.asked["from"][0], before["from"][0])
        self.page.go_back()
        expect(begins).to_have_attribute("aria-valuetext", re.compile("2025"))

    def test_bars_are_chosen_together_and_kept_as_a_list(self) -> None:
        self.rhythm("groups=4")
        self.bar("2 orders: 6 customers").click()
        expect(self.panel).to_contain_text("Customers with 2 orders from 15 Jan 2024 to 31 Aug 2025.")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.bar("4 or more orders: 2 customers").click()
        expect(self.panel).to_contain_text("Customers with 2 or 4 or more orders")
        expect(self.panel).to_contain_text("customers, 73 % of the 11 who ordered then")
        self.bar("2 orders: 6").click()
        expect(self.bar("2 orders: 6")).to_have_attribute("aria-pressed", "false")
        self.keep("often")
        self.page.get_by_role("link", name="Threads").click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("often")

    def test_the_ladder_leads_to_the_curve_and_the_table_says_the_same(self) -> None:
        self.rhythm("groups=4")
        step = self.page.get_by_role("button", name="45 %: of 11 with 2 orders or more, 5 placed one more")
        expect(step).to_have_text("45 %")
        self.page.get_by_role("button", name="as a table").click()
        row = self.page.get_by_role("row", name=re.compile("^3 "))
        expect(row).to_contain_text("27.3")
        row.get_by_role("rowheader").click(modifiers=["Shift"])
        expect(self.page.get_by_test_id("selected-figures").get_by_role("row")).to_contain_text(
            ["Sum of 3 rows9", "Mean3.0", "Median3"]
        )
        self.page.get_by_role("button", name="as a drawing").click()
        step.click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text(
            "How long until the next order of any kind after the second of any kind"
        )


class Gaps(RhythmCase):
    def test_rows_and_bars_open_and_purchase_days_change_the_reading(self) -> None:
        self.rhythm("view=gaps")
        guide = self.page.get_by_role("complementary")
        expect(guide).to_contain_text("18 gaps of 11 customers")
        expect(guide).to_contain_text("mean over gaps 202.5 mean over customers 216.9")
        self.page.get_by_role("button", name="2nd to 3rd order").click()
        expect(self.panel).to_contain_text("5 gaps of 5 customers")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.page.keyboard.press("Escape")
        self.page.locator("g.bar").first.click()
        expect(self.panel).to_contain_text(
            "Each marked order followed the one before it after 0 days (1st to 2nd order)."
        )
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="count purchase days instead").click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("Reading purchase days of every source")
        expect(guide).to_contain_text("16 gaps")
        self.page.get_by_role("link", name="Cohorts").click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("purchase days")

    def test_customer_by_customer_each_gap_stands_in_sequence(self) -> None:
        self.rhythm("view=gaps")
        self.choose("Gaps", "customer by customer")
        expect(self.page.get_by_role("row", name=re.compile("0 · 0 · 594"))).to_be_visible()
        self.choose("Gaps", "order by order")
        first = self.page.get_by_role("grid").get_by_role("row").nth(1)
        expect(first).to_contain_text("594")
        first.click()
        expect(self.page).to_have_url(re.compile("/threads.*customer="))


class NextOrder(RhythmCase):
    def test_a_curve_is_read_opened_and_compared(self) -> None:
        self.rhythm("view=next-order")
        drawing = self.page.get_by_role("img", name="Share who have ordered again")
        drawing.hover(position={"x": 300, "y": 100})
        expect(self.page.locator("p[aria-live]").last).to_contain_text(re.compile(r"% by day \d+"))
        drawing.click(position={"x": 300, "y": 100})
        expect(self.panel).to_contain_text("who had ordered again by day")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.page.keyboard.press("Escape")
        self.choose("The order before it", "with source counter")
        self.choose("The next order", "with source web")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text(
            "the next order with source web after the first with source counter"
        )
        self.page.get_by_role("button", name="1 of 7 customers by day 90").click()
        expect(self.panel).to_contain_text("ordered again with source web by day 90 after their first order with")
        self.page.keyboard.press("Escape")
        self.choose("The order before it", "of any kind")
        self.choose("The next order", "of any kind")
        self.choose("Customers", "split by first source")
        expect(self.page.get_by_test_id("compared")).to_contain_text("chance")
        self.page.get_by_role("button", name="as a table").click()
        self.page.get_by_role("row", name=re.compile("^day 60\\b")).get_by_role("button").last.click()
        expect(self.panel).to_contain_text("who had not ordered again by day 60 after their first order")


class Due(RhythmCase):
    def test_a_day_opens_to_its_people_and_all_are_taken_as_calendar_entries(self) -> None:
        self.rhythm("view=due&within=366d")
        expected = self.page.get_by_label("Expected", exact=True)
        day = expected.get_by_role(
            "button", name=re.compile(r"^(Mon|Tue|Wed|Thu|Fri|Sat|Sun) .*: \d customers? expected")
        )
        day.and_(self.page.locator(":enabled")).first.click()
        expect(self.panel).to_contain_text("Customers expected to order on")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        with self.page.expect_download() as taken:
            self.page.get_by_role("button", name="calendar entries").click()
        entries = icalendar.Calendar.from_ical(Path(taken.value.path()).read_bytes()).walk("VEVENT")
        self.assertEqual(taken.value.suggested_filename, "who-is-due.ics")
        rows = self.page.get_by_role("grid").get_attribute("aria-rowcount")
        self.assertEqual(len(list(entries)), int(rows or 0) - 1)


class Everywhere(RhythmCase):
    def test_every_view_is_accessible_and_taken_as_a_picture(self) -> None:
        for view in ("counts", "gaps", "next-order", "due"):
            self.rhythm(f"view={view}")
            with self.subTest(view=view):
                self.assert_accessible()
                self.word("This table or picture as a file").click()
                with self.page.expect_download() as taken:
                    self.page.get_by_role("menuitem", name="Picture, SVG").click()
                picture = Path(taken.value.path()).read_text(encoding="utf-8")
                self.assertIn("31 Aug 2025", picture)
                self.assertGreater(picture.count("<"), 40)

    def test_nothing_is_cut_off_on_a_narrow_screen(self) -> None:
        self.page.set_viewport_size({"width": 320, "height": 700})
        for view in ("counts", "gaps", "next-order", "due"):
            self.rhythm(f"view={view}")
            over = self.page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
            with self.subTest(view=view):
                self.assertLessEqual(over, 0)


if __name__ == "__main__":
    unittest.main()
