"""The page as a person reads it, in Chromium: cells read, one opened, the customers seen."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from playwright.sync_api import Route, expect

from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("receipt", "cust no", "sold on", "total", "note")


class Cohorts(PageCase):
    def test_cells_say_what_the_small_history_says(self) -> None:
        self.cohorts()
        wanted = {(0, 1): "50", (0, 2): "0", (0, 19): "50", (4, 13): "100", (12, 1): "100"}
        for place, text in wanted.items():
            with self.subTest(cell=place):
                expect(self.cell(*place)).to_have_text(text)
        expect(self.cell(-1, 1)).to_contain_text("27")
        expect(self.page.get_by_test_id("reading")).to_contain_text(
            "as of 31 Aug 2025, no filter; 1 later order left out."
        )

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
        self.page.get_by_role("button", name="show numbers").click()
        expect(self.cell(0, 0)).to_have_text("316")
        self.choose("First column", "left out")
        expect(self.cell(0, 0)).to_have_count(0)

    def test_a_longer_line_over_the_table_does_not_move_it(self) -> None:
        self.page.set_viewport_size({"width": 1240, "height": 800})
        self.cohorts()
        line = self.page.locator("p.sentence.quiet")
        table = self.page.get_by_role("grid")
        heights: list[float] = []
        distances: list[float] = []
        for name in ("Retention rate", "Cohort revenue"):
            if heights:
                self.choose("Figure", "how much revenue came")
            expect(line).to_contain_text(name)
            top, height = line.evaluate("each => [each.getBoundingClientRect().y, each.clientHeight]")
            heights.append(height)
            distances.append(table.evaluate("each => each.getBoundingClientRect().y") - top)
        self.assertGreater(heights[0], heights[1])
        self.assertEqual(distances[0], distances[1])

    def test_the_reading_line_chooses_sources_statuses_and_the_date(self) -> None:
        self.cohorts()
        reading = self.page.get_by_test_id("reading")
        self.word("Sources that are read").click()
        for name in ("phone", "web"):
            self.page.get_by_role("menuitemcheckbox", name=name).click()
        self.page.keyboard.press("Escape")
        expect(reading).to_contain_text("orders from counter")
        expect(self.page.get_by_text("7 customers with an order")).to_be_visible()
        self.word("As of").click()
        self.page.get_by_label("a date").fill("2024-12-31")
        expect(reading).to_contain_text("as of 31 Aug 2025")
        self.page.keyboard.press("Enter")
        expect(reading).to_contain_text("as of 31 Dec 2024")

    def test_quick_clicks_build_on_each_other_before_any_answer_is_there(self) -> None:
        self.cohorts()
        held: list[Route] = []
        self.page.route("**/cohorts?*", lambda route: held.append(route))
        self.word("Sources that are read").click()
        for name in ("phone", "web"):
            with self.page.expect_request("**/cohorts?*"):
                self.page.get_by_role("menuitemcheckbox", name=name).click()
        # what was held goes through now, and whatever the page asks from here on
        self.page.unroute("**/cohorts?*")
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
        self.page.go_forward()
        expect(panel).to_be_visible()

    def test_an_opened_figure_shows_its_customers_and_gives_their_orders(self) -> None:
        self.cohorts("as_of=2025-08-31&open=2024-05~13")
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text("2 of 2 customers")
        expect(panel.get_by_role("row").get_by_role("link")).to_have_text(["Greta Lund-Ibarra", "Hale Street Kilns"])
        thread = panel.get_by_role("img", name="3 orders, first 20 May 2024, latest 3 Jun 2025; 1 counted here")
        expect(thread.locator("circle")).to_have_count(3)
        expect(thread.locator("circle.inside")).to_have_count(1)
        with self.page.expect_download() as taken:
            panel.get_by_role("button", name="Download these orders").click()
        lines = Path(taken.value.path()).read_text(encoding="utf-8").splitlines()
        self.assertEqual([line.split(",")[3] for line in lines], ["order", "W-14", "K0010"])

    def test_averages_and_the_overall_figure_are_opened_too(self) -> None:
        self.cohorts()
        panel = self.page.get_by_label("Behind this number")
        self.page.locator("tr.all td.size").first.click()
        expect(panel).to_contain_text("100.0 % over 11 customers")
        self.cell(-1, 1).click()
        expect(panel).to_contain_text("27.3 % over 11 customers")
        panel.get_by_role("button", name="Close").click()
        self.page.get_by_role("button", name=re.compile("on average in any later month")).click()
        expect(panel).to_contain_text("15 chances to come back of 157 were taken")

    def test_the_table_is_taken_as_a_file(self) -> None:
        self.cohorts()
        self.word("This table or picture as a file").click()
        with self.page.expect_download() as taken:
            self.page.get_by_text("CSV, long format", exact=True).click()
        text = Path(taken.value.path()).read_text(encoding="utf-8")
        self.assertIn("2024-01,2,1,complete,1,1,12.00,0.5", text)

    def test_an_address_that_asks_nonsense_is_told_and_led_back(self) -> None:
        self.open(f"/books/{self.tiny.id}/cohorts?as_of=someday")
        expect(self.page.get_by_role("alert")).to_contain_text("someday is not a date")
        self.page.get_by_role("button", name="Reset filters").click()
        expect(self.page.get_by_role("grid")).to_be_visible()

    def test_a_book_without_orders_teaches_what_to_do(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/cohorts")
        self.page.get_by_role("button", name="Import a file").click()
        expect(self.page.get_by_text("Drop files here, or choose them")).to_be_visible()


class Frame(PageCase):
    def paths(self) -> tuple[str, ...]:
        """An address of every view."""
        return (
            "cohorts?as_of=2025-08-31",
            "cohorts?as_of=2025-08-31&open=2024-05~13",
            "cohorts?as_of=2025-08-31&period=quarter&columns=periods",
            "cohorts?as_of=2025-08-31&split=first_source",
            "cohorts?as_of=2025-08-31&view=bars&figure=orders",
            "cohorts?as_of=2025-08-31&view=lines",
            "usual",
            "cohorts?as_of=2025-08-31&figure=profit_per_customer&margin=30&cac=120&period=quarter",
            "newness?as_of=2025-08-31",
            "newness?as_of=2025-08-31&view=table&open=2024-01~new",
            "newness?as_of=2025-08-31&split=source",
            "newness?as_of=2025-08-31&split=source&view=table",
            "import",
            "import?view=matches",
            "import?view=hand",
            "threads",
            f"threads?customer={self.customer('Brae Road School')}",
            "threads?view=figures&group=source",
            "threads?view=pairs&columns=source",
            "threads?where=orders+%3D+99",
            "cohorts?as_of=someday",
            "checks",
        )

    def shown(self, path: str) -> None:
        self.open(f"/books/{self.tiny.id}/{path}")
        expect(self.page.get_by_role("heading", level=1)).to_be_visible()
        expect(self.page.get_by_text(re.compile("^(Opening|Reading the book)"))).to_have_count(0)
        self.settled()

    def test_no_fault_of_accessibility_on_any_view_at_twice_the_size_or_on_the_smallest_screen(self) -> None:
        for path in self.paths():
            self.page.set_viewport_size({"width": 320, "height": 800})
            self.shown(path)
            for width in (320, 640, 1280):  # at 400, 200 and 100 %
                self.page.set_viewport_size({"width": width, "height": 800})
                self.settled()
                over = self.page.evaluate("document.documentElement.scrollWidth - innerWidth")
                with self.subTest(path=path, width=width):
                    self.assertLessEqual(over, 0)
                    self.assert_accessible()

    def test_no_fault_of_accessibility_in_menus_panels_and_dialogs(self) -> None:
        opened = {
            "cohorts?as_of=2025-08-31": ("Figure", "Sources that are read", "As of", "Filter", "Saved views", "Book"),
            "cohorts?as_of=2025-08-31&open=2024-05~13": ("Keep as a list", "This table or picture as a file"),
        }
        for path, words in opened.items():
            for word in words:
                self.shown(path)
                self.word(word).click()
                expect(self.page.get_by_role("menu").or_(self.page.get_by_role("dialog")).first).to_be_visible()
                with self.subTest(word=word):
                    self.assert_accessible()
        self.shown("threads")
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Settings and keys")).to_be_visible()
        with self.subTest(word="keys"):
            self.assert_accessible()
        self.shown("threads")
        self.page.keyboard.press("/")
        self.page.keyboard.type("a")
        expect(self.page.get_by_role("option").first).to_be_visible()
        with self.subTest(word="find"):
            self.assert_accessible()

    def test_it_prints_the_whole_table_on_white_in_either_theme(self) -> None:
        for theme in ("linen", "evening"):
            self.open("/")
            self.page.evaluate(f"localStorage.setItem('goldthread-theme', '{theme}')")
            self.shown("threads")
            self.page.emulate_media(media="print")
            self.page.evaluate("dispatchEvent(new Event('beforeprint'))")
            expect(self.page.get_by_role("grid").get_by_role("row")).to_have_count(16)
            self.assertEqual(
                self.page.evaluate("getComputedStyle(document.body).backgroundColor"), "rgb(255, 255, 255)"
            )
            expect(self.page.locator("html")).to_have_attribute("data-theme", "linen")
            expect(self.page.get_by_role("button", name="Settings")).to_be_hidden()
            self.page.emulate_media(media="screen")

    def test_single_keys_can_be_switched_off(self) -> None:
        self.cohorts()
        self.page.keyboard.press("?")
        self.page.get_by_label("Single-key shortcuts are on").uncheck()
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("2")
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        expect(self.page).to_have_url(re.compile("/cohorts"))
        self.page.reload()
        self.page.get_by_role("button", name="Settings").click()
        expect(self.page.get_by_label("Single-key shortcuts are on")).not_to_be_checked()

    def test_the_whole_of_a_row_is_reached_by_keys_and_focus_comes_back(self) -> None:
        self.cohorts("as_of=2025-08-31&period=quarter")
        grid = self.page.get_by_role("grid")
        grid.focus()
        for key in ("ArrowLeft", "ArrowLeft", "Enter"):
            self.page.keyboard.press(key)
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text("first ordered in quarter 1 of 2024")
        expect(panel.get_by_role("heading")).to_be_focused()
        self.page.keyboard.press("Escape")
        expect(panel).to_have_count(0)
        expect(grid).to_be_focused()
        self.assertEqual(grid.get_attribute("aria-activedescendant"), "cell-0-customers")

    def test_keys_go_to_the_stops_and_are_shown(self) -> None:
        self.cohorts()
        for key, stop in (("1", "overview"), ("2", "import"), ("4", "cohorts"), ("8", "worth")):
            self.page.keyboard.press(key)
            expect(self.page).to_have_url(re.compile(f"/{stop}"))
        self.page.get_by_role("link", name="Checks").click()
        expect(self.page).to_have_url(re.compile("/checks"))
        self.page.keyboard.press("3")
        expect(self.page).to_have_url(re.compile("/threads"))
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog", name="Settings and keys")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog", name="Settings and keys")).to_have_count(0)

    def test_the_page_fits_its_window_without_scrolling(self) -> None:
        for path in (
            "cohorts?as_of=2025-08-31",
            "cohorts?as_of=2025-08-31&period=week",
            "cohorts?as_of=2025-08-31&split=first_source",
            "cohorts?as_of=2025-08-31&view=lines",
            "newness?as_of=2025-08-31&period=day",
            "checks",
            "import",
            "threads",
            "overview",
            "worth",
            "worth?view=payback",
        ):
            self.page.set_viewport_size({"width": 900, "height": 700})
            self.shown(path)
            for width, height in ((900, 700), (1280, 800), (1720, 1000)):
                self.page.set_viewport_size({"width": width, "height": height})
                self.settled()
                over = self.page.evaluate(
                    "(({scrollWidth, scrollHeight}) => [scrollWidth - innerWidth, scrollHeight - innerHeight])"
                    "(document.documentElement)"
                )
                with self.subTest(size=(width, height), path=path):
                    self.assertEqual([edge for edge in over if edge > 0], [])

    def test_a_server_that_is_gone_is_told_and_nothing_is_lost(self) -> None:
        self.cohorts()
        self.page.route("**/api/books/*/ask/cohorts?*", lambda route: route.abort())
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
        expect(panel).to_contain_text("over 3\u202f000 customers")
        self.assertLess(panel.get_by_role("row").count(), 60)
        listed = panel.get_by_role("region")
        listed.evaluate("box => (box.scrollTop = box.scrollHeight)")
        expect(panel.get_by_text("C02999", exact=True)).to_be_visible()
        self.assertLess(self.page.locator("td.figure").count(), 2_000)
        self.page.get_by_role("grid").focus()
        self.page.keyboard.press("ArrowDown")
        for _ in range(30):
            self.page.keyboard.press("ArrowDown")
        expect(self.page.get_by_test_id("lights").locator(".cell")).to_be_in_viewport()


if __name__ == "__main__":
    unittest.main()
