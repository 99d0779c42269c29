"""New and returning counted again, through the API and on the command line."""

from __future__ import annotations

import datetime as dt
import random
import unittest
from dataclasses import replace
from decimal import Decimal
from itertools import product

from goldthread.core.book.days import to_day
from goldthread.core.choices import AgeKind, Period, Span
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.history.lapse import LapseRule
from goldthread.core.newness.table import newness_table
from goldthread.store.recount.cohorts import recount_cohorts
from goldthread.store.recount.newness import recount_newness
from tests.support import tiny
from tests.support.api import ApiCase
from tests.support.sharing import deliver, write_csv
from tests.support.store import StoreCase


class SecondRoad(StoreCase):
    def test_the_database_counts_the_same(self) -> None:
        draw = random.Random(4)
        rows = [
            (
                f"A{number:04d}",
                f"C{draw.randrange(40)}",
                dt.date(2023, 1, 1) + dt.timedelta(draw.choice((draw.randrange(800), 58, 59, 424))),
                draw.choice(("12.50", "3", "-1")),
                draw.choice(("paid", "paid", "cancelled", "refunded")),
            )
            for number in range(400)
        ]
        header = ("order", "customer_no", "date", "amount", "status")
        deliver(self.workspace, self.book, write_csv(self.folder / "many.csv", [header, *rows]), "counter")
        whole = self.workspace.orders(self.book.id).orders
        engine = self.workspace.record.engine
        for lapse in (LapseRule(days=90), LapseRule(months=2)):
            history = read_history(whole, HistoryRule(to_day(dt.date(2025, 1, 15)), lapse=lapse))
            for span in Span:
                table = newness_table(history, span)
                with self.subTest(span=span, lapse=lapse):
                    self.assertEqual(recount_newness(engine, self.book.id, table), 0)
                    wrong = replace(table.orders, won_back=table.orders.won_back + (table.orders.new > 0))
                    self.assertGreater(recount_newness(engine, self.book.id, replace(table, orders=wrong)), 0)
                    revenue = replace(table.revenue_minor, new=table.revenue_minor.new + (table.orders.new > 0))
                    self.assertGreater(recount_newness(engine, self.book.id, replace(table, revenue_minor=revenue)), 0)


class LongAgo(StoreCase):
    def test_every_period_since_1900_is_counted_alike(self) -> None:
        draw = random.Random(11)
        span = (dt.date(1976, 1, 1) - dt.date(1900, 1, 1)).days
        days = [dt.date(1900, 1, 1), dt.date(1900, 1, 7), dt.date(1969, 12, 28), dt.date(1969, 12, 29)]
        days += [dt.date(1900, 1, 1) + dt.timedelta(draw.randrange(span)) for _ in range(120)]
        rows = [(f"A-{at}", f"C{draw.randrange(40)}", day, at + 1, "paid") for at, day in enumerate(days)]
        deliver(self.workspace, self.book, self.write(*rows))
        whole, engine = self.workspace.orders(self.book.id).orders, self.workspace.record.engine
        history = read_history(whole, HistoryRule(to_day(dt.date(1975, 6, 30))))
        for period, ages in product((Period.MONTH, Period.QUARTER, Period.YEAR), AgeKind):
            with self.subTest(period=period, ages=ages):
                found = recount_cohorts(engine, self.book.id, cohort_table(history, period, ages))
                self.assertEqual(found.differing_count, 0)
        for span_ in (Span.WEEK, Span.MONTH, Span.YEAR):
            self.assertEqual(recount_newness(engine, self.book.id, newness_table(history, span_)), 0)
        early = read_history(whole, HistoryRule(to_day(dt.date(1920, 1, 1))))
        table = cohort_table(early, Period.WEEK)
        self.assertEqual(recount_cohorts(engine, self.book.id, table).differing_count, 0)
        self.assertEqual(table.labels[0], "1900-W01")


class ThroughTheApi(ApiCase):
    def test_the_small_history_by_month(self) -> None:
        answer = self.get(f"{self.at}/ask/newness?as_of=2025-08-31")
        found = {each["period"]: each for each in answer["periods"]}
        for period, wanted in tiny.expected()["new_and_returning_by_month"].items():
            for kind in ("new", "returning"):
                with self.subTest(period=period, kind=kind):
                    each = found[period]
                    self.assertEqual(each["orders"][kind], wanted[f"{kind}_orders"])
                    self.assertEqual(each["customers"][kind], wanted[f"{kind}_customers"])
                    self.assertEqual(int(Decimal(each["revenue"][kind]) * tiny.MINOR), wanted[f"{kind}_revenue"])
        self.assertEqual(answer["customers_in_all"], 11)
        self.assertEqual("".join(part["text"] for part in answer["sentence"])[:24], "How many orders of each ")
        self.assertFalse(found["2025-08"]["partial"])
        year = self.get(f"{self.at}/ask/newness?as_of=2025-08-31&period=year")["periods"][-1]
        self.assertEqual((year["partial"], year["customers"]["new"]), (True, tiny.expected()["new_customers_2025"]))

    def test_the_file_is_tidy(self) -> None:
        reply = self.client.get(f"{self.at}/ask/newness/file?as_of=2025-08-31&period=quarter")
        lines = reply.data.decode().split("\r\n")
        reply.close()
        self.assertEqual(
            lines[0],
            "period,state,new_orders,returning_orders,new_customers,returning_customers,new_revenue,returning_revenue,"
            "won_back_orders,won_back_customers,won_back_revenue",
        )
        self.assertEqual(lines[1].split(",")[:4], ["2024-Q1", "complete", "4", "3"])
        self.assertEqual(lines[-2].split(",")[:2], ["2025-Q3", "partial"])


if __name__ == "__main__":
    unittest.main()
