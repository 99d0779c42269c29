"""The page as a person uses it, in Chromium: a file in, cells read, one opened, the customers seen."""

from __future__ import annotations

import re
import tempfile
import unittest
from contextlib import ExitStack
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Locator, Page, Route, expect

from goldthread.actions.workspace import Workspace
from goldthread.store.books import BookRow
from tests.support.running import ROOT, Place, browser, server
from tests.support.sharing import deliver, new_book, tiny_book, write_csv

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
SIZE = {"width": 1280, "height": 800}
HEADER = ("receipt", "cust no", "sold on", "total", "note")


class PageCase(unittest.TestCase):
    place: ClassVar[Place]
    browser: ClassVar[Browser]
    address: ClassVar[str]
    workspace: ClassVar[Workspace]
    tiny: ClassVar[BookRow]

    @classmethod
    def setUpClass(cls) -> None:
        stack = ExitStack()
        cls.addClassCleanup(stack.close)
        cls.place = Place()
        stack.callback(cls.place.close)
        workspace = cls.place.workspace()
        stack.callback(workspace.record.engine.dispose)
        cls.workspace = workspace
        with tempfile.TemporaryDirectory() as folder:
            cls.tiny = tiny_book(workspace, Path(folder))
        cls.address = stack.enter_context(server(cls.place))
        cls.browser = stack.enter_context(browser())

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        context = self.browser.new_context(viewport=SIZE, accept_downloads=True, reduced_motion="reduce")  # type: ignore[arg-type]
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.faults: list[str] = []
        self.page.on("pageerror", lambda error: self.faults.append(str(error)))
        self.page.on(
            "console",
            lambda message: self.faults.append(message.text) if message.type in ("error", "warning") else None,
        )

    def tearDown(self) -> None:
        self.assertEqual([fault for fault in self.faults if "422" not in fault], [])

    def open(self, path: str) -> None:
        self.page.goto(self.address + path)

    def cohorts(self, query: str = "as_of=2025-08-31") -> None:
        self.open(f"/books/{self.tiny.id}/cohorts?{query}")
        expect(self.page.get_by_role("grid")).to_be_visible()

    def cell(self, cohort: int, age: int) -> Locator:
        return self.page.locator(f"#cell-{cohort}-{age}")

    def word(self, title: str) -> Locator:
        return self.page.get_by_role("button", name=re.compile(f"^{title}:"))

    def choose(self, title: str, option: str) -> None:
        self.word(title).click()
        self.page.get_by_role("menu").get_by_text(option, exact=True).click()

    def assert_accessible(self) -> None:
        self.page.evaluate(AXE.read_text(encoding="utf-8"))
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations']})")
        serious = [
            (fault["id"], [node["html"][:160] for node in fault["nodes"][:3]])
            for fault in found["violations"]
            if fault["impact"] in ("serious", "critical")
        ]
        self.assertEqual(serious, [])


