"""What parts of a book say adds up to what the whole says, to the last bit."""

from __future__ import annotations

import random
import re
import unittest
from collections.abc import Callable, Iterator
from dataclasses import fields, is_dataclass
from fractions import Fraction
from functools import partial, reduce
from itertools import accumulate, pairwise, product
from operator import add
from typing import Any
from unittest.mock import patch

import numpy as np

from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.part import BookPart, some_customers
from goldthread.core.book.payments import Payments
from goldthread.core.book.periods import period_of_day
from goldthread.core.book.steps import StepGaps
from goldthread.core.checks import checked_at_once
from goldthread.core.choices import (
    CALENDAR_PERIODS,
    LATEST,
    AgeKind,
    Firsts,
    Flow,
    Measure,
    OrderUnit,
    Period,
    Side,
    Span,
    Waiting,
    Who,
)
from goldthread.core.cohorts.concentration import in_common
from goldthread.core.cohorts.covered import Covered, InGroup
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.split import bought_once, customer_groups
from goldthread.core.cohorts.table import CohortCounts, cohort_table, split_table
from goldthread.core.counted import Among, Counted, Having, OnList, Shown, WithOrders, Without, numbers_of
from goldthread.core.coverage import coverage, shared_customers, source_days
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.facts import step_gaps
from goldthread.core.history.fields import Field
from goldthread.core.history.history import History, HistoryRule, read_history, step_rounds
from goldthread.core.history.labels import OfField, OfOrders, OfPairs, OfPeriods, field_labels
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.of_parts import extent
from goldthread.core.history.standing import Standing
from goldthread.core.newness.split import label_groups
from goldthread.core.newness.stretches import stretch_behind, tally
from goldthread.core.newness.table import NewnessCounts, newness_table
from goldthread.core.parts import Question, ask_together
from goldthread.core.ranges.counts import range_behind, range_counts
from goldthread.core.rhythm import waits as waits_module
from goldthread.core.rhythm.counts import monthly_orders, order_counts
from goldthread.core.rhythm.due import DueBy, Expected, Late, LatestOrders, who_is_due
from goldthread.core.rhythm.gaps import gap_table, gaps_by_step, without_gaps
from goldthread.core.rhythm.waits import Between, waits
from goldthread.core.standing.follow_up import Beside, Followed, FollowedPart
from goldthread.core.standing.limits import lapse_curve
from goldthread.core.standing.over_time import StandingFlows, standings_over_time
from goldthread.core.standing.tally import standing_table
from goldthread.core.survival import log_rank
from goldthread.core.threads import windows
from goldthread.core.threads.backdated import backdated_behind, backdated_customers
from goldthread.core.threads.glance import glance
from goldthread.core.threads.groups import grouped, pairs
from goldthread.core.threads.listing import NthBy, SortedRows, every_order, in_sequence, nth_count
from goldthread.core.threads.windows import Listed, ListedBy, window_of
from goldthread.core.worth import bands
from goldthread.core.worth.acquisition import FirstChannelIs, channels_of_orders, new_by_channel, new_customers
from goldthread.core.worth.arithmetic import purchase_frequency
from goldthread.core.worth.bands import Bundling, GroupSizes, bundles, bundles_of_groups
from goldthread.core.worth.bought import bought_counts, leads_to_counts, who_bought, who_came_to
from goldthread.core.worth.compared import compared
from goldthread.core.worth.margins import Margins
from goldthread.core.worth.payback import payback
from goldthread.stops.field_values import cells_of_a_few
from tests.support.parts import ASKED, history_of_parts
from tests.support.random_books import AS_OF_DAY, CATEGORIES, FIRST_DAY, attribute, book_of, random_rows
from tests.support.running import ROOT

PERIODS = (*CALENDAR_PERIODS, Period("fiscal-quarter-11"), Period("week-sunday"))

