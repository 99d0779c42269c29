"""Import of a book whose orders stay in files: it says where they are, and is brought up to them and back."""

from __future__ import annotations

import unittest

from playwright.sync_api import expect

from tests.support.orders_in_files import FilesCase, rows_of
from tests.support.page import PageCase


class OrdersInFilesPage(PageCase, FilesCase):
    def test_a_book_is_brought_up_to_its_files_and_back(self) -> None:
        FilesCase.setUp(self)
        book, _ = self.begin()
        self.open(f"/books/{book.id}/import")
        files = self.page.get_by_test_id("in-files")
        expect(files).to_contain_text("3 files")
        expect(self.heading).to_contain_text("stay where they are")
        expect(self.page.get_by_test_id("holds")).to_contain_text("150 orders")
        files.get_by_role("button", name="Refresh").click()
        expect(files).to_contain_text("Nothing has changed")
        self.write("channel=post/d.parquet", rows_of(6, 300, 20, range(5)))
        files.get_by_role("button", name="Refresh").click()
        expect(self.page.get_by_test_id("report")).to_contain_text("20 new, 0 changed")
        expect(files).to_contain_text("4 files")
        expect(self.page.get_by_test_id("holds")).to_contain_text("170 orders")
        files.get_by_role("button", name="go back to the 3 files of before").click()
        expect(self.page.get_by_test_id("holds")).to_contain_text("150 orders")
        expect(self.page.get_by_role("button", name="withdraw")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