class FirstFile(PageCase):
    def test_a_stranger_begins_a_book_brings_a_file_in_and_reads_who_came_back(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_role("button", name=re.compile("^Book:")).click()
        page.get_by_text("Begin another book", exact=True).click()
        page.get_by_label("Name").fill("Kiln Yard")
        page.get_by_label("Time zone").fill("Mars")
        page.get_by_role("button", name="Begin this book").click()
        expect(page.get_by_role("alert")).to_contain_text("Mars is no time zone")
        expect(page.get_by_label("Name")).to_have_value("Kiln Yard")
        page.get_by_label("Time zone").fill("Europe/Lisbon")
        page.get_by_role("button", name="Begin this book").click()
        expect(page.get_by_test_id("holds")).to_contain_text("The book is empty")
        rows = [
            ("K1", "7", "2024-01-05", "10.00", "x"),
            ("K2", "8", "2024-01-09", "20.00", ""),
            ("K3", "7", "2024-02-11", "30.50", ""),
            ("K4", "", "2024-02-12", "5", ""),
            ("K5", "8", "2024-04-31", "5", ""),
            ("K6", "9", "2024-03-01", "4", ""),
        ]
        page.set_input_files("input[type=file]", write_csv(self.folder / "march.csv", [HEADER, *rows]))
        expect(page.get_by_role("heading", level=1)).to_contain_text(
            "Bring march.csv into which source? as one row per order"
        )
        button = page.get_by_role("button", name="Bring it in")
        expect(button).to_be_disabled()
        self.word("Source").click()
        page.get_by_placeholder("such as web shop").fill("counter")
        page.keyboard.press("Enter")
        button.click()
        report = page.get_by_test_id("report")
        expect(report).to_contain_text("6 rows read: 4 came in, 0 repeated another row, 2 were rejected")
        expect(report).to_contain_text("There is no such date.")
        expect(page.get_by_test_id("holds")).to_contain_text("4 orders of 3 customers, 5 Jan 2024 to 1 Mar 2024")
        self.assert_accessible()
        page.get_by_role("link", name="Cohorts").click()
        expect(self.cell(0, 1)).to_have_text("50")
        expect(self.cell(0, 2)).to_have_text("0")
        expect(self.cell(1, 0)).to_have_count(0)
        self.cell(0, 1).click()
        panel = page.get_by_label("Behind this number")
        expect(panel).to_contain_text("1 of 2 customers")
        expect(panel.get_by_text("7", exact=True)).to_be_visible()

    def test_a_column_is_corrected_with_one_click(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/intake")
        header = ("receipt", "cust no", "sold on", "kept for")
        self.page.set_input_files(
            "input[type=file]", write_csv(self.folder / "odd.csv", [header, ("K1", "7", "2024-01-05", "10,00")])
        )
        expect(self.page.get_by_text("Say which column holds the amount.")).to_be_visible()
        self.choose("The column “kept for” tells", "amount")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("amounts with a decimal comma")
        expect(self.page.get_by_text("Say which column holds")).to_have_count(0)

    def test_what_the_data_leave_open_is_asked_with_an_example(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/intake")
        rows = [HEADER, ("K1", "7", "03/04/2025", "10,00", ""), ("K2", "7", "05/04/2025", "1.204,50", "")]
        self.page.set_input_files("input[type=file]", write_csv(self.folder / "open.csv", rows))
        expect(self.page.get_by_text("03/04/2025 is 3 Apr 2025 or 4 Mar 2025")).to_be_visible()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("amounts with a decimal comma")
        self.word("Source").click()
        self.page.get_by_placeholder("such as web shop").fill("counter")
        self.page.keyboard.press("Enter")
        button = self.page.get_by_role("button", name="Bring it in")
        expect(button).to_be_disabled()
        self.choose("How dates are read", "day/month/year")
        self.page.get_by_role("button", name="Try it first").click()
        expect(self.page.get_by_test_id("report")).to_contain_text("If it goes in now: 2 rows read: 2 come in")
        expect(self.page.get_by_test_id("holds")).to_contain_text("The book is empty")
        button.click()
        expect(self.page.get_by_test_id("holds")).to_contain_text("2 orders of 1 customer, 3 Apr 2025 to 5 Apr 2025")

    def test_a_file_that_cannot_be_read_is_told_where_it_was_dropped(self) -> None:
        (self.folder / "book.csv").write_bytes(b"PK\x03\x04")
        self.open(f"/books/{self.tiny.id}/intake")
        self.page.set_input_files("input[type=file]", self.folder / "book.csv")
        expect(self.page.get_by_role("alert")).to_contain_text("spreadsheet or zip file")
        expect(self.page.get_by_role("alert")).to_contain_text("Save the table as CSV")

    def test_the_same_file_again_says_so_and_rejected_rows_stay_in_the_log(self) -> None:
        book = new_book(self.workspace)
        path = write_csv(
            self.folder / "twice.csv", [HEADER, ("K1", "7", "2024-01-05", "1", ""), ("K2", "", "2024-01-05", "1", "")]
        )
        deliver(self.workspace, book, path, "counter")
        self.open(f"/books/{book.id}/intake")
        self.page.get_by_role("button", name="1 row rejected").click()
        expect(self.page.get_by_text("There is no customer.")).to_be_visible()
        self.page.set_input_files("input[type=file]", path)
        self.choose("Source", "counter")
        self.page.get_by_role("button", name="Bring it in").click()
        expect(self.page.get_by_test_id("report")).to_contain_text("Nothing was changed.")

    def test_a_long_delivery_shows_progress_and_can_be_stopped(self) -> None:
        book = new_book(self.workspace)
        rows = ((f"A-{at}", str(at % 999), "2024-01-05", "1", "") for at in range(200_000))
        self.open(f"/books/{book.id}/intake")
        self.page.set_input_files("input[type=file]", write_csv(self.folder / "long.csv", [HEADER, *rows]))
        self.word("Source").click()
        self.page.get_by_placeholder("such as web shop").fill("counter")
        self.page.keyboard.press("Enter")
        self.page.get_by_role("button", name="Bring it in").click()
        expect(self.page.get_by_role("progressbar")).to_be_visible()
        expect(self.page.get_by_text(re.compile("Checking rows: .* of 200"))).to_be_visible()
        self.page.get_by_role("button", name="Stop, and change nothing").click()
        expect(self.page.get_by_role("alert")).to_contain_text("The delivery was stopped")
        expect(self.page.get_by_test_id("holds")).to_contain_text("The book is empty")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("long.csv")


class Cohorts(PageCase):
    def test_cells_say_what_the_small_history_says(self) -> None:
        self.cohorts()
        wanted = {(0, 1): "50", (0, 2): "0", (0, 19): "50", (4, 13): "100", (12, 1): "100"}
        for place, text in wanted.items():
            with self.subTest(cell=place):
                expect(self.cell(*place)).to_have_text(text)
        expect(self.cell(-1, 1)).to_contain_text("27")
        expect(self.page.get_by_test_id("reading")).to_contain_text("as of 31 Aug 2025; 1 later order left out.")

    def test_words_of_the_sentence_change_the_question_and_back_undoes_it(self) -> None:
        self.cohorts()
        self.choose("Figure", "how much revenue came")
        expect(self.page.get_by_test_id("question")).to_contain_text("how much revenue came")
        expect(self.cell(0, 0)).to_have_accessible_name("316")
        self.choose("Cohorts by", "year")
        expect(self.page.get_by_test_id("question")).to_contain_text("in each year")
        expect(self.page).to_have_url(re.compile("figure=revenue.*period=year|period=year.*figure=revenue"))
        self.page.go_back()
        expect(self.page.get_by_test_id("question")).to_contain_text("in each month")
        self.page.reload()
        expect(self.cell(0, 0)).to_have_accessible_name("316")
        self.page.get_by_role("button", name="every figure").click()
        expect(self.cell(0, 0)).to_have_text("316")
        self.choose("First column", "left out")
        expect(self.cell(0, 0)).to_have_count(0)

    def test_the_reading_line_chooses_sources_statuses_and_the_date(self) -> None:
        self.cohorts()
        reading = self.page.get_by_test_id("reading")
        self.word("Sources that are read").click()
        for name in ("phone", "web"):
            self.page.get_by_role("menuitemcheckbox", name=name).click()
        self.page.keyboard.press("Escape")
        expect(reading).to_contain_text("orders from counter")
        expect(self.page.get_by_text("customers with an order").locator("xpath=preceding-sibling::dt[1]")).to_have_text(
            "7"
        )
        self.word("As of").click()
        self.page.get_by_label("a date").fill("2024-12-31")
        expect(reading).to_contain_text("as of 31 Dec 2024")

    def test_quick_clicks_build_on_each_other_before_any_answer_is_there(self) -> None:
        self.cohorts()
        held: list[Route] = []
        self.page.route("**/cohorts?*", lambda route: held.append(route))
        self.word("Sources that are read").click()
        for name in ("phone", "web"):
            with self.page.expect_request("**/cohorts?*"):
                self.page.get_by_role("menuitemcheckbox", name=name).click()
        held[-1].continue_()
        expect(self.page.get_by_test_id("reading")).to_contain_text("orders from counter")

    def test_a_menu_is_worked_by_keyboard_and_narrowed_by_typing(self) -> None:
        self.cohorts()
        self.word("Cohorts by").focus()
        self.page.keyboard.press("Enter")
        self.page.keyboard.type("qu")
        expect(self.page.get_by_role("menuitemradio")).to_have_count(1)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_test_id("question")).to_contain_text("in each quarter")
        self.page.keyboard.press("Enter")
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("menu")).to_have_count(0)
        expect(self.page.get_by_test_id("question")).to_contain_text("in each quarter")

    def test_arrows_enter_and_escape_open_and_close_what_is_behind(self) -> None:
        self.cohorts("as_of=2025-08-31&period=quarter")
        self.page.get_by_role("grid").focus()
        for key in ("ArrowRight", "ArrowDown", "ArrowUp", "Enter"):
            self.page.keyboard.press(key)
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text(
            "Customers who first ordered in quarter 1 of 2024 and ordered 2 calendar quarters later."
        )
        expect(self.page).to_have_url(re.compile("open=2024-Q1%7E2"))
        self.page.keyboard.press("Escape")
        expect(panel).to_have_count(0)
        self.page.go_back()
        expect(panel).to_be_visible()

    def test_an_opened_figure_shows_its_customers_and_gives_their_orders(self) -> None:
        self.cohorts("as_of=2025-08-31&open=2024-05~13")
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text("2 of 2 customers")
        expect(panel.get_by_role("listitem").locator(".truncate")).to_have_text(
            ["Greta Lund-Ibarra", "Hale Street Kilns"]
        )
        thread = panel.get_by_role("img", name="3 orders, first 20 May 2024, latest 3 Jun 2025; 1 counted here")
        expect(thread.locator("circle")).to_have_count(3)
        expect(thread.locator("circle.inside")).to_have_count(1)
        with self.page.expect_download() as taken:
            panel.get_by_role("button", name="These orders as CSV").click()
        lines = Path(taken.value.path()).read_text(encoding="utf-8").splitlines()
        self.assertEqual([line.split(",")[3] for line in lines], ["order", "W-14", "K0010"])

    def test_averages_and_the_overall_figure_are_opened_too(self) -> None:
        self.cohorts()
        panel = self.page.get_by_label("Behind this number")
        self.page.locator("tr.all td.size").click()
        expect(panel).to_contain_text("11 of 11 customers")
        self.cell(-1, 1).click()
        expect(panel).to_contain_text("3 of 11 customers")
        panel.get_by_role("button", name="Close").click()
        self.page.get_by_role("button", name=re.compile("on average in any later month")).click()
        expect(panel).to_contain_text("15 of 157 chances")

    def test_the_table_is_taken_as_a_file(self) -> None:
        self.cohorts()
        with self.page.expect_download() as taken:
            self.page.get_by_role("button", name="one row a cell").click()
        text = Path(taken.value.path()).read_text(encoding="utf-8")
        self.assertIn("2024-01,2,1,complete,1,1,12.00,0.500000", text)

    def test_an_address_that_asks_nonsense_is_told_and_led_back(self) -> None:
        self.open(f"/books/{self.tiny.id}/cohorts?as_of=someday")
        expect(self.page.get_by_role("alert")).to_contain_text("someday is no date")
        self.page.get_by_role("button", name="Back to the plain question").click()
        expect(self.page.get_by_role("grid")).to_be_visible()

    def test_a_book_without_orders_teaches_what_to_do(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/cohorts")
        self.page.get_by_role("button", name="Go to Intake").click()
        expect(self.page.get_by_text("Drop a file here, or choose one")).to_be_visible()


class Frame(PageCase):
    def test_no_serious_fault_of_accessibility_in_either_theme(self) -> None:
        for path in ("cohorts?as_of=2025-08-31", "cohorts?as_of=2025-08-31&open=2024-05~13", "intake"):
            for theme in ("linen", "evening"):
                self.open(f"/books/{self.tiny.id}/{path}")
                self.page.evaluate(f"localStorage.setItem('goldthread-theme', '{theme}')")
                self.page.reload()
                expect(self.page.get_by_role("heading").first).to_be_visible()
                self.page.wait_for_load_state("networkidle")
                with self.subTest(path=path, theme=theme):
                    self.assert_accessible()

    def test_keys_go_to_the_stops_and_are_shown(self) -> None:
        self.cohorts()
        self.page.keyboard.press("1")
        expect(self.page).to_have_url(re.compile("/intake"))
        self.page.keyboard.press("2")
        expect(self.page).to_have_url(re.compile("/cohorts"))
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_hidden()

    def test_the_page_fits_its_window_without_scrolling(self) -> None:
        for width, height in ((1280, 800), (900, 700), (1720, 1000)):
            self.page.set_viewport_size({"width": width, "height": height})
            for path in ("cohorts?as_of=2025-08-31", "cohorts?as_of=2025-08-31&period=week", "intake"):
                self.open(f"/books/{self.tiny.id}/{path}")
                expect(self.page.get_by_role("main")).to_be_visible()
                self.page.wait_for_load_state("networkidle")
                over = self.page.evaluate(
                    "(({scrollWidth, scrollHeight}) => [scrollWidth - innerWidth, scrollHeight - innerHeight])"
                    "(document.documentElement)"
                )
                with self.subTest(size=(width, height), path=path):
                    self.assertEqual([edge for edge in over if edge > 0], [])

    def test_a_server_that_is_gone_is_told_and_nothing_is_lost(self) -> None:
        self.cohorts()
        self.page.route("**/api/books/*/cohorts?*", lambda route: route.abort())
        self.choose("Cohorts by", "year")
        expect(self.page.get_by_role("alert")).to_contain_text("The server does not answer")
        self.faults.clear()


class LargeLists(PageCase):
    def test_thousands_of_customers_and_hundreds_of_weeks_are_windowed(self) -> None:
        book = new_book(self.workspace)
        days = [f"{2021 + at // 300}-{at // 25 % 12 + 1:02d}-{at % 25 + 1:02d}" for at in range(1500)]
        rows = ((f"A-{at}", f"C{at // 2:05d}", days[at * 7 % 1500], "1", "") for at in range(6_000))
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        self.open(f"/books/{book.id}/cohorts?period=week&table=figures&open=all~0&first_column=shown")
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text("3 000 of 3 000 customers".replace(" 0", "\u202f0"))
        self.assertLess(panel.get_by_role("listitem").count(), 60)
        listed = panel.get_by_role("region")
        listed.evaluate("box => (box.scrollTop = box.scrollHeight)")
        expect(panel.get_by_text("C02999", exact=True)).to_be_visible()
        self.assertLess(self.page.locator("td.figure").count(), 2_000)
        self.page.get_by_role("grid").focus()
        self.page.keyboard.press("ArrowDown")
        for _ in range(30):
            self.page.keyboard.press("ArrowDown")
        expect(self.page.locator(".cursor")).to_be_in_viewport()


if __name__ == "__main__":
    unittest.main()
