"""Worth and the first page of a book, as a person uses them, in Chromium."""

from __future__ import annotations

import re
import tempfile
import unittest
from pathlib import Path

from playwright.sync_api import Route, expect

from goldthread.store.books import BookRow
from tests.support import worth
from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

AS_OF = f"as_of={worth.AS_OF}&margin=50"
VIEWS = (
    f"worth?{AS_OF}&split=first_source&if_margin=5",
    f"worth?{AS_OF}&open=lifespan",
    f"worth?{AS_OF}&view=payback",
    f"worth?{AS_OF}&view=forecast&period=month&few=shown&small=1",
    f"worth?{AS_OF}&view=difference&by=source",
    f"worth?{AS_OF}&view=spend",
    f"worth?{AS_OF}&view=compare&one=2024-01",
    f"worth?{AS_OF}&view=top-customers",
    f"worth?{AS_OF}&view=bought",
    f"worth?{AS_OF}&view=leads-to",
    f"overview?{AS_OF}",
)


class WorthCase(PageCase):
    eight: BookRow

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.eight = new_book(cls.workspace)
        with tempfile.TemporaryDirectory() as folder:
            header = ("order", "line", "customer_no", "date", "product", "category", "amount")
            lines = [
                (order, "1", customer, date, f"thing {order}", ("clay", "glaze")[int(order) % 2], amount)
                for order, customer, date, amount in worth.orders()
            ]
            deliver(cls.workspace, cls.eight, write_csv(Path(folder) / "lines.csv", [header, *lines]), "shop")
            spend = [("month", "channel", "amount"), *worth.SPEND]
            deliver(cls.workspace, cls.eight, write_csv(Path(folder) / "spend.csv", spend), "office")

    def shown(self, path: str) -> None:
        self.open(f"/books/{self.eight.id}/{path}")
        expect(self.page.get_by_test_id("question")).to_be_visible()
        self.settled()


