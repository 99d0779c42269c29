"""New and returning beside the definition worked out by hand, and the small history's own figures."""

from __future__ import annotations

import datetime as dt
import unittest
from collections import defaultdict

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.periods import CellState, months_before, period_label, period_of_day
from goldthread.core.checks import check_newness, check_newness_behind
from goldthread.core.choices import Firsts, Measure, Period, Side, Span
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.history.lapse import LapseRule
from goldthread.core.newness.split import label_groups
from goldthread.core.newness.stretches import stretch_behind, tally
from goldthread.core.newness.table import NewnessTable, newness_table
from goldthread.core.newness.years import years_before
from goldthread.errors import InvalidInput
from tests.support import tiny
from tests.support.random_books import AS_OF_DAY, Row, book_of, random_rows, threads_of

COUNTER = Comparison("source", Compare.EQUAL, "counter")


def label(day: int, span: Span) -> str:
    return (
        to_date(day).isoformat() if span is Span.DAY else period_label(period_of_day(day, Period(span)), Period(span))
    )


def by_hand(rows: list[Row], span: Span, lapse: LapseRule, counter_only: bool) -> dict[str, dict[str, object]]:
    """Every figure of every period that has an order."""
    found: dict[str, dict[str, object]] = defaultdict(lambda: defaultdict(int))
    people: dict[tuple[str, str], set[int]] = defaultdict(set)
    for customer, thread in enumerate(threads_of(rows)):
        for place, row in enumerate(thread):
            if counter_only and row.source != "counter":
                continue
            name = label(row.day, span)
            kind = "new" if place == 0 else "returning"
            figures: dict[str, int] = found[name]  # type: ignore[assignment]
            figures[f"{kind} orders"] += 1
            figures[f"{kind} revenue"] += row.amount
            own = "new" if label(thread[0].day, span) == name else "returning"
            people[name, own].add(customer)
            before = thread[place - 1].day if place else row.day
            gone = (
                row.day - before >= lapse.days
                if lapse.months is None
                else before <= months_before(row.day, lapse.months)
            )
            if place and gone:
                figures["won back orders"] += 1
                figures["won back revenue"] += row.amount
                if own == "returning":
                    people[name, "won back"].add(customer)
    for (name, kind), customers in people.items():
        found[name][f"{kind} customers"] = len(customers)
    return found


def told(table: NewnessTable) -> dict[str, dict[str, object]]:
    found = {}
    for place, name in enumerate(table.labels):
        figures: dict[str, object] = {}
        for measure, parts in (
            ("orders", table.orders),
            ("customers", table.customers),
            ("revenue", table.revenue_minor),
        ):
            for kind, values in (("new", parts.new), ("returning", parts.returning), ("won back", parts.won_back)):
                figures[f"{kind} {measure}"] = int(values[place])
        found[name] = figures
    return found


