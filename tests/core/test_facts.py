"""The facts of threads, lists, groups and backdated orders, each beside the definition worked out by hand."""

from __future__ import annotations

import statistics
import unittest
from collections import defaultdict
from fractions import Fraction
from itertools import pairwise
from typing import Any

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.book.filtered import beginning, filtered
from goldthread.core.book.payments import NO_DAY, Payments
from goldthread.core.book.texts import TextColumn
from goldthread.core.checks import check_all
from goldthread.core.choices import LATEST, AgeKind, Firsts, Kind, Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history import facts
from goldthread.core.history.conditions import And, Compare, Comparison, Level, Numbers, Or, Values
from goldthread.core.history.fields import Field, FieldsByName, own_field_name, written_name
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfField, OfOrders
from goldthread.core.history.lapse import LapseRule
from goldthread.core.rhythm.counts import order_counts
from goldthread.core.threads.backdated import backdated_orders
from goldthread.core.threads.gaps import gap_days
from goldthread.core.threads.groups import grouped, pairs
from goldthread.core.threads.listing import in_sequence, nth_orders
from goldthread.errors import InvalidInput, TooLarge
from tests.support.random_books import AS_OF_DAY, Row, book_of, random_rows, threads_of

SEEDS = range(12)
REP = OfOrders(OfField("rep"))
COUNTER = Comparison("source", Compare.EQUAL, "counter")


def history_of(rows: list[Row], where: object = None, firsts: Firsts = Firsts.ALL) -> History:
    return read_history(book_of(rows), HistoryRule(AS_OF_DAY, where=where, firsts=firsts))  # type: ignore[arg-type]


def nan(values: list[float | None]) -> list[float]:
    return [float("nan") if value is None else value for value in values]


