"""Rhythm through the API: the figures of the small history, windows, files, lists, calendar entries, refusals."""

from __future__ import annotations

import json
import unittest
from typing import Any
from urllib.parse import urlencode

import icalendar

from tests.support import tiny
from tests.support.threads import AS_OF, ThreadsCase


class Golden(ThreadsCase):
    def groups(self, **query: Any) -> dict[str, int]:
        return {
            each["orders"]: each["customers"] for each in self.ask("counts", **query)["groups"] if each["customers"]
        }

    def test_order_counts_of_the_whole_book_and_of_a_window(self) -> None:
        expected = tiny.expected()
        self.assertEqual(self.groups(), expected["order_count_groups"])
        window = {"from": "2025-01-01", "to": "2025-12-31"}
        self.assertEqual(self.groups(**window), expected["order_count_groups_2025_window"])
        answer = self.ask("counts")
        found = {"mean": round(answer["mean"], 6), "median": answer["median"], "mode": answer["mode"]}
        self.assertEqual(found, expected["orders_per_customer"])
        self.assertEqual(answer["orders"], expected["totals"]["orders"])

    def test_the_zero_group_makes_up_the_customers_on_file(self) -> None:
        shown = self.ask("counts", zero="shown", groups=3)
        self.assertEqual([each["orders"] for each in shown["groups"]], ["0", "1", "2", "3+"])
        self.assertEqual(sum(each["customers"] for each in shown["groups"]), shown["customers"])
        self.assertEqual(shown["groups"][0]["customers"], shown["customers"] - shown["with_orders"])

    def test_gaps_together_and_by_step(self) -> None:
        expected, answer = tiny.expected(), self.ask("gaps")
        together = answer["together"]
        self.assertEqual(
            (together["gaps"], together["mean"], together["median"]),
            (expected["gaps"]["count"], expected["gaps"]["mean_over_gaps"], expected["gaps"]["median"]),
        )
        self.assertAlmostEqual(together["mean_over_customers"], expected["gaps"]["mean_over_customers"], places=6)
        for group, (step, wanted) in zip(answer["groups"], expected["gaps_by_step"].items(), strict=True):
            found = group["statistics"]
            self.assertEqual(
                (group["label"], found["gaps"], found["median"]), (step, wanted["count"], wanted["median"])
            )
            self.assertAlmostEqual(found["mean"], wanted["mean"], places=6)
            self.assertEqual(sum(group["bins"]), found["gaps"])
        self.assertEqual((answer["one_order"], answer["no_order"]), (0, 4))

    def test_purchase_days_count_the_orders_of_one_date_once(self) -> None:
        orders, days = self.ask("gaps"), self.ask("gaps", unit="purchase-day")
        self.assertEqual(orders["together"]["gaps"] - days["together"]["gaps"], orders["same_day"])
        self.assertEqual((orders["same_day"] > 0, days["same_day"]), (True, 0))
        self.assertEqual(self.ask("counts", unit="purchase-day")["revenue"], self.ask("counts")["revenue"])

    def test_a_purchase_day_is_shown_as_its_first_order_with_all_its_amounts(self) -> None:
        orders, days = self.customer("C01"), self.customer("C01", unit="purchase-day")
        self.assertEqual((orders["order_count"], days["order_count"]), (4, 2))
        self.assertEqual(days["not_counted"], orders["not_counted"])
        first = days["orders"][-1]["order"]
        self.assertEqual((first["number"], first["amount"]), ("K0001 and 2 more", "76.35"))
        self.assertEqual(days["facts"]["revenue"], orders["facts"]["revenue"])
        listed = self.ask("nth", rank="first", by="name", unit="purchase-day")["rows"]
        self.assertIn("K0001 and 2 more", [row["orders"][0]["number"] for row in listed])

    def test_files_have_the_agreed_columns(self) -> None:
        wanted = {
            "counts": "orders,customers,share,cumulative_share,order_count,revenue,went_on",
            "gaps": "step,count,mean,median,lower_quartile,upper_quartile,customers,mean_over_customers",
            "next-order": "group,days,at_risk,ordered,censored,share,low,high",
            "due": "customer,name,email,latest_date,expected_gap,expected_from,next_due,days_late,overdue,orders",
        }
        for name, columns in wanted.items():
            rows = self.table(name, within="366d") if name == "due" else self.table(name)
            with self.subTest(name=name):
                self.assertEqual(list(rows[0])[: columns.count(",") + 1], columns.split(","))
        counts = self.table("counts", groups="3")
        self.assertEqual([row["orders"] for row in counts], ["1", "2", "3+"])
        self.assertEqual(counts[-1]["cumulative_share"], "1")
        self.assertEqual([row["count"] for row in self.table("gaps")], ["11", "5", "2"])
        by_customer = self.table("gaps", by="customer")
        self.assertEqual(sum(int(row["count"]) for row in by_customer), 18)
        self.assertEqual(list(self.table("gaps", by="order")[0])[-3:], ["previous_date", "date", "gap"])


