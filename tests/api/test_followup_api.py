"""Follow-up through the API: standings of the small history, groups, periods, limits, and the list."""

from __future__ import annotations

import unittest
from typing import Any

from goldthread.stops.saved import question_of
from tests.support import tiny
from tests.support.threads import ThreadsCase

STANDS = ("active", "lapsed", "never_ordered", "none_counted")


class Golden(ThreadsCase):
    def standings(self, **query: Any) -> dict[str, int]:
        return {each["stands"]: each["customers"] for each in self.ask("standing", **query)["standings"]}

    def test_standings_by_days_and_by_months(self) -> None:
        expected = tiny.expected()
        self.assertEqual(self.standings(lapse="90d"), expected["standing_90_days"])
        self.assertEqual(self.standings(lapse="6m"), expected["standing_6_months"])

    def test_the_boundary_is_said_in_words(self) -> None:
        boundary = self.ask("standing", lapse="90d")["boundary"]
        self.assertEqual(
            boundary,
            {
                "words": "latest order on 2 Jun 2025 or earlier is lapsed, 3 Jun 2025 is active",
                "last_lapsed": "2025-06-02",
            },
        )
        payments = self.ask("standing", lapse="6m", lapse_by="activity")["boundary"]["words"]
        self.assertEqual(payments, "latest order or payment on 28 Feb 2025 or earlier is lapsed, 1 Mar 2025 is active")
        own = self.ask("standing", lapse="1.5x")["boundary"]
        self.assertEqual((own["last_lapsed"], "longer than 1.5 usual gaps" in own["words"]), (None, True))

    def test_groups_add_up_to_the_customers_on_file(self) -> None:
        whole = self.ask("standing")
        on_file = sum(each["customers"] for each in whole["standings"])
        for query in ({"by": "region"}, {"by": "region", "and_by": "segment"}, {"by": "latest_source"}):
            answer = self.ask("standing", **query)
            self.assertEqual(sum(group["customers"] for group in answer["groups"]), on_file)
            for place, stands in enumerate(STANDS):
                found = sum(group["standings"][place]["customers"] for group in answer["groups"])
                self.assertEqual(found, whole["standings"][place]["customers"], stands)
            self.assertIn("differ", answer["compared"])
            for group in answer["groups"]:
                if group["lapsed_share"] is not None:
                    self.assertTrue(group["low"] <= group["lapsed_share"] <= group["high"])
        self.assertIn(
            "Coast · hobby", [group["label"] for group in self.ask("standing", by="region", and_by="segment")["groups"]]
        )

    def test_opening_and_flows_make_up_every_end_of_a_period(self) -> None:
        answer = self.ask("standing", over="month")
        over = answer["over"]
        rows = self.table("standing", over="month")
        self.assertEqual(
            ",".join(rows[0]),
            "period,standing,opening,began,became_lapsed,won_back,came_on_file,none_counted,customers,share,low,high",
        )
        for row in rows:
            flows = sum(int(row[flow]) for flow in over["flows"])
            self.assertEqual(int(row["opening"]) + flows, int(row["customers"]))
        last = over["periods"][-1]
        self.assertEqual((last["end_date"], over["partial"]), ("2025-08-31", False))
        self.assertEqual(dict(zip(STANDS, last["customers"], strict=True)), self.standings())
        self.assertEqual(sum(period["flows"][0] for period in over["periods"]), 11)
        # everybody says when they joined, but for one whose cancelled order says since when they are on file
        self.assertEqual(over["undated"], 0)
        self.assertEqual(sum(period["flows"][4] for period in over["periods"]), 1)

    def test_every_limit_and_the_suggested_one(self) -> None:
        answer = self.ask("lapse-curve")
        at = dict(zip(answer["days"], answer["lapsed"], strict=True))
        self.assertEqual((answer["chosen_days"], answer["chosen_lapsed"], at[90]), (90, 7, 7))
        self.assertEqual((at[0], answer["customers"]), (11, 11))
        self.assertIsNone(answer["suggested_days"])
        self.assertIn("29 orders are fewer than the 30 it takes", answer["suggestion"])
        every = self.ask("lapse-curve", status=["open", "paid", "refunded", "cancelled"])
        self.assertEqual(every["suggested_days"], 7)
        self.assertIn("1 in 10", every["suggestion"])
        rows = self.table("lapse-curve")
        self.assertEqual((rows[0]["days"], rows[89]["customers"]), ("1", "7"))
        self.assertIsNone(self.ask("lapse-curve", lapse="2x")["chosen_days"])

    def test_groups_and_periods_are_not_asked_together(self) -> None:
        for query in ({"by": "region", "over": "month"}, {"and_by": "region"}, {"by": "source"}, {"by": "revenue"}):
            reply = self.client.get(self.path("standing", **query))
            self.assertEqual((reply.status_code, reply.content_type), (422, "application/problem+json"))


