"""What customers bring the revenue with: from the order lines themselves, as fields of customers, first and later."""

from __future__ import annotations

import csv
import io
import tempfile
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, write_csv

LINES = (
    ("A-1", "1", "C1", "2024-01-05", "stoneware", "clay", "30"),
    ("A-1", "2", "C1", "2024-01-05", "celadon", "glaze", "20"),
    ("A-2", "1", "C2", "2024-01-09", "celadon", "glaze", "50"),
    ("A-3", "1", "C1", "2024-02-01", "celadon", "glaze", "15"),
    ("A-3", "2", "C1", "2024-02-01", "celadon", "glaze", "15"),
    ("A-4", "1", "C2", "2024-03-01", "cone pack", "kiln", "5"),
    ("A-5", "1", "C2", "2024-03-01", "porcelain", "clay", "40"),
    ("A-6", "1", "C3", "2024-03-09", "porcelain", "clay", "40"),
)
WHOLE = (("B-1", "C3", "2024-04-01", "100"), ("A-6", "C3", "2024-03-09", "45"))


class Bought(ApiCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.book = new_book(cls.workspace)
        with tempfile.TemporaryDirectory() as folder:
            header = ("order", "line", "customer_no", "date", "product", "category", "amount")
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "lines.csv", [header, *LINES]), "shop")
            whole = ("order", "customer_no", "date", "amount")
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "whole.csv", [whole, *WHOLE]), "shop")

    def path(self, of: str, **query: Any) -> str:
        asked = urlencode({"as_of": "2024-04-30"} | query, doseq=True)
        return f"/api/books/{self.book.id}/ask/{of}?{asked}"

    def ask(self, of: str, **query: Any) -> Any:
        return self.get(self.path(of, **query))

    def rows(self, **query: Any) -> dict[str, tuple[int, int, int, str]]:
        found = self.ask("bought", **query)["rows"]
        return {row["label"]: (row["customers"], row["orders"], row["lines"], row["revenue"]) for row in found}

    def test_each_category_and_product_is_counted_from_its_lines(self) -> None:
        self.assertEqual(
            self.rows(), {"clay": (3, 3, 3, "110.00"), "glaze": (2, 3, 4, "100.00"), "kiln": (1, 1, 1, "5.00")}
        )
        self.assertEqual(next(iter(self.rows(by="product"))), "celadon")
        self.assertEqual(self.rows(by="product")["celadon"], (2, 3, 4, "100.00"))
        self.assertEqual(
            self.ask("bought")["covered"],
            "The lines come to 215.00; orders without lines to 100.00.",
            "the order that another file gives whole has the lines of the first",
        )
        self.assertEqual(self.ask("bought", offset=1, limit=1)["rows"][0]["label"], "glaze")

    def test_a_filter_on_orders_narrows_the_lines_and_not_the_firsts(self) -> None:
        self.assertEqual(self.rows(where="date < DATE('2024-02-01')")["glaze"], (2, 2, 2, "70.00"))
        self.assertEqual(self.rows(unit="purchase-day")["clay"], (3, 3, 3, "110.00"))
        self.assertEqual(
            self.rows(where="number = 'C2'"),
            {"glaze": (1, 1, 1, "50.00"), "clay": (1, 1, 1, "40.00"), "kiln": (1, 1, 1, "5.00")},
        )

    def test_every_figure_opens_and_the_database_counts_the_same(self) -> None:
        asked = (
            *(("bought", {"label": label}) for label in self.rows()),
            *(("bought", {"label": label, "by": "product"}) for label in self.rows(by="product")),
            ("bought", {"label": "clay", "where": "number LIKE 'C%'"}),
            *(("leads-to", {"first": "clay", "later": later}) for later in ("clay", "glaze")),
            ("leads-to", {"first": "glaze"}),
            ("leads-to", {"first": "glaze", "later": "kiln"}),
        )
        for of, query in asked:
            with self.subTest(of=of, query=query):
                opened, recounted = self.ask(f"{of}/behind", **query), self.ask(f"{of}/recount", **query)
                self.assertTrue(recounted["agrees"], recounted)
                self.assertEqual(recounted["database"]["orders"], opened["orders"])
                self.assertEqual(opened["customers"] > 0, query != {"first": "clay", "later": "clay"})
        days = self.ask("bought/recount", label="clay", unit="purchase-day")
        self.assertIn("not of purchase days", days["reason"])
        self.problem(self.client.get(self.path("bought/behind", label="paint")), 422)

    def test_what_a_first_purchase_leads_to(self) -> None:
        found = self.ask("leads-to")
        rows = {row["label"]: row for row in found["firsts"]}
        self.assertEqual((rows["clay"]["customers"], rows["clay"]["again"]["customers"]), (2, 2))
        cells = dict(zip(found["columns"], rows["glaze"]["cells"], strict=True))
        self.assertEqual({name: cell["customers"] for name, cell in cells.items()}, {"clay": 1, "glaze": 0, "kiln": 1})
        self.assertEqual(cells["clay"]["share"], 1)
        self.assertLess(cells["clay"]["low"], 0.3, "one customer says little")

    def test_what_customers_spent_on_it_is_a_field(self) -> None:
        listed = self.ask("customers", by="revenue:category:clay")
        self.assertEqual(
            [(row["thread"]["name"], row["cells"][0]) for row in listed["rows"]],
            [("C2", "40.00"), ("C3", "40.00"), ("C1", "30.00")],
        )
        often = self.ask("customers", where='"orders:product:celadon" >= 2')
        self.assertEqual([row["thread"]["name"] for row in often["rows"]], ["C1"])
        nothing = self.problem(self.client.get(self.path("customers", by="revenue:product:paint")), 422)
        self.assertIn("No order line has product paint", nothing["detail"])

    def test_files_have_every_row(self) -> None:
        for of, columns, rows in (
            ("bought", ["category", "customers", "orders", "lines", "revenue", "share"], 3),
            (
                "leads-to",
                ["first_category", "later_category", "first_customers", "customers", "share", "low", "high"],
                8,
            ),
        ):
            reply = self.client.get(self.path(f"{of}/file", form="csv"))
            table = list(csv.reader(io.StringIO(reply.text, newline="")))
            reply.close()
            self.assertEqual((table[0], len(table) - 1), (columns, rows))
