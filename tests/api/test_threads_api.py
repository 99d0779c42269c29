"""Threads through the API: the small history field by field, lists, conditions, figures, pairs, kept lists, files."""

from __future__ import annotations

import csv
import datetime as dt
import io
import statistics
import tempfile
import unittest
from decimal import Decimal
from itertools import pairwise
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pyarrow.parquet as pq
import python_calamine

from tests.support import tiny
from tests.support.sharing import deliver, new_book, write_csv
from tests.support.threads import ThreadsCase


class Golden(ThreadsCase):
    def test_every_thread_is_the_expected_one_field_by_field(self) -> None:
        for number, wanted in tiny.expected()["threads"].items():
            page = self.customer(number)
            facts = page["facts"]
            with self.subTest(customer=number):
                orders = [
                    {
                        "source": each["order"]["source"],
                        "number": each["order"]["number"],
                        "date": each["order"]["date"],
                        "rank": each["rank"],
                        "gap": each["gap"],
                        "amount": int(Decimal(each["order"]["amount"]) * tiny.MINOR),
                    }
                    for each in page["orders"]
                ]
                self.assertEqual(orders, wanted["orders"][::-1])
                self.assertEqual(
                    [facts["first_date"], facts["latest_date"], facts["days_since"], facts["last_activity"]],
                    [wanted["first"], wanted["latest"], wanted["days_since_latest"], wanted["last_activity"]],
                )
                self.assertEqual(facts["average_gap"], wanted["average_gap"])
                if page["payments"]:
                    self.assertEqual(page["paid_to"], ["office"] if orders else [])
                    self.assertEqual(int(Decimal(facts["balance"]) * tiny.MINOR), wanted["balance"])
                else:
                    self.assertIsNone(facts["balance"])
                self.assertEqual(facts["orders"], len(orders))
                self.assertEqual(int(Decimal(facts["revenue"]) * tiny.MINOR), sum(o["amount"] for o in orders))

    def test_standings_are_those_of_the_lapse_rule(self) -> None:
        for lapse, name in (("90d", "standing_90_days"), ("6m", "standing_6_months")):
            found = [row[1] for row in self.listed(by="standing", lapse=lapse)]
            said = {"none_counted": "no counted order"}
            wanted = {said.get(key, key.replace("_", " ")): count for key, count in tiny.expected()[name].items()}
            with self.subTest(lapse=lapse):
                self.assertEqual({label: found.count(label) for label in wanted}, wanted)

    def test_number_order_and_date_order_disagree_for_whom_it_is_said(self) -> None:
        rows = self.ask("backdated")["rows"]
        wanted = tiny.expected()["customers_whose_number_order_and_date_order_disagree"]
        self.assertEqual([row["thread"]["key"] for row in rows], wanted)
        for row in rows:
            backdated = [knot["date"] for knot in row["thread"]["knots"] if knot["inside"]]
            self.assertEqual([order["date"] for order in row["orders"]], backdated)
            self.assertTrue(backdated)


