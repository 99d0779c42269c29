"""The page of a workspace that holds the small history, in Chromium."""

from __future__ import annotations

import atexit
import functools
import re
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Locator, Page, expect
from sqlalchemy import select

from goldthread.store.books import BookRow
from goldthread.store.revisions import keep_others_out
from goldthread.store.schema.models import Customer
from goldthread.store.server.engine import transaction
from goldthread.workspace import Workspace
from tests.support.running import ROOT, WAIT_MS, Place, browser, server
from tests.support.sharing import shared_place, shared_workspace, tiny_book

expect.set_options(timeout=WAIT_MS)
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
SIZE = {"width": 1280, "height": 800}
HOUSE_FORM = """localStorage['goldthread-reader'] ??= JSON.stringify({numbers: '1\\u202f234.50'})"""
"""Numbers as the server's words have them, whatever the browser's language, until a test chooses another form."""


def faults_for_some(page: Page) -> list[tuple[str, list[str]]]:
    """What keeps some people from using a page as it is shown, contrast in the other theme too: which rule, where."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text(encoding="utf-8"))
    found = page.evaluate(
        """async () => {
            const root = document.documentElement, shown = root.dataset.theme;
            const asked = {resultTypes: ['violations'], rules: {'target-size': {enabled: true}}};
            const first = await axe.run(document, asked);
            root.dataset.theme = shown === 'linen' ? 'evening' : 'linen';
            const second = await axe.run(document, {...asked, runOnly: ['color-contrast']});
            root.dataset.theme = shown;
            return [...first.violations, ...second.violations];
        }"""
    )
    return [
        (fault["id"], [node["html"][:160] for node in fault["nodes"][:3]])
        for fault in found
        if fault["impact"] in ("moderate", "serious", "critical")
    ]


@functools.cache
def shared_page() -> tuple[str, Browser]:
    """The address of a server on the shared place, and a browser, that live as long as the test run."""
    place = shared_place()
    stack = ExitStack()
    atexit.register(stack.close)
    shared_workspace()
    return stack.enter_context(server(place)), stack.enter_context(browser())


class PageCase(unittest.TestCase):
    place: ClassVar[Place]
    browser: ClassVar[Browser]
    address: ClassVar[str]
    workspace: ClassVar[Workspace]
    tiny: ClassVar[BookRow]

    @classmethod
    def setUpClass(cls) -> None:
        cls.place, cls.workspace = shared_place(), shared_workspace()
        cls.address, cls.browser = shared_page()
        with tempfile.TemporaryDirectory() as folder:
            cls.tiny = tiny_book(cls.workspace, Path(folder))

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        context = self.browser.new_context(viewport=SIZE, accept_downloads=True, reduced_motion="reduce")  # type: ignore[arg-type]
        self.addCleanup(context.close)
        context.set_default_timeout(WAIT_MS)
        context.add_init_script(HOUSE_FORM)
        self.page: Page = context.new_page()
        self.faults: list[str] = []
        self.refusals = {"422"}
        self.page.on("pageerror", lambda error: self.faults.append(str(error)))
        self.page.on(
            "console",
            lambda message: self.faults.append(message.text) if message.type in ("error", "warning") else None,
        )

    def tearDown(self) -> None:
        self.assertEqual([fault for fault in self.faults if not any(status in fault for status in self.refusals)], [])

    @property
    def heading(self) -> Locator:
        return self.page.get_by_role("heading", level=1)

    @property
    def reading(self) -> Locator:
        return self.page.get_by_test_id("reading")

    def filter(self) -> Locator:
        self.word("Filter").click()
        return self.page.get_by_role("dialog", name="Filter")

    def condition(self, dialog: Locator, field: str, compare: str, value: str, add: str = "Add") -> None:
        dialog.get_by_label("Field").select_option(field)
        dialog.get_by_label("Comparison").select_option(compare)
        dialog.get_by_label("Value").fill(value)
        dialog.get_by_role("button", name=add, exact=True).click()

    @property
    def panel(self) -> Locator:
        """What stands behind an opened figure."""
        return self.page.get_by_label("Behind this number")

    def open(self, path: str) -> None:
        self.page.goto(self.address + path)

    @contextmanager
    def held(self, book: BookRow) -> Iterator[None]:
        """Nothing that changes the book gets past its first write until this ends."""
        with transaction(self.workspace.record.engine) as connection:
            keep_others_out(connection, book.id)
            yield

    def cohorts(self, query: str = "as_of=2025-08-31") -> None:
        self.open(f"/books/{self.tiny.id}/cohorts?{query}")
        expect(self.page.get_by_role("grid")).to_be_visible()

    def settled(self) -> None:
        """Wait until every answer is there and the letters are drawn."""
        expect(self.page.locator(".dimmed")).to_have_count(0)
        self.page.evaluate("document.fonts.ready")

    def customer(self, name: str) -> int:
        """The id of a customer of the small history."""
        with self.workspace.record.engine.connect() as connection:
            found = connection.execute(
                select(Customer.id).where(Customer.book_id == self.tiny.id, Customer.name == name)
            )
            return int(found.scalar_one())

    def cell(self, cohort: int, age: int) -> Locator:
        return self.page.locator(f"#cell-{cohort}-{age}")

    def word(self, title: str) -> Locator:
        return self.page.get_by_role("button", name=re.compile(f"^{re.escape(title)}:"))

    def choose(self, title: str, option: str) -> None:
        self.word(title).click()
        self.page.get_by_role("menu").or_(self.page.get_by_role("dialog", name=title)).get_by_text(
            option, exact=True
        ).click()

    def keep(self, name: str = "") -> None:
        """Keep the customers that are shown as a list; a name is proposed."""
        self.word("Keep as a list").click()
        dialog = self.page.get_by_role("dialog", name="Keep as a list")
        if name:
            dialog.get_by_label("Name of the list").fill(name)
        dialog.get_by_role("button", name="as a list").click()
        expect(dialog).to_have_count(0)

    def assert_accessible(self) -> None:
        """No fault in the theme that is shown, nor of contrast in the other: themes differ in their colours alone."""
        self.assertEqual(faults_for_some(self.page), [])