class Newness(unittest.TestCase):
    def test_the_small_history_by_month(self) -> None:
        table = newness_table(read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY)), Span.MONTH)
        found = {
            name: {key.replace(" ", "_"): value for key, value in figures.items() if not key.startswith("won")}
            for name, figures in told(table).items()
        }
        wanted = tiny.expected()["new_and_returning_by_month"]
        self.assertEqual({name: found[name] for name in wanted}, wanted)
        nothing = [figures for name, figures in found.items() if name not in wanted]
        self.assertEqual([any(figures.values()) for figures in nothing], [False] * len(nothing))
        years = newness_table(read_history(tiny.book(), HistoryRule(tiny.AS_OF_DAY)), Span.YEAR)
        self.assertEqual(int(years.customers.new[years.labels.index("2025")]), tiny.expected()["new_customers_2025"])

    def test_every_figure_is_its_definition(self) -> None:
        for seed in range(8):
            rows = random_rows(seed)
            for span in Span:
                for lapse in (LapseRule(days=60), LapseRule(months=3)):
                    for where in (None, COUNTER):
                        rule = HistoryRule(AS_OF_DAY, where=where, firsts=Firsts.ALL, lapse=lapse)
                        table = newness_table(read_history(book_of(rows), rule), span)
                        wanted = by_hand(rows, span, lapse, where is not None)
                        with self.subTest(seed=seed, span=span, lapse=lapse, where=where):
                            for name, figures in told(table).items():
                                own = wanted.get(name, {})
                                self.assertEqual(figures, {key: own.get(key, 0) for key in figures}, name)
                            self.assertLessEqual(set(wanted), set(table.labels))

    def test_identities(self) -> None:
        for seed in range(8):
            history = read_history(book_of(random_rows(seed)), HistoryRule(AS_OF_DAY))
            for span in (Span.WEEK, Span.MONTH, Span.QUARTER, Span.YEAR):
                table, cohorts = newness_table(history, span), cohort_table(history, Period(span))
                with self.subTest(seed=seed, span=span):
                    self.assertEqual(int(table.orders.total.sum()), history.book.order_count)
                    self.assertEqual(int(table.revenue_minor.total.sum()), int(history.book.amount_minor.sum()))
                    sizes = dict(zip(cohorts.labels, cohorts.size.tolist(), strict=True))
                    new = dict(zip(table.labels, table.customers.new.tolist(), strict=True))
                    self.assertEqual({name: new[name] for name in sizes}, sizes)
                    self.assertEqual([each for each in check_newness(cohorts, table) if not each.holds], [])
                    self.assertEqual(table.customers_in_all, int(history.book.ordering.size))
                    self.assertTrue((table.orders.won_back <= table.orders.returning).all())
                    self.assertTrue((table.customers.won_back <= table.customers.returning).all())

    def test_any_stretch_is_told_apart_like_a_period_of_its_own(self) -> None:
        for seed in range(6):
            rows = random_rows(seed)
            for where in (None, COUNTER):
                history = read_history(book_of(rows), HistoryRule(AS_OF_DAY, where=where, lapse=LapseRule(days=60)))
                for span in (Span.WEEK, Span.YEAR):
                    table = newness_table(history, span)
                    for place in range(table.state.size):
                        found = tally(history, *table.days_of(place))
                        with self.subTest(seed=seed, where=where, span=span, place=place):
                            for measure, figures in (
                                (Measure.ORDERS, found.orders),
                                (Measure.CUSTOMERS, found.customers),
                                (Measure.REVENUE, found.revenue_minor),
                            ):
                                parts = table.parts(measure)
                                wanted = (parts.new[place], parts.returning[place], parts.won_back[place])
                                self.assertEqual(figures, tuple(int(each) for each in wanted))
                    self.assertEqual(
                        [each for each in check_newness_behind(table) if each is not None and not each.holds], []
                    )

    def test_a_whole_stretch_counts_customers_afresh(self) -> None:
        history = read_history(book_of(random_rows(2)), HistoryRule(AS_OF_DAY))
        table = newness_table(history, Span.MONTH)
        whole = tally(history, int(table.begins[0]), AS_OF_DAY)
        self.assertEqual(whole.customers[:2], (table.customers_in_all, 0))
        self.assertGreater(int(table.customers.total.sum()), table.customers_in_all)
        everybody = stretch_behind(history, int(table.begins[0]), AS_OF_DAY, Measure.CUSTOMERS, Side.ALL)
        self.assertEqual(
            (everybody.customers.size, everybody.orders.size), (table.customers_in_all, sum(whole.orders[:2]))
        )

    def test_groups_of_orders_add_up_and_firsts_stay_those_of_all(self) -> None:
        for seed in range(6):
            history = read_history(book_of(random_rows(seed)), HistoryRule(AS_OF_DAY))
            table = newness_table(history, Span.MONTH)
            for most in (2, 8):
                groups = label_groups(history, OfOrders(OfField("rep")), most)
                tables = [newness_table(group, Span.MONTH) for _, group in groups]
                with self.subTest(seed=seed, most=most):
                    self.assertEqual(len(groups), min(most, 3))
                    for measure in (Measure.ORDERS, Measure.REVENUE):
                        for side in ("new", "returning", "won_back"):
                            found = sum(int(getattr(each.parts(measure), side).sum()) for each in tables)
                            self.assertEqual(found, int(getattr(table.parts(measure), side).sum()))
                    counts = [group.shown_order_count for _, group in groups]
                    self.assertEqual(counts[:-1], sorted(counts[:-1], reverse=True))

    def test_a_period_that_is_not_there_cannot_be_opened(self) -> None:
        table = newness_table(read_history(book_of(random_rows(1)), HistoryRule(AS_OF_DAY)), Span.MONTH)
        for place in (-1, table.state.size):
            with self.subTest(place=place), self.assertRaises(InvalidInput):
                table.days_of(place)

    def test_the_running_period_is_partial_and_the_last(self) -> None:
        table = newness_table(read_history(book_of(random_rows(1)), HistoryRule(AS_OF_DAY)), Span.YEAR)
        self.assertEqual(table.labels[-1], str(to_date(AS_OF_DAY).year))
        states = [CellState(state) for state in table.state.tolist()]
        self.assertEqual(set(states[:-1]), {CellState.COMPLETE} if len(states) > 1 else set())
        self.assertIs(states[-1], CellState.PARTIAL)
        self.assertEqual(newness_table(read_history(book_of([]), HistoryRule(AS_OF_DAY)), Span.DAY).labels, [])

    def test_a_month_is_held_against_the_whole_of_the_same_month_a_year_earlier_once_it_is_over(self) -> None:
        leap_day, as_of = to_day(dt.date(2024, 2, 29)), to_day(dt.date(2025, 2, 28))
        rows = [Row(0, day, 100, "web", "", number) for number, day in enumerate((leap_day - 28, leap_day, as_of))]
        over = years_before(newness_table(read_history(book_of(rows), HistoryRule(as_of)), Span.MONTH))[-1]
        assert over is not None
        self.assertEqual(sum(over.orders[:2]), 2, "the 29th has no date in the year after, but is in the month")
        running = years_before(newness_table(read_history(book_of(rows), HistoryRule(as_of - 1)), Span.MONTH))[-1]
        assert running is not None
        self.assertEqual((sum(running.orders[:2]), to_date(running.last_day)), (1, dt.date(2024, 2, 27)))


if __name__ == "__main__":
    unittest.main()
