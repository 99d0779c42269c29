"""Amounts of any size on the page: whole where there is room, short on axes, knots by what is large in the book."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from playwright.sync_api import expect

from goldthread.store.books import BookRow
from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")
OUT_OF_SIGHT = "Thread, "
"""How the head of the threads' column begins, for those who hear it."""


class Amounts(PageCase):
    def book(self, unit: float) -> BookRow:
        """Ten customers with two orders each, of 1 to 20 units."""
        book = new_book(self.workspace)
        rows = [
            (f"A{at}", f"C{at % 10}", f"2025-0{at % 6 + 1}-1{at % 10}", f"{(at + 1) * unit:.2f}", "paid")
            for at in range(20)
        ]
        deliver(self.workspace, book, write_csv(self.folder / f"of-{unit}.csv", [HEADER, *rows]), "till")
        return book

    def threads(self, unit: float) -> None:
        self.open(f"/books/{self.book(unit).id}/threads?by=revenue&show=revenue&show=first_amount")
        expect(self.page.get_by_role("grid").locator("tbody tr[id]").first).to_be_visible()
        self.settled()

    def knots(self) -> list[float]:
        """The sizes of the knots in the list."""
        found = (
            self.page.get_by_role("grid").locator("circle").evaluate_all("each => each.map(one => one.r.baseVal.value)")
        )
        return sorted({round(size, 2) for size in found})

    def test_figures_of_any_size_are_whole_in_tables_and_short_on_axes(self) -> None:
        self.threads(12_345_678.9)
        cells = self.page.get_by_role("grid").locator("tbody td.right")
        self.assertIn("370\u202f370\u202f367.00", cells.all_inner_texts())
        cut = cells.evaluate_all("each => each.filter(one => one.scrollWidth > one.clientWidth).length")
        self.assertEqual(cut, 0)
        self.page.goto(self.page.url.split("/threads")[0] + "/newness?measure=revenue")
        expect(self.page.locator("main svg text").filter(has_text=re.compile(r"^\d+\.\d M$")).first).to_be_visible()

    def test_knots_go_by_what_is_large_in_the_book(self) -> None:
        sizes = []
        for unit in (0.01, 1_000_000):
            self.threads(unit)
            sizes.append(self.knots())
        self.assertGreater(len(sizes[0]), 5)
        self.assertEqual(sizes[0], sizes[1])

    def test_a_picture_has_what_is_seen_and_nothing_else(self) -> None:
        self.threads(10)
        expect(self.page.get_by_text(OUT_OF_SIGHT).first).to_be_attached()
        self.word("This table or picture as a file").click()
        with self.page.expect_download() as taken:
            self.page.get_by_role("menuitem", name="Picture, SVG").click()
        picture = Path(taken.value.path()).read_text(encoding="utf-8")
        self.assertIn("C9", picture)
        self.assertNotIn(OUT_OF_SIGHT, picture)

    def test_work_that_one_tab_began_is_seen_in_the_other(self) -> None:
        book = self.book(5)
        other = self.page.context.new_page()
        other.goto(f"{self.address}/books/{book.id}/cohorts")
        expect(other.get_by_role("grid")).to_be_visible()
        path = write_csv(self.folder / "more.csv", [HEADER, ("B1", "C1", "2025-02-01", "5", "paid")])
        self.open(f"/books/{book.id}/import")
        self.page.set_input_files("input[type=file]", path)
        with self.held(book):
            self.page.get_by_role("button", name=re.compile("^Import")).click()
            under_way = other.get_by_text("more.csv")
            expect(under_way).to_be_visible()
        expect(under_way).to_have_count(0)
        expect(other.get_by_text("11 customers with an order").or_(other.get_by_text("21 orders"))).to_be_visible()
        other.close()


if __name__ == "__main__":
    unittest.main()
