"""Order counts, gaps, waits and who is due, against plain loops over random threads and the small history."""

from __future__ import annotations

import math
import statistics
import unittest
from collections import Counter
from fractions import Fraction
from itertools import pairwise, product

import numpy as np

from goldthread.core.book.purchase_days import purchase_days
from goldthread.core.choices import OrderUnit, Waiting
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.facts import next_due_day
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfOrders
from goldthread.core.history.slowed import slowed_down
from goldthread.core.rhythm.counts import monthly_orders, order_counts
from goldthread.core.rhythm.due import LATE_LIMITS, DueBy, Expected, Late, who_is_due
from goldthread.core.rhythm.gaps import bin_edges, binned, gap_table, gaps_by_customer, gaps_by_step
from goldthread.core.rhythm.waits import Between, waits
from tests.support import tiny
from tests.support.random_books import AS_OF_DAY, FIRST_DAY, REGIONS, Row, book_of, random_rows, threads_of

SEEDS = range(6)
WHOLE = FIRST_DAY, AS_OF_DAY


def history_of(seed: int, unit: OrderUnit = OrderUnit.ORDER, where: Comparison | None = None) -> History:
    return read_history(book_of(random_rows(seed)), HistoryRule(AS_OF_DAY, unit=unit, where=where))


def threads(seed: int) -> list[list[Row]]:
    return threads_of(random_rows(seed))


def gaps_of(thread: list[Row]) -> list[int]:
    return [after.day - before.day for before, after in pairwise(thread)]


class Counts(unittest.TestCase):
    def test_a_window_is_counted_as_by_hand(self) -> None:
        for seed in SEEDS:
            history = history_of(seed)
            for first, last in (WHOLE, (FIRST_DAY + 100, FIRST_DAY + 400), (FIRST_DAY + 150, FIRST_DAY + 150)):
                inside = [[row for row in thread if first <= row.day <= last] for thread in threads(seed)]
                found = order_counts(history, first, last, 3)
                mine = [min(len(rows), 3) for rows in inside]
                with self.subTest(seed=seed, first=first):
                    self.assertEqual(found.customers.tolist(), [mine.count(group) for group in range(4)])
                    for group in range(4):
                        of_them = [rows for rows, at in zip(inside, mine, strict=True) if at == group]
                        self.assertEqual(int(found.orders[group]), sum(map(len, of_them)))
                        revenue = sum(row.amount for rows in of_them for row in rows)
                        self.assertEqual(int(found.revenue_minor[group]), revenue)
                    counts = [len(rows) for rows in inside if rows]
                    self.assertAlmostEqual(found.mean, statistics.mean(counts))
                    self.assertEqual(found.median, statistics.median(counts))
                    self.assertEqual(
                        found.mode, min(n for n in counts if counts.count(n) == max(Counter(counts).values()))
                    )
                    behind = found.behind(np.array([0, 3]))
                    self.assertEqual(
                        behind.customers.tolist(), [at for at, group in enumerate(mine) if group in (0, 3)]
                    )
                    self.assertEqual(behind.orders.size, int(found.orders[3]))

    def test_the_ladder_is_that_of_the_whole_history(self) -> None:
        for seed in SEEDS:
            sizes = [len(thread) for thread in threads(seed)]
            found = order_counts(history_of(seed), FIRST_DAY + 300, FIRST_DAY + 310, 9)
            for step in range(1, 10):
                reached, went_on = (sum(size >= at for size in sizes) for at in (step, step + 1))
                self.assertEqual((found.ladder_reached[step - 1], found.ladder_went_on[step - 1]), (reached, went_on))

    def test_under_a_condition_on_orders_the_shown_ones_are_counted(self) -> None:
        where = Comparison("source", Compare.EQUAL, "web")
        for seed in SEEDS:
            history = history_of(seed, where=where)
            chosen = [rows for rows in threads(seed) if any(row.source == "web" for row in rows)]
            inside = [[r for r in rows if r.source == "web" and r.day >= FIRST_DAY + 200] for rows in chosen]
            found = order_counts(history, FIRST_DAY + 200, AS_OF_DAY, 4)
            wanted = [min(len(rows), 4) for rows in inside]
            self.assertEqual(found.customers.tolist(), [wanted.count(group) for group in range(5)])
            self.assertEqual(int(found.revenue_minor.sum()), sum(row.amount for rows in inside for row in rows))

    def test_months_count_their_orders(self) -> None:
        self.assertEqual(int(monthly_orders(history_of(1)).orders.sum()), sum(map(len, threads(1))))
        empty = read_history(book_of([]), HistoryRule(AS_OF_DAY))
        self.assertEqual((monthly_orders(empty).orders.tolist(), monthly_orders(empty).first > 0), ([0], True))
        nobody = order_counts(empty, *WHOLE, 5)
        self.assertEqual((nobody.with_orders, nobody.mode, math.isnan(nobody.mean)), (0, 0, True))


