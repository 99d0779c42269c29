"""The page of Intake, and what people do on it again and again."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import expect

from goldthread.store.books import BookRow
from tests.support.page import PageCase
from tests.support.sharing import new_book


class IntakeCase(PageCase):
    def from_source(self, name: str) -> None:
        self.word("Source").click()
        self.page.get_by_placeholder("such as web shop").fill(name)
        self.page.keyboard.press("Enter")

    def fresh(self) -> BookRow:
        """An empty book, open at its intake."""
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/import")
        return book

    def send(self, *paths: Path) -> None:
        self.page.set_input_files("input[type=file]", paths)

    def import_it(self, rows: int) -> None:
        """Import the file at hand, and see how many rows were."""
        self.page.get_by_role("button", name="Import it").click()
        expect(self.page.get_by_test_id("report")).to_contain_text(f"{rows} imported")
