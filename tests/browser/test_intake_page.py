"""Intake as a person uses it, in Chromium: files in, put right, taken back."""

from __future__ import annotations

import datetime as dt
import re
import unittest
from pathlib import Path

from playwright.sync_api import Route, expect

from goldthread.actions.by_hand import OrderByHand, put_order
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from tests.support import tiny
from tests.support.files import workbook
from tests.support.intake_page import IntakeCase
from tests.support.sharing import deliver, new_book, write_csv
from tests.support.tiny_cells import cells

HEADER = ("receipt", "cust no", "sold on", "total", "note")


class FirstFile(IntakeCase):
    def test_a_stranger_begins_a_book_brings_a_file_in_and_reads_who_came_back(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_role("button", name=re.compile("^Book:")).click()
        page.get_by_text("New book, or import one", exact=True).click()
        page.get_by_label("Name").fill("Kiln Yard")
        page.get_by_label("Time zone").fill("Mars")
        page.get_by_role("button", name="Create book").click()
        expect(page.get_by_role("alert")).to_contain_text("Mars is not a time zone")
        expect(page.get_by_label("Name")).to_have_value("Kiln Yard")
        page.get_by_label("Time zone").fill("Europe/Lisbon")
        page.get_by_role("button", name="Create book").click()
        expect(page.get_by_test_id("holds")).to_contain_text("holds no order yet")
        rows = [
            ("K1", "7", "2024-01-05", "10.00", "x"),
            ("K2", "8", "2024-01-09", "20.00", ""),
            ("K3", "7", "2024-02-11", "30.50", ""),
            ("K4", "", "2024-02-12", "5", ""),
            ("K5", "8", "2024-04-31", "5", ""),
            ("K6", "9", "2024-03-01", "4", ""),
        ]
        page.set_input_files("input[type=file]", write_csv(self.folder / "kiln_counter_2024-03.csv", [HEADER, *rows]))
        expect(page.get_by_role("heading", level=1)).to_contain_text(
            "Import kiln_counter_2024-03.csv into kiln counter as one row per order"
        )
        # its counts are there before anything was chosen
        comes = page.get_by_label("If it is imported now")
        expect(comes).to_contain_text("4 new orders, +64.50 EUR")
        expect(comes).to_contain_text("2 rows will be rejected")
        self.from_source("counter")
        expect(page.get_by_role("button", name="Import it")).to_have_count(0)
        expect(comes).to_contain_text("2 of 6 rows (13% of the amount) would be left out.")
        page.get_by_role("button", name="Import only the other 4 rows").click()
        report = page.get_by_test_id("report")
        expect(report).to_contain_text("6 rows read: 4 imported, 0 repeated another row, 2 were rejected")
        expect(report).to_contain_text("There is no such date.")
        expect(report).to_contain_text("download the rejected rows")
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
        self.open(f"/books/{book.id}/import")
        header = ("receipt", "cust no", "sold on", "kept for")
        self.page.set_input_files(
            "input[type=file]", write_csv(self.folder / "odd.csv", [header, ("K1", "7", "2024-01-05", "10,00")])
        )
        expect(self.page.get_by_text("Say which column holds the amount.")).to_be_visible()
        self.choose("What the column “kept for” means", "amount")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("amounts with a decimal comma")
        expect(self.page.get_by_text("Say which column holds")).to_have_count(0)
        self.from_source("counter")
        expect(self.word("What the column “kept for” means")).to_have_text("amount")
        self.import_it(1)

    def test_a_flat_export_of_a_stranger_says_what_it_is_taken_for_and_what_else_it_could_be(self) -> None:
        page = self.page
        book = self.fresh()
        rows = [
            ("TK-1", "02/03/2025", "Ember Dunmarsh", "studio", "Stoneware 25 kg", "2", "19.00"),
            ("TK-1", "02/03/2025", "Ember Dunmarsh", "studio", "Tin white", "1", "12.50"),
            ("TK-2", "14/03/2025", "Bram Fennick", "hobby", "Loop tool", "3", "3.30"),
        ]
        header = ("Order #", "Placed On", "Customer Name", "Segment", "Item Description", "Qty", "Unit Price")
        self.send(write_csv(self.folder / "flat.csv", [header, *rows]))
        main = page.get_by_role("main")
        expect(main).to_contain_text("2 rows share an order number with others, so each row is a line of an order.")
        expect(main).to_contain_text("Amounts are quantity times unit price.")
        expect(main).to_contain_text("Customers are known by name alone")
        self.word("What a row is").click()
        expect(page.get_by_role("menuitemradio", name="one row per payment")).to_contain_text("no amount")
        expect(page.get_by_role("menuitemradio", name="one row per month")).to_contain_text("no month")
        page.keyboard.press("Escape")
        self.from_source("web shop")
        self.import_it(3)
        found = self.workspace.orders(book.id).orders
        self.assertEqual(sorted(found.amount_minor.tolist()), [99_000, 505_000])

    def test_what_the_data_leave_open_is_asked_with_an_example(self) -> None:
        book = new_book(self.workspace)
        self.open(f"/books/{book.id}/import")
        rows = [HEADER, ("K1", "7", "03/04/2025", "10,00", ""), ("K2", "7", "05/04/2025", "1.204,50", "")]
        self.page.set_input_files("input[type=file]", write_csv(self.folder / "open.csv", rows))
        expect(self.page.get_by_text("03/04/2025 is 3 Apr 2025 or 4 Mar 2025")).to_be_visible()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("amounts with a decimal comma")
        self.from_source("counter")
        button = self.page.get_by_role("button", name="Import it")
        expect(button).to_be_disabled()
        self.choose("How dates are read", "day/month/year")
        expect(self.page.get_by_test_id("comes")).to_contain_text("2 new orders, +1\u202f214.50 EUR")
        expect(self.page.get_by_test_id("holds")).to_contain_text("holds no order yet")
        button.click()
        expect(self.page.get_by_test_id("holds")).to_contain_text("2 orders of 1 customer, 3 Apr 2025 to 5 Apr 2025")

    def test_a_file_that_cannot_be_read_is_told_where_it_was_dropped(self) -> None:
        (self.folder / "book.csv").write_bytes(b"PK\x03\x04")
        self.open(f"/books/{self.tiny.id}/import")
        self.page.set_input_files("input[type=file]", self.folder / "book.csv")
        expect(self.page.get_by_role("alert")).to_contain_text("book.csv is a damaged or locked zip file")
        expect(self.page.get_by_role("alert")).to_contain_text("Pack it again")

    def test_the_same_file_again_says_so_and_rejected_rows_stay_in_the_log(self) -> None:
        book = new_book(self.workspace)
        path = write_csv(
            self.folder / "twice.csv", [HEADER, ("K1", "7", "2024-01-05", "1", ""), ("K2", "", "2024-01-05", "1", "")]
        )
        deliver(self.workspace, book, path, "counter")
        self.open(f"/books/{book.id}/import")
        log = self.page.get_by_role("complementary")
        expect(log).to_contain_text("1 order new, 1 row rejected")
        log.get_by_role("button", name="twice.csv").click()
        expect(self.page.get_by_test_id("delivery")).to_contain_text("Read: order number from receipt")
        expect(self.page.get_by_test_id("problems")).to_contain_text("There is no customer.")
        self.page.get_by_role("button", name="close").click()
        self.page.set_input_files("input[type=file]", path)
        expect(self.page.get_by_text("Read as the last file of counter was.")).to_be_visible()
        expect(self.page.get_by_label("If it is imported now")).to_contain_text("The same file was imported on")

    def test_a_long_delivery_shows_progress_and_can_be_stopped(self) -> None:
        book = new_book(self.workspace)
        rows = ((f"A-{at}", str(at % 999), "2024-01-05", "1", "") for at in range(20_000))
        self.open(f"/books/{book.id}/import")
        self.page.set_input_files("input[type=file]", write_csv(self.folder / "long.csv", [HEADER, *rows]))
        self.from_source("counter")
        with self.held(book):
            self.page.get_by_role("button", name="Import it").click()
            expect(self.page.get_by_role("progressbar")).to_be_visible()
            expect(self.page.get_by_text(re.compile("Checking rows: .* of 20"))).to_be_visible()
            with self.page.expect_response(lambda response: response.request.method == "DELETE"):
                self.page.get_by_role("button", name="Stop, and change nothing").click()
        expect(self.page.get_by_role("alert")).to_contain_text("The work was stopped")
        expect(self.page.get_by_test_id("holds")).to_contain_text("holds no order yet")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("long.csv")


class Everything(IntakeCase):
    def test_the_whole_small_history_goes_in_at_once_and_gives_its_figures(self) -> None:
        book = self.fresh()
        files = (
            ("counter.csv", "counter", 13),
            ("phone.tsv", "phone", 6),
            ("web_lines.csv", "web", 15),
            ("customers.csv", "office", 14),
            ("payments.csv", "office", 4),
            ("spend.csv", "office", 4),
        )
        self.send(*(tiny.FOLDER / name for name, _, _ in files))
        for name, source, rows in files:
            expect(self.page.get_by_role("heading", level=1)).to_contain_text(f"Import {name}")
            self.from_source(source)
            self.import_it(rows)
        expect(self.page.get_by_test_id("holds")).to_contain_text("32 orders of 15 customers")
        expect(self.page.get_by_test_id("holds")).to_contain_text("4 payments; 4 entries of spend")
        whole = self.workspace.orders(book.id).orders
        table = cohort_table(read_history(whole, HistoryRule(tiny.AS_OF_DAY)), Period.MONTH)
        self.assertEqual(cells(table), tiny.expected()["cohorts_calendar_month"])

    def test_a_sheet_is_chosen_and_rows_are_pasted(self) -> None:
        book = self.fresh()
        rows: list[list[object]] = [list(HEADER), ["K1", "7", dt.date(2024, 1, 5), 12.5, ""]]
        (self.folder / "till.xlsx").write_bytes(workbook({"Notes": [["remember", "the", "milk"], ["x"]], "Till": rows}))
        self.send(self.folder / "till.xlsx")
        self.choose("Sheet", "Till")
        self.from_source("till")
        self.import_it(1)
        text = "receipt\tcust no\tsold on\ttotal\tnote\nK2\t8\t6 Jan 2024\t3.00\t\n"
        self.page.get_by_label("Paste rows").evaluate(
            "(box, text) => { const data = new DataTransfer(); data.setData('text/plain', text); "
            "box.dispatchEvent(new ClipboardEvent('paste', "
            "{ clipboardData: data, bubbles: true, cancelable: true })) }",
            text,
        )
        expect(self.page.get_by_text("Read as the last file of till was.")).to_be_visible()
        self.import_it(1)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, 2)

    def test_statuses_are_explained_and_rejected_rows_come_back_corrected(self) -> None:
        book = self.fresh()
        header = ("order", "customer", "date", "amount", "status")
        rows = [header, ("K1", "7", "2024-01-05", "10", "stage 4"), ("K2", "7", "2024-02-30", "5", "paid")]
        self.send(write_csv(self.folder / "odd.csv", rows))
        self.from_source("till")
        expect(self.page.get_by_text("Say what these statuses mean: stage 4.")).to_be_visible()
        self.choose("What “stage 4” means", "open")
        expect(self.page.locator("td.wrong")).to_have_text("2024-02-30")
        with self.page.expect_download() as taken:
            self.page.get_by_role("button", name="download the rejected rows").click()
        self.page.get_by_role("button", name="Import only the other 1 row").click()
        expect(self.page.get_by_test_id("report")).to_contain_text("1 imported")
        corrected = self.folder / "corrected.csv"
        text = Path(taken.value.path()).read_text(encoding="utf-8")
        self.assertEqual(text.splitlines()[0], "order,customer,date,amount,status,reason it was rejected")
        corrected.write_text(text.replace("2024-02-30", "2024-02-29"), encoding="utf-8")
        self.send(corrected)
        self.import_it(1)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, 2)

    def test_what_a_file_leaves_open_is_asked_and_its_other_sheets_are_offered(self) -> None:
        book = self.fresh()
        orders: list[list[object]] = [
            ["order", "customer", "kind", "date", "total"],
            ["K1", "C1", "sale", "2024-01-05", 10],
            ["K2", "C1", "return", "2024-02-05", 4],
        ]
        people = [["customer no", "name", "town"], ["C1", "Ada Kiln", "Saltby"]]
        path = self.folder / "office.xlsx"
        path.write_bytes(workbook({"Notes": [["made by the office"]], "Orders": orders, "People": people}))
        self.send(path)
        main = self.page.get_by_role("main")
        expect(main).to_contain_text("“kind” has “return” in 1 row, and no amount is below 0")
        first = self.page.get_by_role("columnheader").nth(0)
        expect(first).to_contain_text("order number")
        expect(self.page.get_by_role("columnheader").nth(3)).to_contain_text("amount")
        self.word("“kind” has “return” in 1 row, and no amount is below 0: what becomes of these rows?").click()
        self.page.get_by_role("menuitemradio", name="taken off the revenue").click()
        expect(self.page.get_by_label("If it is imported now")).to_contain_text("1 below 0")
        self.page.get_by_role("button", name="also import People").click()
        expect(self.page.get_by_text("Waiting after it: office.xlsx, People.")).to_be_visible()
        self.import_it(2)
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("sheet People")
        self.import_it(1)
        found = self.workspace.orders(book.id).orders
        self.assertEqual(sorted(found.amount_minor.tolist()), [-40_000, 100_000])

    def test_what_is_said_while_a_file_is_looked_at_anew_stays_said(self) -> None:
        self.fresh()
        rows = [("order", "customer", "date", "amount", "status"), ("K1", "7", "2024-01-05", "10", "stage 4")]
        self.send(write_csv(self.folder / "odd.csv", rows))
        expect(self.page.get_by_text("Say what these statuses mean: stage 4.")).to_be_visible()
        looks: list[Route] = []
        self.page.route("**/uploads/*?*", lambda route: looks.append(route))
        self.from_source("till")
        expect(self.page.get_by_text("Looking at the file…")).to_be_visible()
        self.choose("What “stage 4” means", "open")
        # what was held goes through now
        self.page.unroute("**/uploads/*?*")
        self.import_it(1)
        expect(self.page.get_by_test_id("holds")).to_contain_text("1 order of 1 customer")