class TheList(ThreadsCase):
    def on_it(self, **query: Any) -> list[str]:
        return [row["thread"]["key"] for row in self.ask("follow-up", **query)["rows"]]

    def test_who_never_ordered_is_on_it_without_a_date(self) -> None:
        answer = self.ask("follow-up", who=["lapsed", "never_ordered"], contactable="all")
        self.assertEqual(answer["count"], 10)
        never = [row for row in answer["rows"] if row["stands"] == "never_ordered"]
        self.assertEqual(len(never), 3)
        self.assertEqual(answer["rows"][-3:], never)
        for row in never:
            self.assertEqual(
                [row[name] for name in ("latest_date", "days_since", "expected_gap", "times_late")], [None] * 4
            )
        days = [row["days_since"] for row in answer["rows"][:-3]]
        self.assertEqual(days, sorted(days, reverse=True))

    def test_closed_and_do_not_contact_are_left_out_and_counted(self) -> None:
        everybody = {"who": ["lapsed", "never_ordered", "none_counted", "one_order", "overdue"]}
        shown, whole = self.ask("follow-up", **everybody), self.ask("follow-up", **everybody, contactable="all")
        self.assertEqual(whole["count"] - shown["count"], shown["left_out"])
        self.assertEqual((shown["found"], shown["closed"], shown["do_not_contact"]), (whole["count"], 1, 1))
        self.assertEqual(set(self.on_it(**everybody, contactable="all")) - set(self.on_it(**everybody)), {"C06", "C07"})
        opened = self.ask("follow-up/behind", **everybody, part="left_out")
        self.assertEqual({thread["key"] for thread in opened["threads"]}, {"C06", "C07"})

    def test_it_goes_by_any_field_and_every_reason_is_counted(self) -> None:
        names = self.on_it(by="name", direction="up", contactable="all")
        self.assertEqual(len(names), 7)
        revenue = [float(row["revenue"]) for row in self.ask("follow-up", by="revenue")["rows"]]
        self.assertEqual(revenue, sorted(revenue, reverse=True))
        answer = self.ask("follow-up", who=["lapsed", "overdue"], contactable="all")
        counts = {each["reason"]: each["customers"] for each in answer["reasons"]}
        self.assertEqual(counts["lapsed"], 7)
        self.assertGreaterEqual(sum(counts.values()), answer["count"])

    def test_contact_data_stands_in_the_rows_and_in_the_file(self) -> None:
        row = next(r for r in self.ask("follow-up", contactable="all")["rows"] if r["contact"]["email"])
        self.assertIn("@", row["contact"]["email"])
        first = self.table("follow-up", who="never_ordered", contactable="all")[0]
        wanted = "customer,name,email,standing,latest_date,days_since,usual_gap,expected_gap,overdue,orders,revenue"
        self.assertEqual(",".join(first).split(",average")[0], wanted)
        self.assertEqual((first["standing"], first["latest_date"], first["orders"]), ("never ordered", "", "0"))
        self.assertTrue({"region", "segment", "closed", "do_not_contact"} <= set(first))

    def test_who_is_new_since_an_earlier_list_and_who_left_it(self) -> None:
        path = self.path("follow-up/list", as_of="2025-06-30", contactable="all")
        made = self.changed("POST", path, json={"name": "June calls"})
        self.assertEqual(made.status_code, 201)
        june = set(self.on_it(as_of="2025-06-30", contactable="all"))
        now = set(self.on_it(contactable="all"))
        answer = self.ask("follow-up", contactable="all", since_list="june CALLS")
        since = answer["since"]
        self.assertEqual(
            (since["name"], since["made_as_of"], since["customers"]), ("June calls", "2025-06-30", len(june))
        )
        self.assertEqual(
            (since["new"], since["still"], since["gone"]), (len(now - june), len(now & june), len(june - now))
        )
        self.assertEqual(since["ordered"] + since["closed"] + since["other"], since["gone"])
        self.assertEqual((since["ordered"] > 0, since["contacted"]), (True, 0))
        self.assertEqual({row["thread"]["key"] for row in answer["rows"]}, now - june)
        for part, keys in (("new", now - june), ("still", now & june), ("gone", june - now)):
            opened = self.ask("follow-up/behind", contactable="all", since_list="June calls", part=part)
            self.assertEqual({thread["key"] for thread in opened["threads"]}, keys, part)

    def test_a_saved_view_that_compares_with_a_list_follows_its_name(self) -> None:
        path = self.path("follow-up/list", as_of="2025-06-30")
        made = self.changed("POST", path, json={"name": "before"}).json
        assert made is not None
        query = "who=lapsed&since_list=before"
        saved = {"name": "Who is new", "stop": "followup", "query": query, "words": "Whom to contact?", "seen": 0}
        self.assertEqual(self.changed("POST", f"{self.at}/views", json=saved).status_code, 201)
        self.changed("PUT", f"{self.at}/lists/{made['id']}", json={"name": "after"})
        (view,) = self.get(f"{self.at}/views")["views"]
        stop, kind, question = question_of("followup", view["versions"][0]["query"])
        self.assertEqual((stop.name, kind.name), ("followup", "follow-up"))
        self.assertEqual(
            question.model_dump(mode="json", include={"who", "since_list"}), {"who": ["lapsed"], "since_list": "after"}
        )

    def test_what_cannot_be_answered_is_refused_with_what_to_do(self) -> None:
        for query in ({"who": "nobody"}, {"once_ago": "soon"}, {"by": "amount"}, {"since_list": "none such"}):
            reply = self.client.get(self.path("follow-up", **query))
            self.problem(reply, 404 if "since_list" in query else 422)
        for query in ({"part": "new"}, {"reason": "overdue"}):
            self.assertEqual(self.client.get(self.path("follow-up/behind", **query)).status_code, 422)
        self.assertEqual(self.client.get(self.path("standing/behind", flow="began")).status_code, 422)
        self.assertEqual(self.client.get(self.path("standing/behind", over="month", at="1999-01")).status_code, 422)


