"""Numbers, dates and weeks as the reader writes them, to read and to type."""

from __future__ import annotations

import re
import unittest

from playwright.sync_api import Locator, expect

from tests.support.page import PageCase

AS_OF = "as_of=2025-08-31"


class Reader(PageCase):
    def chosen(self, what: str, form: str) -> None:
        self.page.keyboard.press("?")
        self.page.get_by_label(what).select_option(form)
        expect(self.page.get_by_role("dialog")).to_have_count(0)

    def as_of(self) -> Locator:
        self.word("As of").click()
        return self.page.get_by_label("a date")

    def applied(self) -> None:
        self.page.get_by_role("button", name="Apply").click()

    def test_a_number_is_read_in_the_readers_form_and_refused_where_it_can_be_two(self) -> None:
        self.cohorts()
        dialog = self.filter()
        dialog.get_by_label("Field").select_option("revenue")
        value = dialog.get_by_label("Value")
        value.fill("1,200")
        expect(dialog).to_contain_text("“1,200” can be 1200 or 1.200: write it as one of these.")
        dialog.get_by_role("button", name="Add", exact=True).click()
        expect(self.reading).to_contain_text("no filter")
        value.fill("1,200.5")
        expect(dialog).to_contain_text("read as 1200.5")
        dialog.get_by_role("button", name="Add", exact=True).click()
        expect(self.reading).to_contain_text("revenue is at least 1200.5")
        self.page.evaluate("localStorage['goldthread-reader'] = JSON.stringify({numbers: '1.234,50'})")
        self.page.reload()
        expect(self.reading).to_contain_text("revenue is at least 1200,5")
        dialog = self.filter()
        self.condition(dialog, "orders", ">=", "1.200")
        expect(self.reading).to_contain_text("orders is at least 1200")

    def test_numbers_and_dates_stand_as_the_reader_writes_them(self) -> None:
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}&by=revenue")
        expect(self.page.get_by_role("main")).to_contain_text("31 Aug 2025")
        rows = self.page.get_by_role("grid")
        self.chosen("Numbers", "1.234,50")
        expect(rows).to_contain_text(re.compile(r"\d\.\d{3},\d\d"))
        self.chosen("Dates", "2026-10-31")
        expect(self.reading).to_contain_text("as of 2025-08-31")
        expect(rows).to_contain_text(re.compile(r"202\d-\d\d-\d\d"))

    def test_a_date_is_read_in_the_readers_form_and_refused_where_it_can_be_two(self) -> None:
        self.cohorts()
        field = self.as_of()
        expect(field).to_have_value("31 Aug 2025")
        said = {
            "3/4/2025": "“3/4/2025” can be 2025-04-03 or 2025-03-04: write it as one of these.",
            "30 Feb 2025": "There is no such date.",
            "soon": "Write it as 31 Oct 2026.",
            "2025-06-30": "read as 30 Jun 2025",
            "june 30, 2025": "read as 30 Jun 2025",
            "6/30/2025": "read as 30 Jun 2025",
        }
        for text, words in said.items():
            field.fill(text)
            expect(self.page.get_by_role("dialog", name="As of")).to_contain_text(words)
            if "read as" not in words:
                self.applied()
                expect(field).to_be_visible()
        self.applied()
        expect(self.reading).to_contain_text("as of 30 Jun 2025")
        self.chosen("Dates", "31/10/2026")
        field = self.as_of()
        expect(field).to_have_value("30/06/2025")
        field.fill("3/4/2025")
        self.applied()
        expect(self.reading).to_contain_text("as of 03/04/2025")
        self.assertIn("as_of=2025-04-03", self.page.url)

    def test_a_date_is_pointed_at_in_a_calendar_whose_weeks_begin_as_the_reader_says(self) -> None:
        self.cohorts()
        calendar = self.page.get_by_role("application", name="Calendar")
        for day in ("Monday", "Sunday"):
            self.chosen("Weeks begin on", day)
            self.as_of()
            self.page.get_by_role("button", name="calendar", exact=True).click()
            expect(calendar.locator("th").first).to_have_text(day[:2])
            self.page.keyboard.press("Escape")
        self.as_of()
        self.page.get_by_role("button", name="calendar", exact=True).click()
        calendar.get_by_label("Month").select_option("Feb")
        calendar.get_by_label("Year").select_option("2024")
        calendar.get_by_role("button", name="29 February 2024").click()
        expect(self.page.get_by_label("a date")).to_have_value("29 Feb 2024")
        self.applied()
        expect(self.reading).to_contain_text("as of 29 Feb 2024")


if __name__ == "__main__":
    unittest.main()