class Undone(IntakeCase):
    def test_a_delivery_is_withdrawn_from_the_log(self) -> None:
        book = new_book(self.workspace)
        rows = [("K1", "7", "2024-01-05", "1", ""), ("K2", "8", "2024-01-06", "1", "")]
        deliver(self.workspace, book, write_csv(self.folder / "one.csv", [HEADER, *rows]), "till")
        again = [("K1", "7", "2024-01-05", "9", ""), ("K3", "9", "2024-03-06", "1", "")]
        deliver(self.workspace, book, write_csv(self.folder / "two.csv", [HEADER, *again]), "till")
        self.open(f"/books/{book.id}/import")
        line = self.page.get_by_role("listitem").filter(has_text="two.csv")
        line.get_by_role("button", name="withdraw").click()
        line.get_by_role("button", name="yes").click()
        expect(line).to_contain_text("withdrawn")
        expect(self.page.get_by_test_id("holds")).to_contain_text("2 orders of 2 customers, 5 Jan 2024 to 6 Jan 2024")
        self.assertEqual(self.workspace.orders(book.id).orders.amount_minor.tolist(), [10_000, 10_000])

    def test_a_change_that_overtakes_the_first_answer_is_seen(self) -> None:
        book = new_book(self.workspace)
        deliver(
            self.workspace, book, write_csv(self.folder / "f.csv", [HEADER, ("K1", "7", "2024-01-05", "1", "")]), "till"
        )
        held: list[Route] = []

        def first_waits(route: Route) -> None:
            if held:
                route.continue_()
            else:
                held.append(route)

        address = re.compile(rf"/api/books/{book.id}$")
        self.page.route(address, first_waits)
        self.open(f"/books/{book.id}/import")
        line = self.page.get_by_role("listitem").filter(has_text="f.csv")
        expect(line).to_be_visible()
        before = held[0].fetch()
        line.get_by_role("button", name="withdraw").click()
        line.get_by_role("button", name="yes").click()
        expect(line).to_contain_text("withdrawn")
        held[0].fulfill(response=before)
        expect(self.page.get_by_test_id("holds")).to_contain_text("The book holds no order yet")

    def test_a_whole_book_is_taken_out_and_brought_back_under_another_name(self) -> None:
        page = self.page
        self.open(f"/books/{self.tiny.id}/import")
        self.word("Book").click()
        with page.expect_download() as taken:
            page.get_by_text("Export this whole book as a file", exact=True).click()
        package = self.folder / "book.zip"
        taken.value.save_as(package)
        self.word("Book").click()
        page.get_by_text("New book, or import one", exact=True).click()
        page.get_by_label("An exported book").set_input_files(package)
        expect(page.get_by_role("alert")).to_contain_text("There is a book called")
        page.get_by_label("Name").fill("Brought back")
        page.get_by_label("An exported book").set_input_files(package)
        expect(page.get_by_test_id("holds")).to_contain_text("32 orders of 15 customers, 15 Jan 2024 to 15 Sep 2025")
        expect(self.word("Book")).to_contain_text("Brought back")

    def test_likely_doubles_are_joined_and_the_word_is_undone(self) -> None:
        book = new_book(self.workspace)
        header = ("customer_no", "email", "name", "town")
        people = [("C1", "a@x.example", "Ada Orme", "Kilnford"), ("C2", "b@x.example", "ADA ORME", "Kilnford")]
        deliver(self.workspace, book, write_csv(self.folder / "people.csv", [header, *people]), "office")
        self.open(f"/books/{book.id}/import?view=matches")
        duplicates = self.page.get_by_test_id("duplicates")
        expect(duplicates).to_contain_text("The same name and town: Ada Orme, Kilnford")
        self.assert_accessible()
        duplicates.get_by_role("button", name="same customer").click()
        expect(self.page.get_by_test_id("holds")).to_contain_text("and 1 customer")
        expect(self.page.get_by_text("None at present.")).to_be_visible()
        line = self.page.get_by_role("listitem").filter(has_text="C1 and C2: same customer")
        line.get_by_role("button", name="undo").click()
        line.get_by_role("button", name="yes").click()
        expect(self.page.get_by_test_id("holds")).to_contain_text("and 2 customers")
        duplicates.get_by_role("button", name="different customers").click()
        expect(self.page.get_by_text("None at present.")).to_be_visible()
        expect(self.page.get_by_test_id("holds")).to_contain_text("and 2 customers")

    def test_an_order_is_added_corrected_and_cancelled_by_hand(self) -> None:
        book = new_book(self.workspace)
        deliver(
            self.workspace, book, write_csv(self.folder / "f.csv", [HEADER, ("K1", "7", "2024-01-05", "1", "")]), "till"
        )
        self.open(f"/books/{book.id}/import?view=hand")
        page = self.page
        expect(page.get_by_label("source", exact=True)).to_have_value("till")
        fields = {"order number": "K2", "customer number or e-mail": "7", "date": "2024-02-30", "amount": "12.50"}
        for label, text in fields.items():
            page.get_by_label(label, exact=True).first.fill(text)
        page.get_by_role("button", name="Save order").click()
        expect(page.get_by_text("There is no such date.")).to_be_visible()
        expect(page.get_by_label("amount")).to_have_value("12.50")
        page.get_by_label("date").fill("2024-02-29")
        page.get_by_role("button", name="Save order").click()
        expect(page.get_by_role("status")).to_contain_text("Order K2 is in.")
        expect(page.get_by_test_id("holds")).to_contain_text("2 orders of 1 customer, 5 Jan 2024 to 29 Feb 2024")
        page.get_by_label("order number").fill("K2")
        page.get_by_label("amount").focus()
        expect(page.get_by_text("On record from order K2.")).to_be_visible()
        page.get_by_role("button", name="Cancel the order").click()
        expect(page.get_by_role("status")).to_contain_text("Order K2 is cancelled.")
        status = self.workspace.orders(book.id).orders.attributes["status"]
        self.assertEqual([status.labels[code] for code in status.codes], ["paid", "cancelled"])
        self.assert_accessible()

    def test_who_corrects_what_somebody_else_corrected_meanwhile_is_told_and_loses_nothing(self) -> None:
        book = new_book(self.workspace)
        deliver(
            self.workspace, book, write_csv(self.folder / "f.csv", [HEADER, ("K1", "7", "2024-01-05", "1", "")]), "till"
        )
        self.open(f"/books/{book.id}/import?view=hand")
        page = self.page
        expect(page.get_by_label("source", exact=True)).to_have_value("till")
        page.get_by_label("order number").fill("K1")
        page.get_by_label("amount").focus()
        expect(page.get_by_text("On record from f.csv.")).to_be_visible()
        put_order(self.workspace, book, OrderByHand("till", "K1", "7", "2024-01-05", "2"))
        page.get_by_label("amount").fill("3")
        self.refusals.add("409")
        page.get_by_role("button", name="Correct order").click()
        expect(page.get_by_role("alert")).to_contain_text(
            "K1 of till is on record otherwise by now: 7, 5 Jan 2024, 2.00, paid"
        )
        expect(page.get_by_label("amount")).to_have_value("3")
        expect(page.get_by_text("On record from order K1.")).to_be_visible()
        self.assertEqual(self.workspace.orders(book.id).orders.amount_minor.tolist(), [20_000])
        page.get_by_role("button", name="Correct order").click()
        expect(page.get_by_role("status")).to_contain_text("Order K1 is corrected.")
        self.assertEqual(self.workspace.orders(book.id).orders.amount_minor.tolist(), [30_000])

    def test_a_missing_and_a_doubled_month_are_marked(self) -> None:
        book = new_book(self.workspace)
        rows = [
            (f"K{month}-{at}", str(at), f"2024-{month:02d}-05", "1", "")
            for month in range(1, 13)
            for at in range({5: 0, 9: 40}.get(month, 12))
        ]
        deliver(self.workspace, book, write_csv(self.folder / "year.csv", [HEADER, *rows]), "till")
        self.open(f"/books/{book.id}/import")
        strip = self.page.get_by_label("Orders per month and source", exact=True)
        expect(strip).to_contain_text("May 2024: nothing")
        expect(strip).to_contain_text("Sep 2024: twice the usual")


if __name__ == "__main__":
    unittest.main()