class OneCustomer(ThreadsCase):
    def test_the_next_order_is_due_by_the_own_rhythm_from_four_orders_on(self) -> None:
        page = self.customer("C02")
        self.assertEqual((page["own_rhythm"], page["expected_gap"]), (True, 210))
        self.assertEqual(page["facts"]["next_due"], "2025-10-27")
        self.assertAlmostEqual(page["facts"]["overdue"], 153 / 210, 5)
        second = self.customer("C09")
        steps = [t["orders"][2]["gap"] for t in tiny.expected()["threads"].values() if len(t["orders"]) > 2]
        self.assertEqual((second["own_rhythm"], second["expected_gap"]), (False, statistics.median(steps)))

    def test_lines_open_and_payments_are_listed_up_to_the_date(self) -> None:
        page = self.customer("C01")
        web = next(each for each in page["orders"] if each["order"]["number"] == "W-9")
        lines = self.get(f"{self.at}/orders/{web['id']}/lines")["lines"]
        self.assertEqual(sum(Decimal(line["amount"]) for line in lines), Decimal(web["order"]["amount"]))
        self.assertEqual(self.customer("C05")["payments"][0]["amount"], "500.00")
        self.assertEqual(self.customer("C05", as_of="2025-04-30")["payments"], [])
        self.assertIsNone(self.customer("C05", as_of="2025-04-30")["facts"]["last_activity"])

    def test_who_is_asked_for_by_name_is_not_hidden_by_a_choice_of_customers(self) -> None:
        hidden = {"where": "name = 'nobody' AND source = 'web'"}
        page = self.customer("C01", **hidden)
        self.assertEqual((page["facts"]["orders"], page["facts"]["first_date"]), (4, "2024-01-15"))
        self.assertEqual([each["shown"] for each in page["orders"]], [True, True, True, False])
        self.assertEqual(self.find(text="ofallon", **hidden)["found"][0]["latest_date"], "2025-08-31")
        matching = self.customer("C01", **hidden, firsts="matching")
        self.assertEqual([each["order"]["source"] for each in matching["orders"]], ["web"] * 3)
        self.assertEqual(matching["not_counted"], 1)

    def test_orders_of_a_customer_come_in_windows_while_the_knots_are_all_there(self) -> None:
        whole = self.customer("C01")
        for offset, limit in ((0, 1), (1, 2), (3, 5), (9, 1)):
            page = self.customer("C01", offset=offset, limit=limit)
            with self.subTest(offset=offset, limit=limit):
                self.assertEqual((page["order_count"], page["offset"]), (4, offset))
                self.assertEqual(page["orders"], whole["orders"][offset : offset + limit])
                self.assertEqual(page["knots"], whole["knots"])
        self.assertEqual([knot["rank"] for knot in whole["knots"]], [1, 2, 3, 4])
        number = whole["customer"]
        self.problem(self.client.get(f"{self.at}/ask/thread?customer={number}&limit=100000"), 422)

    def test_a_customer_who_is_not_there_is_told(self) -> None:
        self.problem(self.client.get(f"{self.at}/ask/thread?customer=999999999"), 404)

    def test_found_by_any_part_whatever_case_accents_and_apostrophes(self) -> None:
        for text in ("ofallon", "O’FALLON", "ada o", "c01", "Fallón"):
            with self.subTest(text=text):
                found = self.find(text=text)["found"]
                self.assertEqual((found[0]["name"], found[0]["key"]), ("Ada O'Fallon", "C01"))
        self.assertEqual((found[0]["latest_date"], found[0]["days_since"]), ("2025-08-31", 0))
        self.assertEqual(self.find(text="nobody is called this")["found"], [])
        self.assertEqual(self.find(text="")["found"], [])


class Lists(ThreadsCase):
    def test_customers_go_by_any_field_with_nothing_last(self) -> None:
        threads = tiny.expected()["threads"]
        since = [row[1] for row in self.listed()]
        told = sorted((t["days_since_latest"] for t in threads.values() if t["latest"]), reverse=True)
        self.assertEqual(since, [*told, *[None] * (len(threads) - len(told))])
        names = [field["name"] for field in self.get(f"{self.at}/fields")["fields"] if field["level"] == "customer"]
        for name in names:
            for direction in ("up", "down"):
                rows = self.listed(by=name, direction=direction)
                with self.subTest(name=name, direction=direction):
                    self.assertEqual(len(rows), len(threads))
                    values = [row[1] for row in rows if row[1] is not None]
                    self.assertEqual([row[1] for row in rows], values + [None] * (len(rows) - len(values)))
                    if name not in ("first_amount", "revenue", "average_order_value", "balance"):
                        self.assertEqual(values, sorted(values, reverse=direction == "down"))
                    else:
                        numbers = [Decimal(value) for value in values]
                        self.assertEqual(numbers, sorted(numbers, reverse=direction == "down"))

    def test_one_order_a_customer_has_as_many_rows_as_customers_with_so_many_orders(self) -> None:
        threads = tiny.expected()["threads"]
        for which, rank in (("first", 1), ("latest", -1), ("2", 2), ("3", 3), ("4", 4), ("5", 5)):
            answer = self.ask("nth", rank=which)
            having = {c: t["orders"] for c, t in threads.items() if len(t["orders"]) >= max(rank, 1)}
            with self.subTest(rank=which):
                self.assertEqual(answer["count"], len(having))
                for row in answer["rows"]:
                    order = having[row["thread"]["key"]][rank - 1 if rank > 0 else -1]
                    self.assertEqual(
                        [row["orders"][0]["source"], row["orders"][0]["number"], row["orders"][0]["date"]],
                        [order["source"], order["number"], order["date"]],
                    )
        self.assertEqual(self.ask("nth", rank="4")["words"], "2 customers have at least 4 orders: one a row.")

    def test_a_part_of_a_list_is_that_part_of_the_whole(self) -> None:
        whole = self.ask("customers")["rows"]
        part = self.ask("customers", offset=4, limit=3)
        self.assertEqual((part["count"], part["rows"]), (15, whole[4:7]))

    def test_nonsense_is_told_with_the_field_that_is_wrong(self) -> None:
        cases = (
            ("customers", {"by": "mood"}, "by"),
            ("customers", {"by": "amount"}, "by"),
            ("customers", {"show": "mood"}, "show"),
            ("nth", {"rank": "0"}, "rank"),
            ("nth", {"rank": "last"}, "rank"),
            ("figures", {"group": "amount"}, "by"),
            ("pairs", {"columns": "name"}, "by"),
            ("customers", {"where": "mood = 'good'"}, "where"),
            ("customers", {"lapse": "soon"}, "lapse"),
            ("customers", {"list": "no such"}, "list"),
        )
        for of, query, field in cases:
            with self.subTest(of=of, query=query):
                reply = self.client.get(f"{self.at}/ask/{of}?{urlencode(query)}")
                self.assertEqual(self.problem(reply, 404 if field == "list" else 422)["field"], field)