CUSTOMERS = 23
REP = OfOrders(OfField("rep"))
CONDITIONS = (
    None,
    Comparison("rep", Compare.EQUAL, "Mo"),
    Comparison("region", Compare.EQUAL, "Coast"),
    Comparison("amount", Compare.MORE, Fraction(20)),
)
USUAL = LapseRule(usual_gaps=1.5)
LATE = Comparison("overdue", Compare.MORE, Fraction(1))
BY_USUAL_GAPS = tuple(
    HistoryRule(AS_OF_DAY, where=where, firsts=firsts, lapse=USUAL)
    for where in (None, LATE, Comparison("rep", Compare.EQUAL, "Mo"))
    for firsts in Firsts
)
RULES = tuple(
    HistoryRule(AS_OF_DAY, where=where, firsts=firsts, lapse=lapse, unit=unit)
    for where in CONDITIONS
    for firsts, lapse, unit in (
        (Firsts.ALL, LapseRule(), OrderUnit.ORDER),
        (Firsts.MATCHING, LapseRule(45), OrderUnit.PURCHASE_DAY),
        (Firsts.ALL, LapseRule(months=2, by_activity=True), OrderUnit.ORDER),
    )
)


def whole_book(seed: int) -> OrderBook:
    """A random book with payments and order lines."""
    draw = random.Random(seed)
    paid = [(draw.randrange(CUSTOMERS), FIRST_DAY + draw.randrange(600), draw.randrange(90_000)) for _ in range(40)]
    payments = Payments.sorted_from(
        np.array([customer for customer, _, _ in paid], np.int32),
        np.array([day for _, day, _ in paid], np.int32),
        np.array([amount for _, _, amount in paid], np.int64),
    )
    book = book_of(random_rows(seed, CUSTOMERS - 3, 120), CUSTOMERS, payments)

    def lines(order_id: np.ndarray[Any, Any]) -> OrderLines:
        order = np.sort(np.array([draw.randrange(order_id.size) for _ in range(200)], np.int64))
        product = attribute([f"P{draw.randrange(9)}" for _ in order], tuple(f"P{code}" for code in range(9)))
        category = attribute([draw.choice(CATEGORIES) for _ in order], CATEGORIES)
        return OrderLines(order, product, category, np.array([draw.randrange(-500, 90_000) for _ in order], np.int64))

    book.__dict__["on_record"] = LinesOnRecord(lines)
    return book


def parts_of(book: OrderBook, seed: int) -> list[BookPart]:
    """A book cut at random places, one part of nobody among them."""
    draw = random.Random(seed)
    at = sorted(draw.randrange(CUSTOMERS + 1) for _ in range(draw.randrange(1, 5)))
    edges = [0, *at, at[-1], CUSTOMERS]
    return [BookPart.of(book, first, end) for first, end in pairwise(edges)]


def read_together(parts: list[BookPart], rule: HistoryRule) -> list[History]:
    """Parts as a rule reads them that goes by usual gaps: round by round."""
    steps: list[StepGaps] = []
    for each in step_rounds(rule):
        read = [read_history(part, each, steps=steps) for part in parts]
        steps.append(reduce(add, (step_gaps(history.book.everybody) for history in read)))
    return [read_history(part, rule, steps=steps) for part in parts]


def alike(one: object, other: object, where: str = "") -> Iterator[str]:
    """Where two results differ; a whole's may be of a class that knows more."""
    if isinstance(one, History | Field):
        return
    if is_dataclass(one):
        for each in fields(one):
            yield from alike(getattr(one, each.name), getattr(other, each.name), f"{where}.{each.name}")
        for name in vars(type(one)):
            if isinstance(getattr(type(one), name), property) or hasattr(getattr(type(one), name), "func"):
                yield from alike(getattr(one, name), getattr(other, name), f"{where}.{name}")
    elif isinstance(one, np.ndarray):
        assert isinstance(other, np.ndarray)
        if one.shape != other.shape or not np.array_equal(one, other, equal_nan=one.dtype.kind == "f"):
            yield f"{where}: {one} is not {other}"
    elif isinstance(one, tuple | list):
        assert isinstance(other, tuple | list)
        if len(one) != len(other):
            yield f"{where}: {one} is not {other}"
        for place, (mine, theirs) in enumerate(zip(one, other, strict=False)):
            yield from alike(mine, theirs, f"{where}[{place}]")
    elif not callable(one) and one != other and not (one != one and other != other):
        yield f"{where}: {one} is not {other}"


def _split(name: str, *, each_by_itself: bool) -> Callable[[History], Any]:
    def asked(history: History) -> Any:
        table, groups = cohort_table(history, Period.QUARTER, AgeKind.ELAPSED), customer_groups(history, name)
        tables = split_table(table, groups.of, groups.count, each_by_itself=each_by_itself)
        frequency = purchase_frequency(history, Period.MONTH, groups.of, groups.count)
        return tables, frequency, bought_once(history, groups.of, groups.count), groups.labels, groups.codes

    return asked