class Gaps(unittest.TestCase):
    def test_statistics_of_every_grouping_as_by_hand(self) -> None:
        for seed in SEEDS:
            history = history_of(seed)
            every = [
                (gap, row, at)
                for at, thread in enumerate(threads(seed))
                for gap, row in zip(gaps_of(thread), thread[1:], strict=True)
            ]
            for name in ("rep", "region"):
                table = gap_table(history, OfOrders.asked(history, name))
                for place, label in enumerate(table.labels):
                    mine = [
                        (gap, at) for gap, row, at in every if label == (row.rep if name == "rep" else REGIONS[at % 3])
                    ]
                    of_each = [[gap for gap, at in mine if at == who] for who in {at for _, at in mine}]
                    gaps = [gap for gap, _ in mine]
                    with self.subTest(seed=seed, name=name, label=label):
                        self.assertEqual(int(table.counts[place]), len(gaps))
                        self.assertEqual(int(table.customers[place]), len(of_each))
                        self.assertAlmostEqual(float(table.mean_days[place]), statistics.mean(gaps))
                        self.assertAlmostEqual(float(table.quantile_days(0.5)[place]), statistics.median(gaps))
                        for share in (0.25, 0.75):
                            self.assertAlmostEqual(
                                float(table.quantile_days(share)[place]), float(np.quantile(gaps, share))
                            )
                        over = statistics.mean(statistics.mean(each) for each in of_each)
                        self.assertAlmostEqual(float(table.mean_over_customers_days[place]), over)
                        behind = table.behind(place, (min(gaps), min(gaps)))
                        self.assertEqual(behind.orders.size, gaps.count(min(gaps)))
                self.assertEqual(int(table.counts.sum()), len(every))

    def test_steps_the_last_of_which_holds_all_later_ones(self) -> None:
        for seed in SEEDS:
            table = gaps_by_step(history_of(seed))
            every = [
                (min(step, 10), gap, at)
                for at, rows in enumerate(threads(seed))
                for step, gap in enumerate(gaps_of(rows), 1)
            ]
            for place, label in enumerate(table.labels):
                mine = [(gap, at) for step, gap, at in every if step == int(label.rstrip("+"))]
                self.assertEqual(int(table.counts[place]), len(mine))
                over = statistics.mean(
                    statistics.mean(g for g, at in mine if at == who) for who in {at for _, at in mine}
                )
                self.assertAlmostEqual(float(table.mean_over_customers_days[place]), over)

    def test_every_customer_by_itself(self) -> None:
        for seed in SEEDS:
            found = gaps_by_customer(history_of(seed))
            wanted = {at: gaps_of(rows) for at, rows in enumerate(threads(seed)) if len(rows) > 1}
            self.assertEqual(found.customers.tolist(), list(wanted))
            for place, gaps in enumerate(wanted.values()):
                self.assertEqual(found.counts[place], len(gaps))
                self.assertAlmostEqual(found.mean_days[place], statistics.mean(gaps))
                self.assertAlmostEqual(found.upper_quartile_days[place], float(np.quantile(gaps, 0.75)))

    def test_bins_hold_every_gap_once(self) -> None:
        table = gaps_by_step(history_of(2))
        edges = bin_edges(table.histogram.shape[1] - 1)
        self.assertEqual(edges[0], 0)
        self.assertTrue((np.diff(edges) > 0).all())
        np.testing.assert_array_equal(binned(table.histogram, edges).sum(axis=1), table.counts)
        self.assertEqual(bin_edges(0).tolist(), [0])

    def test_a_book_without_gaps(self) -> None:
        alone = [Row(place, FIRST_DAY + place, 1, "web", "", place) for place in range(3)]
        history = read_history(book_of(alone), HistoryRule(AS_OF_DAY))
        self.assertEqual(gap_table(history).labels, ())
        self.assertEqual(gaps_by_customer(history).customers.size, 0)


class PurchaseDays(unittest.TestCase):
    def test_orders_of_one_date_are_one_with_their_amounts_together(self) -> None:
        for seed in SEEDS:
            history = history_of(seed, OrderUnit.PURCHASE_DAY)
            wanted = [
                (at, day, sum(row.amount for row in rows if row.day == day))
                for at, rows in enumerate(threads(seed))
                for day in sorted({row.day for row in rows})
            ]
            book = history.book
            found = list(zip(book.customer.tolist(), book.day.tolist(), book.amount_minor.tolist(), strict=True))
            self.assertEqual(found, wanted)
            self.assertEqual(sum(int(part.sum()) for _, part in book.amount_blocks(7)), sum(each[2] for each in wanted))
            self.assertEqual(int(gap_table(history).histogram[:, 0].sum()), 0)

    def test_a_day_has_the_labels_of_its_first_order(self) -> None:
        rows = [Row(0, FIRST_DAY, 5, "web", "Mo", 1), Row(0, FIRST_DAY, 7, "counter", "", 0)]
        book = purchase_days(book_of(rows))
        source = book.attributes["source"]
        self.assertEqual([source.labels[code] for code in source.codes.tolist()], ["counter"])
        self.assertEqual(book.amount_minor.tolist(), [12])

    def test_conditions_speak_of_the_day(self) -> None:
        rows = [
            Row(0, FIRST_DAY, 5, "web", "", 0),
            Row(0, FIRST_DAY, 7, "web", "", 1),
            Row(1, FIRST_DAY, 9, "web", "", 2),
        ]
        rule = HistoryRule(
            AS_OF_DAY, unit=OrderUnit.PURCHASE_DAY, where=Comparison("amount", Compare.AT_LEAST, Fraction(10))
        )
        self.assertEqual(read_history(book_of(rows), rule).customers.tolist(), [0])