class Worth(WorthCase):
    def test_the_arithmetic_is_read_aloud_and_its_words_change_it(self) -> None:
        self.shown(f"worth?{AS_OF}")
        expect(self.heading).to_contain_text("62.50 an order × 2.0 orders × 2.0 months at a gross margin of 50 %")
        expect(self.heading).to_contain_text("125 projected; 70.00 observed by month 3")
        self.word("Gross margin").click()
        self.page.get_by_label("percent").fill("50,2024-02=0")
        self.page.keyboard.press("Enter")
        expect(self.heading).to_contain_text("50 %, 0 % from 2024-02")
        self.page.go_back()
        self.word("Customer acquisition cost (CAC)").click()
        self.page.get_by_label("an amount").fill("20")
        self.page.keyboard.press("Enter")
        expect(self.heading).to_contain_text("winning one cost 20.00 (20 each)")

    def test_a_part_of_the_arithmetic_opens_to_its_definition(self) -> None:
        self.shown(f"worth?{AS_OF}")
        self.heading.get_by_role("button", name="2.0 months").click()
        expect(self.panel).to_contain_text("1 ÷ average churn rate")
        expect(self.panel).to_contain_text("recount agrees")
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="300.00").click()
        expect(self.panel).to_contain_text("first ordered in a month for which spend is recorded")

    def test_what_if_is_said_with_if_and_drawn_beside(self) -> None:
        self.shown(f"worth?{AS_OF}")
        self.word("Retention rate, if").click()
        self.page.get_by_label("per cent").fill("20")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_test_id("if")).to_contain_text("If the retention rate rose by 20 %: 156 projected")
        self.page.get_by_role("button", name="as a table").click()
        expect(self.page.get_by_role("table")).to_contain_text("month 3")

    def test_payback_opens_from_the_table_of_ages_and_from_what_one_may_cost(self) -> None:
        self.shown(f"worth?{AS_OF}&view=payback")
        table = self.page.get_by_role("table", name="What may a new customer cost")
        expect(table).to_contain_text("75.00")
        table.get_by_role("button", name="70.00").click()
        expect(self.panel).to_contain_text("all they ordered up to month 3")
        self.page.keyboard.press("Escape")
        self.choose("Customers", "split by first source")
        expect(table).to_contain_text("shop")
        self.choose("Drawn", "Revenue")
        expect(self.page.get_by_role("img", name="Revenue per customer by age")).to_be_visible()

    def test_two_groups_are_named_by_typing_and_told_apart_or_not(self) -> None:
        self.shown(f"worth?{AS_OF}&view=compare&one=2024-01")
        expect(self.page.get_by_test_id("verdict")).to_contain_text("By month 2")
        self.word("With").click()
        self.page.get_by_label("whom").fill("2024-04")
        self.page.keyboard.press("Enter")
        expect(self.heading).to_contain_text("those new in Apr 2024")
        expect(self.page.get_by_test_id("verdict")).to_contain_text("By month 0")

    def test_the_largest_customers_are_opened_and_kept(self) -> None:
        self.shown(f"worth?{AS_OF}&view=top-customers")
        self.page.get_by_role("button", name="top 50 %: 64.0 %").click()
        expect(self.panel).to_contain_text("of revenue, brought by 2 customers")
        self.page.keyboard.press("Escape")
        held: list[Route] = []
        self.page.route("**/ask/top-customers?*top=half*", lambda route: held.append(route))
        with self.page.expect_request("**/ask/top-customers?*top=half*"):
            self.choose("Show", "the fewest who brought half")
        self.word("Keep as a list").click()
        dialog = self.page.get_by_role("dialog", name="Keep as a list")
        named = dialog.get_by_label("Name of the list")
        named.fill("half of it")
        for route in held:
            route.continue_()
        self.page.unroute("**/ask/top-customers?*top=half*")
        expect(dialog.get_by_role("button", name="Keep these 2 customers")).to_be_visible()
        expect(named, "what is typed stays when another name is proposed").to_have_value("half of it")
        dialog.get_by_role("button", name="as a list").click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("half of it (2 customers)")

    def test_what_is_bought_leads_to_customers_and_on_to_other_things(self) -> None:
        self.shown(f"worth?{AS_OF}&view=bought")
        self.page.get_by_role("table").get_by_role("button", name="glaze").click()
        expect(self.panel).to_contain_text("a line of category glaze")
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="customers by glaze").click()
        expect(self.heading).to_contain_text("revenue from category glaze")
        self.shown(f"worth?{AS_OF}&view=leads-to")
        self.page.locator("tbody").get_by_role("button").first.click()
        expect(self.panel).to_contain_text("first order was mainly of category")

    def test_no_fault_of_accessibility_in_either_theme_or_on_the_smallest_screen(self) -> None:
        for path in VIEWS:
            self.page.set_viewport_size({"width": 320, "height": 800})
            self.shown(path)
            for width in (320, 1280):
                self.page.set_viewport_size({"width": width, "height": 800})
                self.settled()
                over = self.page.evaluate("document.documentElement.scrollWidth - innerWidth")
                with self.subTest(path=path, width=width):
                    self.assertLessEqual(over, 0)
                    self.assert_accessible()


class Forecast(PageCase):
    def test_what_came_and_what_is_forecast_stand_apart_and_the_past_is_told(self) -> None:
        book = new_book(self.workspace)
        rows = [
            (f"{quarter}-{customer}-{age}", f"Q{quarter}C{customer}", day_of(quarter + age), "10")
            for quarter in range(13)
            for customer in range(40)
            for age in range(4 if customer < 20 else 1)
            if quarter + age < 13
        ]
        head = ("order", "customer_no", "date", "amount")
        deliver(self.workspace, book, write_csv(self.folder / "o.csv", [head, *rows]), "shop")
        self.open(f"/books/{book.id}/worth?view=forecast&as_of=2025-03-31")
        expect(self.heading).to_contain_text("1\u202f200 in the next 12 months")
        expect(self.page.get_by_test_id("checks")).to_contain_text("it said 1\u202f200, exactly what came")
        drawing = self.page.get_by_role("img", name="What cohorts brought by age")
        expect(drawing.locator("text.is-ahead").first).to_be_visible()
        self.page.get_by_role("button", name="as a table").click()
        newest = self.page.get_by_role("row", name=re.compile("^Q1 2025"))
        expect(newest).to_contain_text("200 forecast")
        self.assert_accessible()
        newest.get_by_role("button", name="400").click()
        expect(self.page).to_have_url(re.compile("/cohorts.*open=2025-Q1"))
        expect(self.panel).to_contain_text("Customers who first ordered in quarter 1 of 2025")


