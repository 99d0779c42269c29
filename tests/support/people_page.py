"""The page of a Gold Thread with accounts, in Chromium."""

from __future__ import annotations

from typing import ClassVar

from playwright.sync_api import Browser, Page, expect

from goldthread.actions.signing_in import hash_of
from goldthread.store import people as records
from tests.support.page import HOUSE_FORM, SIZE
from tests.support.people import PASSWORD, PeopleCase
from tests.support.running import WAIT_MS, browser, server


class PeoplePageCase(PeopleCase):
    """``further``: settings of the server besides, by their names in the environment."""

    address: ClassVar[str]
    browser: ClassVar[Browser]
    further: ClassVar[dict[str, str]] = {}

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        hashed = hash_of(PASSWORD)
        for user in cls.users.values():
            records.change_user(cls.workspace.record.engine, user.id, password=hashed)
        cls.address = cls.enterClassContext(server(cls.place, cls.further))
        cls.browser = cls.enterClassContext(browser())

    def new_page(self) -> Page:
        """A page of a browser that knows nobody yet."""
        context = self.browser.new_context(viewport=SIZE, reduced_motion="reduce")  # type: ignore[arg-type]
        self.addCleanup(context.close)
        context.set_default_timeout(WAIT_MS)
        context.add_init_script(HOUSE_FORM)
        return context.new_page()

    def signed_in(self, name: str, path: str = "/") -> Page:
        """A page on which somebody has signed in."""
        page = self.new_page()
        page.goto(self.address + path)
        self.sign_in(page, name)
        expect(page.get_by_role("button", name=f"Account: {name} one")).to_be_visible()
        return page

    def sign_in(self, page: Page, name: str, password: str = PASSWORD) -> None:
        """Fill in the form."""
        form = page.get_by_role("dialog", name="Sign in")
        form.get_by_label("Name").fill(f"{name} one")
        form.get_by_label("Password").fill(password)
        form.get_by_role("button", name="Sign in").click()
