"""Standings by groups, over time and at every limit, and whom to follow up: against plain loops over random threads."""

from __future__ import annotations

import math
import unittest
import unittest.mock
from dataclasses import replace
from itertools import product

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.payments import Payments
from goldthread.core.book.periods import months_before, period_end, period_of_day
from goldthread.core.checks import check_flows
from goldthread.core.choices import Firsts, Flow, Period, Who
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.facts import expected_gap_days
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.labels import OfField, order_labels
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.standing import Standing, standing
from goldthread.core.intervals import chi_square_of_shares
from goldthread.core.newness.classes import won_back
from goldthread.core.standing.follow_up import follow_up
from goldthread.core.standing.limits import lapse_curve
from goldthread.core.standing.on_file import joined_name, on_file_day
from goldthread.core.standing.over_time import OFF_FILE, StandingsOverTime, standings_on, standings_over_time
from goldthread.core.standing.tally import standing_table
from goldthread.core.threads.listing import in_sequence
from goldthread.errors import TooLarge
from tests.support.random_books import AS_OF_DAY, FIRST_DAY, Row, attribute, book_of, random_rows, threads_of

SEEDS = range(6)
CUSTOMERS = 12
RULES = (
    LapseRule(days=90),
    LapseRule(days=20),
    LapseRule(months=2),
    LapseRule(days=60, by_activity=True),
    LapseRule(usual_gaps=1.5),
)
LATER = AS_OF_DAY + 5


def payments(seed: int) -> Payments:
    draw = np.random.default_rng(seed)
    return Payments.sorted_from(
        draw.integers(0, CUSTOMERS, 30).astype(np.int32),
        draw.integers(FIRST_DAY - 20, LATER, 30).astype(np.int32),
        np.full(30, 10_000),
    )


def joined(book: OrderBook, days: list[int | None], name: str = "joined_on") -> OrderBook:
    """The same book with a date on which each customer joined."""
    texts = ["soon" if day is None else to_date(day).isoformat() for day in days]
    columns = replace(book.customers, attributes={**book.customers.attributes, name: attribute(texts, tuple(texts))})
    return replace(book, customers=columns)


def history_of(seed: int, lapse: LapseRule = LapseRule(), source: str = "") -> History:  # noqa: B008 - frozen
    """Twelve customers, three of them without orders, some of whom say when they joined."""
    rows = random_rows(seed, customers=9)
    book = book_of(rows, CUSTOMERS, payments(seed))
    days = [FIRST_DAY - 60 + 35 * place if place % 2 else None for place in range(CUSTOMERS)]
    sources = frozenset({source}) if source else None
    return read_history(joined(book, days), HistoryRule(AS_OF_DAY, sources=sources, lapse=lapse))


def standing_by_hand(history: History, customer: int, day: int) -> int:
    """Where one customer stands on a day, by the definitions, from the plain arrays."""
    rule, whole, book = history.rule, history.whole, history.book
    seen = whole.day[whole.starts[customer] : whole.starts[customer + 1]]
    since = min([*(int(each) for each in seen if each <= AS_OF_DAY), *joined_day(whole, customer)], default=None)
    if since is not None and since > day:
        return OFF_FILE
    mine = [int(each) for each in book.day[book.starts[customer] : book.starts[customer + 1]] if each <= day]
    if not mine:
        return Standing.NONE_COUNTED if (seen <= day).any() else Standing.NEVER_ORDERED
    last = max(mine)
    if rule.lapse.by_activity:
        paid = book.payments.day[book.payments.customer == customer]
        last = max([last, *(int(each) for each in paid if each <= day)])
    if rule.lapse.usual_gaps is not None:
        then = read_history(whole, replace(rule, as_of_day=day))
        expected = float(expected_gap_days(then.book)[customer])
        lapsed = not math.isnan(expected) and day - last > rule.lapse.usual_gaps * expected
    elif rule.lapse.months is not None:
        lapsed = last <= months_before(day, rule.lapse.months)
    else:
        lapsed = day - last >= rule.lapse.days
    return Standing.LAPSED if lapsed else Standing.ACTIVE