class Conditions(ThreadsCase):
    def test_customers_and_orders_are_chosen(self) -> None:
        cases = {
            "name = 'Ada O''Fallon'": ["C01"],
            "name LIKE '%Fallon'": ["C01"],
            "number IN ('C04', 'C06')": ["C04", "C06"],
            "orders = 0": ["C04", "C05", "C06", "C14"],
            "NOT orders > 0": ["C04", "C05", "C06", "C14"],
            "first_source = 'phone'": ["C13"],
            "rank = 4": ["C01", "C02"],
            "gap BETWEEN 20 AND 36": ["C03", "C13"],
            "amount >= 1234.5": ["C10"],
            "date = DATE('2024-02-29')": ["C15"],
            "days_since >= 198 OR orders = 0": ["C04", "C05", "C06", "C12", "C14"],
            "standing = 'lapsed' AND orders = 3": [],
            "latest_date IS NULL AND balance < 0": ["C05"],
        }
        for where, wanted in cases.items():
            with self.subTest(where=where):
                self.assertEqual(self.keys(where), wanted)

    def test_counter_only_is_what_was_expected_of_matching_orders(self) -> None:
        wanted = tiny.expected()["history_counter_only"]
        page = self.ask("customers", where="source = 'counter'", firsts="matching")
        self.assertEqual(page["tally"]["with_orders"], wanted["totals"]["customers_with_orders"])
        self.assertEqual(page["tally"]["orders"], wanted["totals"]["orders"])

    def test_firsts_from_all_orders_or_from_matching_ones(self) -> None:
        """C01's first counter order is the first of all; C08's counter order is its third."""
        where = "source = 'counter'"
        of_all = {row[0]: row[1] for row in self.listed("nth", where=where, by="rank", rank="first")}
        matching = {
            row[0]: row[1] for row in self.listed("nth", where=where, by="date", rank="first", firsts="matching")
        }
        self.assertNotIn("C08", of_all)
        self.assertEqual(matching["C08"], "2025-06-03")
        page = self.customer("C08", where=where)
        self.assertEqual([each["shown"] for each in page["orders"]], [True, False, False])
        self.assertEqual(page["facts"]["first_date"], "2024-05-20")
        self.assertEqual(self.customer("C08", where=where, firsts="matching")["facts"]["first_date"], "2025-06-03")

    def test_a_text_is_checked_completed_and_said_in_words(self) -> None:
        def check(text: str, at: int | None = None) -> Any:
            place = {} if at is None else {"at": at}
            return self.get(f"{self.at}/condition?{urlencode({'text': text} | place)}")

        told = check("source = 'counter' AND (amount >= 200 OR name = 'O''Hara')")
        self.assertEqual(told["words"], "source is counter and (amount is at least 200 or name is O'Hara)")
        self.assertEqual([part["text"] for part in told["parts"]][1], "(amount >= 200 OR name = 'O''Hara')")
        self.assertTrue(told["of_orders"])
        self.assertEqual(check("source = 'Counter'")["hints"][0][:34], "No source is called Counter. It is")
        wrong = check("amount >> 3")["error"]
        self.assertEqual((wrong["at"], wrong["field"]), (8, "where"))
        self.assertEqual(check("amont = 3")["error"]["remedy"][:22], "Did you mean amount or")
        completed = {"start": 9, "text": "'counter'", "title": "counter"}
        self.assertEqual(check("source = 'co", 12)["completions"], [completed])
        self.assertIn("first_source", [each["text"] for each in check("first", 5)["completions"]])


