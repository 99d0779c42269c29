"""The forecast of cohorts, asked through the API: a book whose factors are known, what is said of the past, files."""

from __future__ import annotations

import csv
import io
import tempfile
from pathlib import Path
from typing import Any, ClassVar

from goldthread.store.books import BookRow
from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, write_csv

QUARTERS, CUSTOMERS = 13, 40
AS_OF = "2025-03-31"
AGES = 4
"""Of forty who begin in a quarter twenty come back in each of the next three, and nobody after."""


def date(quarter: int, day: int = 5) -> str:
    return f"{2022 + quarter // 4}-{quarter % 4 * 3 + 2:02d}-{day:02d}"


def orders() -> list[tuple[str, str, str, str]]:
    rows = []
    for quarter in range(QUARTERS):
        for customer in range(CUSTOMERS):
            ages = range(AGES) if customer < CUSTOMERS // 2 else range(1)
            rows += [
                (f"{quarter}-{customer}-{age}", f"Q{quarter}C{customer}", date(quarter + age), "10")
                for age in ages
                if quarter + age < QUARTERS
            ]
    return rows


class Forecast(ApiCase):
    quarters: ClassVar[BookRow]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.quarters = new_book(cls.workspace)
        with tempfile.TemporaryDirectory() as folder:
            head = ("order", "customer_no", "date", "amount")
            deliver(cls.workspace, cls.quarters, write_csv(Path(folder) / "o.csv", [head, *orders()]), "shop")

    def ask(self, query: str = "") -> Any:
        return self.get(f"/api/books/{self.quarters.id}/ask/forecast?as_of={AS_OF}{query}")

    def test_each_cohort_grows_as_earlier_ones_did(self) -> None:
        found = self.ask()
        self.assertEqual((found["figure"], found["period"], found["left_out"]), ("revenue", "quarter", []))
        self.assertEqual(len(found["cohorts"]), QUARTERS)
        newest, before = found["cohorts"][-1], found["cohorts"][-2]
        self.assertEqual((newest["values"], newest["ahead"][:3]), ([400.0], [200.0, 200.0, 200.0]))
        self.assertEqual((before["values"], before["ahead"][:2]), ([400.0, 200.0], [200.0, 200.0]))
        self.assertTrue(all(each == 0 for each in newest["ahead"][3:]))
        self.assertEqual(found["cohorts"][0]["ahead"], [])
        self.assertEqual((newest["brought"], newest["error"]), (1000.0, 0.0))
        self.assertEqual([round(each["factor"], 6) for each in found["factors"][:3]], [1.5, 1.333333, 1.25])
        ahead = {each["months"]: each for each in found["next"]}
        self.assertEqual({months: each["value"] for months, each in ahead.items()}, {3: 600.0, 6: 1000.0, 12: 1200.0})
        said = "".join(part["text"] for part in found["sentence"])
        self.assertIn("1\u202f200 in the next 12 months", said)
        self.assertEqual([each["value"] for each in found["per_customer"]], [25.0, 25.0])

    def test_a_running_period_is_beside_the_forecast_and_never_in_it(self) -> None:
        found = self.get(f"/api/books/{self.quarters.id}/ask/forecast?as_of=2025-03-01")
        newest, before = found["cohorts"][-1], found["cohorts"][-2]
        self.assertEqual((newest["values"], newest["ahead"], newest["since"]), ([], [], 400.0))
        self.assertFalse(newest["takes_part"])
        self.assertEqual((before["values"], before["ahead"][0], before["since"]), ([400.0], 200.0, 200.0))
        self.assertEqual(found["left_out"], [])
        rows = self.table("", "2025-03-01")
        mine = [(row["age"], row["state"], row["revenue"]) for row in rows if row["cohort"] == "2024-Q4"]
        self.assertEqual(
            mine[:3], [("0", "complete", "400.00"), ("1", "partial", "200.00"), ("1", "forecast", "200.00")]
        )

    def test_where_few_carry_a_step_it_ends_unless_asked(self) -> None:
        hidden, shown = self.ask(), self.ask("&few=shown")
        few = [each["age"] for each in hidden["factors"] if each["few"]]
        self.assertEqual((few, hidden["ages"], shown["ages"]), ([10, 11], 13, 13))
        self.assertEqual([len(each["cohorts"][-1]["ahead"]) for each in (hidden, shown)], [10, 12])
        small = self.ask("&small=500")
        self.assertEqual(len(small["cohorts"][-1]["ahead"]), 0)
        self.assertEqual(small["next"], [])
        self.assertIn("Too little is complete to say", "".join(part["text"] for part in small["sentence"]))

    def test_the_past_is_told_beside_it(self) -> None:
        year, half = self.ask()["checks"]
        self.assertEqual((year["months_ago"], half["months_ago"]), (12, 6))
        self.assertEqual([each["months"] for each in year["horizons"]], [3, 6, 9, 12])
        last = year["horizons"][-1]
        self.assertEqual((last["value"], last["came"], last["error"]), (1200.0, 1200.0, 0.0))
        self.assertIn("12 months ago it said 1\u202f200, exactly what came; 1\u202f200 came", year["words"])

    def test_profit_orders_and_customers(self) -> None:
        profit = self.ask("&figure=profit&margin=40")
        self.assertEqual(profit["cohorts"][-1]["ahead"][:2], [80.0, 80.0])
        unset = self.ask("&figure=profit")
        self.assertEqual((unset["figure"], unset["cohorts"][-1]["ahead"][:1]), ("revenue", [200.0]))
        self.assertIn("Gross margin not set: revenue is shown.", "".join(part["text"] for part in unset["manner"]))
        self.assertEqual(self.ask("&figure=orders")["cohorts"][-1]["ahead"][:2], [20.0, 20.0])
        customers = self.ask("&figure=customers")
        self.assertEqual((customers["is_money"], customers["cohorts"][-1]["ahead"][:2]), (False, [20.0, 20.0]))
        monthly = self.ask("&period=month&figure=orders")
        self.assertEqual(monthly["next"][-1]["months"], 12)

    def test_weeks_and_wrong_costs_are_refused(self) -> None:
        for wrong, field in (("period=week", "period"), ("cac=dear&figure=profit", "cac"), ("margin=x", "margin")):
            with self.subTest(wrong):
                reply = self.client.get(f"/api/books/{self.quarters.id}/ask/forecast?{wrong}")
                self.assertEqual(self.problem(reply, 422)["field"], field)

    def table(self, more: str, as_of: str = AS_OF) -> list[dict[str, str]]:
        path = f"/api/books/{self.quarters.id}/ask/forecast/file?form=csv&as_of={as_of}{more}"
        reply = self.client.get(path)
        self.assertEqual(reply.status_code, 200, reply.text)
        rows = list(csv.DictReader(io.StringIO(reply.text, newline="")))
        reply.close()
        return rows

    def test_a_file_tells_what_was_from_what_is_forecast(self) -> None:
        rows = [row for row in self.table("") if row["cohort"] == "2024-Q4"]
        self.assertEqual([row["state"] for row in rows[:4]], ["complete", "complete", "forecast", "forecast"])
        self.assertEqual([row["revenue"] for row in rows[:4]], ["400.00", "200.00", "200.00", "200.00"])
        self.assertEqual([row["standard_error"] for row in rows[:3]], ["", "", "0.00"])

    def test_a_book_without_orders_has_nothing_to_forecast(self) -> None:
        found = self.get(f"/api/books/{new_book(self.workspace).id}/ask/forecast")
        self.assertEqual((found["cohorts"], found["next"], found["checks"]), ([], [], []))