class Difference(PageCase):
    def test_parts_lie_on_one_thread_and_open(self) -> None:
        self.open(f"/books/{self.tiny.id}/worth?as_of=2025-08-31&view=difference")
        expect(self.heading).to_contain_text("1\u202f963 against 693: +1\u202f270")
        drawing = self.page.get_by_role("img", name="What made the difference")
        expect(drawing).to_contain_text("orders per customer")
        self.choose("Taken apart", "by source")
        drawing.locator("text.name", has_text="counter").hover()
        expect(self.page.locator("p[aria-live]").last).to_contain_text("counter: 305.65 before")
        drawing.locator("text.name", has_text="counter").click()
        expect(self.panel).to_contain_text("from 1 Jan 2025 to 31 Aug 2025, both included (source: counter)")
        self.page.keyboard.press("Escape")
        self.choose("Compared by", "the share of orders that return")
        self.page.get_by_role("button", name="as a table").click()
        row = self.page.get_by_role("row", name=re.compile("^phone"))
        expect(row).to_contain_text("+3.1 points")
        row.get_by_role("button").first.click()
        expect(self.panel).to_contain_text("(source: phone)")
        self.assert_accessible()


def day_of(quarter: int) -> str:
    return f"{2022 + quarter // 4}-{quarter % 4 * 3 + 2:02d}-05"


class Overview(WorthCase):
    def test_a_book_opens_on_its_letter_whose_figures_lead_on(self) -> None:
        self.open("/")
        expect(self.page).to_have_url(re.compile("/overview"))
        self.shown(f"overview?{AS_OF}")
        expect(self.heading).to_contain_text("stand on 30 Apr 2024?")
        self.page.get_by_role("link", name="by month 1").click()
        expect(self.page).to_have_url(re.compile(f"/worth.*as_of={worth.AS_OF}"))
        expect(self.heading).to_contain_text("When is winning a customer paid back")
        self.page.go_back()
        with self.page.expect_download() as taken:
            self.page.get_by_role("button", name="Download as a letter").click()
        self.assertIn("Winning a customer cost 75.00", Path(taken.value.path()).read_text(encoding="utf-8"))

    def test_the_usual_margin_is_asked_for_said_once_and_marked(self) -> None:
        at = f"as_of={worth.AS_OF}"
        self.shown(f"overview?{at}")
        self.page.get_by_role("link", name="Gross margin not set").click()
        usual = self.page.get_by_test_id("usual")
        expect(usual).to_contain_text("The gross margin is not set.")
        self.word("Gross margin").click()
        self.page.get_by_label("percent").fill("142")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("alert")).to_contain_text("142 % is not a gross margin")
        self.word("Gross margin").click()
        self.page.get_by_label("percent").fill("50")
        self.page.keyboard.press("Enter")
        expect(usual).to_contain_text("The gross margin is 50 %.")
        self.choose("Lapsed after", "6 calendar months")
        expect(self.page.get_by_test_id("changes").get_by_role("listitem")).to_have_count(2)
        self.assert_accessible()
        self.shown(f"worth?{at}")
        expect(self.heading).to_contain_text("at a gross margin of 50 % (usual): 125 projected")
        self.shown(f"overview?{at}")
        expect(self.page.get_by_text("Gross margin not set")).to_have_count(0)
        expect(self.page.get_by_text("Lapsed after 6 calendar months without an order")).to_be_visible()

    def test_an_empty_book_teaches_what_to_do(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/overview")
        self.page.get_by_role("button", name="Import a file").click()
        expect(self.page.get_by_text("Drop files here, or choose them")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
