"""The page's frame in Chromium: what is asked once, kept, refused, tried again and found again."""

from __future__ import annotations

import re
import unittest
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Request, Route, expect

from goldthread.store.books import BookRow
from tests.support.files import workbook
from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")
AS_OF = "as_of=2025-08-31"
GONE = "The server does not answer"
STREAMS = """
const Real = EventSource;
window.streams = new Set();
window.EventSource = class extends Real {
  constructor(...args) { super(...args); window.streams.add(this); }
  close() { super.close(); window.streams.delete(this); }
};
"""
HIDE = """(state) => {
  Object.defineProperty(document, 'visibilityState', { configurable: true, get: () => state });
  document.dispatchEvent(new Event('visibilitychange'));
}"""


class FrameCase(PageCase):
    def counted(self, part: str) -> Callable[[], list[str]]:
        """The requests whose address holds a part that were sent since."""
        seen: list[str] = []

        def sent(request: Request) -> None:
            if part in request.url:
                seen.append(request.url)

        self.page.on("request", sent)
        return lambda: seen

    def many(self, customers: int) -> BookRow:
        """A book with so many customers."""
        book = new_book(self.workspace)
        rows = ((f"A{at}", f"C{at:05d}", f"2025-01-{at % 28 + 1:02d}", "1", "paid") for at in range(customers))
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        return book


