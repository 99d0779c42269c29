"""Two processes behind nginx with TLS, under a path of a site: the page, its changes and its streams go through it."""

from __future__ import annotations

import unittest
from urllib.parse import urlsplit

from playwright.sync_api import ConsoleMessage, Page, expect

from goldthread.store.books import BookRow
from goldthread.store.server.instance import free_port
from tests.support.page import SIZE
from tests.support.place import PlaceCase
from tests.support.proxy import nginx
from tests.support.running import WAIT_MS, browser, server
from tests.support.sharing import deliver, tiny_book, write_csv

expect.set_options(timeout=WAIT_MS)


def _is_fault(said: ConsoleMessage) -> bool:
    """Whether the browser tells of a fault of the page. A stream whose connections are closed is begun again by it."""
    return said.type in ("error", "warning") and "ERR_TOO_MANY_RETRIES" not in said.text


class BehindNginx(PlaceCase):
    book: BookRow

    def setUp(self) -> None:
        super().setUp()
        self.book = tiny_book(self.workspace, self.folder)
        self.faults: list[str] = []

    def page(self, path: str, changes: dict[str, str]) -> Page:
        """The page at the public address of a server under a path."""
        port = free_port()
        public = f"https://localhost:{port}{path}"
        told = {
            "GOLDTHREAD_PUBLIC_URL": public,
            "GOLDTHREAD_TRUSTED_PROXIES": "1",
            "GOLDTHREAD_PROCESSES": "2",
            "GOLDTHREAD_WORKERS": "1",
        }
        address = self.enterContext(server(self.place, told))
        self.enterContext(nginx(port, urlsplit(address).port or 0, changes))
        context = self.enterContext(browser()).new_context(viewport=SIZE, ignore_https_errors=True)  # type: ignore[arg-type]
        found = context.new_page()
        found.on("pageerror", lambda error: self.faults.append(str(error)))
        found.on("console", lambda said: self.faults.append(said.text) if _is_fault(said) else None)
        found.goto(f"{public}/books/{self.book.id}/cohorts?as_of=2025-08-31")
        return found

    def test_everything_is_under_a_path_of_a_site(self) -> None:
        page = self.page("/orders", {"location / {": "location /orders {"})
        root = page.url.partition("/books/")[0]
        self.assertTrue(root.endswith("/orders"))
        expect(page.get_by_role("grid").first).to_be_visible()
        page.get_by_role("link", name="Threads").first.click()
        expect(page).to_have_url(f"{root}/books/{self.book.id}/threads?as_of=2025-08-31")
        page.go_back()
        expect(page).to_have_url(f"{root}/books/{self.book.id}/cohorts?as_of=2025-08-31")
        page.reload()
        expect(page.get_by_role("grid").first).to_be_visible()

        page.get_by_role("link", name="Import").first.click()
        header = ("order", "customer_no", "date", "amount", "status")
        rows = [header, *((f"P-{at}", f"N{at}", "2025-08-01", "5", "paid") for at in range(9))]
        page.locator("input[type=file]").set_input_files(write_csv(self.folder / "new.csv", rows))
        page.get_by_role("button", name="Import it").click()
        expect(page.get_by_test_id("report")).to_contain_text("9 imported")
        cookies = {each["name"]: each for each in page.context.cookies()}
        [session] = cookies
        self.assertTrue(session.startswith("__Host-") and cookies[session]["secure"] and cookies[session]["httpOnly"])
        self.assertEqual(self.faults, [])

    def test_a_stream_that_the_proxy_cuts_is_begun_again_and_nothing_is_missed(self) -> None:
        page = self.page("", {"proxy_read_timeout 120s": "proxy_read_timeout 5s"})
        expect(page.get_by_role("grid").first).to_be_visible()
        header = ("order", "customer_no", "date", "amount", "status")
        with page.expect_response(lambda each: each.url.endswith("/changes") and not each.ok, timeout=WAIT_MS):
            page.route("**/changes", lambda route: route.fulfill(status=502), times=1)
        with page.expect_response(lambda each: each.url.endswith("/changes") and each.ok, timeout=WAIT_MS):
            pass
        rows = [header, ("Z-1", "Z1", "2025-08-01", "5", "paid")]
        with page.expect_response(lambda each: "/ask/cohorts" in each.url and each.ok, timeout=WAIT_MS):
            deliver(self.workspace, self.book, write_csv(self.folder / "late.csv", rows))
        expect(page.get_by_role("grid").first).to_be_visible()


if __name__ == "__main__":
    unittest.main()
