"""Figures, splits, opened figures, recounts, checks and saved views, through the API."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from tests.support import tiny
from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, tiny_book

AS_OF = "as_of=2025-08-31"
CSV = {"Accept": "text/csv"}


def said(parts: list[dict[str, Any]]) -> str:
    return "".join(part["text"] for part in parts)


class Figures(ApiCase):
    def test_still_buying_and_churn_are_the_small_historys(self) -> None:
        """January 2024: C01 ordered again 19 months later, C02 after 1, 8 and 14."""
        rows = {
            figure: self.get(f"{self.at}/ask/cohorts?{AS_OF}&figure={figure}")["cohorts"][0]["values"]
            for figure in ("still_buying", "churn", "came_back")
        }
        self.assertEqual([rows["still_buying"][age] for age in (0, 14, 15, 19)], [1, 1, 0.5, 0.5])
        self.assertEqual([rows["churn"][age] for age in (0, 1, 2)], [0, 0.5, 1])
        self.assertEqual([rows["came_back"][age] for age in (0, 1, 18, 19)], [0, 0.5, 0.5, 1])

    def test_money_per_customer_and_per_order(self) -> None:
        january = self.get(f"{self.at}/ask/cohorts?{AS_OF}&figure=revenue_per_customer")["cohorts"][0]
        self.assertEqual((january["values"][0], january["values"][1]), (158.175, 164.175))
        value = self.get(f"{self.at}/ask/cohorts?{AS_OF}&figure=average_order_value")
        self.assertEqual((value["cohorts"][0]["values"][0], value["unit"]), (79.0875, "money"))
        profit = self.get(f"{self.at}/ask/cohorts?{AS_OF}&figure=profit_per_customer&margin=40&cac=50")
        self.assertEqual(profit["cohorts"][0]["values"][0], 13.27)
        self.assertIn("gross margin 40 %, CAC 50 each", said(profit["manner"]))

    def test_the_cost_of_winning_customers_is_what_was_spent_per_new_customer(self) -> None:
        """In January 2024 so much was spent, and two customers were won."""
        spend = list(csv.DictReader((tiny.FOLDER / "spend.csv").read_text(encoding="utf-8").splitlines()))
        january = sum(float(row["amount"]) for row in spend if row["month"].startswith("2024-01"))
        with tempfile.TemporaryDirectory() as folder:
            book = tiny_book(self.workspace, Path(folder))
        deliver(self.workspace, book, tiny.FOLDER / "spend.csv", "office")
        found = self.get(f"/api/books/{book.id}/ask/cohorts?{AS_OF}&figure=profit_per_customer&margin=100")["cohorts"]
        self.assertEqual(found[0]["values"][0], round(158.175 - january / 2, 4))
        unspent = [row for row in found if row["size"] and row["values"][0] is None]
        self.assertTrue(unspent, "months without recorded spend have no profit")

    def test_a_split_tells_groups_apart_and_compares_them(self) -> None:
        whole = self.get(f"{self.at}/ask/cohorts?{AS_OF}&period=quarter")
        answer = self.get(f"{self.at}/ask/cohorts?{AS_OF}&period=quarter&split=first_source&against=web")
        split = answer["split"]
        self.assertEqual([group["label"] for group in split["groups"]], ["counter", "web", "phone"])
        self.assertEqual(sum(group["customers"] for group in split["groups"]), whole["customers"])
        self.assertEqual(split["against"], "web")
        web = split["groups"][1]
        self.assertEqual({value for value in web["more"] if value is not None}, {0})
        counter = split["groups"][0]
        for age, difference in enumerate(counter["more"]):
            if difference is not None:
                self.assertAlmostEqual(difference, counter["values"][age] - web["values"][age], 5)
                self.assertTrue(counter["more_low"][age] <= difference <= counter["more_high"][age])
        for row, cohort in enumerate(whole["cohorts"]):
            self.assertEqual(sum(group["cohorts"][row]["size"] for group in split["groups"]), cohort["size"])
        self.assertIn("Split by first source", said(answer["manner"]))

    def test_diagonals_of_groups_add_up_to_the_calendar(self) -> None:
        answer = self.get(f"{self.at}/ask/cohorts?{AS_OF}&figure=orders&split=region&view=bars")
        newness = {each["period"]: each["orders"] for each in self.get(f"{self.at}/ask/newness?{AS_OF}")["periods"]}
        for place, period in enumerate(answer["periods"]):
            orders = newness.get(period, {"new": 0, "returning": 0})
            with self.subTest(period=period):
                told = sum(group["periods"][place] for group in answer["split"]["groups"])
                self.assertEqual(told, orders["new"] + orders["returning"])

    def test_wrong_choices_are_told_with_their_field(self) -> None:
        for query, field in {
            "split=moon": "split",
            "split=first_source&against=moon": "against",
            "figure=profit_per_customer&margin=101": "margin",
            "figure=profit_per_customer&margin=much": "margin",
            "figure=profit_per_customer&cac=-1": "cac",
            "figure=profit_per_customer&cac=NaN": "cac",
        }.items():
            with self.subTest(query=query):
                told = self.problem(self.client.get(f"{self.at}/ask/cohorts?{AS_OF}&{query}"), 422)
                self.assertEqual(told["field"], field)
                self.assertTrue(told["remedy"])

    def test_files_hold_what_is_shown(self) -> None:
        calendar = self.client.get(
            f"{self.at}/ask/cohorts?{AS_OF}&layout=grid&columns=periods&period=quarter&figure=orders", headers=CSV
        ).text.split("\r\n")
        self.assertEqual(calendar[1].split(",")[:4], ["cohort", "customers", "2024-Q1", "2024-Q2"])
        second = next(line for line in calendar if line.startswith("2024-Q2")).split(",")
        self.assertEqual(second[2], "")
        tidy = self.client.get(
            f"{self.at}/ask/cohorts?{AS_OF}&figure=still_buying&split=first_source", headers=CSV
        ).text
        self.assertTrue(tidy.startswith("group,cohort,size,age,state,"))
        self.assertIn("still_buying", tidy.split("\r\n")[0])
        reply = self.client.get(f"{self.at}/ask/cohorts/file?{AS_OF}&form=xlsx&layout=grid")
        with zipfile.ZipFile(io.BytesIO(reply.data)) as workbook:
            sheet, styles = (workbook.read(f"xl/{name}.xml").decode() for name in ("worksheets/sheet1", "styles"))
        reply.close()
        self.assertIn("0.0%", styles)
        self.assertIn("<v>0.5</v>", sheet)


class Opened(ApiCase):
    def opened(self, query: str) -> Any:
        return self.get(f"{self.at}/ask/cohorts/behind?{AS_OF}&{query}")

    def test_every_figure_of_a_cell_is_what_stands_behind_it(self) -> None:
        cases = {
            "figure=churn&cohort=2024-01&age=1": ("0.500000", 1, 0),
            "figure=still_buying&cohort=2024-01&age=15": ("0.500000", 1, 1),
            "figure=came_back&cohort=2024-01&age=18": ("0.500000", 1, 3),
            "figure=customers&cohort=2024-01&age=8": ("1", 1, 1),
            "figure=revenue&cohort=2024-01&age=8": ("310.00", 1, 1),
            "figure=average_order_value&cohort=2024-01&age=0": ("79.0875", 2, 4),
            "figure=revenue_per_customer&cohort=2024-01&age=1": ("164.1750", 2, 5),
            "figure=retention&cohort=2024-01&age=all": ("1.000000", 2, 4),
            "figure=orders&cohort=all&age=2024-09": ("2", 2, 2),
            "figure=retention&cohort=all&age=2024-09": ("2", 2, 2),
        }
        for query, wanted in cases.items():
            with self.subTest(query=query):
                found = self.opened(query)
                self.assertEqual((found["value"], found["customers"], found["orders"]), wanted)

    def test_a_group_is_opened_alone(self) -> None:
        groups = self.get(f"{self.at}/ask/cohorts?{AS_OF}&period=year&split=first_source")["split"]["groups"]
        for group in groups:
            found = self.opened(
                f"period=year&figure=customers&split=first_source&cohort=all&age=0&group={group['label']}"
            )
            self.assertEqual(found["customers"], group["customers"])
            self.assertIn(f"(first source: {group['label']})", found["words"])
        told = self.client.get(f"{self.at}/ask/cohorts/behind?{AS_OF}&cohort=all&age=0&group=web")
        self.assertEqual(self.problem(told, 422)["field"], "group")

    def test_the_database_agrees_and_the_customers_can_be_kept_as_a_list(self) -> None:
        queries = {"cohorts": f"{AS_OF}&cohort=2024-01&age=1", "newness": f"{AS_OF}&at=2024-02&side=returning"}
        for name, query in queries.items():
            found = self.get(f"{self.at}/ask/{name}/recount?{query}")
            self.assertTrue(found["agrees"])
            self.assertEqual(found["database"], {"customers": 1, "orders": 1, "revenue": "12.00"})
            kept = self.changed("POST", f"{self.at}/ask/{name}/list?{query}", json={"name": f"one of {name}"})
            told = kept.get_json()
            self.assertEqual((kept.status_code, told["customers"], told["name"]), (201, 1, f"one of {name}"))
            self.assertIn("Jan 2024" if name == "cohorts" else "Feb 2024", told["rule"])
            self.assertEqual((told["as_of"], told["reading"][:8]), ("2025-08-31", "Reading "))
            proposed = self.get(f"{self.at}/ask/{name}/behind?{query}")["list_name"]
            self.assertEqual(proposed, told["rule"])

    def test_new_and_returning_is_opened_like_everything_else(self) -> None:
        found = self.get(f"{self.at}/ask/newness/behind?{AS_OF}&at=this_year&side=new&measure=customers")
        self.assertEqual((found["value"], found["customers"]), (str(tiny.expected()["new_customers_2025"]), 1))
        self.assertIn("from 1 Jan 2025 to 31 Aug 2025, both included", found["words"])
        listed = self.client.get(f"{self.at}/ask/newness/behind?{AS_OF}&at=2024-01&side=new", headers=CSV)
        self.assertEqual(len(listed.text.strip().split("\r\n")), 3)
        split = self.get(f"{self.at}/ask/newness?{AS_OF}&split=source")
        for group in split["groups"]:
            opened = self.get(f"{self.at}/ask/newness/behind?{AS_OF}&split=source&at=all&group={group['label']}")
            self.assertEqual(opened["orders"], sum(group["new"]) + sum(group["returning"]))
        for query in ("at=1999-01", "at=2024-01&group=web"):
            self.problem(self.client.get(f"{self.at}/ask/newness/behind?{AS_OF}&{query}"), 422)


class Years(ApiCase):
    def test_this_year_is_told_with_its_boundary_and_last_years_same_days(self) -> None:
        answer = self.get(f"{self.at}/ask/newness?{AS_OF}")
        year, before = answer["year"], answer["year_before"]
        self.assertEqual((year["first_date"], year["last_date"]), ("2025-01-01", "2025-08-31"))
        self.assertEqual(year["customers"]["new"], tiny.expected()["new_customers_2025"])
        self.assertIsNone(before, "the book begins on 15 January 2024")
        later = self.get(f"{self.at}/ask/newness?as_of=2026-08-15")
        self.assertEqual(
            (later["year_before"]["first_date"], later["year_before"]["last_date"]), ("2025-01-01", "2025-08-15")
        )

    def test_the_same_period_last_year_ends_on_the_same_day_while_this_one_runs(self) -> None:
        periods = self.get(f"{self.at}/ask/newness?as_of=2025-06-10")["periods"]
        june = periods[-1]
        self.assertEqual((june["period"], june["partial"]), ("2025-06", True))
        self.assertEqual(
            (june["last_year"]["first_date"], june["last_year"]["last_date"]), ("2024-06-01", "2024-06-10")
        )
        may = periods[-2]["last_year"]
        self.assertEqual((may["first_date"], may["last_date"]), ("2024-05-01", "2024-05-31"))
        last_may = next(each for each in periods if each["period"] == "2024-05")
        self.assertEqual(may["orders"], last_may["orders"])
        self.assertIsNone(next(each for each in periods if each["period"] == "2024-03")["last_year"])

    def test_it_agrees_with_the_cohorts_where_both_appear(self) -> None:
        for span, agrees in {"month": True, "year": True, "day": None}.items():
            self.assertEqual(self.get(f"{self.at}/ask/newness?{AS_OF}&period={span}")["cohorts_agree"], agrees)
        cohorts = self.get(f"{self.at}/ask/cohorts?{AS_OF}")["cohorts"]
        new = {
            each["period"]: each["customers"]["new"] for each in self.get(f"{self.at}/ask/newness?{AS_OF}")["periods"]
        }
        self.assertEqual(
            {row["cohort"]: row["size"] for row in cohorts if row["size"]}, {k: v for k, v in new.items() if v}
        )


class Checks(ApiCase):
    def test_they_run_as_work_with_progress(self) -> None:
        job = self.ended(self.changed("POST", f"{self.at}/checks?{AS_OF}"))
        self.assertEqual((job["state"], job["done"]), ("done", job["total"]))
        self.assertGreater(len(job["checks"]), 70)
        self.assertEqual([check for check in job["checks"] if not check["holds"]], [])
        reading = self.get(f"{self.at}/reading?{AS_OF}&source=counter")
        self.assertIn("orders from counter", said(reading["reading"]))


class Saved(ApiCase):
    def setUp(self) -> None:
        self.own = f"/api/books/{new_book(self.workspace).id}/views"

    def save(self, name: str, query: str, stop: str = "cohorts") -> Any:
        body = {"name": name, "stop": stop, "query": query, "words": f"What of {query}?"}
        return self.changed("POST", self.own, json=body)

    def test_every_version_is_kept_and_any_can_be_brought_back(self) -> None:
        for query in ("period=month", "period=year", "period=week"):
            self.assertEqual(self.save("  Who   came back ", query).status_code, 201)
        self.save("Another", "", "newness")
        views = {each["name"]: each["versions"] for each in self.get(self.own)["views"]}
        self.assertEqual(list(views), ["Another", "Who came back"])
        versions = views["Who came back"]
        self.assertEqual([each["version"] for each in versions], [3, 2, 1])
        reply = self.changed("POST", f"{self.own}/{versions[-1]['id']}/restore")
        newest = reply.json["views"][1]["versions"][0]  # type: ignore[index]
        self.assertEqual((newest["version"], newest["query"]), (4, "period=month"))
        left = self.changed("DELETE", f"{self.own}/{newest['id']}").json
        self.assertEqual([each["name"] for each in left["views"]], ["Another"])  # type: ignore[index]

    def test_a_deleted_view_is_brought_back_with_all_its_versions(self) -> None:
        for query in ("period=month", "period=year"):
            self.save("Who came back", query)
        before = self.get(self.own)["views"]
        number = before[0]["versions"][0]["id"]
        self.assertEqual(self.changed("DELETE", f"{self.own}/{number}").json["views"], [])  # type: ignore[index]
        self.assertEqual(self.changed("POST", f"{self.own}/{number}/undelete").json["views"], before)  # type: ignore[index]
        self.problem(self.changed("POST", f"{self.own}/{number}/undelete"), 404)
        # one of the same name was saved meanwhile, then deleted as well: each is brought back by itself
        self.changed("DELETE", f"{self.own}/{number}")
        other = self.save("WHO came back", "period=week").json["views"][0]["versions"][0]["id"]
        self.problem(self.changed("POST", f"{self.own}/{number}/undelete"), 409)
        self.changed("DELETE", f"{self.own}/{other}")
        self.assertEqual(self.changed("POST", f"{self.own}/{number}/undelete").json["views"], before)  # type: ignore[index]

    def test_what_cannot_be_saved_is_told(self) -> None:
        self.assertEqual(self.problem(self.save("  ", ""), 422)["field"], "name")
        self.assertEqual(self.problem(self.save("x" * 121, ""), 422)["field"], "name")
        self.assertEqual(self.problem(self.save("x", "y" * 16_001), 422)["field"], "query")
        self.problem(self.save("x", "", "moon"), 422)
        for method, path in (("POST", "/999999/restore"), ("DELETE", "/999999")):
            self.problem(self.changed(method, self.own + path), 404)
        self.assertEqual(self.get(self.own)["views"], [])


if __name__ == "__main__":
    unittest.main()