class AskedOnce(FrameCase):
    def test_a_customer_is_opened_beside_a_list_that_stays_as_it_is(self) -> None:
        self.open(f"/books/{self.many(1_000).id}/threads?by=name")
        rows = self.page.get_by_role("grid").first
        rows.focus()
        self.page.keyboard.press("End")
        expect(rows.get_by_text("C00999", exact=True)).to_be_visible()
        asked = self.counted("/ask/customers?")
        self.page.keyboard.press("Enter")
        panel = self.page.get_by_role("region", name="Customer", exact=True)
        expect(panel.get_by_role("heading", name="C00999")).to_be_visible()
        self.page.keyboard.press("ArrowUp")
        expect(panel.get_by_role("heading", name="C00998")).to_be_visible()
        expect(rows.get_by_text("C00999", exact=True)).to_be_visible()
        self.assertEqual(asked(), [])

    def test_an_opened_figure_is_not_asked_again_when_the_view_is_switched(self) -> None:
        self.cohorts(f"{AS_OF}&open=2024-05~13")
        panel = self.page.get_by_label("Behind this number")
        expect(panel.get_by_test_id("recount")).to_contain_text("agrees")
        asked = self.counted("/ask/cohorts/")
        self.choose("Shown as", "stacked bars over the calendar")
        expect(self.page.get_by_role("img", name=re.compile("by calendar month"))).to_be_visible()
        expect(panel).to_contain_text("2 of 2 customers")
        self.assertEqual(asked(), [])

    def test_a_change_is_sent_once_however_often_it_is_clicked(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/import?view=hand")
        sent = self.counted("/customers")
        held: list[Route] = []
        self.page.route("**/customers", lambda route: held.append(route))
        self.page.get_by_label("customer number", exact=True).fill("C1")
        self.page.get_by_label("name", exact=True).fill("Ada Orme")
        button = self.page.get_by_role("button", name="Save customer")
        with self.page.expect_request("**/customers"):
            button.evaluate("button => { button.click(); button.click(); }")
        expect(button).to_be_disabled()
        held[0].continue_()
        expect(self.page.get_by_role("status")).to_contain_text("Ada Orme is in.")
        self.assertEqual((len(sent()), len(held)), (1, 1))

    def test_a_hidden_page_lets_go_of_its_stream_and_is_told_when_it_is_seen_again(self) -> None:
        self.page.add_init_script(STREAMS)
        book = self.many(3)
        self.open(f"/books/{book.id}/cohorts")
        expect(self.page.get_by_text("3 customers with an order")).to_be_visible()
        self.assertEqual(self.page.evaluate("streams.size"), 1)
        self.page.evaluate(HIDE, "hidden")
        self.assertEqual(self.page.evaluate("streams.size"), 0)
        row = ("Z1", "C9", "2025-02-01", "1", "paid")
        deliver(self.workspace, book, write_csv(self.folder / "more.csv", [HEADER, row]), "web")
        self.page.evaluate(HIDE, "visible")
        self.assertEqual(self.page.evaluate("streams.size"), 1)
        expect(self.page.get_by_text("4 customers with an order")).to_be_visible()


class Typed(FrameCase):
    def test_a_date_counts_once_it_is_used_and_escape_uses_nothing(self) -> None:
        self.cohorts()
        asked = self.counted("/ask/cohorts?")
        self.word("As of").click()
        field = self.page.get_by_label("a date")
        field.focus()
        self.page.keyboard.type("01022")
        self.page.keyboard.press("Escape")
        expect(field).to_have_count(0)
        expect(self.word("As of")).to_be_focused()
        self.assertEqual(asked(), [])
        self.word("As of").click()
        field.fill("2024-12-31")
        self.page.get_by_role("button", name="Apply").click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("as of 31 Dec 2024")

    def test_back_leads_past_an_address_that_led_on(self) -> None:
        self.open("/nothing-here")
        self.page.evaluate("history.replaceState(null, '', '/first')")
        self.page.evaluate("history.pushState(null, '', '/second'); dispatchEvent(new PopStateEvent('popstate'))")
        expect(self.page).to_have_url(re.compile(r"/books/\d+/"))
        self.page.evaluate("history.back()")
        expect(self.page).to_have_url(re.compile(r"/books/\d+/"))
        self.assertLessEqual(self.page.evaluate("history.length"), 3)

    def test_another_book_is_shown_although_a_new_one_was_begun(self) -> None:
        other = self.tiny
        self.open(f"/books/{self.many(2).id}/cohorts")
        self.choose("Book", "New book, or import one")
        expect(self.page.get_by_role("heading", name="New book")).to_be_visible()
        self.choose("Book", f"{other.name} · {other.currency}")
        expect(self.page).to_have_url(re.compile(f"/books/{other.id}/cohorts"))
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(self.page).to_have_title(f"Cohorts, {other.name}: Gold Thread")


class Refused(FrameCase):
    def test_a_refresh_that_fails_keeps_what_is_there_and_can_be_tried_again(self) -> None:
        self.cohorts()
        self.page.route("**/api/books/*/ask/cohorts?*", lambda route: route.abort())
        self.choose("Cohorts by", "year")
        alert = self.page.get_by_role("alert")
        expect(alert).to_contain_text(GONE)
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(self.page.get_by_test_id("question")).to_contain_text("in each month")
        expect(self.page.get_by_role("button", name="Reset filters")).to_have_count(0)
        self.faults.clear()
        self.page.unroute("**/api/books/*/ask/cohorts?*")
        self.page.get_by_role("button", name="Try again").click()
        expect(alert).to_have_count(0)
        expect(self.page.get_by_test_id("question")).to_contain_text("in each year")
        self.faults.clear()

    def test_a_first_visit_says_what_is_coming(self) -> None:
        held: list[Route] = []
        self.page.route("**/ask/cohorts?*", lambda route: held.append(route))
        with self.page.expect_request("**/ask/cohorts?*"):
            self.open(f"/books/{self.tiny.id}/cohorts?{AS_OF}")
        expect(self.page.get_by_role("status")).to_have_text("Reading the book…")
        held[0].continue_()
        expect(self.page.get_by_role("grid")).to_be_visible()

    def test_a_download_that_is_refused_says_so_and_the_page_stays(self) -> None:
        self.cohorts(f"{AS_OF}&open=2024-05~13")
        panel = self.page.get_by_label("Behind this number")
        at = self.page.url
        self.refusals.add("413")
        told = '{"title": "Too large", "detail": "Too many cells.", "remedy": "Narrow it."}'
        ways: dict[str, Callable[[Route], None]] = {
            "refused": lambda route: route.fulfill(status=413, body=told),
            "gone": lambda route: route.abort(),
        }
        for how, way in ways.items():
            with self.subTest(how=how):
                self.page.route("**/ask/cohorts/behind?*", way)
                panel.get_by_role("button", name="Download these orders").click()
                words = "Too many cells. Narrow it." if how == "refused" else GONE
                expect(panel.get_by_role("alert")).to_contain_text(words)
                self.assertEqual(self.page.url, at)
                self.page.unroute("**/ask/cohorts/behind?*")
        self.faults.clear()

    def test_a_part_of_the_page_that_cannot_be_loaded_is_said(self) -> None:
        self.cohorts()
        self.page.route("**/assets/view-*.js", lambda route: route.abort())
        self.page.get_by_role("link", name="New & returning").click()
        expect(self.page.get_by_role("alert")).to_contain_text("This part of the page could not be loaded")
        self.faults.clear()


class SaidPlainly(FrameCase):
    def test_one_period_and_nobody_at_all_say_what_to_do(self) -> None:
        book = self.many(5)
        self.open(f"/books/{book.id}/cohorts")
        expect(self.page.get_by_text("Nobody can have come back yet.")).to_be_visible()
        self.page.get_by_role("button", name="Show the first month").click()
        expect(self.cell(0, 0)).to_be_visible()
        for stop in ("cohorts", "newness"):
            self.open(f"/books/{book.id}/{stop}?where=orders+%3D+99")
            expect(self.page.get_by_text("No orders match.")).to_be_visible()
            self.page.get_by_role("button", name="Reset filters").click()
            expect(self.page.get_by_text("No orders match.")).to_have_count(0)

    def test_a_split_that_is_shown_as_a_table_is_one_and_opens_its_figures_by_keys(self) -> None:
        self.open(f"/books/{self.tiny.id}/newness?{AS_OF}&split=source&view=table&period=year")
        row = self.page.get_by_role("row", name=re.compile("2024"))
        expect(row.get_by_role("cell")).not_to_have_count(0)
        expect(self.page.locator("svg[role=img]")).to_have_count(0)
        row.get_by_role("button").first.press("Enter")
        expect(self.page.get_by_label("Behind this number")).to_contain_text("in 2024")

    def test_a_loss_a_zero_and_nothing_look_different(self) -> None:
        self.cohorts(f"{AS_OF}&figure=profit_per_customer&margin=30&cac=120&period=quarter&table=figures")
        expect(self.cell(0, 0)).to_have_class(re.compile(r"ramp-below-\d"))
        expect(self.cell(0, 0)).to_have_text(re.compile("^−"))
        expect(self.page.locator("tfoot line.zero")).to_have_count(1)
        self.cohorts(f"{AS_OF}&period=quarter")
        expect(self.cell(0, 1)).to_have_class(re.compile(r"ramp-\d"))
        expect(self.page.locator(".ramp-below-0")).to_have_count(0)

    def test_a_long_name_is_read_whole(self) -> None:
        book = new_book(self.workspace)
        name = "The Very Long Named Guild of Potters, Kiln Keepers and Glaze Makers of the Outer Islands and Beyond"
        people = [("customer_no", "name"), ("C1", name)]
        deliver(self.workspace, book, write_csv(self.folder / "people.csv", people), "office")
        self.open(f"/books/{book.id}/threads")
        self.page.get_by_role("row").nth(1).click()
        heading = self.page.get_by_role("heading", name=name)
        self.assertTrue(heading.evaluate("one => one.scrollWidth <= one.clientWidth"))

    def test_many_orders_of_one_customer_are_gathered_and_windowed(self) -> None:
        book = new_book(self.workspace)
        rows = (
            (f"A{at}", "C1", f"20{15 + at % 10}-{at % 12 + 1:02d}-{at % 28 + 1:02d}", "1", "paid")
            for at in range(3_000)
        )
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        self.open(f"/books/{book.id}/threads")
        self.page.get_by_role("row").nth(1).click()
        panel = self.page.get_by_role("region", name="Customer", exact=True)
        expect(panel.get_by_text("gathered where they stand close")).to_be_visible()
        self.assertLessEqual(panel.get_by_role("application").locator("circle").count(), 600)
        orders = panel.get_by_role("table", name="Orders, latest first")
        expect(orders.get_by_role("row").nth(1)).to_contain_text("3\u202f000")
        self.assertLess(orders.get_by_role("row").count(), 60)
        panel.get_by_role("region", name="scrolled").evaluate("box => (box.scrollTop = box.scrollHeight)")
        expect(
            orders.get_by_role("rowheader").or_(orders.get_by_role("cell", name="1", exact=True)).first
        ).to_be_visible()


class WorkGoesOn(FrameCase):
    def send(self, *paths: Path) -> None:
        self.page.set_input_files("input[type=file]", paths)

    def source(self, name: str) -> None:
        self.word("Source").click()
        self.page.get_by_placeholder("such as web shop").fill(name)
        self.page.keyboard.press("Enter")

    def one(self, name: str, rows: int) -> Path:
        return write_csv(
            self.folder / name, [HEADER, *((f"{name}{at}", str(at), "2024-01-05", "1", "paid") for at in range(rows))]
        )

    def test_files_and_what_was_said_of_them_wait_while_one_looks_elsewhere(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/import")
        self.send(self.one("first.csv", 2), self.one("second.csv", 3))
        self.source("till")
        expect(self.page.get_by_test_id("comes")).to_contain_text("2 new orders")
        self.page.get_by_role("link", name="Threads").click()
        expect(self.page.get_by_text("This book holds nothing yet.")).to_be_visible()
        self.page.get_by_role("link", name="Import").click()
        heading = self.page.get_by_role("heading", level=1)
        expect(heading).to_contain_text("Import first.csv into till")
        expect(self.page.get_by_text("Waiting after it: second.csv.")).to_be_visible()
        self.page.get_by_role("button", name="Import it").click()
        expect(heading).to_contain_text("Import second.csv")

    def test_what_is_under_way_for_one_file_never_lands_on_the_next(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/import")
        self.send(self.one("first.csv", 2), self.one("second.csv", 3))
        held: list[Route] = []
        self.page.route("**/look", lambda route: held.append(route))
        self.source("till")
        expect(self.page.get_by_text("Looking at the file…")).to_be_visible()
        self.page.get_by_role("button", name="Discard file").click()
        heading = self.page.get_by_role("heading", level=1)
        expect(heading).to_contain_text("Import second.csv into second")
        self.refusals.add("404")
        # what was held goes through now
        self.page.unroute("**/look")
        self.source("desk")
        expect(self.page.get_by_test_id("comes")).to_contain_text("3 new orders")
        expect(heading).to_contain_text("Import second.csv into desk")

    def test_a_sheet_that_is_chosen_while_the_file_is_looked_at_stays_chosen(self) -> None:
        book = new_book(self.workspace)
        rows: list[list[object]] = [list(HEADER), ["K1", "7", "2024-01-05", 12.5, "paid"]]
        more: list[list[object]] = [*rows, ["K2", "8", "2024-01-06", 12.5, "paid"]]
        (self.folder / "till.xlsx").write_bytes(workbook({"One": rows, "Two": more}))
        self.open(f"/books/{book.id}/import")
        self.send(self.folder / "till.xlsx")
        held: list[Route] = []
        self.page.route("**/look", lambda route: held.append(route))
        self.choose("Sheet", "Two")
        expect(self.page.get_by_text("Looking at the file…")).to_be_visible()
        self.source("till")
        # what was held goes through now
        self.page.unroute("**/look")
        expect(self.page.get_by_test_id("comes")).to_contain_text("2 new orders")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("sheet Two")

    def test_an_import_goes_on_is_shown_from_anywhere_and_after_a_reload(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/import")
        self.send(self.one("long.csv", 2_000))
        self.source("till")
        shown = self.page.locator("p").filter(has_text="importing long.csv")
        with self.held(book):
            self.page.get_by_role("button", name="Import it").click()
            expect(self.page.get_by_role("progressbar")).to_be_visible()
            self.page.get_by_role("link", name="Threads").click()
            expect(shown).to_be_visible()
            self.page.reload()
            expect(shown).to_be_visible()
            shown.get_by_role("button", name="go there").click()
            expect(self.page.get_by_role("progressbar")).to_be_visible()
        expect(self.page.get_by_test_id("report")).to_contain_text("2\u202f000 imported")


if __name__ == "__main__":
    unittest.main()