class Waits(unittest.TestCase):
    def test_who_ordered_who_waits_and_who_is_not_so_far(self) -> None:
        for seed in SEEDS:
            history = history_of(seed)
            for step in (1, 3):
                found = waits(history, Between(step), OfOrders.asked(history, "source"))
                mine = [rows for rows in threads(seed) if len(rows) >= step]
                for day, where, (place, label) in product((0, 30, 200), Waiting, enumerate(found.labels)):
                    begins = [rows[step - 1] for rows in mine]
                    after = [rows[step].day - rows[step - 1].day if len(rows) > step else None for rows in mine]
                    wanted = [
                        begin.customer
                        for begin, days in zip(begins, after, strict=True)
                        if begin.source == label and where is _where(days, AS_OF_DAY - begin.day, day)
                    ]
                    behind = found.behind(place, day, where)
                    with self.subTest(seed=seed, step=step, day=day, where=where):
                        self.assertEqual(behind.customers.tolist(), wanted)
                        self.assertEqual(behind.orders.size, len(wanted))


def _where(days: int | None, age: int, day: int) -> Waiting:
    if days is not None and days <= day:
        return Waiting.ORDERED
    return Waiting.NOT_YET if days is None and age <= day else Waiting.WAITING


class Due(unittest.TestCase):
    def test_who_is_expected_and_who_is_late(self) -> None:
        for seed in SEEDS:
            history = history_of(seed)
            found, due = who_is_due(history, 90), next_due_day(history.book)
            self.assertEqual(
                sorted(found.coming.tolist()),
                [at for at, day in enumerate(due.tolist()) if AS_OF_DAY <= day < AS_OF_DAY + 90],
            )
            self.assertEqual(
                sorted(found.late.tolist()), [at for at, day in enumerate(due.tolist()) if FIRST_DAY <= day < AS_OF_DAY]
            )
            self.assertEqual(int(found.per_day.sum()), found.coming.size)
            self.assertEqual(int(found.per_lateness.sum()), found.late.size)
            late = [Late(group)(history).size for group in range(len(LATE_LIMITS) + 2)]
            self.assertEqual(late, found.per_lateness.tolist())
            self.assertEqual(Late()(history).tolist(), sorted(found.late.tolist()))
            self.assertEqual(Expected(AS_OF_DAY, AS_OF_DAY + 89)(history).tolist(), sorted(found.coming.tolist()))
            self.assertEqual(DueBy(90, late=True)(history).rows.tolist(), [*found.late, *found.coming])
            days = due.take(found.coming)
            self.assertTrue((np.diff(days) >= 0).all())

    def test_who_slowed_down(self) -> None:
        for seed in SEEDS:
            found = slowed_down(history_of(seed).book, AS_OF_DAY)
            for at, rows in enumerate(threads(seed)):
                gaps = gaps_of(rows)
                wanted = ""
                if len(rows) >= 5:
                    latest = max(gaps[-1], AS_OF_DAY - rows[-1].day)
                    quartile = float(np.quantile(gaps[:-2], 0.75))
                    wanted = "yes" if gaps[-2] > quartile and latest > quartile else "no"
                self.assertEqual(found.labels[found.codes[at]], wanted)


class Tiny(unittest.TestCase):
    def test_the_small_history_gives_its_figures(self) -> None:
        expected = tiny.expected()
        history = read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY))
        steps, together = gaps_by_step(history), gap_table(history)
        self.assertEqual(steps.labels, tuple(expected["gaps_by_step"]))
        for place, wanted in enumerate(expected["gaps_by_step"].values()):
            self.assertEqual(int(steps.counts[place]), wanted["count"])
            self.assertAlmostEqual(float(steps.mean_days[place]), wanted["mean"], places=6)
            self.assertEqual(float(steps.quantile_days(0.5)[place]), wanted["median"])
        wanted = expected["gaps"]
        self.assertEqual(int(together.counts[0]), wanted["count"])
        self.assertEqual(float(together.mean_days[0]), wanted["mean_over_gaps"])
        self.assertEqual(float(together.quantile_days(0.5)[0]), wanted["median"])
        self.assertAlmostEqual(float(together.mean_over_customers_days[0]), wanted["mean_over_customers"], places=6)


if __name__ == "__main__":
    unittest.main()
