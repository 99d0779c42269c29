"""Two ranges of dates and what made the difference, through the API: the figures of the small history."""

from __future__ import annotations

import unittest
from typing import Any

from tests.support.threads import AS_OF, ThreadsCase


class Difference(ThreadsCase):
    def asked(self, **choices: Any) -> Any:
        return self.ask("difference", **choices)

    def said(self, answer: Any) -> str:
        return "".join(part["text"] for part in answer["sentence"])

    def test_revenue_is_taken_apart_into_factors_that_add_up(self) -> None:
        answer = self.asked()
        self.assertIn(
            "from 1 Jan 2025 to 31 Aug 2025 against the same days a year earlier, all together?", self.said(answer)
        )
        self.assertEqual((answer["before"]["first_date"], answer["before"]["last_date"]), ("2024-01-01", "2024-08-31"))
        self.assertEqual((answer["whole"]["before"], answer["whole"]["after"]), (692.955, 1962.8))
        # 8 customers, 13 orders; 11 customers, 12 orders
        was = [(each["before"], each["after"]) for each in answer["factors"]]
        self.assertEqual(was, [(8, 11), (1.625, 1.090909), (53.304231, 163.566667)])
        parts = [each["difference"] for each in answer["factors"]]
        self.assertEqual(parts, [427.0287, -564.9092, 1407.7255])
        self.assertAlmostEqual(sum(parts), answer["whole"]["difference"], 4)
        self.assertAlmostEqual(sum(each["share"] for each in answer["factors"]), 1, 5)

    def test_groups_add_up_and_few_are_marked(self) -> None:
        answer = self.asked(by="source")
        found = {each["name"]: each["difference"] for each in answer["groups"]}
        self.assertEqual(found, {"counter": 1181.95, "web": 44.145, "phone": 43.75})
        self.assertTrue(answer["adds_up"] and all(each["few"] for each in answer["groups"]))
        # who ordered at the counter and by phone is one customer
        self.assertFalse(self.asked(by="source", measure="customers")["adds_up"])

    def test_a_rate_is_mix_and_rate(self) -> None:
        answer = self.asked(measure="returning_share", by="source")
        whole = answer["whole"]
        self.assertEqual((whole["before"], whole["after"]), (0.384615, 0.916667))
        self.assertTrue(whole["low"] < whole["difference"] < whole["high"])
        self.assertAlmostEqual(sum(g["mix"] + g["rate"] for g in answer["groups"]), whole["difference"], 5)
        value = self.asked(measure="average_order_value")
        self.assertEqual((value["factors"], value["whole"]["low"]), ([], None))

    def test_the_range_before_has_as_many_days(self) -> None:
        answer = self.asked(against="before", measure="customers", **{"from": "2025-06-01"})
        self.assertEqual((answer["before"]["first_date"], answer["before"]["last_date"]), ("2025-03-01", "2025-05-31"))
        self.assertEqual([each["name"] for each in answer["factors"]], ["new", "returning"])
        own = self.asked(against="2024-02-01/2024-02-29", **{"from": "2025-02-01", "to": "2025-02-28"})
        manner = "".join(part["text"] for part in own["manner"])
        self.assertIn("The ranges have 29 and 28 days.", manner)

    def test_what_stands_behind_agrees_with_the_recount(self) -> None:
        for query in ("side=all", "side=new", "side=returning&range=before"):
            behind = self.get(f"{self.at}/ask/difference/behind?as_of={AS_OF}&{query}")
            found = self.get(f"{self.at}/ask/difference/recount?as_of={AS_OF}&{query}")
            with self.subTest(query=query):
                self.assertTrue(found["agrees"], found)
                self.assertEqual(behind["customers"], found["page"]["customers"])
        group = self.get(f"{self.at}/ask/difference/behind?as_of={AS_OF}&by=source&group=web&range=before")
        self.assertIn("(source: web)", group["words"])
        self.assertEqual(group["value"], "340.0550")

    def test_what_cannot_be_compared_is_refused_by_name(self) -> None:
        for query, field in (
            ("against=2024-02-01", "against"),
            ("against=2024-02-01/2023-01-01", "against"),
            ("against=2024-02-01/x", "against"),
            ("to=2025-12-31", "to"),
            ("from=2025-08-01&to=2025-07-01", "to"),
            ("from=0001-01-01", "from"),
            ("by=amount", "by"),
            ("by=nothing", "by"),
        ):
            reply = self.client.get(f"{self.at}/ask/difference?as_of={AS_OF}&{query}")
            with self.subTest(query=query):
                self.assertEqual(self.problem(reply, 422)["field"], field)
        reply = self.client.get(f"{self.at}/ask/difference/behind?as_of={AS_OF}&group=web")
        self.assertEqual(self.problem(reply, 422)["field"], "group")

    def test_the_file_has_a_row_a_part(self) -> None:
        rows = self.table("difference", by="source")
        self.assertEqual(list(rows[0])[:7], ["part", "before", "after", "difference", "share", "low", "high"])
        self.assertEqual([row["of"] for row in rows], ["all", *3 * ["factor"], *3 * ["group"]])


if __name__ == "__main__":
    unittest.main()
