"""The loom in Chromium: threads dragged over, gone through by keys, sampled, taken as a picture and as a table."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from playwright.sync_api import Locator, expect

from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")


class OnTheLoom(PageCase):
    @property
    def panel(self) -> Locator:
        return self.page.get_by_role("region", name="Customer", exact=True)

    def loom(self, query: str = "", book: int | None = None) -> Locator:
        """The drawing of the loom, when it is drawn."""
        self.open(f"/books/{book or self.tiny.id}/threads?as_of=2025-08-31&view=loom{query}")
        drawing = self.page.get_by_role("slider", name=re.compile("^Customer timelines"))
        expect(drawing).to_be_visible()
        self.settled()
        return drawing

    def test_threads_are_dragged_over_kept_as_a_list_and_looked_at_closely(self) -> None:
        drawing = self.loom("&by=name&tone=orders")
        expect(self.page.get_by_test_id("sample")).to_have_text("11 threads, one a line.")
        expect(self.page.get_by_text("under 3")).to_be_visible()
        place = drawing.bounding_box()
        assert place is not None
        row = place["height"] / 11
        self.page.mouse.move(place["x"] + 200, place["y"] + 0.5 * row)
        self.page.mouse.down()
        self.page.mouse.move(place["x"] + 220, place["y"] + 2.5 * row, steps=4)
        expect(self.page.get_by_text("3 customers: let go to see who they are")).to_be_visible()
        self.page.mouse.up()
        opened = self.page.get_by_label("Behind this number")
        expect(opened).to_contain_text("Customers 1 to 3 of 11 by name.")
        expect(opened.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.page.get_by_role("button", name="look closer").click()
        expect(self.page.get_by_test_id("sample")).to_have_text("3 threads, one a line.")
        self.assert_accessible()
        self.page.go_back()
        self.keep("woven")
        expect(self.page.get_by_test_id("reading")).to_contain_text("only woven (3 customers)")

    def test_keys_go_from_thread_to_thread_choose_and_open(self) -> None:
        drawing = self.loom("&by=name")
        drawing.focus()
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("ArrowDown")
        name = (drawing.get_attribute("aria-valuetext") or "").split(" · ")[0]
        self.page.keyboard.press("Enter")
        expect(self.panel).to_contain_text(name)
        self.page.keyboard.press("Escape")
        drawing.focus()
        self.page.keyboard.press("Home")
        self.page.keyboard.press("Shift+End")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_label("Behind this number")).to_contain_text("Customers 1 to 11 of 11 by name.")

    def test_beyond_five_thousand_an_even_sample_says_so_and_the_table_says_the_same(self) -> None:
        book = new_book(self.workspace)
        rows = ((f"A{at}", f"C{at:05d}", f"2025-01-{at % 28 + 1:02d}", "1", "paid") for at in range(6_000))
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        drawing = self.loom("&by=number&align=first", book.id)
        expect(self.page.get_by_test_id("sample")).to_contain_text("An even sample: 5\u202f000 of 6\u202f000 threads")
        expect(drawing).to_have_attribute("aria-valuemax", "5000")
        with self.page.expect_download() as taken:
            self.word("This table or picture as a file").click()
            self.page.get_by_role("menuitem", name="Picture, SVG").click()
        self.assertIn("data:image/png;base64,", Path(taken.value.path()).read_text(encoding="utf-8"))
        self.page.get_by_role("button", name="as a table").click()
        table = self.page.get_by_role("grid", name="Customer timelines")
        expect(table).to_have_attribute("aria-rowcount", "5001")
        expect(table.get_by_role("row").nth(1)).to_contain_text("C00000")


if __name__ == "__main__":
    unittest.main()