def joined_day(book: OrderBook, customer: int) -> list[int]:
    label = book.customers.attributes["joined_on"]
    text = label.labels[label.codes[customer]]
    day = LATER if text == "soon" else int(np.datetime64(text).astype(np.int64))
    return [day] if day <= AS_OF_DAY else []


class OverTime(unittest.TestCase):
    def each(self) -> list[tuple[History, Period, StandingsOverTime]]:
        found = []
        for seed, rule, period in product(SEEDS, RULES, (Period.WEEK, Period.MONTH, Period.YEAR)):
            if rule.usual_gaps is None or period is Period.MONTH:
                history = history_of(seed, rule, "web" if seed % 2 else "")
                found.append((history, period, standings_over_time(history, period)))
        return found

    def test_every_end_of_a_period_is_that_day_by_hand(self) -> None:
        for history, period, table in self.each():
            first = min(int(day) for day in on_file_day(history.whole, AS_OF_DAY) if day > 0)
            with self.subTest(rule=history.rule.lapse, period=period):
                self.assertEqual(table.first, period_of_day(first, period))
                self.assertEqual(int(table.end_day[-1]), AS_OF_DAY)
                before = [
                    standing_by_hand(history, each, int(period_end(table.first - 1, period)))
                    for each in range(CUSTOMERS)
                ]
                for place, end in enumerate(table.end_day.tolist()):
                    after = [standing_by_hand(history, customer, end) for customer in range(CUSTOMERS)]
                    self.assertEqual(table.customers[:, place].tolist(), [after.count(each) for each in Standing])
                    for one, other in product(range(OFF_FILE + 1), repeat=2):
                        pairs = list(zip(before, after, strict=True)).count((one, other))
                        self.assertEqual(int(table.moves[one, other, place]), pairs, (one, other, place))
                    before = after

    def test_what_stands_behind_a_figure_is_what_it_counts(self) -> None:
        for history, _, table in self.each()[::7]:
            places = range(0, table.end_day.size, 3)
            for place, stands in product(places, Standing):
                behind = table.behind(place, stands, None)
                self.assertEqual(behind.customers.size, int(table.customers[stands, place]))
                self.assertTrue((history.book.day.take(behind.orders) <= table.end_day[place]).all())
            for place, flow in product(places, Flow):
                self.assertEqual(table.members(place, None, flow).size, int(table.flow(flow)[place]), flow)
            self.assertEqual(table.members(table.end_day.size - 1, None, None).size, CUSTOMERS)

    def test_the_last_end_is_the_standing_of_the_as_of_date(self) -> None:
        for history, _, table in self.each():
            counts = standing_table(history).customers[0]
            self.assertEqual(table.customers[:, -1].tolist(), counts.tolist())
            self.assertEqual(standings_on(history, AS_OF_DAY).max() <= Standing.NONE_COUNTED, True)

    def test_nobody_who_says_nothing_of_a_date_comes_on_file_later(self) -> None:
        table = standings_over_time(history_of(2), Period.MONTH)
        # of the three who never ordered, two say when they joined
        self.assertEqual(table.undated, 1)
        self.assertGreaterEqual(int(table.customers[Standing.NEVER_ORDERED, 0]), 1)
        self.assertEqual(int(table.flow(Flow.CAME_ON_FILE).sum()) > 0, True)

    def test_a_period_still_running_is_partial(self) -> None:
        history = history_of(1)
        self.assertTrue(standings_over_time(history, Period.YEAR).is_partial)
        end = int(period_end(period_of_day(AS_OF_DAY, Period.MONTH) - 1, Period.MONTH))
        ended = read_history(history.whole, HistoryRule(end))
        self.assertFalse(standings_over_time(ended, Period.MONTH).is_partial)

    def test_a_condition_on_orders_chooses_customers_and_leaves_their_threads_whole(self) -> None:
        for seed, firsts in product(SEEDS, Firsts):
            where = Comparison("source", Compare.EQUAL, "web")
            book = book_of(random_rows(seed, orders=25), CUSTOMERS)
            history = read_history(book, HistoryRule(AS_OF_DAY, where=where, firsts=firsts))
            table = standings_over_time(history, Period.MONTH)
            for place in range(table.end_day.size):
                stands = history.of_looked_at(table.standings_on(place))
                counted = np.bincount(stands, minlength=OFF_FILE + 1)[:OFF_FILE]
                self.assertEqual(table.customers[:, place].tolist(), counted.tolist())
            self.assertEqual(check_flows(table)[1].holds, True)
            # the gaps of who is not looked at suggest nothing
            alone = read_history(book, HistoryRule(AS_OF_DAY), history.chosen)
            if firsts is Firsts.ALL:
                self.assertEqual(lapse_curve(history).suggested_days, lapse_curve(alone).suggested_days)

    def test_both_ways_of_counting_give_the_same(self) -> None:
        for history, period, table in self.each():
            with unittest.mock.patch("goldthread.core.standing.over_time._TOGETHER_MOST", 0):
                np.testing.assert_array_equal(standings_over_time(history, period).moves, table.moves)

    def test_two_orders_a_century_apart_by_weeks(self) -> None:
        rows = [Row(0, -25_000, 1, "web", "", 1), Row(0, AS_OF_DAY - 3, 1, "web", "", 2)]
        table = standings_over_time(read_history(book_of(rows, 1), HistoryRule(AS_OF_DAY)), Period.WEEK)
        self.assertEqual([int(table.flow(flow).sum()) for flow in Flow], [1, 1, 1, 0, 0])
        self.assertGreater(table.end_day.size, 6_000)

    def test_an_empty_book_and_one_without_orders(self) -> None:
        nobody = read_history(book_of([], 0), HistoryRule(AS_OF_DAY))
        self.assertEqual(standings_over_time(nobody, Period.MONTH).customers.tolist(), [[0], [0], [0], [0]])
        silent = read_history(book_of([], 3), HistoryRule(AS_OF_DAY))
        self.assertEqual(standings_over_time(silent, Period.MONTH).customers[:, -1].tolist(), [0, 0, 3, 0])
        self.assertEqual(lapse_curve(silent).suggested_days, None)
        # somebody who joined long ago, in a book that no order counts in
        longer = read_history(joined(book_of([], 1), [FIRST_DAY - 9_000]), HistoryRule(AS_OF_DAY))
        self.assertEqual(standings_over_time(longer, Period.WEEK).customers[:, 0].tolist(), [0, 0, 1, 0])

    def test_reading_a_large_book_anew_for_every_period_is_refused(self) -> None:
        rows = [Row(0, FIRST_DAY + day, 1, "web", "", day) for day in range(40)]
        history = read_history(book_of(rows, 1), HistoryRule(AS_OF_DAY, lapse=LapseRule(usual_gaps=2)))
        with unittest.mock.patch("goldthread.core.standing.over_time._ORDERS_TIMES_PERIODS", 100):
            self.assertRaises(TooLarge, standings_over_time, history, Period.WEEK)