class Asked(ThreadsCase):
    def test_curves_add_up_and_groups_are_compared_in_words(self) -> None:
        answer = self.ask("next-order", split="first_source")
        self.assertEqual(sum(curve["customers"] for curve in answer["curves"]), 11)
        self.assertIn("chance", answer["compared"])
        alone = self.ask("next-order", step=2)
        (curve,) = alone["curves"]
        self.assertEqual((curve["customers"], curve["ordered"], alone["compared"]), (11, 5, ""))
        self.assertEqual(len(curve["share"]), len(alone["ages"]))

    def test_an_order_of_a_kind_is_followed_by_one_of_another(self) -> None:
        clay, glaze = (f"lines:category:{each} >= 1" for each in ("clay", "glaze"))
        answer = self.ask("next-order", after=clay, then=glaze)
        (curve,) = answer["curves"]
        # W-9 and W-10 on one day, 44 and 392 days, and two who have not yet
        self.assertEqual((curve["customers"], curve["ordered"], curve["by_then"]["customers"]), (5, 3, 2))
        self.assertEqual((curve["by_then"]["share"], curve["half_by"]), (0.4, 392))
        self.assertEqual(self.ask("next-order", after=clay, then=glaze, within=0)["curves"][0]["by_then"]["share"], 0.2)
        query = urlencode({"as_of": AS_OF, "after": clay, "then": glaze, "days": 90})
        behind = self.get(f"{self.at}/ask/next-order/behind?{query}")
        self.assertEqual(behind["customers"], 2)
        self.assertIn(
            "ordered again where some line is of category glaze by day 90 after their first order where some line is "
            "of category clay",
            behind["words"],
        )
        self.assertFalse(self.get(f"{self.at}/ask/next-order/recount?{query}")["agrees"])

    def test_a_list_is_compared_with_everybody_else(self) -> None:
        path = f"{self.at}/ask/counts/list?{urlencode({'as_of': AS_OF, 'orders': '2'})}"
        made = self.changed("POST", path, json={"name": "twice"})
        self.assertEqual(made.status_code, 201, made.text)
        kept: dict[str, Any] = json.loads(made.text)
        self.assertEqual(kept["customers"], 6)
        self.assertIn("with 2 orders from 15 Jan 2024 to 31 Aug 2025", kept["rule"])
        against = self.ask("next-order", list="twice", list_as="against")
        self.assertEqual([curve["label"] for curve in against["curves"]], ["on the list", "everybody else"])
        self.assertEqual([curve["customers"] for curve in against["curves"]], [6, 5])
        counts = self.ask("counts", list="twice", list_as="against")
        self.assertEqual([sum(g["customers"] for g in counts[part]) for part in ("groups", "rest")], [6, 5])

    def test_what_stands_behind_agrees_with_the_recount(self) -> None:
        for path in (
            "counts/{}?orders=3",
            "gaps/{}?group=1&shortest=0&longest=60",
            "next-order/{}?days=100",
            "due/{}?within=366d",
        ):
            behind = self.get(f"{self.at}/ask/{path.format('behind')}&as_of={AS_OF}")
            found = self.get(f"{self.at}/ask/{path.format('recount')}&as_of={AS_OF}")
            with self.subTest(path=path):
                self.assertTrue(found["agrees"], found)
                self.assertEqual(
                    (behind["customers"], behind["orders"]), (found["page"]["customers"], found["page"]["orders"])
                )
                self.assertGreater(behind["customers"], 0)

    def test_everybody_who_is_due_or_late_is_a_calendar_entry(self) -> None:
        answer = self.ask("due", within="366d")
        self.assertEqual(answer["count"], answer["coming"] + answer["late"])
        self.assertEqual(sum(each["customers"] for each in answer["lateness"]), answer["late"])
        reply = self.client.get(f"{self.at}/ask/due/calendar?{urlencode({'as_of': AS_OF, 'within': '366d'})}")
        self.assertEqual((reply.status_code, reply.mimetype), (200, "text/calendar"))
        calendar = icalendar.Calendar.from_ical(reply.data)
        entries = list(calendar.walk("VEVENT"))
        self.assertEqual(len(entries), answer["count"])
        self.assertEqual(len({str(entry["UID"]) for entry in entries}), len(entries))
        days = sorted(max(row["next_due"], AS_OF) for row in answer["rows"])
        self.assertEqual(sorted(entry.decoded("DTSTART").isoformat() for entry in entries), days)
        hidden = self.ask("due", within="366d", overdue="hidden")
        self.assertEqual(hidden["count"], answer["coming"])

    def test_what_cannot_be_asked_is_refused_with_its_field(self) -> None:
        for path, field in (
            ("counts?from=2025-02-30", "from"),
            ("counts?from=2025-02-01&to=2025-01-31", "to"),
            ("counts/behind?orders=12", "orders"),
            ("gaps?by=amount", "by"),
            ("gaps/behind?group=99", "group"),
            ("next-order?split=amount", "split"),
            ("next-order?after=channel", "after"),
            ("next-order?then=chanel%20=%20'x'", "then"),
            ("next-order/behind?days=3&group=nobody", "group"),
            ("due?within=soon", "within"),
            ("due/behind?at=never", "at"),
        ):
            with self.subTest(path=path):
                said = self.problem(self.client.get(f"{self.at}/ask/{path}"), 422)
                self.assertEqual(said["field"], field)
                self.assertTrue(said["remedy"])


if __name__ == "__main__":
    unittest.main()
