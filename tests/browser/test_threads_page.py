"""Threads on the page: a customer found with one key, the page of one, lists, conditions, customer lists."""

from __future__ import annotations

import csv
import json
import re
import unittest
from pathlib import Path

from playwright.sync_api import Locator, Page, expect
from python_calamine import CalamineWorkbook

from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")


class ThreadsPage(PageCase):
    def threads(self, query: str = "as_of=2025-08-31", book: int | None = None) -> None:
        self.open(f"/books/{book or self.tiny.id}/threads?{query}")
        expect(self.list.first).to_be_visible()
        self.settled()

    def row(self, name: str) -> None:
        self.list.get_by_role("row").filter(has_text=name).click()

    @property
    def list(self) -> Locator:
        """The list of customers or orders."""
        return self.page.get_by_role("grid")

    @property
    def panel(self) -> Locator:
        return self.page.get_by_role("region", name="Customer", exact=True)

    def take_every_order(self, form: str) -> None:
        self.word("This table or picture as a file").click()
        self.page.get_by_role("menuitem", name=re.compile(f"^{form}.*every order with its thread")).click()

    def fact(self, title: str, page: Page | None = None) -> Locator:
        return (page or self.page).locator("dl > div").filter(has_text=re.compile(f"^{title}"))


class Finding(ThreadsPage):
    def test_one_key_finds_a_customer_from_anywhere(self) -> None:
        self.cohorts()
        self.page.keyboard.press("/")
        self.page.keyboard.type("ofallon")
        found = self.page.get_by_role("option")
        expect(found).to_have_count(1)
        expect(found).to_contain_text("Ada O'Fallon")
        expect(found).to_contain_text("31 Aug 2025")
        expect(found).to_contain_text("0 days ago")
        self.page.keyboard.press("Enter")
        expect(self.page).to_have_url(re.compile(r"/threads\?as_of=2025-08-31&customer=\d+"))
        expect(self.panel).to_contain_text("Ada O'Fallon")

    def test_arrow_keys_choose_among_matches(self) -> None:
        self.cohorts()
        self.page.keyboard.press("/")
        self.page.keyboard.type("e")
        expect(self.page.get_by_role("option").nth(2)).to_be_visible()
        self.page.keyboard.press("ArrowDown")
        lit = self.page.locator("[role=option][data-highlighted]")
        expect(lit).to_have_count(1)
        name = lit.locator("span").first.inner_text()
        self.page.keyboard.press("Enter")
        expect(self.panel).to_contain_text(name)

    def test_nobody_found_is_said_and_escape_leaves(self) -> None:
        self.threads()
        self.page.keyboard.press("/")
        self.page.keyboard.type("zzz")
        expect(self.page.get_by_role("option")).to_contain_text("Nobody of that name")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("listbox")).to_have_count(0)