class OnFile(unittest.TestCase):
    def test_the_earlier_of_joining_and_the_first_order(self) -> None:
        rows = [Row(0, FIRST_DAY + 10, 1, "web", "", 1), Row(1, FIRST_DAY + 10, 1, "web", "", 2)]
        book = joined(book_of(rows, 4), [FIRST_DAY, FIRST_DAY + 20, FIRST_DAY + 5, AS_OF_DAY + 1], "Joined On")
        self.assertEqual(joined_name(book), "Joined On")
        days = on_file_day(book, AS_OF_DAY)
        self.assertEqual(days[:3].tolist(), [FIRST_DAY, FIRST_DAY + 10, FIRST_DAY + 5])
        self.assertEqual(
            standings_on(read_history(book, HistoryRule(AS_OF_DAY)), FIRST_DAY - 9)[3], Standing.NEVER_ORDERED
        )
        self.assertIsNone(joined_name(book_of(rows, 2)))


class Tally(unittest.TestCase):
    def test_groups_add_up_and_say_who_they_are(self) -> None:
        for seed, rule in product(SEEDS, RULES):
            history = history_of(seed, rule)
            whole, region = standing_table(history), history.fields.values("region")
            assert isinstance(region, Attribute)
            table = standing_table(history, OfField("region"))
            stands = [standing_by_hand(history, each, AS_OF_DAY) for each in range(CUSTOMERS)]
            self.assertEqual(table.of_customer.tolist(), stands)
            np.testing.assert_array_equal(table.customers.sum(axis=0), whole.customers[0])
            np.testing.assert_array_equal(table.revenue_minor.sum(axis=0), whole.revenue_minor[0])
            for group, label in enumerate(table.labels):
                for each in Standing:
                    mine = [
                        c
                        for c in range(CUSTOMERS)
                        if c % 3 == ("", "Coast", "Hills").index(label) and stands[c] == each
                    ]
                    self.assertEqual(table.members(group, each).tolist(), mine)
                    behind = table.behind(group, each)
                    revenue = int(history.book.amount_minor.take(behind.orders).sum())
                    self.assertEqual(
                        (behind.customers.tolist(), revenue), (mine, int(table.revenue_minor[group, each]))
                    )

    def test_the_comparison_of_groups_is_pearsons(self) -> None:
        # 2 by 2, by hand: 30 of 50 against 20 of 50; expected 25 each, four cells of 25 / 25
        statistic, chance = chi_square_of_shares(np.array([30, 20]), np.array([50, 50]))
        self.assertAlmostEqual(statistic, 4 * 25 / 25)
        self.assertAlmostEqual(chance, math.erfc(math.sqrt(statistic / 2)))
        for successes, trials in (([3], [4]), ([0, 0], [4, 5]), ([4, 5], [4, 5]), ([1, 0], [2, 0])):
            self.assertTrue(math.isnan(chi_square_of_shares(np.array(successes), np.array(trials))[1]))