class Figures(ThreadsCase):
    def test_figures_agree_with_the_threads(self) -> None:
        orders = [order for thread in tiny.expected()["threads"].values() for order in thread["orders"]]
        for group, sources in (("", ["all"]), ("source", ["counter", "phone", "web"])):
            for found, label in zip(self.ask("figures", group=group)["groups"], sources, strict=True):
                amounts = [o["amount"] for o in orders if label in ("all", o["source"])]
                dates = [o["date"] for o in orders if label in ("all", o["source"])]
                with self.subTest(label=label):
                    self.assertEqual((found["label"], found["orders"]), (label, len(amounts)))
                    minor = [int(Decimal(found[n]) * tiny.MINOR) for n in ("revenue",)]
                    minor += [int(Decimal(found[n]["order"]["amount"]) * tiny.MINOR) for n in ("smallest", "largest")]
                    self.assertEqual(minor, [sum(amounts), min(amounts), max(amounts)])
                    self.assertEqual([found["first_date"], found["latest_date"]], [min(dates), max(dates)])
                    average = Decimal(sum(amounts)) / len(amounts) / tiny.MINOR
                    self.assertAlmostEqual(Decimal(found["average"]), average, 2)

    def test_pairs_give_the_earliest_and_latest_date(self) -> None:
        wanted: dict[tuple[str, str], tuple[str, str]] = {}
        for customer, thread in tiny.expected()["threads"].items():
            for order in thread["orders"]:
                low, high = wanted.get((customer, order["source"]), (order["date"], order["date"]))
                wanted[customer, order["source"]] = (min(low, order["date"]), max(high, order["date"]))
        grid = self.ask("pairs", rows="customer", columns="source")
        numbers = {row["thread"]["customer"]: row["thread"]["key"] for row in self.ask("customers")["rows"]}
        found = {
            (numbers[row["customer"]], grid["columns"][pair["column"]]): (pair["earliest"], pair["latest"])
            for row in grid["rows"]
            for pair in row["pairs"]
        }
        self.assertEqual(found, wanted)
        cross = self.ask("pairs", rows="first_source", columns="source", offset=0)
        self.assertEqual([row["label"] for row in cross["rows"]], ["counter", "phone", "web"])
        for row in cross["rows"]:
            both = f"{row['open']} AND {cross['opens'][row['pairs'][0]['column']]}"
            self.assertEqual(self.ask("figures", where=both)["groups"][0]["orders"], row["pairs"][0]["orders"])


