"""A flat export on the page: where its further columns are kept, what becomes of them, rows from a database."""

from __future__ import annotations

import re
import sqlite3
import unittest
from contextlib import closing

from playwright.sync_api import expect

from tests.support.intake_page import IntakeCase
from tests.support.sharing import write_csv

HEAD = ("order", "customer no", "date", "total", "ship mode", "segment", "remark")
ROWS = [
    (
        f"A-{at}",
        f"C{at % 8}",
        f"2025-{at % 9 + 1:02d}-05",
        f"{at + 10}.00",
        ("parcel", "van")[at % 3 == 0],
        ("studio", "school")[at % 2],
        f"note {at}",
    )
    for at in range(24)
]


class Flat(IntakeCase):
    def test_where_a_column_is_kept_is_seen_over_it_changed_with_one_click_and_remembered(self) -> None:
        page, book = self.page, self.fresh()
        self.send(write_csv(self.folder / "flat.csv", [HEAD, *ROWS]))
        table = page.get_by_role("table").first
        expect(self.word("What the column “segment” means")).to_have_text("of the customer")
        expect(table).to_contain_text("2 values; 8 customers with several")
        expect(self.word("What the column “remark” means")).to_have_text("not kept")
        expect(table).to_contain_text("nearly every row has a value of its own")
        self.choose("What the column “segment” means", "of the order")
        expect(self.word("What the column “segment” means")).to_have_text("of the order")
        self.choose("What the column “ship mode” means", "channel")
        expect(self.word("What the column “ship mode” means")).to_have_text("channel")
        self.choose("What the column “ship mode” means", "of the order")
        expect(self.word("What the column “ship mode” means")).to_have_text("of the order")
        self.from_source("web shop")
        self.import_it(24)
        self.assertEqual(sorted(self.workspace.orders(book.id).orders.own.columns), ["segment", "ship mode"])
        later = [("B-1", "C1", "2025-10-05", "5.00", "van", "school", "x"), *ROWS[:3]]
        self.send(write_csv(self.folder / "later.csv", [HEAD, *later]))
        expect(page.get_by_text("Read as the last file of web shop was.")).to_be_visible()
        expect(self.word("What the column “segment” means")).to_have_text("of the order")
        expect(self.word("What the column “remark” means")).to_have_text("not kept")

    def test_an_attribute_is_called_otherwise_hidden_and_stands_on_the_order(self) -> None:
        page, book = self.page, self.fresh()
        self.send(write_csv(self.folder / "flat.csv", [HEAD, *ROWS]))
        self.from_source("web shop")
        self.import_it(24)
        own = page.get_by_role("region", name="Attributes of orders")
        self.word("What “ship mode” is called").click()
        page.get_by_label("another name").fill("how it left")
        page.keyboard.press("Enter")
        expect(own).to_contain_text("column “ship mode”")
        self.assert_accessible()
        page.goto(f"{self.address}/books/{book.id}/threads?view=figures&group=ship+mode")
        expect(page.get_by_role("heading", level=1)).to_contain_text("by how it left?")
        expect(page.get_by_role("row", name=re.compile("^van"))).to_contain_text("8")
        customer = int(self.workspace.orders(book.id).orders.customer_id[0])
        page.goto(f"{self.address}/books/{book.id}/threads?customer={customer}")
        row = page.get_by_role("button", name="A-16")
        row.click()
        expect(page.get_by_label("Attributes of A-16")).to_contain_text("how it left parcel")
        page.goto(f"{self.address}/books/{book.id}/import")
        own.get_by_role("button", name="Hide how it left").click()
        expect(own.get_by_role("button", name="Offer how it left")).to_be_visible()
        page.goto(f"{self.address}/books/{book.id}/threads?view=figures")
        self.word("By").click()
        expect(page.get_by_role("menuitemradio", name="source", exact=True)).to_be_visible()
        expect(page.get_by_role("menuitemradio", name="how it left")).to_have_count(0)

    def test_an_e_mail_that_is_none_keeps_no_order_out_and_is_marked_so(self) -> None:
        page, book = self.page, self.fresh()
        rows = [
            ("A-1", "C1", "2025-01-05", "5.00", "ada at kiln"),
            ("A-2", "C2", "2025-01-05", "5.00", "bo@kiln.example"),
        ]
        self.send(write_csv(self.folder / "m.csv", [("order", "customer no", "date", "total", "e-mail"), *rows]))
        self.from_source("till")
        expect(page.get_by_text("imported without it", exact=True)).to_be_visible()
        expect(page.get_by_text("will be rejected", exact=True)).to_have_count(0)
        self.import_it(2)
        emails = self.workspace.orders(book.id).orders.customers.texts["email"]
        self.assertEqual([emails.at(row) for row in range(2)], ["", "bo@kiln.example"])

    def test_what_blank_cells_mean_is_asked_and_what_was_found_by_content_is_said(self) -> None:
        page = self.page
        book = self.fresh()
        groups = [(f"A-{at}", f"K{at % 7} x", "2025-01-05") if at % 2 == 0 else ("", "", "") for at in range(24)]
        rows = [(*groups[at], f"item {at}", f"{at}.25") for at in range(24)]
        self.send(write_csv(self.folder / "m.csv", [("order no", "Whose", "date", "product", "amount"), *rows]))
        expect(page.get_by_role("main")).to_contain_text("“Whose” is taken for the customer")
        self.from_source("till")
        expect(page.get_by_text("Say what blank cells below a filled one mean")).to_be_visible()
        self.choose("Blank cells of order no, Whose, date", "repeating it")
        self.import_it(24)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, 12)

    def test_rows_are_taken_from_a_database_that_the_settings_name(self) -> None:
        with closing(sqlite3.connect(self.place.till)) as connection:
            connection.execute("CREATE TABLE IF NOT EXISTS sales (bill TEXT, customer TEXT, day TEXT, total REAL)")
            connection.execute("INSERT INTO sales VALUES ('S-1', 'C1', '2025-01-03', 10.25)")
            connection.commit()
        page, book = self.page, self.fresh()
        query = page.get_by_label("Query (SQL)")
        query.fill("DELETE FROM sales")
        page.get_by_role("button", name="Run query").click()
        expect(page.get_by_role("alert")).to_contain_text("The database refused the query")
        query.fill("SELECT bill AS 'order', customer AS customer_no, day AS date, total FROM sales")
        page.get_by_role("button", name="Run query").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("Import query of till")
        self.from_source("till")
        self.import_it(1)
        self.assertEqual(self.workspace.orders(book.id).orders.amount_minor.tolist(), [102_500])


if __name__ == "__main__":
    unittest.main()