class Facts(unittest.TestCase):
    def test_every_fact_is_its_definition(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            threads, book = threads_of(rows), history_of(rows).book
            gaps = [[b.day - a.day for a, b in pairwise(t)] for t in threads]
            with self.subTest(seed=seed):
                self.assertEqual(facts.first_day(book).tolist(), [t[0].day if t else NO_DAY for t in threads])
                self.assertEqual(facts.latest_day(book).tolist(), [t[-1].day if t else NO_DAY for t in threads])
                self.assertEqual(facts.revenue_minor(book).tolist(), [sum(r.amount for r in t) for t in threads])
                to_date = [sum(r.amount for r in t[: place + 1]) for t in threads for place in range(len(t))]
                self.assertEqual(facts.revenue_to_date_minor(book).tolist(), to_date)
                for found, of in (
                    (facts.median_gap_days(book), statistics.median),
                    (facts.widest_gap_days(book), max),
                ):
                    wanted = nan([of(g) if g else None for g in gaps])
                    np.testing.assert_array_equal(found, wanted)
                since = nan([AS_OF_DAY - t[-1].day if t else None for t in threads])
                np.testing.assert_array_equal(facts.open_gap_days(book, AS_OF_DAY), since)

    def test_what_is_worked_out_for_a_few_is_what_all_have(self) -> None:
        draw = np.random.default_rng(7)
        for seed in SEEDS:
            book = history_of(random_rows(seed)).book
            some = draw.permutation(book.customer_count)[: book.customer_count // 2].astype(np.int64)
            for of_all, of_a_few in (
                (facts.median_gap_days(book), facts.median_gap_days_of(book, some)),
                (facts.widest_gap_days(book), facts.widest_gap_days_of(book, some)),
                (facts.expected_gap_days(book), facts.expected_gap_days_of(book, some)),
                (facts.next_due_day(book), facts.next_due_day_of(book, some)),
                (facts.overdue_ratio(book, AS_OF_DAY), facts.overdue_ratio_of(book, AS_OF_DAY, some)),
            ):
                np.testing.assert_array_equal(of_a_few, of_all.take(some))

    def test_threads_that_end_at_a_day_say_what_the_same_orders_say_by_themselves(self) -> None:
        for seed in SEEDS:
            whole = book_of(random_rows(seed))
            first, last = whole.day_span
            for day in (first - 1, first, (first + last) // 2, last - 1):
                early, plain = beginning(whole, day), filtered(whole, whole.day <= day)
                with self.subTest(seed=seed, day=day):
                    for fact in (
                        gap_days,
                        facts.latest_day,
                        facts.revenue_minor,
                        facts.median_gap_days,
                        lambda book: book.latest_days,
                        lambda book: book.day_span,
                        lambda book: np.concatenate([book.days_of(each) for each in range(book.customer_count)]),
                        lambda book: np.concatenate([book.amounts_of(each) for each in range(book.customer_count)]),
                    ):
                        np.testing.assert_array_equal(fact(early), fact(plain))
                    for low, high in ((first, day), (day - 40, day), (day, day)):
                        histories = (History(HistoryRule(day), whole, book, 0, 0) for book in (early, plain))
                        counted = [order_counts(history, low, high, 4) for history in histories]
                        np.testing.assert_array_equal(counted[0].orders, counted[1].orders)
                        np.testing.assert_array_equal(counted[0].revenue_minor, counted[1].revenue_minor)

    def test_the_next_order_is_expected_by_own_gaps_from_four_orders_on_else_by_all_customers(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed, customers=20)
            threads = threads_of(rows, 20)
            book = read_history(book_of(rows, 20), HistoryRule(AS_OF_DAY)).book
            wanted: list[float | None] = []
            for thread in threads:
                count = len(thread)
                own = [b.day - a.day for a, b in pairwise(thread)]
                steps = [t[count].day - t[count - 1].day for t in threads if count and len(t) > count]
                pool = own if count >= 4 else steps
                wanted.append(statistics.median(pool) if pool else None)
            with self.subTest(seed=seed):
                np.testing.assert_array_equal(facts.expected_gap_days(book), nan(wanted))
                due = [
                    NO_DAY if gap is None else thread[-1].day + int(gap + 0.5)
                    for thread, gap in zip(threads, wanted, strict=True)
                ]
                self.assertEqual(facts.next_due_day(book).tolist(), due)
                ratio = facts.overdue_ratio(book, AS_OF_DAY)
                for thread, gap, found in zip(threads, wanted, ratio.tolist(), strict=True):
                    if gap:
                        self.assertAlmostEqual(found, (AS_OF_DAY - thread[-1].day) / gap)
                    else:
                        self.assertTrue(np.isnan(found))

    def test_payments_count_up_to_the_as_of_date(self) -> None:
        made = [(0, AS_OF_DAY, 700), (0, AS_OF_DAY + 1, 9_000), (3, AS_OF_DAY - 5, 50), (3, AS_OF_DAY - 9, -20)]
        customer, day, amount = (np.array(column) for column in zip(*made, strict=True))
        payments = Payments.sorted_from(customer.astype(np.int32), day.astype(np.int32), amount)
        rows = [Row(3, AS_OF_DAY - 2, 1_000, "web", "", 0)]
        history = read_history(book_of(rows, 5, payments), HistoryRule(AS_OF_DAY))
        balance, activity = history.fields.values("balance"), history.fields.values("last_activity")
        assert isinstance(balance, Numbers)
        assert balance.missing is not None
        self.assertEqual(_numbers(balance), [-700, 0, 0, 970, 0])
        self.assertEqual(balance.missing.tolist(), [False, True, True, False, True])
        self.assertEqual(_numbers(activity), [AS_OF_DAY, NO_DAY, NO_DAY, AS_OF_DAY - 2, NO_DAY])
        self.assertEqual(payments.of_customer(3), slice(2, 4))

    def test_average_order_values_are_rounded_to_the_ten_thousandth(self) -> None:
        rows = [Row(0, AS_OF_DAY, amount, "web", "", n) for n, amount in enumerate((10, 10, 11))]
        rows += [Row(1, AS_OF_DAY, amount, "web", "", 9 + n) for n, amount in enumerate((-10, -11))]
        self.assertEqual(facts.average_order_value_minor(history_of(rows).book).tolist()[:3], [10, -10, 0])


class Firstness(unittest.TestCase):
    def test_a_view_never_changes_who_is_first(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            plain, viewed = history_of(rows), history_of(rows, COUNTER)
            with self.subTest(seed=seed):
                chosen = viewed.customers
                first = facts.first_day(viewed.book).take(chosen).tolist()
                self.assertEqual(first, facts.first_day(plain.book).take(chosen).tolist())
                counted = [r for r in rows if r.day <= AS_OF_DAY and r.source == "counter"]
                self.assertEqual(viewed.shown_order_count, len(counted))
                self.assertEqual(set(chosen.tolist()), {r.customer for r in counted})

    def test_matching_orders_alone_are_a_history_of_their_own(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            matching = history_of(rows, COUNTER, Firsts.MATCHING).book
            alone = history_of([r for r in rows if r.source == "counter"]).book
            with self.subTest(seed=seed):
                self.assertEqual(matching.starts.tolist(), alone.starts.tolist())
                self.assertEqual(matching.day.tolist(), alone.day.tolist())
                self.assertEqual(matching.amount_minor.tolist(), alone.amount_minor.tolist())
                self.assertEqual(facts.revenue_minor(matching).tolist(), facts.revenue_minor(alone).tolist())

    def test_parts_that_speak_of_the_customer_choose_customers_in_either_layer(self) -> None:
        coast = Comparison("region", Compare.EQUAL, "Coast")
        web_first = Comparison("first_source", Compare.EQUAL, "web")
        for seed in SEEDS:
            rows = random_rows(seed)
            threads = threads_of(rows)
            wanted = [c for c, t in enumerate(threads) if c % 3 == 1 and t and t[0].source == "web"]
            for firsts in Firsts:
                found = history_of(rows, And((coast, web_first)), firsts)
                with self.subTest(seed=seed, firsts=firsts):
                    self.assertEqual(found.customers.tolist(), wanted)
                    self.assertEqual(
                        found.book.counts.take(found.customers).tolist(), [len(threads[c]) for c in wanted]
                    )
        either = history_of(rows, Or((coast, COUNTER)))
        kept = [r for r in rows if r.day <= AS_OF_DAY and (r.source == "counter" or r.customer % 3 == 1)]
        self.assertEqual(either.shown_order_count, len(kept))

    def test_the_identities_hold_under_conditions_in_either_layer(self) -> None:
        dear = Comparison("amount", Compare.AT_LEAST, Fraction(10_000))
        coast = Comparison("region", Compare.EQUAL, "Coast")
        for seed in SEEDS:
            for where in (COUNTER, coast, And((coast, dear)), Or((coast, dear))):
                for firsts in Firsts:
                    for ages in AgeKind:
                        history = history_of(random_rows(seed), where, firsts)
                        table = cohort_table(history, Period.QUARTER, ages)
                        failing = [each.claim for each in check_all(table, LapseRule()) if not each.holds]
                        with self.subTest(seed=seed, where=where, firsts=firsts, ages=ages):
                            self.assertEqual(failing, [])
                            whole = cohort_table(history_of(random_rows(seed)), Period.QUARTER, ages)
                            self.assertLessEqual(int(table.orders.sum()), int(whole.orders.sum()))

    def test_held_customers_and_the_rest_add_up_to_all(self) -> None:
        rows, rule = random_rows(3), HistoryRule(AS_OF_DAY)
        held = np.arange(9) % 2 == 0
        one, other = (read_history(book_of(rows), rule, among) for among in (held, ~held))
        self.assertEqual(one.book.order_count + other.book.order_count, history_of(rows).book.order_count)
        self.assertEqual(sorted([*one.customers.tolist(), *other.customers.tolist()]), list(range(9)))
        self.assertEqual(one.left_out_by_condition_count, other.book.order_count)


class Lists(unittest.TestCase):
    def test_a_list_is_in_sequence_with_ties_by_name_and_nothing_last(self) -> None:
        for seed in SEEDS:
            history = history_of(random_rows(seed))
            for field in history.fields.fields:
                if field.level != "customer":
                    continue
                values = history.fields.values(field.name)
                for descending in (False, True):
                    found = in_sequence(values, np.arange(9), descending=descending).tolist()
                    with self.subTest(seed=seed, field=field.name, descending=descending):
                        self.assertEqual(found, _sorted(values, descending))

    def test_one_order_of_each_customer(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            threads, history = threads_of(rows), history_of(rows)
            for nth in (1, 2, 5, LATEST):
                wanted = [t[nth - 1 if nth else -1].number for t in threads if len(t) >= max(nth, 1)]
                found = history.book.order_id.take(nth_orders(history, nth)).tolist()
                with self.subTest(seed=seed, nth=nth):
                    self.assertEqual(found, wanted)
            viewed = history_of(rows, COUNTER)
            wanted = [t[0].number for t in threads if t and t[0].source == "counter"]
            self.assertEqual(viewed.book.order_id.take(nth_orders(viewed, 1)).tolist(), wanted)


class Groups(unittest.TestCase):
    def test_groups_are_their_definition_also_in_a_view(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            for where in (None, COUNTER):
                history = history_of(rows, where)
                of: dict[str, list[Row]] = defaultdict(list)
                for row in rows:
                    if row.day <= AS_OF_DAY and (where is None or row.source == "counter"):
                        of[row.rep].append(row)
                found = grouped(history, REP)
                with self.subTest(seed=seed, where=where):
                    self.assertEqual(list(found.labels), sorted(of))
                    for place, label in enumerate(found.labels):
                        mine = of[label]
                        small, large = (int(each.amount_minor[place]) for each in (found.smallest, found.largest))
                        self.assertEqual(
                            [found.customers[place], found.orders[place], found.revenue_minor[place], small, large],
                            [
                                len({r.customer for r in mine}),
                                len(mine),
                                sum(r.amount for r in mine),
                                min(r.amount for r in mine),
                                max(r.amount for r in mine),
                            ],
                        )
                        largest = [r.day for r in mine if r.amount == large]
                        self.assertEqual(found.largest.day[place], min(largest))
                        days = [r.day for r in mine]
                        self.assertEqual([found.first_day[place], found.latest_day[place]], [min(days), max(days)])

    def test_pairs_are_their_definition(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            wanted: dict[tuple[int, str], list[int]] = defaultdict(list)
            for row in rows:
                if row.day <= AS_OF_DAY:
                    wanted[row.customer, row.rep].append(row.day)
            grid = pairs(history_of(rows), None, REP)
            found = {
                (int(grid.rows[row]), grid.column_labels[column]): (
                    grid.earliest[row, column],
                    grid.latest[row, column],
                )
                for row, column in np.argwhere(grid.orders)
            }
            with self.subTest(seed=seed):
                self.assertEqual(found, {pair: (min(days), max(days)) for pair, days in wanted.items()})

    def test_what_cannot_be_grouped_is_told(self) -> None:
        history = history_of(random_rows(1))
        with self.assertRaisesRegex(InvalidInput, "no labels to group by"):
            grouped(history, OfOrders.asked(history, "amount"))
        self.assertEqual(grouped(history_of([]), REP).labels, ())
        book = book_of(random_rows(1))
        many = Attribute(book.attributes["rep"].codes, tuple(map(str, range(3_000_000))))
        object.__setattr__(book, "attributes", {**book.attributes, "rep": many})
        with self.assertRaises(TooLarge):
            pairs(read_history(book, HistoryRule(AS_OF_DAY)), None, REP)


class Backdated(unittest.TestCase):
    def test_an_order_before_one_of_a_smaller_number_is_backdated(self) -> None:
        for seed in range(40):
            rows = random_rows(seed, customers=5)
            counted = [r for r in rows if r.day <= AS_OF_DAY]
            wanted = sorted(
                r.number
                for r in counted
                if any(
                    (o.customer, o.source) == (r.customer, r.source) and o.day > r.day and o.number < r.number
                    for o in counted
                )
            )
            history = read_history(book_of(rows, 5), HistoryRule(AS_OF_DAY))
            found = history.book.order_id.take(backdated_orders(history)).tolist()
            with self.subTest(seed=seed):
                self.assertEqual(sorted(found), wanted)
                self.assertTrue(wanted)


class Names(unittest.TestCase):
    def test_own_attributes_do_not_hide_fields_of_ours(self) -> None:
        self.assertEqual(
            [own_field_name(n) for n in ("region", "rank", "first_rep")], ["region", "own.rank", "own.first_rep"]
        )
        self.assertEqual([written_name(n) for n in ("region", 'a "b"')], ["region", '"a ""b"""'])

    def test_a_field_that_is_not_there_is_told_with_those_that_are(self) -> None:
        with self.assertRaises(InvalidInput) as told:
            history_of(random_rows(1)).fields.field("mood")
        self.assertRegex(told.exception.remedy, r"^Did you mean \w+ or \w+ or \w+\?$")

    def test_a_field_is_found_whatever_its_case_and_accents_where_it_can_be_one_only(self) -> None:
        fields = history_of(random_rows(1)).fields
        for name in ("First_Source", "FIRST SOURCE", "fírst-source"):
            self.assertEqual(fields.field(name).name, "first_source")
        listed = [Field(name, name, Kind.LABEL, Level.ORDER) for name in ("Segment", "segment", "Région")]
        by_name = FieldsByName(listed)
        self.assertEqual(by_name["region"].name, "Région")
        self.assertEqual(by_name["Segment"].name, "Segment")
        self.assertNotIn("SEGMENT", by_name, "it could be either")

    def test_standing_follows_the_lapse_rule(self) -> None:
        rows = [Row(0, AS_OF_DAY - 30, 1, "web", "", 0), Row(1, AS_OF_DAY - 29, 1, "web", "", 1)]
        history = read_history(book_of(rows, 3), HistoryRule(AS_OF_DAY, lapse=LapseRule(days=30)))
        standing = history.fields.values("standing")
        assert isinstance(standing, Attribute)
        told = [standing.labels[code] for code in standing.codes.tolist()]
        self.assertEqual(told, ["lapsed", "active", "never ordered"])


def _numbers(values: Values) -> list[Any]:
    assert isinstance(values, Numbers)
    return list(values.values.tolist())


def _sorted(values: Any, descending: bool) -> list[int]:
    """The sequence by Python's own stable sort; ties stay in the order of the rows whatever the direction."""
    told: list[Any]
    if isinstance(values, TextColumn):
        told = [text or None for text in values.some(np.arange(values.count))]
    elif isinstance(values, Attribute):
        told = [values.labels[code] or None for code in values.codes.tolist()]
    else:
        gone = [False] * values.values.size if values.missing is None else values.missing.tolist()
        told = [None if none else value for value, none in zip(values.values.tolist(), gone, strict=True)]
    rows = range(len(told))
    distinct = sorted({value for value in told if value is not None}, reverse=descending)
    return [row for value in [*distinct, None] for row in rows if told[row] == value]


if __name__ == "__main__":
    unittest.main()
