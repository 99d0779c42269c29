"""The invented supplier: the same from every run, of the promised size, with the promised things to find."""

from __future__ import annotations

import csv
import datetime as dt
import gzip
import hashlib
import io
import tempfile
import unittest
from collections import Counter, defaultdict
from itertools import chain, pairwise
from pathlib import Path
from statistics import mean, median

from goldthread.demo.exports import DOUBLE_STUDIO, FILES, Export, write_exports
from goldthread.demo.supplier import (
    COUNTER,
    FAIR,
    PHONE,
    REP_LEFT_ON,
    REP_WHO_LEFT,
    WEB,
    DemoCustomer,
    DemoOrder,
    make_history,
)


class Supplier(unittest.TestCase):
    customers: list[DemoCustomer]
    orders: list[DemoOrder]

    @classmethod
    def setUpClass(cls) -> None:
        cls.customers, cls.orders = make_history()

    def test_its_size_and_span(self) -> None:
        self.assertEqual(len(self.customers), 2_400)
        self.assertTrue(15_500 < len(self.orders) < 17_500)
        self.assertTrue(37_000 < sum(len(order.lines) for order in self.orders) < 43_000)
        self.assertGreaterEqual(min(order.date for order in self.orders), dt.date(2023, 1, 1))
        self.assertLessEqual(max(order.date for order in self.orders), dt.date(2026, 10, 31))

    def test_names_are_made_up_and_mail_goes_nowhere(self) -> None:
        for customer in self.customers:
            self.assertTrue(customer.email.endswith(".example"))
            self.assertTrue(customer.name.strip())
        self.assertEqual(len({customer.email for customer in self.customers}), len(self.customers))

    def test_order_numbers_are_unique_in_their_source(self) -> None:
        numbers = Counter((order.source, order.number) for order in self.orders)
        self.assertEqual(max(numbers.values()), 1)
        self.assertEqual({source for source, _ in numbers}, {WEB, COUNTER, PHONE, FAIR})

    def test_fairs_bring_almost_only_one_time_buyers(self) -> None:
        def return_share(met_at_fair: bool) -> float:
            known = [c for c in self.customers if (c.source == FAIR) == met_at_fair and c.orders]
            return mean(len(customer.orders) > 1 for customer in known)

        self.assertLess(return_share(True), 0.1)
        self.assertGreater(return_share(False), 0.75)
        self.assertEqual(min(order.date for order in self.orders if order.source == FAIR).year, 2025)

    def test_schools_order_in_september_and_january(self) -> None:
        months = Counter(
            order.date.month
            for order in self.orders
            if order.customer.segment == "school" and order.date > order.customer.joined_on + dt.timedelta(60)
        )
        self.assertGreater(months[9] + months[1], 0.7 * sum(months.values()))

    def test_one_reps_customers_fall_silent(self) -> None:
        def later(of_his: bool) -> float:
            known = [c for c in self.customers if (c.rep == REP_WHO_LEFT) == of_his and c.source in (COUNTER, PHONE)]
            return mean(any(order.date > REP_LEFT_ON for order in customer.orders) for customer in known)

        self.assertLess(later(True), 0.2)
        self.assertGreater(later(False), 0.7)

    def test_hobby_potters_gaps_grow_and_studios_do_not(self) -> None:
        by_step: dict[str, dict[int, list[int]]] = {"hobby": defaultdict(list), "studio": defaultdict(list)}
        for customer in self.customers:
            days = [order.date for order in customer.orders]
            if customer.segment in by_step and len(days) >= 7:
                for step, (a, b) in enumerate(pairwise(days[:7])):
                    by_step[customer.segment][step].append((b - a).days)
        growth = {segment: mean(steps[5]) / mean(steps[1]) for segment, steps in by_step.items()}
        self.assertGreater(growth["hobby"], 1.25)
        self.assertLess(growth["studio"], 1.25)

    def test_the_median_gap_of_hobby_potters_grows_at_every_step_and_schools_wait_longest(self) -> None:
        gaps: dict[str, dict[int, list[int]]] = {each: defaultdict(list) for each in ("hobby", "studio", "school")}
        for customer in self.customers:
            days = sorted(order.date for order in customer.orders if order.status != "cancelled")
            for step, (a, b) in enumerate(pairwise(days)):
                gaps[customer.segment][step].append((b - a).days)
        medians = [median(gaps["hobby"][step]) for step in range(9)]
        self.assertEqual(medians, sorted(medians))
        self.assertGreater(medians[-1], 2 * medians[0])
        whole = {segment: median(chain.from_iterable(steps.values())) for segment, steps in gaps.items()}
        self.assertGreater(whole["school"], 2 * whole["hobby"])
        self.assertLess(whole["studio"], 40)

    def test_some_never_ordered_and_some_orders_were_backdated(self) -> None:
        never = sum(not customer.orders for customer in self.customers)
        backdated = [order for order in self.orders if order.entered_on != order.date]
        self.assertTrue(100 < never < 260)
        self.assertTrue(15 < len(backdated) < 80)
        self.assertEqual({order.source for order in backdated}, {COUNTER})


