"""The usual settings of a book: said once, in force wherever a question says nothing else, and what is shown before."""

from __future__ import annotations

import csv
import io
import tempfile
from pathlib import Path
from typing import Any

from goldthread.actions.jobs import Made
from goldthread.api.work import KINDS
from tests.support import worth
from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, write_csv

NOTHING: dict[str, Any] = {
    "margin": "",
    "cac": "",
    "lapse": "",
    "lapse_by": None,
    "status": [],
    "small": None,
    "fiscal_month": None,
    "week_begins": None,
}
NOT_SET = "Gross margin not set: revenue is shown."


def said(parts: list[dict[str, Any]]) -> str:
    return "".join(part["text"] for part in parts)


class Usual(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.own = new_book(self.workspace)
        self.here = f"/api/books/{self.own.id}"
        with tempfile.TemporaryDirectory() as folder:
            header = ("order", "customer_no", "date", "amount")
            deliver(self.workspace, self.own, write_csv(Path(folder) / "o.csv", [header, *worth.orders()]), "shop")
            spend = write_csv(Path(folder) / "s.csv", [("month", "channel", "amount"), *worth.SPEND])
            deliver(self.workspace, self.own, spend, "office")

    def say(self, **settings: Any) -> Any:
        reply = self.changed("PUT", f"{self.here}/usual", json=NOTHING | settings)
        self.assertEqual(reply.status_code, 200, reply.text)
        return reply.json

    def ask(self, of: str) -> Any:
        return self.get(f"{self.here}/ask/{of}")

    def table(self, of: str) -> list[dict[str, str]]:
        reply = self.client.get(f"{self.here}/ask/{of}")
        self.assertEqual(reply.status_code, 200, reply.text)
        rows = list(csv.DictReader(io.StringIO(reply.text, newline="")))
        reply.close()
        return rows

    def measures(self, of: str = "worth") -> dict[str, Any]:
        return {each["measure"]: each["value"] for each in self.ask(of)["measures"]}

    def test_they_are_said_kept_with_their_date_and_taken_back(self) -> None:
        before = self.get(f"{self.here}/usual")
        self.assertEqual((before["now"], before["changes"]), (NOTHING, []))
        self.assertIn("The gross margin is not set.", said(before["sentence"]))
        after = self.say(margin=" 42,2024-03=40 ", lapse="6m", status=["paid", "open"])
        kept = {"margin": "42,2024-03=40", "lapse": "6m", "status": ["open", "paid"]}
        self.assertEqual(after["now"], NOTHING | kept)
        self.assertIn(
            "42 %, 40 % from 2024-03. The cost of winning a customer (CAC): from recorded spend.",
            said(after["sentence"]),
        )
        chosen = {each["name"]: each["chosen"] for each in after["controls"]}
        self.assertEqual((chosen["margin"], chosen["lapse"]), (["42,2024-03=40"], ["6m"]))
        again = self.say()
        self.assertEqual(again["now"], NOTHING)
        self.assertEqual([len(each["words"]) for each in again["changes"]], [0, 3])
        self.assertEqual(
            again["changes"][1]["words"],
            [
                "gross margin 42 %, 40 % from 2024-03",
                "lapsed after 6 calendar months without an order",
                "orders: cancelled and refunded left out",
            ],
        )

    def test_one_that_is_none_is_refused_with_its_name_and_nothing_changes(self) -> None:
        wrong = {
            "margin": "101",
            "cac": "dear",
            "lapse": "soon",
            "lapse_by": "luck",
            "status": ["lost"],
            "fiscal_month": 13,
            "small": 0,
        }
        for name, value in wrong.items():
            with self.subTest(name):
                reply = self.changed("PUT", f"{self.here}/usual", json=NOTHING | {name: value})
                problem = self.problem(reply, 422)
                self.assertIn(name, problem["field"])
        self.assertEqual(self.get(f"{self.here}/usual")["changes"], [])

    def test_they_hold_where_a_question_says_nothing_else(self) -> None:
        self.assertIsNone(self.measures()["projected_clv"])
        self.say(margin="50", cac="12.50", lapse="2m", status=["paid"])
        worth_now = self.ask("worth")
        self.assertIn("at a gross margin of 50 % (usual)", said(worth_now["sentence"]))
        self.assertIn("(12.50 each (usual))", said(worth_now["sentence"]))
        self.assertIn("paid ones only (usual)", said(worth_now["reading"]))
        explicit = "worth?margin=50&cac=12.50&status=paid"
        self.assertEqual(self.measures(), self.measures(explicit))
        margin = next(each for each in worth_now["controls"] if each["name"] == "margin")
        self.assertEqual(margin["options"][0], {"value": "50", "label": "50 %", "term": "usual"})
        self.assertNotIn("(usual)", said(self.ask("worth?margin=40&cac=3")["sentence"]))
        self.assertAlmostEqual(self.measures("worth?margin=40")["gross_margin"], 0.4)
        self.assertIn("after 2 calendar months (usual)", said(self.ask("newness?period=month")["manner"]))
        self.assertIn("after 2 calendar months (usual)", said(self.ask("summary")["manner"]))
        fields = self.get(f"{self.here}/reading")
        self.assertIn("paid ones only (usual)", said(fields["reading"]))

    def test_fiscal_years_and_weeks_are_those_of_the_book_everywhere(self) -> None:
        def periods(of: str) -> list[str]:
            control = next(each for each in self.ask(of)["controls"] if each["name"] == "period")
            return [option["value"] for option in control["options"]]

        self.assertNotIn("fiscal-year", periods("cohorts"))
        self.assertEqual(self.ask("cohorts?period=fiscal-year")["cohorts"][0]["cohort"], "FY2024")
        told = self.say(fiscal_month=3, week_begins="sunday")
        self.assertIn("The fiscal year begins in March, weeks on Sunday.", said(told["sentence"]))
        for of in ("cohorts", "newness", "worth", "payback"):
            self.assertIn("fiscal-year", periods(of), of)
        table = self.ask("cohorts?period=fiscal-quarter")
        self.assertEqual((table["period"], table["fiscal_month"]), ("fiscal-quarter", 3))
        self.assertEqual([each["cohort"] for each in table["cohorts"]], ["FY2024-Q4", "FY2025-Q1"])
        self.assertEqual(sum(each["size"] for each in table["cohorts"]), 4)
        opened = self.get(f"{self.here}/ask/cohorts/recount?period=fiscal-quarter&cohort=FY2024-Q4&age=1")
        self.assertTrue(opened["agrees"])
        newness = self.ask("newness?period=fiscal-year")
        self.assertEqual([each["period"] for each in newness["periods"]], ["FY2024", "FY2025"])
        rows = self.table("newness/file?period=fiscal-year&form=csv")
        self.assertEqual([(row["period"], row["period_begins"]) for row in rows][1], ("FY2025", "2024-03-01"))
        weeks = self.table("cohorts/file?period=week&form=csv")
        self.assertEqual(
            {(row["cohort"], row["cohort_begins"]) for row in weeks[:1]}, {("2024-01-07/P7D", "2024-01-07")}
        )
        gaps = self.table("gaps/file?by=fiscal-year&form=csv")
        self.assertEqual((gaps[0]["period"], gaps[0]["period_begins"]), ("FY2024", "2023-03-01"))
        over = self.ask("standing?over=fiscal-quarter")["over"]
        self.assertEqual((over["period"], over["periods"][0]["end_date"]), ("fiscal-quarter", "2024-02-29"))
        side = self.ask("compare?one=FY2024&margin=50")["sides"][0]
        self.assertEqual((side["words"], side["customers"][0]), ("those new in FY2024", 3))
        self.say(fiscal_month=4)
        self.assertEqual(self.table("gaps/file?by=fiscal-year&form=csv")[0]["period_begins"], "2023-04-01")

    def test_how_few_are_small_is_said_once_too(self) -> None:
        def marked(of: str) -> list[bool]:
            return [each["small"] for each in self.ask(of)["cohorts"]]

        self.assertEqual(marked("cohorts"), [True, True, False, True])
        told = self.say(small=2)
        self.assertIn("A group is small below 2 customers.", said(told["sentence"]))
        self.assertEqual(told["changes"][0]["words"], ["fewer than 2 customers are small"])
        self.assertEqual(marked("cohorts"), [False, True, False, True])
        self.assertEqual(self.ask("cohorts")["small_below"], 2)
        self.assertEqual(marked("cohorts?small=30"), [True, True, False, True])
        ages = [
            self.measures(f"worth?as_of={worth.AS_OF}&margin=50{small}")["observed_age"] for small in ("", "&small=3")
        ]
        self.assertEqual(ages, [3, 2])
        definitions = {each["measure"]: each["definition"] for each in self.ask("worth")["measures"]}
        self.assertIn("that 2 customers have completed", definitions["observed_age"])

    def test_a_file_that_is_written_later_goes_by_them_too(self) -> None:
        self.say(margin="50")
        asked = {"question": "payback", "asked": {}, "form": "csv", "book": self.own.id, "today": "2024-05-01"}
        made = KINDS["write answer"].do(self.workspace, asked, lambda *_: None)
        assert isinstance(made, Made)
        self.addCleanup(made.path.unlink)
        rows = [line for line in csv.reader(io.StringIO(made.path.read_text(encoding="utf-8"), newline="")) if line]
        head = next(place for place, row in enumerate(rows) if "profit_per_customer" in row)
        self.assertTrue(rows[head + 1][rows[head].index("profit_per_customer")])

    def test_without_a_margin_revenue_is_shown_and_says_so(self) -> None:
        at = f"as_of={worth.AS_OF}"
        found = self.ask(f"worth?{at}")
        values = {each["measure"]: each["value"] for each in found["measures"]}
        nothing = ("gross_margin", "projected_clv", "observed_gross_profit", "observed_profit", "break_even_age")
        self.assertEqual([values[name] for name in nothing], [None] * 5)
        self.assertEqual((found["figure"], found["curve"]["values"][-1]), ("revenue", 140.0))
        self.assertIn("gross margin not set; 140.00 of revenue observed by month 3", said(found["sentence"]))
        self.assertIn(NOT_SET, said(found["manner"]))
        payback = self.ask(f"payback?{at}")
        self.assertEqual((payback["figure"], payback["margin_set"]), ("revenue", False))
        self.assertEqual(payback["affordable"][0]["affordable"], [None] * 4)
        self.assertIn(NOT_SET, said(payback["manner"]))
        compared = self.ask(f"compare?{at}&one=2024-01")
        self.assertIn("Revenue per customer, gross margin not set", said(compared["manner"]))
        at_full = self.ask(f"compare?{at}&one=2024-01&margin=100")
        self.assertEqual(compared["sides"][0]["profit"], at_full["sides"][0]["profit"])
        cohorts = self.ask(f"cohorts?{at}&figure=profit_per_customer")
        revenue = self.ask(f"cohorts?{at}&figure=revenue_per_customer")
        self.assertEqual((cohorts["figure"], cohorts["cohorts"]), ("revenue_per_customer", revenue["cohorts"]))
        self.assertIn(NOT_SET, said(cohorts["manner"]))
        self.assertNotIn(NOT_SET, said(revenue["manner"]))
        opened = self.get(f"{self.here}/ask/payback/behind?{at}&age=3")
        self.assertEqual((float(opened["value"]), opened["note"][:20]), (140.0, "Gross margin not set"))
        of_one = self.get(f"{self.here}/ask/payback/behind?{at}&age=1&cohort=2024-01")
        curve = next(each for each in payback["cohorts"] if each["label"] == "2024-01")
        self.assertEqual(float(of_one["value"]), curve["values"][1])
        for measure in nothing:
            note = self.get(f"{self.here}/ask/worth/behind?{at}&measure={measure}")["note"]
            self.assertEqual(note, "Gross margin not set: revenue is shown.", measure)

    def test_what_if_and_the_overview_say_it_too(self) -> None:
        moved = self.ask("worth?if_cac=10")["changed"]["words"]
        self.assertTrue(moved.endswith("gross margin not set: revenue is shown."), moved)
        summary = self.ask("summary")
        self.assertIn("Gross margin not set", [each["what"] for each in summary["looks"]])
        worth_said = next(each for each in summary["paragraphs"] if each["topic"] == "worth")
        self.assertIn("of revenue by month", said(worth_said["said"]))
        self.say(margin="50")
        summary = self.ask("summary")
        self.assertNotIn("Gross margin not set", [each["what"] for each in summary["looks"]])

    def test_files_name_what_they_hold(self) -> None:
        for settings, brought in (({}, "revenue"), ({"margin": "50"}, "profit")):
            self.say(**settings)
            reply = self.client.get(f"{self.here}/ask/compare/file?one=2024-01&form=csv")
            self.assertIn(f",{brought}_per_customer,other_customers,other_{brought}_per_customer,", reply.text)
            reply.close()