class Recounts(ThreadsCase):
    def test_the_database_agrees_with_every_figure(self) -> None:
        asked: list[tuple[str, dict[str, Any]]] = [
            ("standing", {"stands": stands, "lapse": lapse, "lapse_by": by})
            for stands in (*STANDS, None)
            for lapse, by in (("90d", "orders"), ("6m", "activity"), ("2x", "orders"))
        ]
        asked += [("standing", {"by": "region", "group": "Coast", "stands": stands}) for stands in STANDS]
        asked += [("standing", {"by": "region", "and_by": "segment", "group": "Coast · hobby"})]
        asked += [
            ("standing", {"over": "month", "at": at, "flow": flow})
            for at in ("2024-05", "2024-12", "2025-06")
            for flow in ("began", "became_lapsed", "won_back", "came_on_file", "none_counted")
        ]
        asked += [("standing", {"over": "quarter", "at": "2025-Q1", "stands": stands}) for stands in STANDS]
        asked += [("standing", {"where": "region = 'Coast'", "stands": stands}) for stands in STANDS]
        asked += [
            ("lapse-curve", {"days": days, "lapse_by": by}) for days in (0, 90, 300) for by in ("orders", "activity")
        ]
        reasons = ["lapsed", "never_ordered", "none_counted", "one_order", "overdue"]
        asked += [("follow-up", {"who": reasons, "reason": reason}) for reason in reasons]
        asked += [("follow-up", {"who": reasons, "part": part, "lapse": "1x"}) for part in ("listed", "left_out")]
        asked += [
            ("follow-up", {"who": ["one_order"], "once_ago": "200d", "contactable": "all", "unit": "purchase-day"})
        ]
        for name, query in asked:
            query = {key: value for key, value in query.items() if value is not None}
            with self.subTest(name=name, **query):
                found = self.ask(f"{name}/recount", **query)
                self.assertEqual((found["agrees"], found["reason"]), (True, ""), found)

    def test_what_it_cannot_count_is_said(self) -> None:
        for query in ({"over": "month", "at": "2025-06", "lapse": "2x", "stands": "lapsed"}, {"where": "amount > 5"}):
            found = self.ask("standing/recount", **query)
            self.assertEqual((found["database"], found["reason"] != ""), (None, True))


if __name__ == "__main__":
    unittest.main()