def _bundles(history: History) -> Any:
    table = cohort_table(history, Period.MONTH)
    return bundles_of_groups(table, Margins(0.4), np.arange(table.cohort_count) % 3 > 0)


LISTED = OnList.of("some", np.arange(CUSTOMERS) % 3 == 0)
FOLLOWED = Followed((Who.LAPSED, Who.ONE_ORDER, Who.OVERDUE), 30)
MARGINS = Margins(0.4, ((period_of_day(AS_OF_DAY - 200, Period.MONTH), 0.7),))


def _compared(history: History) -> Any:
    return compared(cohort_table(history, Period.MONTH), MARGINS, LISTED, FirstChannelIs(""))


def _gross(history: History) -> Any:
    table, groups = cohort_table(history, Period.QUARTER), customer_groups(history, "region")
    return MARGINS.of_cells(table, split_table(table, groups.of, groups.count), groups.of)


def _together(history: History) -> Any:
    asked: tuple[Question, ...] = (tally, (FIRST_DAY + 100, FIRST_DAY + 400)), (standing_table, ())
    ask_together(history, *asked)
    return [work(history, *given) for work, given in asked]


def _deep_in_a_list(history: History) -> Any:
    return None if history.elsewhere is None else window_of(history, ListedBy("orders", descending=True), 20, 9, 3)


def _cohorts(period: Period, kind: AgeKind) -> Callable[[History], CohortCounts]:
    return lambda history: cohort_table(history, period, kind)


def _newness(span: Span) -> Callable[[History], NewnessCounts]:
    return lambda history: newness_table(history, span)


def _over_time(period: Period) -> Callable[[History], StandingFlows]:
    return lambda history: standings_over_time(history, period)


QUESTIONS: dict[str, Callable[[History], Any]] = {
    **{f"cohorts by {period} and {kind} age": _cohorts(period, kind) for period in PERIODS for kind in AgeKind},
    **{f"cohorts by {name}": _split(name, each_by_itself=name == "region") for name in ("region", "first_amount")},
    **{f"new and returning by {span}": _newness(span) for span in map(Span, ("day", *PERIODS))},
    "standings": lambda history: standing_table(history),
    "standings by region": lambda history: standing_table(history, OfField("region")),
    "standings by pairs": lambda history: standing_table(history, OfPairs(OfField("region"), OfField("first_rep"))),
    **{f"standings over {period}s": _over_time(period) for period in PERIODS},
    "order counts": lambda history: order_counts(history, FIRST_DAY + 100, FIRST_DAY + 400, 5),
    "all gaps": lambda history: gap_table(history),
    "gaps by step": gaps_by_step,
    "gaps by rep": lambda history: gap_table(history, REP),
    "gaps by region": lambda history: gap_table(history, OfOrders(OfField("region"))),
    "gaps by quarter": lambda history: gap_table(history, OfPeriods.asked(history, Period.QUARTER)),
    "lapse curve": lapse_curve,
    "a stretch of days": lambda history: tally(history, FIRST_DAY + 100, FIRST_DAY + 400),
    "orders by month": monthly_orders,
    "a range by rep": lambda history: range_counts(history, FIRST_DAY + 100, FIRST_DAY + 400, REP),
    "a range": lambda history: range_counts(history, FIRST_DAY + 100, FIRST_DAY + 400, None),
    "new customers": lambda history: new_customers(history, Period.QUARTER),
    "new customers by channel": lambda history: sorted(new_by_channel(history, Period.QUARTER)),
    "new and returning by rep": lambda history: [
        (label, newness_table(group, Span.QUARTER)) for label, group in label_groups(history, REP, 2)
    ],
    "channels": channels_of_orders,
    "days of sources": source_days,
    "identities": checked_at_once,
    "who is due": lambda history: who_is_due(history, 28),
    "customers with backdated orders": backdated_customers,
    "customers without gaps": without_gaps,
    "at a glance": glance,
    "bundles": _bundles,
    "the extent": extent,
    "the first day of everybody": lambda history: history.everybody.first_day,
    "waits": lambda history: waits(history, Between(1)),
    "waits by rep": lambda history: waits(history, Between(2), REP),
    "figures": grouped,
    "figures by rep": lambda history: grouped(history, REP),
    "pairs of labels": lambda history: pairs(history, REP, OfOrders(OfField("source"))),
    "pairs with customers": lambda history: pairs(history, None, REP),
    "products": lambda history: bought_counts(history, "product"),
    "what leads to what": leads_to_counts,
    "two sides compared": _compared,
    "several at once": _together,
    "what a cell has in common": lambda history: in_common(history, _cells(history).find),
    "profit by margins of months": _gross,
    "labels of fields": lambda history: field_labels(history, (OfField("region"), OfField("first_source"))).labels,
    "how many of several": lambda history: numbers_of(
        history, (FollowedPart(FOLLOWED), Having("region", "Coast"), Without(Late(), Late(0)), Among(Late(), LISTED))
    ),
    "how many have a second order": lambda history: nth_count(history, 2),
}