class OneCustomer(ThreadsPage):
    def test_the_page_says_what_the_thread_says(self) -> None:
        self.threads()
        self.row("Brae Road School")
        for title, words in (
            ("First order", "31 Jan 2024"),
            ("Latest order", "31 Mar 2025 153 days ago"),
            ("Orders", "4 712.00 in all"),
            ("Usual gap", "210 days mean 141.7, widest 214"),
            ("Next order", "27 Oct 2025"),
            ("Last activity", "31 Mar 2025 an order"),
        ):
            expect(self.fact(title)).to_contain_text(words)
        expect(self.panel).to_contain_text("lapsed (lapsed after 90 days without an order)")
        self.choose("Lapsed after", "6 calendar months")
        expect(self.panel).to_contain_text("active (lapsed after 6 calendar months without an order)")
        orders = self.panel.locator("tbody tr")
        expect(orders.first).to_contain_text("K0012")
        expect(orders.nth(0).locator("td").nth(-2)).to_have_text("210")

    def test_the_large_thread_is_zoomed_and_moved_by_keys_and_wheel(self) -> None:
        self.threads(f"as_of=2025-08-31&customer={self.customer('Brae Road School')}")
        thread = self.panel.get_by_role("application")
        expect(thread.locator("circle")).to_have_count(4)
        expect(thread.locator("text.gap")).to_have_text(["214", "210"])
        expect(thread.locator("text.open")).to_have_text("153 so far")
        first = thread.locator("circle").first
        before = first.get_attribute("cx")
        thread.focus()
        for key in ("+", "+", "-", "ArrowRight"):
            self.page.keyboard.press(key)
        expect(first).not_to_have_attribute("cx", before or "")
        self.page.keyboard.press("0")
        expect(first).to_have_attribute("cx", before or "")
        box = first.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        for _ in range(24):
            self.page.mouse.wheel(0, -100)
        expect(thread.locator("text.gap").first).to_have_text("1")
        self.panel.get_by_role("button", name="show all").click()
        expect(first).to_have_attribute("cx", before or "")
        self.panel.get_by_role("button", name="calendar").click()
        expect(thread).to_contain_text("200 d")

    def test_an_order_opens_into_its_lines(self) -> None:
        ada = self.customer("Ada O'Fallon")
        self.threads(f"customer={ada}")
        self.panel.get_by_role("button", name="W-9", exact=True).click()
        expect(self.panel.get_by_role("list", name="Lines of W-9").get_by_role("listitem")).not_to_have_count(0)
        self.panel.get_by_role("button", name="K0001").click()
        expect(self.panel).to_contain_text("as a whole, without lines")

    def test_an_order_that_is_added_changes_every_figure_here_and_in_another_window(self) -> None:
        book = new_book(self.workspace)
        rows = [HEADER, ("K1", "C1", "2025-01-01", "10", "paid"), ("K2", "C1", "2025-01-11", "30", "paid")]
        deliver(self.workspace, book, write_csv(self.folder / "two.csv", rows), "counter")
        self.threads("", book.id)
        self.row("C1")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        for page in (self.page, other):
            expect(self.fact("Orders", page)).to_contain_text("2 40.00 in all, 20.00 on average")
        self.page.get_by_role("button", name="Add an order").click()
        for label, value in (("order number", "K3"), ("date", "2025-02-10"), ("amount", "11")):
            self.page.get_by_label(label, exact=True).fill(value)
        self.page.get_by_role("button", name="Save order").click()
        expect(self.page.get_by_role("status")).to_contain_text("Order K3 is in.")
        for page in (self.page, other):
            expect(self.fact("Orders", page)).to_contain_text("3 51.00 in all, 17.00 on average")
            expect(self.fact("Latest order", page)).to_contain_text("10 Feb 2025 0 days ago")
            expect(self.fact("Usual gap", page)).to_contain_text("20 days mean 20, widest 30")
            expect(page.get_by_role("application").locator("circle")).to_have_count(3)
            expect(page.get_by_test_id("reading")).to_contain_text("as of 10 Feb 2025")

    def test_what_is_wrong_with_an_order_is_told_and_nothing_typed_is_lost(self) -> None:
        self.threads(f"customer={self.customer('Brae Road School')}")
        self.page.get_by_role("button", name="Add an order").click()
        for label, value in (("order number", "K99"), ("date", "2025-02-31"), ("amount", "11")):
            self.page.get_by_label(label, exact=True).fill(value)
        self.page.get_by_role("button", name="Save order").click()
        expect(self.page.get_by_text("There is no such date.")).to_be_visible()
        self.page.get_by_label("date", exact=True).fill("1850-02-28")
        self.page.get_by_role("button", name="Save order").click()
        expect(self.page.get_by_role("alert")).to_contain_text("1900")
        expect(self.page.get_by_label("order number", exact=True)).to_have_value("K99")