class Exports(unittest.TestCase):
    def written(self) -> tuple[list[Export], dict[str, str], dict[str, list[dict[str, str]]]]:
        """The exports, their fingerprints, and the rows of those that are text, as each writes them."""
        with tempfile.TemporaryDirectory() as folder:
            exports = write_exports(Path(folder))
            prints = {e.path.name: hashlib.sha256(e.path.read_bytes()).hexdigest() for e in exports}
            rows = {}
            for path in (export.path for export in exports if export.path.suffix != ".xlsx"):
                content = path.read_bytes()
                text = (gzip.decompress(content) if path.suffix == ".gz" else content).decode(
                    "cp1252" if path.name == "counter.csv" else "utf-8"
                )
                mark = max(",;\t", key=text.partition("\r\n")[0].count)
                rows[path.name.removesuffix(".gz")] = list(csv.DictReader(io.StringIO(text), delimiter=mark))
            return exports, prints, rows

    def test_the_files_are_the_same_each_time(self) -> None:
        exports, first, rows = self.written()
        _, second, _ = self.written()
        self.assertEqual(first, second)
        self.assertEqual(tuple(export.path.name.removesuffix(".gz") for export in exports), FILES)
        early, late = ({row["order"] for row in rows[name]} for name in FILES[2:4])
        self.assertGreater(len(early & late), 400)
        self.assertGreater(len(late - early), 200)

    def test_first_codes_win_people_who_buy_once_and_who_collects_comes_back(self) -> None:
        _, _, rows = self.written()
        web = {row["order"]: row for name in FILES[2:4] for row in rows[name]}
        customers, _ = make_history()
        begun = [
            (known, web[known.orders[0].number])
            for known in customers
            if known.orders and known.orders[0].number in web
        ]

        def once(column: str, value: str) -> float:
            return mean(len(known.orders) == 1 for known, first in begun if first[column] == value)

        self.assertGreater(once("discount_code", "FIRSTFIRE"), 1.3 * once("discount_code", ""))
        self.assertLess(once("delivery", "collected"), 0.5 * once("delivery", "parcel"))
        self.assertEqual({row["product_range"] for row in rows[FILES[2]]}, {"everyday", "beginner", "master"})
        ranges: dict[str, set[str]] = defaultdict(set)
        for row in rows[FILES[2]]:
            ranges[row["order"]].add(row["product_range"])
        self.assertGreater(sum(len(each) > 1 for each in ranges.values()), 1_000)

    def test_one_studio_stands_in_two_sources_that_no_record_joins(self) -> None:
        _, _, rows = self.written()
        [studio] = [row for row in rows["customers.csv"] if row["name"] == DOUBLE_STUDIO]
        self.assertEqual(studio["email"], "")
        at_counter = [row for row in rows["counter.csv"] if row["kd_nr"] == studio["customer_no"]]
        known = {row["email"] for row in rows["customers.csv"]}
        strangers = {row["email"] for name in FILES[2:4] for row in rows[name]} - known
        [account] = [row for row in rows["web_accounts.csv"] if row["E-mail address"] in strangers]
        self.assertEqual((account["Full name"], account["Place"]), (studio["name"], studio["town"]))
        self.assertEqual((bool(at_counter), len(strangers)), (True, 1))

    def test_some_paid_for_an_order_that_is_in_no_file_and_one_was_written_down_twice(self) -> None:
        _, _, rows = self.written()
        orders = {row["order_no"] for row in rows["phone.tsv"]}
        strange = [row for row in rows["payments.csv"] if row["order"] not in orders]
        self.assertTrue(5 <= len(strange) <= 9)
        emails = Counter(row["email"] for row in rows["customers.csv"] if row["email"])
        self.assertEqual([count for count in emails.values() if count > 1], [2])


if __name__ == "__main__":
    unittest.main()
