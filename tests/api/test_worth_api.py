"""Worth, asked through the API: the example worked out by hand, what stands behind its figures, spend, groups."""

from __future__ import annotations

import csv
import io
import tempfile
from pathlib import Path
from typing import Any, ClassVar
from urllib.parse import urlencode

from goldthread.stops.worth.question import Top, WorthMeasure
from goldthread.store.books import BookRow
from tests.support import worth
from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, write_csv

CHANNELS = {"A": "search", "B": "letter", "C": "Search", "D": ""}


class Worth(ApiCase):
    further: ClassVar[BookRow]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.book = new_book(cls.workspace)
        cls.at = f"/api/books/{cls.book.id}"
        orders = [(*row, CHANNELS[row[1]]) for row in worth.orders()]
        spend = [*worth.SPEND, ("2024-01", "search", "0"), ("2024-03", "posters", "7"), ("2024-05", "search", "99")]
        with tempfile.TemporaryDirectory() as folder:
            header = ("order", "customer_no", "date", "amount", "channel")
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "orders.csv", [header, *orders]), "shop")
            head = ("month", "channel", "amount")
            first = write_csv(Path(folder) / "spend.csv", [head, *worth.SPEND])
            deliver(cls.workspace, cls.book, first, "office")
            cls.further = new_book(cls.workspace)
            deliver(cls.workspace, cls.further, write_csv(Path(folder) / "o.csv", [header, *orders]), "shop")
            deliver(cls.workspace, cls.further, write_csv(Path(folder) / "s.csv", [head, *spend]), "office")

    def path(self, of: str, book: int | None = None, **query: Any) -> str:
        asked = urlencode({"as_of": worth.AS_OF} | query, doseq=True)
        return f"/api/books/{book or self.book.id}/ask/{of}?{asked}"

    def ask(self, of: str, book: int | None = None, **query: Any) -> Any:
        return self.get(self.path(of, book, **query))

    def table(self, of: str, book: int | None = None, **query: Any) -> list[dict[str, str]]:
        reply = self.client.get(self.path(f"{of}/file", book, form="csv", **query))
        self.assertEqual(reply.status_code, 200, reply.text)
        rows = list(csv.DictReader(io.StringIO(reply.text, newline="")))
        reply.close()
        return rows

    def test_every_figure_is_the_one_worked_out_by_hand(self) -> None:
        found = {each["measure"]: each["value"] for each in self.ask("worth", margin="50")["measures"]}
        by_hand = worth.by_hand()
        self.assertEqual(len(by_hand), 13)
        for name, value in by_hand.items():
            self.assertAlmostEqual(found[name], value, msg=name)
        told = {row["measure"]: row for row in self.table("worth", margin="50")}
        self.assertEqual({name: float(told[name]["value"]) for name in by_hand}, by_hand)
        self.assertEqual({name for name, row in told.items() if row["observed"] == "no"}, {"lifespan", "projected_clv"})

    def test_the_sentence_says_the_arithmetic_and_its_parts_open(self) -> None:
        parts = self.ask("worth", margin="50")["sentence"]
        self.assertEqual(
            "".join(part["text"] for part in parts),
            "A customer brings 62.50 an order × 2.0 orders × 2.0 months at a gross margin of 50 %: 125 projected; "
            "70.00 observed by month 3, and winning one cost 75.00 (from recorded spend).",
        )
        opening = [part["opens"] for part in parts if part["opens"]]
        self.assertEqual(
            opening,
            ["average_order_value", "orders_per_customer", "lifespan", "projected_clv", "observed_gross_profit", "cac"],
        )

    def test_every_figure_opens_and_the_database_counts_the_same(self) -> None:
        asked: list[tuple[str, dict[str, Any]]] = [
            *(("worth", {"measure": measure.value}) for measure in WorthMeasure),
            *(("worth", {"measure": m.value, "split": "first_channel", "group": "search"}) for m in WorthMeasure),
            *(("payback", {"age": age}) for age in range(4)),
            ("payback", {"age": 2, "cohort": "2024-01"}),
            ("payback", {"age": 1, "split": "first_channel", "group": "letter"}),
            ("spend", {"month": "2024-01"}),
            ("spend", {"month": "2024-01", "channel": "SEARCH"}),
            ("compare", {"one": "2024-01", "age": 1}),
            ("compare", {"one": "2024-01", "age": 1, "side": "other"}),
            *(("top-customers", {"largest": top.value}) for top in Top),
        ]
        for of, query in asked:
            with self.subTest(of=of, query=query):
                opened = self.ask(f"{of}/behind", **query)
                recounted = self.ask(f"{of}/recount", **query)
                self.assertTrue(recounted["agrees"], recounted)
                self.assertEqual(recounted["database"]["customers"], opened["customers"])
                self.assertEqual(recounted["database"]["orders"], opened["orders"])

    def test_what_stands_behind_a_figure_is_what_it_counts(self) -> None:
        churned = self.ask("worth/behind", measure="average_retention_rate")
        self.assertEqual((churned["customers"], churned["orders"]), (3, 4), "A twice, B and C once came back")
        observed = self.ask("worth/behind", measure="observed_gross_profit", margin="50")
        self.assertEqual((observed["customers"], observed["revenue"], observed["value"]), (2, "280.00", "70.00"))
        self.assertIn("1 ÷ average churn rate", self.ask("worth/behind", measure="lifespan")["words"])
        point = self.ask("payback/behind", age=1, margin="50")
        self.assertEqual((point["value"], point["orders"]), ("18.33", 5))
        self.assertIn("51.67 before CAC", point["note"])

    def test_payback_by_age_and_what_one_may_cost(self) -> None:
        found = self.ask("payback", margin="50")
        self.assertEqual(found["whole"]["values"], [-31.25, 18.3333, 30.0, 40.0])
        self.assertEqual(found["whole"]["start"], -75)
        self.assertEqual([each["paid_back"] for each in found["cohorts"]], [0, 0, None])
        self.assertEqual(found["affordable"][0]["affordable"], [70.0, None, None, None])
        rows = self.table("payback", margin="50")
        self.assertEqual(
            rows[1],
            {
                "group": "all",
                "age": "1",
                "customers": "3",
                "revenue_per_customer": "103.33",
                "profit_per_customer": "18.33",
                "affordable_cac": "51.67",
                "state": "complete",
                "break_even_age": "1",
            },
        )
        self.assertEqual(rows[-1]["group"], "2024-04")
        revenue = self.ask("payback", margin="50", figure="revenue")
        self.assertEqual(revenue["whole"]["values"], [87.5, 103.3333, 126.6667, 140.0])
        self.assertEqual(revenue["cohorts"][0]["values"], [75.0, 105.0, 140.0, 140.0])
        running = self.get(self.path("payback", as_of="2024-04-20"))
        self.assertEqual([each["complete"] for each in running["cohorts"]], [3, 2, 0])
        states = [row["state"] for row in self.table("payback", as_of="2024-04-20") if row["group"] == "2024-01"]
        self.assertEqual(states, ["complete"] * 3 + ["partial"])

    def test_a_margin_by_month_and_one_that_is_none(self) -> None:
        found = self.ask("worth", margin="50,2024-02=0")
        values = {each["measure"]: each["value"] for each in found["measures"]}
        self.assertAlmostEqual(values["gross_margin"], 75 / 500)
        self.assertAlmostEqual(values["observed_gross_profit"], 0.5 * 150 / 2)
        self.assertIn("50 %, 0 % from 2024-02", "".join(part["text"] for part in found["sentence"]))
        nothing = {each["measure"]: each["value"] for each in self.ask("worth", margin="0")["measures"]}
        self.assertEqual((nothing["projected_clv"], nothing["break_even_age"]), (0, None))
        cohorts = self.ask("cohorts", margin="50,2024-02=0", figure="profit_per_customer", cac="0")
        self.assertEqual(cohorts["cohorts"][0]["values"][:2], [37.5, 37.5])
        for wrong in ("50,soon=1", "50,2024-13=1", "101", ",2024-01=5", "50,2024-01=x"):
            with self.subTest(margin=wrong):
                problem = self.problem(self.client.get(self.path("worth", margin=wrong)), 422)
                self.assertEqual(problem["field"], "margin")

    def test_what_if_is_always_said_with_if(self) -> None:
        found = self.ask("worth", margin="50", if_retention="20", if_margin="10")
        self.assertAlmostEqual(found["changed"]["projected_clv"], 62.5 * 2 * 2.5 * 0.55)
        self.assertTrue(found["changed"]["words"].startswith("If the gross margin rose by 10 % and the retention rate"))
        rows = self.table("worth", margin="50", if_retention="20")
        ifs = {row["measure"]: row for row in rows if row["measure"].startswith("if_")}
        self.assertEqual(float(ifs["if_projected_clv"]["value"]), 156.25)
        self.assertEqual({row["observed"] for row in ifs.values()}, {"no"})
        reply = self.client.get(self.path("worth/file", form="csv", if_cac="5"))
        self.assertIn("worth-if", reply.headers["Content-Disposition"])
        reply.close()
        for wrong in ("-91", "101", "much"):
            self.problem(self.client.get(self.path("worth", if_cac=wrong)), 422)
        self.problem(self.client.get(self.path("worth", margin="95", if_margin="10")), 422)
        endless = self.ask("worth", margin="50", if_retention="100")
        self.assertIsNone(endless["changed"]["projected_clv"])
        self.assertIn("without bound projected", endless["changed"]["words"])

    def test_spend_that_does_not_fit_is_to_be_checked(self) -> None:
        rows = {(row["month"], row["channel"]): row for row in self.ask("spend", book=self.further.id)["rows"]}
        self.assertEqual(rows["2024-03", "posters"]["problem"], "no_such_channel")
        self.assertEqual(rows["2024-03", ""]["problem"], "nobody_new")
        self.assertEqual(rows["2024-02", "search"]["problem"], "no_spend")
        self.assertEqual(rows["2024-01", "search"]["cac"], "0.00")
        self.assertIsNone(rows["2024-01", "letter"]["problem"], "nothing was ever spent on letters")
        self.assertNotIn(("2024-05", ""), rows, "the month has not begun on the as-of date")
        told = self.table("spend", book=self.further.id, shown="problems")
        self.assertEqual(len(told), self.ask("spend", book=self.further.id)["problems"])
        self.assertTrue(all(row["problem"] for row in told))

    def test_by_channel_each_has_its_own_spend_and_a_comparison_the_same_ages(self) -> None:
        found = self.ask("payback", book=self.further.id, margin="50", split="first_channel")
        costs = {row["label"]: row["cac"] for row in found["affordable"]}
        self.assertEqual((costs["letter"], costs["search"]), (None, 0))
        compared = self.ask("compare", one="2024-01", other="2024-02")
        self.assertEqual([side["customers"] for side in compared["sides"]], [[2, 2, 2, 2], [1, 1, 1, 0]])
        self.assertEqual(compared["difference"][:3], [-5.0, 5.0, 40.0])
        self.assertEqual(compared["age"], 2)
        for wrong in ("2024-x", "list:none", "amount:1", "first_channel:radio"):
            with self.subTest(one=wrong):
                self.assertIn(self.client.get(self.path("compare", one=wrong)).status_code, (404, 422))

    def test_a_list_is_compared_with_everybody_else_and_alone(self) -> None:
        where = "first_date < DATE('2024-02-01')"
        body = {"name": "the first", "hold_back": 0}
        kept = self.changed("POST", self.path("customers/list", where=where), json=body)
        self.assertEqual(kept.status_code, 201, kept.text)
        found = self.ask("payback", list="the first", list_as="against", margin="50")
        self.assertEqual([each["label"] for each in found["groups"]], ["on the list", "everybody else"])
        self.assertEqual([each["customers"] for each in found["groups"]], [2, 2])
        alone = self.ask("worth", list="the first")
        values = {each["measure"]: each["value"] for each in alone["measures"]}
        self.assertEqual((values["customers"], values["new_customers"]), (2, 4), "CAC is that of whoever was won")
        sides = self.ask("compare", one="list:the first")["sides"]
        self.assertEqual([side["words"] for side in sides], ["those on the first", "everybody else"])

    def test_the_largest_customers_are_listed_and_kept(self) -> None:
        found = self.ask("top-customers")
        self.assertEqual([row["thread"]["name"] for row in found["rows"]], ["A", "D", "C", "B"])
        tops = {each["top"]: (each["customers"], each["share"]) for each in found["tops"]}
        self.assertEqual((tops["1"], tops["50"], tops["half"]), ((1, 0.4), (2, 0.64), (2, 0.64)))
        self.assertEqual(found["rows"][1]["cumulative_share"], 0.64)
        half = self.ask("top-customers", top="half", offset=1)
        self.assertEqual((half["count"], [row["place"] for row in half["rows"]]), (2, [2]))
        kept = self.changed("POST", self.path("top-customers/list", top="half"), json={"name": "half", "hold_back": 0})
        self.assertEqual((kept.status_code, kept.json["customers"] if kept.json else 0), (201, 2), kept.text)
        self.assertEqual(len(self.table("top-customers", top="half")), 2)