class Traps(unittest.TestCase):
    """The mistakes of section 8, one customer each."""

    def test_each_trap(self) -> None:
        as_of = AS_OF_DAY
        rows = [
            Row(0, as_of - 90, 1, "web", "", 1),
            Row(1, as_of - 89, 1, "web", "", 2),
            Row(2, as_of + 1, 1, "web", "", 3),
            # entered last, dated long ago: the latest order is the one dated latest
            Row(4, as_of - 10, 1, "web", "", 4),
            Row(4, as_of - 200, 1, "web", "", 5),
        ]
        paid = Payments.sorted_from(
            np.array([3, 0], np.int32), np.array([as_of - 1, as_of - 1], np.int32), np.ones(2, np.int64)
        )
        history = read_history(book_of(rows, 5, paid), HistoryRule(as_of))
        stands = standing(history.whole, history.book, as_of, LapseRule())
        wanted = [Standing.LAPSED, Standing.ACTIVE, Standing.NEVER_ORDERED, Standing.NEVER_ORDERED, Standing.ACTIVE]
        self.assertEqual(stands.tolist(), wanted)
        by_activity = standing(history.whole, history.book, as_of, LapseRule(by_activity=True))
        self.assertEqual(by_activity.tolist(), [Standing.ACTIVE, *wanted[1:]])

    def test_six_months_end_with_a_short_february(self) -> None:
        as_of = to_day(np.datetime64("2024-08-31").astype(object))
        days = ["2024-02-29", "2024-03-01"]
        rows = [Row(c, to_day(np.datetime64(d).astype(object)), 1, "web", "", c) for c, d in enumerate(days)]
        history = read_history(book_of(rows, 2), HistoryRule(as_of))
        stands = standing(history.whole, history.book, as_of, LapseRule(months=6))
        self.assertEqual(stands.tolist(), [Standing.LAPSED, Standing.ACTIVE])

    def test_own_rhythm_goes_by_the_expected_gap(self) -> None:
        # every ten days, five times; silent for 20 days is not longer than two gaps, 21 days is
        for silent, wanted in ((20, Standing.ACTIVE), (21, Standing.LAPSED)):
            rows = [Row(0, AS_OF_DAY - silent - 10 * step, 1, "web", "", step) for step in range(5)]
            history = read_history(book_of(rows, 1), HistoryRule(AS_OF_DAY))
            self.assertEqual(standing(history.whole, history.book, AS_OF_DAY, LapseRule(usual_gaps=2))[0], wanted)
        # before the fifth order nobody had a gap to go by: three are too few, and nobody else had made the steps
        back = won_back(history.book, LapseRule(usual_gaps=0.9))
        self.assertEqual(back.tolist(), [False, False, False, False, True])