def _cells(history: History) -> Counted:
    table, groups = cohort_table(history, Period.QUARTER), customer_groups(history, "region")
    wanted = table.observed & (np.arange(table.age_count) <= 2)
    return Counted(history, Covered(table.again, wanted, InGroup(groups.of, 0), wanted[:, 0]))


def _away(history: History) -> Counted:
    table = cohort_table(history, Period.QUARTER)
    wanted = table.observed & (np.arange(table.age_count) == 1)
    return Counted(history, Covered(table.again, wanted, None, np.logical_or.reduce(wanted, axis=1), away=True))


FIGURES: dict[str, Callable[[History], Counted]] = {
    "cells": _cells,
    "who stayed away": _away,
    "a cell": lambda history: Counted.of_table(history, cohort_table(history, Period.YEAR), 0, 0),
    "new in a stretch": lambda history: Counted(
        history,
        partial(
            stretch_behind,
            first_day=FIRST_DAY + 100,
            last_day=FIRST_DAY + 400,
            measure=Measure.CUSTOMERS,
            side=Side.NEW,
        ),
    ),
    "new in a range of a rep": lambda history: Counted(
        history,
        partial(range_behind, first_day=FIRST_DAY + 100, last_day=FIRST_DAY + 400, side=Side.NEW, by=REP, label="Mo"),
    ),
    "order counts": lambda history: Counted.of_table(
        history, order_counts(history, FIRST_DAY + 100, FIRST_DAY + 400, 5), np.array([0, 2])
    ),
    "gaps of a rep": lambda history: Counted.of_table(history, gap_table(history, REP), 0, (0, 200)),
    "gaps of a region": lambda history: Counted.of_table(
        history, gap_table(history, OfOrders(OfField("region"))), 0, None
    ),
    "who waits": lambda history: Counted.of_table(history, waits(history, Between(1), REP), 0, 60, Waiting.WAITING),
    "who ordered a kind again": lambda history: Counted.of_table(
        history,
        waits(
            history,
            Between(1, Comparison("amount", Compare.MORE, Fraction(200_000)), Comparison("rep", Compare.EQUAL, "Mo")),
        ),
        0,
        90,
        Waiting.ORDERED,
    ),
    "who is late": lambda history: Counted(history, LatestOrders(Late())),
    "who is expected": lambda history: Counted(history, LatestOrders(Expected(AS_OF_DAY, AS_OF_DAY + 60))),
    "who is lapsed in a region": lambda history: Counted.of_table(
        history, standing_table(history, OfField("region")), 0, Standing.LAPSED
    ),
    "who was won back": lambda history: Counted.of_table(
        history, standings_over_time(history, Period.YEAR), -1, None, Flow.WON_BACK
    ),
    "who would be lapsed": lambda history: Counted.of_table(history, lapse_curve(history), 100),
    "who is followed up": lambda history: Counted(history, WithOrders(FollowedPart(FOLLOWED, contactable=True))),
    "who left a list": lambda history: Counted(
        history, WithOrders(FollowedPart(FOLLOWED, None, None, LISTED, Beside.GONE))
    ),
    "who bought": lambda history: Counted(history, partial(who_bought, of="product", label="P3")),
    "who came to": lambda history: Counted(history, partial(who_came_to, row=CATEGORIES[0], column=None)),
    "backdated orders": lambda history: Counted(history, backdated_behind),
}


def shown_of(shown: Shown) -> list[tuple[int, list[int]]]:
    """Some customers by their places in the whole book, and which of their orders stand behind the figure."""
    book, orders = shown.history.book, shown.behind.orders
    ids = book.ids_of(orders)
    return [
        (int(book.places[customer]), ids[book.customer.take(orders) == customer].tolist())
        for customer in shown.customers.tolist()
    ]