class Lists(ThreadsPage):
    def test_words_of_the_question_change_the_list_and_back_undoes_it(self) -> None:
        self.threads()
        names = self.list.locator("tbody td:first-child")
        expect(names.first).to_contain_text("Lio Marchetti-Boe")
        self.choose("By", "revenue")
        expect(self.page.get_by_test_id("question")).to_contain_text("Customers by revenue, largest first")
        expect(self.page.get_by_role("row").nth(1)).to_contain_text("1\u202f242.50")
        self.choose("Sequence", "smallest first")
        expect(self.page.get_by_role("row").nth(1)).to_contain_text("0.00")
        self.page.go_back()
        expect(self.page.get_by_test_id("question")).to_contain_text("largest first")

    def test_rows_are_walked_and_opened_by_keys(self) -> None:
        self.threads("by=name")
        self.list.focus()
        for key in ("ArrowDown", "ArrowDown", "ArrowUp", "Enter"):
            self.page.keyboard.press(key)
        expect(self.panel).to_contain_text("Brae Road School")
        self.page.keyboard.press("Escape")
        expect(self.panel).to_have_count(0)

    def test_one_order_of_each_customer_says_how_many_and_why(self) -> None:
        self.threads()
        self.choose("Show", "One order of each customer")
        self.choose("Order", "third")
        expect(self.page.get_by_text("5 customers have at least 3 orders: one a row.")).to_be_visible()
        expect(self.page.get_by_role("row").filter(has_text="Brae Road School")).to_contain_text("K0011")

    def test_backdated_orders_are_named_and_ringed(self) -> None:
        self.threads("view=backdated")
        expect(self.page.locator("circle.inside")).not_to_have_count(0)
        expect(self.page.get_by_text(re.compile(r"with \d+ backdated orders?, ringed"))).to_be_visible()

    def test_figures_and_pairs_lead_to_who_stands_behind_them(self) -> None:
        self.open(f"/books/{self.tiny.id}/threads?view=figures&group=source&as_of=2025-08-31")
        table = self.page.locator("main table")
        expect(table.locator("tbody tr")).to_have_count(4)
        expect(table.locator("tbody tr").last).to_contain_text("11")
        table.get_by_role("button", name="phone").click()
        expect(self.page.get_by_test_id("question")).to_contain_text("Customers")
        expect(self.page.get_by_test_id("reading")).to_contain_text("source is phone, first order among all orders")
        self.open(f"/books/{self.tiny.id}/threads?view=pairs&rows=first_source&columns=source&as_of=2025-08-31")
        cell = self.page.locator("main tbody tr").nth(1).locator("td").nth(1)
        expect(cell).to_contain_text("5 Nov 2024 to 1 Aug 2025")
        cell.get_by_role("button").click()
        expect(self.page.get_by_role("row").nth(1)).to_contain_text("C13")

    def test_every_order_with_its_thread_is_taken_as_a_file(self) -> None:
        self.threads()
        with self.page.expect_download() as taken:
            self.take_every_order("CSV")
        with Path(taken.value.path()).open(encoding="utf-8", newline="") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual(len(rows), 29)
        self.assertEqual([row["rank"] for row in rows if row["customer"] == "C02"], ["1", "2", "3", "4"])

    def test_a_large_workbook_is_followed_while_it_is_made_and_can_be_stopped(self) -> None:
        book = new_book(self.workspace)
        rows = ((f"A{at}", f"C{at % 99}", f"2025-01-{at % 28 + 1:02d}", "1", "paid") for at in range(8_000))
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        self.threads("by=name", book.id)
        made = self.page.get_by_role("status").filter(has_text=re.compile(r"making it, \d+ %"))
        self.take_every_order("XLSX")
        made.get_by_role("button", name="stop").click()
        expect(self.page.get_by_role("alert")).to_contain_text("The work was stopped")
        expect(made).to_have_count(0)
        with self.page.expect_download() as taken:
            self.take_every_order("XLSX")
            expect(made).to_be_visible()
            expect(self.page.get_by_role("alert")).to_have_count(0)
        expect(made).to_have_count(0)
        table = CalamineWorkbook.from_path(str(taken.value.path())).get_sheet_by_index(0).to_python()
        self.assertEqual(len(table) - 1, 8_000)

    def test_a_file_that_is_refused_says_what_to_choose_instead(self) -> None:
        self.threads()
        told = {"title": "Too large", "detail": "That would be 9 cells; 8 are the most.", "remedy": "Take it as CSV."}
        self.refusals.add("413")
        self.page.route("**/ask/orders/file?*", lambda route: route.fulfill(status=413, body=json.dumps(told)))
        self.take_every_order("XLSX")
        expect(self.page.get_by_role("alert")).to_contain_text("8 are the most. Take it as CSV.")

    def test_what_takes_a_book_a_moment_longer_is_said_and_moves_nothing(self) -> None:
        def say(**what: str) -> None:
            stream = "".join(f"event: {name}\ndata: {value}\n\n" for name, value in what.items())
            self.page.route(
                "**/changes", lambda route: route.fulfill(status=200, content_type="text/event-stream", body=stream)
            )

        self.threads()
        before = self.page.get_by_role("main").bounding_box()
        for what, said in (
            ({"reading": "1", "alone": ""}, "is being read again"),
            (
                {"reading": "0", "alone": "the scheduler has gone"},
                "The cluster cannot be reached, so this server works alone",
            ),
            ({"reading": "0", "alone": ""}, ""),
        ):
            say(**what)
            self.threads()
            notes = self.page.get_by_text(re.compile("is being read again|works alone"))
            if said:
                expect(notes).to_contain_text(said)
            else:
                expect(notes).to_have_count(0)
            self.assertEqual(self.page.get_by_role("main").bounding_box(), before)

    def test_a_long_list_is_windowed(self) -> None:
        book = new_book(self.workspace)
        rows = ((f"A{at}", f"C{at:05d}", f"2025-01-{at % 28 + 1:02d}", "1", "paid") for at in range(3_000))
        deliver(self.workspace, book, write_csv(self.folder / "many.csv", [HEADER, *rows]), "web")
        self.threads("by=name", book.id)
        self.assertLess(self.page.get_by_role("row").count(), 70)
        self.list.focus()
        self.page.keyboard.press("End")
        expect(self.page.get_by_text("C02999", exact=True)).to_be_visible()

    def test_a_book_without_customers_teaches_what_to_do(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/threads")
        self.page.get_by_role("button", name="Import a file").click()
        expect(self.page.get_by_text("Drop files here, or choose them")).to_be_visible()


class FiltersAndLists(ThreadsPage):
    def test_a_condition_is_put_together_word_by_word_and_taken_away(self) -> None:
        self.threads()
        reading = self.page.get_by_test_id("reading")
        self.word("Filter").click()
        dialog = self.page.get_by_role("dialog", name="Filter")
        dialog.get_by_label("Field").select_option("source")
        dialog.get_by_label("Value").select_option("counter")
        dialog.get_by_role("button", name="Add").click()
        expect(reading).to_contain_text("where source is counter, first order among all orders")
        self.choose("First order among", "matching orders")
        expect(reading).to_contain_text("first order among matching orders")
        self.word("Filter").click()
        dialog.get_by_label("Field").select_option("name")
        dialog.get_by_label("Comparison").select_option("has")
        dialog.get_by_label("Value").fill("O'Fa")
        dialog.get_by_role("button", name="Add").click()
        expect(reading).to_contain_text("where source is counter and name has O'Fa")
        expect(self.page.get_by_role("row")).to_have_count(2)
        self.page.keyboard.press("4")
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(reading).to_contain_text("name has O'Fa")
        self.word("Filter").click()
        dialog.get_by_role("button", name="Remove: source is counter").click()
        expect(reading).to_contain_text("where name has O'Fa;")
        self.word("Filter").click()
        dialog.get_by_role("button", name="no filter").click()
        expect(reading).to_contain_text("no filter")

    def test_a_range_of_dates_is_asked_for_without_typing_text(self) -> None:
        self.threads()
        self.word("Filter").click()
        dialog = self.page.get_by_role("dialog", name="Filter")
        dialog.get_by_label("Field").select_option("dated")
        dialog.get_by_label("Comparison").select_option("did not order")
        dialog.get_by_label("First day").fill("1 Jan 2025")
        dialog.get_by_label("Last day").fill("31 Mar 2025")
        dialog.get_by_role("button", name="Add", exact=True).click()
        expect(self.page.get_by_test_id("reading")).to_contain_text("where no order from 1 Jan 2025 to 31 Mar 2025")

    def test_a_condition_is_typed_completed_and_corrected(self) -> None:
        self.threads()
        self.word("Filter").click()
        dialog = self.page.get_by_role("dialog", name="Filter")
        dialog.get_by_role("button", name="write it as text").click()
        field = dialog.get_by_label("Condition as CQL2 text")
        field.press_sequentially("first_sou")
        expect(dialog.get_by_role("option", name="first_source")).to_be_visible()
        field.press("ArrowDown")
        field.press("Enter")
        expect(field).to_have_value("first_source ")
        field.press("Tab")
        expect(dialog.get_by_role("button", name="Apply")).to_be_focused()
        field.focus()
        field.press_sequentially("== 'x'")
        expect(dialog.get_by_role("alert")).to_contain_text("Character 15: = makes no sense here")
        field.fill("first_source = 'phone'")
        expect(dialog).to_contain_text("It says: first source is phone.")
        field.press("Enter")
        expect(self.page.get_by_test_id("reading")).to_contain_text("where first source is phone")
        expect(self.page.get_by_role("row")).to_have_count(2)

    def test_a_list_goes_along_is_compared_renamed_and_deleted(self) -> None:
        # told of a change before its reply is here, the page may ask once more for the list by the name it had
        self.refusals.add("404")
        self.threads("as_of=2025-08-31&where=first_source+%3D+'counter'")
        count = self.page.get_by_role("row").count() - 1
        self.page.keyboard.press("l")
        field = self.page.get_by_label("Name of the list")
        expect(field).to_have_value("Customers where first source is counter")
        field.fill("counter people")
        self.page.keyboard.press("Enter")
        reading = self.page.get_by_test_id("reading")
        expect(reading).to_contain_text(f"no filter; only counter people ({count} customers)")
        self.choose("The list is used", "compared with everybody else")
        expect(self.page.get_by_text(re.compile(f"On the list: {count} customers"))).to_be_visible()
        expect(self.page.get_by_text(re.compile("Everybody else: "))).to_be_visible()
        self.page.keyboard.press("4")
        expect(self.page.locator("path.others")).to_have_count(1)
        expect(self.page.get_by_text(f"{count} customers with an order")).to_be_visible()
        self.word("Customer list").click()
        lists = self.page.get_by_role("dialog", name="Customer list")
        expect(lists).to_contain_text("Customers where first source is counter, as of 31 Aug 2025.")
        lists.get_by_role("button", name="rename").click()
        lists.get_by_label("New name of counter people").fill("counter 2025")
        lists.get_by_role("button", name="Rename", exact=True).click()
        expect(reading).to_contain_text(f"counter 2025 ({count} customers) compared with everybody else")
        self.word("Customer list").click()
        with self.page.expect_download() as taken:
            lists.get_by_role("button", name="download").click()
        self.assertEqual(len(Path(taken.value.path()).read_text(encoding="utf-8").splitlines()), count + 1)
        lists.get_by_role("link", name="open as threads").click()
        expect(self.page.get_by_role("row")).to_have_count(count + 1)
        self.word("Customer list").click()
        lists.get_by_role("button", name="Use no list").click()
        expect(reading).to_contain_text("no list")
        expect(self.page.get_by_role("row")).to_have_count(16)
        self.word("Customer list").click()
        lists.get_by_role("button", name="delete").click()
        lists.get_by_role("button", name="delete it").click()
        expect(self.page.get_by_text("“counter 2025” was deleted.")).to_be_visible()
        self.page.get_by_role("button", name="undo").click()
        expect(reading).to_contain_text("no list")
        self.page.keyboard.press("Escape")
        expect(lists).to_have_count(0)
        self.word("Customer list").click()
        expect(lists.get_by_text("counter 2025")).to_be_visible()

    def test_every_order_has_a_row_of_its_own(self) -> None:
        self.threads("view=orders&as_of=2025-08-31")
        expect(self.page.get_by_text("29 orders, one a row.")).to_be_visible()
        numbers = self.list.locator("tbody td:nth-child(3)").all_inner_texts()
        self.assertGreater(len(numbers), 15)
        self.assertFalse([number for number in numbers if "," in number])
        self.choose("Show", "One order of each customer")
        expect(self.page).to_have_url(re.compile("view=nth"))

    def test_a_condition_that_nobody_meets_is_said(self) -> None:
        self.threads("where=orders+%3D+99")
        expect(self.page.get_by_text("Nobody meets what the reading line")).to_be_visible()

    def test_customers_behind_a_cell_are_kept_and_opened(self) -> None:
        self.cohorts("as_of=2025-08-31&open=2024-05~13")
        panel = self.page.get_by_label("Behind this number")
        expect(panel).to_contain_text("2 of 2 customers")
        self.keep()
        expect(self.page.get_by_test_id("reading")).to_contain_text("only Customers who first ordered in May 2024")
        self.cohorts("as_of=2025-08-31&open=2024-05~13")
        panel.get_by_role("link", name="Hale Street Kilns").click()
        expect(self.panel).to_contain_text("Hale Street Kilns")


if __name__ == "__main__":
    unittest.main()