class Limits(unittest.TestCase):
    def test_a_tie_at_nine_of_ten_is_no_more_and_no_less(self) -> None:
        # forty customers, nine of whom came again after 7 days and one after 50: nine of ten had by the seventh
        for customers, wanted in ((40, 7), (12, None)):
            rows = [Row(place, AS_OF_DAY - 100, 1, "web", "", place) for place in range(customers)]
            again = [(place, 7) for place in range(9)] + [(9, 50)]
            rows += [Row(place, AS_OF_DAY - 100 + days, 1, "web", "", 100 + place) for place, days in again]
            history = read_history(book_of(rows, customers), HistoryRule(AS_OF_DAY))
            self.assertEqual(lapse_curve(history).suggested_days, wanted)

    def test_nobody_who_came_again_suggests_nothing(self) -> None:
        rows = [Row(place, AS_OF_DAY - place, 1, "web", "", place) for place in range(40)]
        self.assertIsNone(lapse_curve(read_history(book_of(rows, 40), HistoryRule(AS_OF_DAY))).suggested_days)

    def test_every_limit_counts_those_silent_so_long(self) -> None:
        for seed, rule in product(SEEDS, RULES[:4]):
            history = history_of(seed, rule)
            curve = lapse_curve(history)
            stands = standing_table(history).customers[0]
            self.assertEqual(curve.lapsed_at(curve.chosen_days or 0), int(stands[Standing.LAPSED]))
            self.assertEqual(curve.lapsed_at(0), int(stands[Standing.LAPSED] + stands[Standing.ACTIVE]))
            for days in range(0, curve.lapsed.size + 3, 25):
                at_limit = standing(history.whole, history.book, AS_OF_DAY, replace(rule, days=days, months=None))
                self.assertEqual(curve.lapsed_at(days), int((at_limit == Standing.LAPSED).sum()))
                self.assertEqual(curve.behind(days).customers.size, curve.lapsed_at(days))
        self.assertIsNone(lapse_curve(history_of(0, LapseRule(usual_gaps=2))).chosen_days)

    def test_the_suggested_limit_is_where_nine_in_ten_have_come_back(self) -> None:
        # forty customers come back, the first after 1 day, the last after 40; then nobody is watched any more
        rows = [
            row
            for place in range(40)
            for row in (
                Row(place, AS_OF_DAY - 200, 1, "web", "", 2 * place),
                Row(place, AS_OF_DAY - 199 + place, 1, "web", "", 2 * place + 1),
            )
        ]
        curve = lapse_curve(read_history(book_of(rows, 40), HistoryRule(AS_OF_DAY)))
        # half of the orders are followed by nothing: 36 of 40 have come back by day 36, rounded up to weeks
        self.assertEqual(curve.suggested_days, 42)