class Figures(unittest.TestCase):
    def test_what_stands_behind_a_figure_is_the_same_and_its_window_alone_is_read_here(self) -> None:
        for rule, (name, figure) in product((RULES[4], RULES[8], BY_USUAL_GAPS[3]), FIGURES.items()):
            book = whole_book(1)
            parted = history_of_parts(parts_of(book, 1), book, rule)
            with (
                self.subTest(rule=rule, figure=name),
                patch.multiple(windows, ROWS_SENT_MOST=3, SHOWN_MOST=2, READ_AT_ONCE=4),
            ):
                wanted, found = figure(read_history(book, rule)), figure(parted)
                self.assertEqual(found.tally, wanted.tally)
                np.testing.assert_array_equal(found.members.rows, wanted.members.rows)
                for at, limit in ((1, 2), (5, 30)):
                    self.assertEqual(shown_of(found.window(at, limit)), shown_of(wanted.window(at, limit)))
                together = [each for some in found.each() for each in shown_of(some)]
                self.assertEqual(together, shown_of(wanted.window(0, CUSTOMERS)))
                self.assertFalse(parted.was_read_here)

    def test_what_the_orders_of_a_cell_have_in_common_adds_up(self) -> None:
        book = whole_book(1)
        for rule in RULES:
            whole, parted = read_history(book, rule), history_of_parts(parts_of(book, 1), book, rule)
            wanted, found = (in_common(history, _cells(history).find) for history in (whole, parted))
            self.assertEqual(list(alike(wanted, found)), [])
            self.assertFalse(parted.was_read_here)

    def test_a_list_of_orders_is_the_same_from_any_place_on(self) -> None:
        book = whole_book(1)
        lists: tuple[Listed, ...] = every_order, NthBy(2, "amount", True), NthBy(LATEST, "name", False), DueBy(60, True)
        for rule, by in product((*RULES[4::4], BY_USUAL_GAPS[1]), lists):
            wanted = by(read_history(book, rule)).rows
            parted = history_of_parts(parts_of(book, 1), book, rule)
            with self.subTest(rule=rule, by=by), patch.multiple(windows, ROWS_SENT_MOST=3, SHOWN_MOST=2):
                for at, limit in ((0, 4), (6, 3), (wanted.size - 1, 5)):
                    found = window_of(parted, by, wanted.size, at, limit)
                    np.testing.assert_array_equal(found, wanted[at : at + limit])