class Files(ThreadsCase):
    def test_every_order_carries_its_thread(self) -> None:
        rows = self.table("orders")
        threads = tiny.expected()["threads"]
        self.assertEqual(len(rows), sum(len(thread["orders"]) for thread in threads.values()))
        for row in rows:
            thread = threads[row["customer"]]["orders"]
            order, first = thread[int(row["rank"]) - 1], thread[0]
            amounts = ("amount", "first_amount", "revenue_to_date", "revenue")
            minor = [int(Decimal(row[name]) * tiny.MINOR) for name in amounts]
            so_far = [each["amount"] for each in thread[: order["rank"]]]
            with self.subTest(order=row["order"]):
                self.assertEqual(
                    [row["source"], row["order"], row["date"], row["gap"], row["first_date"], row["first_source"]],
                    [
                        order["source"],
                        order["number"],
                        order["date"],
                        "" if order["gap"] is None else str(order["gap"]),
                        first["date"],
                        first["source"],
                    ],
                )
                self.assertEqual(
                    minor, [order["amount"], first["amount"], sum(so_far), sum(o["amount"] for o in thread)]
                )
                self.assertEqual([row["orders_to_date"], row["orders"]], [row["rank"], str(len(thread))])

    def test_no_name_or_value_becomes_a_formula_or_breaks_a_row(self) -> None:
        book = new_book(self.workspace)
        with tempfile.TemporaryDirectory() as folder:
            people = [("customer_no", "name", '=cmd,"a"'), ("@C1", '=1+1,"q"', "+\nx")]
            deliver(self.workspace, book, write_csv(Path(folder) / "people.csv", people), "office")
            orders = [("order", "customer_no", "date", "amount"), ("-1+2", "@C1", "2025-01-01", "-5")]
            deliver(self.workspace, book, write_csv(Path(folder) / "orders.csv", orders), "+web")
        reply = self.client.get(f"/api/books/{book.id}/ask/orders/file?form=csv")
        (row,) = csv.DictReader(io.StringIO(reply.data.decode(), newline=""))
        reply.close()
        for name, wanted in (
            ("customer", "'@C1"),
            ("name", '\'=1+1,"q"'),
            ("order", "'-1+2"),
            ("source", "'+web"),
            ("amount", "-5.00"),
            ('\'=cmd,"a"', "'+\nx"),
        ):
            self.assertEqual(row[name], wanted)

    def test_the_three_forms_hold_the_same_table(self) -> None:
        for of in ("orders", "customers", "nth", "figures", "pairs", "backdated"):
            with self.subTest(of=of), tempfile.TemporaryDirectory() as folder:
                rows = self.table(of)
                arrow = pq.read_table(io.BytesIO(self.taken(of, "parquet")))
                self.assertEqual(arrow.num_rows, len(rows))
                self.assertIn("Reading orders", arrow.schema.metadata[b"description"].decode())
                path = Path(folder) / "table.xlsx"
                path.write_bytes(self.taken(of, "xlsx"))
                book = python_calamine.CalamineWorkbook.from_path(path)
                header, *cells = book.get_sheet_by_index(0).to_python()
                self.assertEqual(header, list(rows[0]))
                self.assertEqual(len(cells), len(rows))
                for name in ("amount", "revenue"):
                    if name in header:
                        place = header.index(name)
                        self.assertEqual([row[place] for row in cells], [float(row[name]) for row in rows])


class Loom(ThreadsCase):
    def test_every_thread_with_an_order_is_drawn_in_sequence_with_its_days(self) -> None:
        answer = self.ask("loom", by="orders", tone="first_source", align="first")
        wanted = tiny.expected()["threads"]
        self.assertEqual((answer["count"], len(answer["places"])), (11, 11))
        self.assertEqual(answer["values"], sorted(answer["values"], reverse=True))
        first = dt.date.fromisoformat(answer["first_date"])
        found = sorted(
            [(first + dt.timedelta(day)).isoformat() for day in answer["days"][begin:end]]
            for begin, end in pairwise(answer["starts"])
        )
        dates = sorted([order["date"] for order in each["orders"]] for each in wanted.values() if each["orders"])
        self.assertEqual(found, dates)
        self.assertEqual(len(answer["legend"]), len({answer["tones"][at] for at in range(11)}))

    def test_neighbours_are_kept_opened_counted_again_and_taken_whole(self) -> None:
        behind = self.ask("loom/behind", by="name", first=2, last=4)
        self.assertEqual((behind["customers"], behind["words"]), (3, "Customers 3 to 5 of 11 by name."))
        self.assertTrue(self.ask("loom/recount", by="name", first=2, last=4)["agrees"])
        self.assertEqual(len(self.table("loom", by="latest_date")), 11)
        for query, field in ({"by": "amount"}, "by"), ({"tone": "gap"}, "tone"):
            reply = self.client.get(f"{self.at}/ask/loom?{urlencode(query)}")
            self.assertEqual(self.problem(reply, 422)["field"], field)
        reply = self.client.get(f"{self.at}/ask/loom/behind?first=3&last=99")
        self.assertEqual(self.problem(reply, 422)["field"], "last")


if __name__ == "__main__":
    unittest.main()