class FollowUps(unittest.TestCase):
    def test_each_reason_by_hand(self) -> None:
        for seed in SEEDS:
            history = history_of(seed, LapseRule(days=60), "web")
            book = history.book
            threads = [
                [row for row in rows if row.source == "web"] for rows in threads_of(random_rows(seed), CUSTOMERS)
            ]
            stands = [standing_by_hand(history, each, AS_OF_DAY) for each in range(CUSTOMERS)]
            expected = expected_gap_days(book)
            wanted = {
                Who.LAPSED: [c for c in range(CUSTOMERS) if stands[c] == Standing.LAPSED],
                Who.NEVER_ORDERED: [c for c in range(CUSTOMERS) if stands[c] == Standing.NEVER_ORDERED],
                Who.NONE_COUNTED: [c for c in range(CUSTOMERS) if stands[c] == Standing.NONE_COUNTED],
                Who.ONE_ORDER: [
                    c for c in range(CUSTOMERS) if len(threads[c]) == 1 and threads[c][0].day <= AS_OF_DAY - 30
                ],
                Who.OVERDUE: [
                    c
                    for c in range(CUSTOMERS)
                    if threads[c]
                    and not math.isnan(expected[c])
                    and threads[c][-1].day + math.floor(expected[c] + 0.5) < AS_OF_DAY
                ],
            }
            for who, members in wanted.items():
                self.assertEqual(follow_up(history, (who,), 30).found.tolist(), members, who)
            every = follow_up(history, tuple(wanted), 30)
            for who, members in wanted.items():
                self.assertEqual(every.alone(who).found.tolist(), members, who)
            both = follow_up(history, (Who.LAPSED, Who.NEVER_ORDERED)).found.tolist()
            self.assertEqual(both, sorted(wanted[Who.LAPSED] + wanted[Who.NEVER_ORDERED]))

    def test_who_is_closed_or_not_to_be_contacted_is_marked(self) -> None:
        book = book_of([], 4)
        marks = {"closed": attribute(["no", "yes", "no", "yes"], ("no", "yes"))}
        marks["do_not_contact"] = attribute(["no", "no", "yes", "yes"], ("no", "yes"))
        about = replace(book.customers, attributes={**book.customers.attributes, **marks})
        found = follow_up(read_history(replace(book, customers=about), HistoryRule(AS_OF_DAY)), (Who.NEVER_ORDERED,))
        self.assertEqual(found.not_to_be_contacted.tolist(), [False, True, True, True])
        self.assertEqual((found.closed.sum(), found.do_not_contact.sum()), (2, 2))
        self.assertEqual(found.alone(Who.NEVER_ORDERED).closed.tolist(), found.closed.tolist())
        self.assertFalse(follow_up(read_history(book, HistoryRule(AS_OF_DAY)), (Who.NEVER_ORDERED,)).closed.any())

    def test_who_never_ordered_has_no_date_and_stands_last(self) -> None:
        history = history_of(3)
        found = follow_up(history, (Who.LAPSED, Who.NEVER_ORDERED)).found
        values = history.fields.values("days_since")
        rows = in_sequence(values, found, descending=True)
        counts = history.book.counts.take(rows)
        self.assertEqual(sorted(counts == 0), (counts == 0).tolist())
        self.assertEqual(sorted(rows.tolist()), found.tolist())

    def test_labels_of_the_latest_order(self) -> None:
        for seed in SEEDS:
            history = read_history(book_of(random_rows(seed)), HistoryRule(AS_OF_DAY))
            label = history.fields.values("latest_rep")
            assert isinstance(label, Attribute)
            found = [label.labels[code] for code in label.codes.tolist()]
            self.assertEqual(found, [rows[-1].rep if rows else "" for rows in threads_of(random_rows(seed))])
            self.assertEqual(order_labels(history, "latest_rep").codes.size, history.book.order_count)


if __name__ == "__main__":
    unittest.main()