class Parts(unittest.TestCase):
    def test_what_parts_say_adds_up_to_what_the_whole_says(self) -> None:
        for seed in range(3):
            book = whole_book(seed)
            for rule in RULES:
                whole, parts = read_history(book, rule), parts_of(book, seed)
                for name, ask in QUESTIONS.items():
                    with self.subTest(seed=seed, rule=rule, question=name):
                        together = ask(history_of_parts(parts, book, rule))
                        self.assertEqual(list(alike(ask(whole), together)), [])
                for count in (coverage, shared_customers):
                    self.assertEqual(list(alike(reduce(add, map(count, parts)), count(book))), [])

    def test_nothing_is_read_here_that_parts_can_be_asked_for(self) -> None:
        book, rule = whole_book(1), RULES[0]
        for name, ask in QUESTIONS.items():
            history = history_of_parts(parts_of(book, 1), book, rule)
            with self.subTest(question=name):
                ask(history)
                self.assertEqual(history.was_read_here, "cohorts by re" in name or "cohorts by first" in name)

    def test_what_was_asked_together_is_known(self) -> None:
        book, rule = whole_book(1), RULES[0]
        history = history_of_parts(parts_of(book, 1), book, rule)
        wanted = _together(read_history(book, rule))
        self.assertEqual(list(alike(wanted, _together(history))), [])
        with patch.object(history.elsewhere, "_ask", side_effect=AssertionError("asked once more")):
            self.assertEqual(list(alike(wanted[0], tally(history, FIRST_DAY + 100, FIRST_DAY + 400))), [])

    def test_every_question_that_is_said_to_add_up_is_tried(self) -> None:
        marked = set[str]()
        for file in (ROOT / "src" / "goldthread" / "core").rglob("*.py"):
            marked |= set(re.findall(r"^@adds_up\ndef (\w+)\(", file.read_text(encoding="utf-8"), re.MULTILINE))
        book = whole_book(1)
        with patch.multiple(windows, ROWS_SENT_MOST=3, SHOWN_MOST=2):
            figures = [lambda history, figure=each: figure(history).tally for each in FIGURES.values()]
            for rule, ask in product((RULES[0], BY_USUAL_GAPS[0]), (*QUESTIONS.values(), *figures, _deep_in_a_list)):
                ask(history_of_parts(parts_of(book, 1), book, rule))
        self.assertEqual(marked - ASKED, set())
        self.assertGreater(len(marked), 25)

    def test_rules_by_usual_gaps_need_the_steps_of_all_parts_first(self) -> None:
        told_apart = 0
        for seed, rule in product(range(4), BY_USUAL_GAPS):
            book = whole_book(seed)
            parts = parts_of(book, seed)
            whole = read_history(book, rule)
            for name in ("standings", "new and returning by month", "standings over quarters", "figures by rep"):
                with self.subTest(seed=seed, rule=rule, question=name):
                    ask = QUESTIONS[name]
                    together = ask(history_of_parts(parts, book, rule))
                    self.assertEqual(list(alike(ask(whole), together)), [])
            alone = [standing_table(read_history(part, rule)) for part in parts]
            told_apart += any(True for _ in alike(reduce(add, alone), standing_table(whole)))
        self.assertGreater(told_apart, 0, "a part by itself would say the same")

    def test_the_most_frequent_labels_are_those_of_all_parts(self) -> None:
        for seed, rule, step in product(range(3), RULES, (1, 2)):
            book = whole_book(seed)
            whole = read_history(book, rule)
            with self.subTest(seed=seed, rule=rule, step=step), patch.object(waits_module, "GROUPS_MOST", 2):
                together = waits(history_of_parts(parts_of(book, seed), book, rule), Between(step), REP)
                wanted = waits(whole, Between(step), REP)
                self.assertEqual(list(alike(wanted, together)), [])
                np.testing.assert_array_equal(log_rank(together.times), log_rank(wanted.times))

    def test_lists_merge_by_what_they_are_sorted_by(self) -> None:
        names = "name", "region", "first_date", "days_since", "usual_gap", "orders", "revenue", "overdue"
        for seed, rule, name, down in product(range(2), RULES[:6], names, (False, True)):
            book = whole_book(seed)
            whole, parts = read_history(book, rule), parts_of(book, seed)
            with self.subTest(seed=seed, rule=rule, field=name, down=down):
                lists = [
                    SortedRows.of(
                        each.fields.values(name), each.customers, descending=down, before=each.book.first_customer
                    )
                    for each in read_together(parts, rule)
                ]
                wanted = in_sequence(whole.fields.values(name), whole.customers, descending=down)
                np.testing.assert_array_equal(reduce(add, lists).rows, wanted)
                few = reduce(add, (each.first(5) for each in lists)).first(5)
                np.testing.assert_array_equal(few.rows, wanted[:5])

    def test_a_window_of_a_list_is_found_however_deep_it_is(self) -> None:
        names = "name", "region", "usual_gap", "orders", "overdue"
        choices = product(range(1), (*RULES[::4], BY_USUAL_GAPS[2]), names, (False, True))
        for seed, rule, name, down in choices:
            book = whole_book(seed)
            whole, parted = read_history(book, rule), history_of_parts(parts_of(book, seed), book, rule)
            wanted = in_sequence(whole.fields.values(name), whole.customers, descending=down)
            with (
                self.subTest(seed=seed, rule=rule, field=name, down=down),
                patch.multiple(windows, ROWS_SENT_MOST=3, SHOWN_MOST=2),
            ):
                for offset, limit in ((0, 2), (7, 4), (wanted.size - 1, 9), (wanted.size + 5, 3)):
                    found = window_of(parted, ListedBy(name, down), wanted.size, offset, limit)
                    np.testing.assert_array_equal(found, wanted[offset : offset + limit])
                few, rows = parted.of_a_few(wanted[4:9])
                shown = cells_of_a_few(few.fields, name, rows)
                self.assertEqual(shown, cells_of_a_few(whole.fields, name, wanted[4:9]))
                self.assertEqual(
                    [few.book.days_of(row).tolist() for row in rows.tolist()],
                    [whole.book.days_of(row).tolist() for row in wanted[4:9].tolist()],
                )
                self.assertFalse(parted.was_read_here)

    def test_a_list_is_that_of_its_own_reading(self) -> None:
        book = whole_book(0)
        ordering = book.counts > 0
        self.assertFalse(ordering.all())
        by, rule = ListedBy("orders", descending=True), RULES[0]
        for among, count in ((None, CUSTOMERS), (ordering, int(ordering.sum()))):
            self.assertEqual(by(read_history(book, rule, among)).rows.size, count)

    def test_a_few_customers_are_all_that_is_known_of_them(self) -> None:
        book = whole_book(2)
        places = np.array([1, 4, 5, 17])
        few = some_customers(book, places)
        for at, place in enumerate(places.tolist()):
            part = BookPart.of(book, place, place + 1)
            alone = BookPart.of(few, at, at + 1)
            for name in ("day", "amount_minor", "order_id", "customer_id", "number_key", "payments"):
                self.assertEqual(list(alike(getattr(alone, name), getattr(part, name))), [])
            self.assertEqual(list(alike([*alone.attributes.values()], [*part.attributes.values()])), [])
            self.assertEqual(list(alike(alone.order_lines(), part.order_lines())), [])
            self.assertEqual(alone.customers.name(0), part.customers.name(0))

    def test_bundles_of_parts_are_bundled_with_those_of_all(self) -> None:
        margins = Margins(0.4), Margins(0.4, ((period_of_day(AS_OF_DAY - 200, Period.MONTH), 0.7),))
        choices = product(range(2), RULES[:4], AgeKind, margins, (400, 3))
        for seed, rule, kind, margin, most in choices:
            book = whole_book(seed)
            whole = cohort_table(read_history(book, rule), Period.MONTH, kind)
            parts = parts_of(book, seed)
            tables = [cohort_table(read_history(part, rule), Period.MONTH, kind) for part in parts]
            together = reduce(add, tables)
            tables = [table.among(together) for table in tables]
            self.assertEqual(list(alike(reduce(add, tables), whole)), [])
            groups = (np.arange(CUSTOMERS) % 3).astype(np.uint8)
            cohorts = np.arange(whole.cohort_count) % 4 > 0
            of_parts = [Bundling(cohorts, groups[part.first_customer :][: part.customer_count], 2) for part in parts]
            sizes = [grouping.sizes(table) for grouping, table in zip(of_parts, tables, strict=True)]
            before = accumulate(sizes, initial=GroupSizes(np.zeros(3, np.int64)))
            asked = zip(tables, of_parts, before, strict=False)
            of_all = reduce(add, sizes)
            with (
                patch.multiple(bands, BUNDLES_MOST=most, BUNDLES_LEAST=1),
                self.subTest(seed=seed, rule=rule, kind=kind, most=most),
            ):
                found = [bundles(table, margin, grouping, of_all, earlier) for table, grouping, earlier in asked]
                summed = [reduce(add, group) for group in zip(*found, strict=True)]
                self.assertEqual(list(alike(summed, bundles(whole, margin, Bundling(cohorts, groups, 2)))), [])
                self.assertEqual(
                    list(alike(payback(together, Costs.none(together)), payback(whole, Costs.none(whole)))), []
                )
                length = whole.customers.size
                of_cells = (margin.revenue(table.history, table.cells().__getitem__, length) for table in tables)
                np.testing.assert_array_equal(
                    reduce(add, of_cells), margin.revenue(whole.history, whole.cells().__getitem__, length)
                )

    def test_a_part_is_a_view_of_its_customers(self) -> None:
        book = whole_book(1)
        parts = parts_of(book, 1)
        for column in ("day", "amount_minor", "order_id", "number_key", "customer_id"):
            of_parts = [getattr(part, column) for part in parts]
            np.testing.assert_array_equal(np.concatenate(of_parts), getattr(book, column))
            self.assertTrue(all(np.shares_memory(each, getattr(book, column)) for each in of_parts if each.size))
        names = [part.customers.name(place) for part in parts for place in range(part.customer_count)]
        self.assertEqual(names, [book.customers.name(place) for place in range(book.customer_count)])
        for first, end in ((-1, 3), (4, 2), (0, CUSTOMERS + 1)):
            with self.assertRaises(ValueError):
                BookPart.of(book, first, end)
