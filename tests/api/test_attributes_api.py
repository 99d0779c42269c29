"""Own attributes of orders asked for through the API: they group, split, filter, pair, are shown and taken as files."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, write_csv

HEAD = ("order", "customer_no", "date", "total", "Delivery", "Weight kg", "Wanted by", "Gift?", "Segment")
ROWS = (
    ("A-1", "C1", "2025-01-05", "10", "post", "1.5", "2025-01-20", "yes", "studio"),
    ("A-2", "C1", "2025-03-05", "20", "van", "120", "2025-03-20", "no", "studio"),
    ("A-3", "C2", "2025-02-01", "30", "post", "2.5", "2025-02-03", "", "school"),
    ("A-4", "C2", "2025-02-09", "40", "", "", "", "yes", "school"),
    ("A-5", "C3", "2025-02-10", "50", "van", "80.25", "2025-03-02", "no", "school"),
)


class Attributes(ApiCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.book = new_book(cls.workspace)
        with tempfile.TemporaryDirectory() as folder:
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "flat.csv", [HEAD, *ROWS]), "shop")
        cls.at = f"/api/books/{cls.book.id}"

    def ask(self, of: str, **query: Any) -> Any:
        return self.get(f"{self.at}/ask/{of}?{urlencode(query, doseq=True)}")

    def orders(self, where: str) -> list[str]:
        rows = self.ask("orders", where=where)["rows"]
        return sorted(row["orders"][0]["number"] for row in rows)

    def test_they_are_fields_of_the_order_and_of_the_first_one(self) -> None:
        fields = {each["name"]: each for each in self.get(f"{self.at}/fields")["fields"]}
        self.assertEqual(
            [(fields[name]["kind"], fields[name]["level"], fields[name]["values"]) for name in HEAD[4:]],
            [
                ("label", "order", ["post", "van"]),
                ("number", "order", []),
                ("date", "order", []),
                ("label", "order", ["no", "yes"]),
                ("label", "customer", ["school", "studio"]),
            ],
        )
        first = fields["first_Wanted by"]
        self.assertEqual((first["title"], first["kind"], first["level"]), ("first Wanted by", "date", "customer"))
        self.assertEqual(fields["Weight kg"]["written"], '"Weight kg"')

    def test_they_filter(self) -> None:
        for where, wanted in (
            ("Delivery = 'post'", ["A-1", "A-3"]),
            ("Delivery IS NULL", ["A-4"]),
            ('"Weight kg" >= 2.5 AND "Weight kg" < 100', ["A-3", "A-5"]),
            ("\"Wanted by\" > DATE('2025-03-01')", ["A-2", "A-5"]),
            ('"Gift?" = TRUE', ["A-1", "A-4"]),
            ("first_Delivery = 'van'", ["A-5"]),
        ):
            with self.subTest(where):
                self.assertEqual(self.orders(where), wanted)

    def test_they_group_with_numbers_in_bands_and_dates_by_month_and_every_group_opens(self) -> None:
        for name, wanted in (
            ("Delivery", {"post": 2, "van": 2, "": 1}),
            ("Weight kg", {"1.5": 1, "2.5": 1, "80.25": 1, "120": 1, "": 1}),
            ("Wanted by", {"2025-01": 1, "2025-02": 1, "2025-03": 2, "": 1}),
            ("first_Gift?", {"yes": 2, "": 2, "no": 1}),
        ):
            groups = self.ask("figures", group=name)["groups"]
            with self.subTest(name):
                self.assertEqual({each["label"]: each["orders"] for each in groups}, wanted)
                for group in groups:
                    self.assertEqual(len(self.orders(group["open"])), group["orders"], group["open"])

    def test_they_split_and_stand_in_pairs(self) -> None:
        groups = self.ask("cohorts", split="first_Delivery")["split"]["groups"]
        self.assertEqual([(each["label"], each["customers"]) for each in groups], [("post", 2), ("van", 1)])
        bands = self.ask("cohorts", split="first_Weight kg")["split"]["groups"]
        self.assertEqual([(each["label"], each["customers"]) for each in bands], [("1.5", 1), ("2.5", 1), ("80.25", 1)])
        split = self.ask("newness", split="Delivery")["groups"]
        self.assertEqual(sorted(each["label"] for each in split), ["blank", "post", "van"])
        grid = self.ask("pairs", rows="customer", columns="Delivery")
        self.assertEqual(grid["columns"], ["post", "van", ""])

    def test_they_are_on_the_customers_page_and_in_files(self) -> None:
        number = self.ask("customers", where="number = 'C1'")["rows"][0]["thread"]["customer"]
        latest, first = self.ask("thread", customer=number)["orders"]
        self.assertEqual(
            [(each["title"], each["kind"], each["value"]) for each in first["own"]],
            [
                ("Delivery", "label", "post"),
                ("Weight kg", "number", "1.5"),
                ("Wanted by", "date", "2025-01-20"),
                ("Gift?", "label", "yes"),
            ],
        )
        self.assertEqual(latest["own"][1]["value"], "120")
        reply = self.client.get(f"{self.at}/ask/orders/file?form=csv")
        table = {row["order"]: row for row in csv.DictReader(io.StringIO(reply.data.decode(), newline=""))}
        reply.close()
        self.assertEqual([table["A-5"][name] for name in HEAD[4:]], ["van", "80.25", "2025-03-02", "no", "school"])
        self.assertEqual((table["A-4"]["Delivery"], table["A-4"]["first_Delivery"]), ("", "post"))

    def test_an_attribute_is_called_otherwise_and_hidden_and_conditions_go_on_naming_it(self) -> None:
        path = f"{self.at}/attributes"

        def change(**body: Any) -> Any:
            reply = self.changed("PATCH", path, json=body)
            self.assertEqual(reply.status_code, 200, reply.text)
            return {each["name"]: each for each in reply.json["attributes"]} if reply.json else {}

        before = self.client.get(f"{self.at}/ask/figures?group=Delivery").headers["ETag"]
        told = change(name="Delivery", title="how it left")
        self.assertEqual((told["Delivery"]["title"], told["Delivery"]["hidden"]), ("how it left", False))
        answer = self.client.get(f"{self.at}/ask/figures?group=Delivery")
        self.assertNotEqual(answer.headers["ETag"], before)
        self.assertIn("how it left", answer.text)
        self.assertEqual(self.orders("Delivery = 'post'"), ["A-1", "A-3"])
        change(name="Delivery", hidden=True)
        offered = [each["name"] for each in self.get(f"{self.at}/fields")["fields"]]
        self.assertNotIn("Delivery", offered)
        self.assertNotIn("first_Delivery", offered)
        self.assertEqual(self.orders("Delivery = 'post'"), ["A-1", "A-3"])
        change(name="Delivery", title="Delivery", hidden=False)
        self.problem(self.changed("PATCH", path, json={"name": "Colour", "title": "x"}), 404)
        self.problem(self.changed("PATCH", path, json={"name": "Delivery", "title": " "}), 422)
        self.problem(self.changed("PATCH", path, json={"name": "Delivery", "title": "Gift?"}), 409)


class Queries(ApiCase):
    def test_a_query_to_a_database_that_the_settings_do_not_name_is_refused(self) -> None:
        self.assertEqual(self.get("/api/session")["databases"], [])
        reply = self.changed("POST", f"{self.at}/uploads/query", json={"database": "till", "query": "SELECT 1"})
        ended = self.ended(reply)
        self.assertEqual((ended["state"], ended["error"]["status"]), ("failed", 404))


if __name__ == "__main__":
    unittest.main()
