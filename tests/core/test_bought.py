"""What is bought, from order lines: against plain loops, under conditions, by purchase days, as facts of customers."""

from __future__ import annotations

import random
import unittest
from collections.abc import Callable
from dataclasses import replace
from itertools import product

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Firsts, OrderUnit
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.facts import bought_by_customer
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.worth.bought import bought, leads_to, who_bought, who_came_to
from tests.support.random_books import AS_OF_DAY, Row, book_of, random_rows

SEEDS = range(4)
PRODUCTS = ("", "cone", "grog", "slip")
CATEGORIES = ("clay", "glaze")
Line = tuple[str, str, int]


def lines_of(row: Row) -> list[Line]:
    """The lines of an order, by its place in the sequence of entry: none to three."""
    draw = random.Random(row.number)
    return [
        (draw.choice(PRODUCTS), draw.choice(CATEGORIES), draw.randrange(-500, 9_000)) for _ in range(draw.randrange(4))
    ]


def with_lines(rows: list[Row]) -> OrderBook:
    """The book of some orders, whose lines are read when they are asked for."""
    by_number = {row.number: row for row in rows}

    def read(order_id: np.ndarray[tuple[int], np.dtype[np.int64]]) -> OrderLines:
        found = [(place, *line) for place, each in enumerate(order_id.tolist()) for line in lines_of(by_number[each])]
        return OrderLines(
            np.array([place for place, *_ in found], np.int64),
            Attribute(np.array([PRODUCTS.index(line[1]) for line in found], np.uint16), PRODUCTS),
            Attribute(np.array([CATEGORIES.index(line[2]) for line in found], np.uint16), CATEGORIES),
            np.array([line[3] for line in found], np.int64),
        )

    return replace(book_of(rows), on_record=LinesOnRecord(read))


def history_of(rows: list[Row], *, counter_only: bool = False, unit: OrderUnit = OrderUnit.ORDER) -> History:
    where = Comparison("source", Compare.EQUAL, "counter") if counter_only else None
    return read_history(with_lines(rows), HistoryRule(AS_OF_DAY, where=where, firsts=Firsts.ALL, unit=unit))


def shown(rows: list[Row], counter_only: bool) -> list[Row]:
    return [row for row in rows if row.day <= AS_OF_DAY and (not counter_only or row.source == "counter")]


class Lines(unittest.TestCase):
    def test_each_product_and_category_is_counted_from_its_lines(self) -> None:
        of: dict[str, Callable[[Line], str]] = {"product": lambda line: line[0], "category": lambda line: line[1]}
        for seed, (name, label_of), counter_only in product(SEEDS, of.items(), (False, True)):
            rows = random_rows(seed)
            history = history_of(rows, counter_only=counter_only)
            found = bought(history, name)
            for place, label in enumerate(found.labels):
                having = [
                    (row, line)
                    for row in shown(rows, counter_only)
                    for line in lines_of(row)
                    if label_of(line) == label
                ]
                with self.subTest(seed=seed, label=label, counter_only=counter_only):
                    self.assertEqual(found.lines[place], len(having))
                    self.assertEqual(found.orders[place], len({row.number for row, _ in having}))
                    self.assertEqual(found.customers[place], len({row.customer for row, _ in having}))
                    self.assertEqual(found.revenue_minor[place], sum(line[2] for _, line in having))
                    behind = who_bought(history, name, label)
                    self.assertEqual(behind.orders.size, found.orders[place])
                    self.assertEqual(set(behind.customers.tolist()), {row.customer for row, _ in having})
            bare = [row.amount for row in shown(rows, counter_only) if not lines_of(row)]
            self.assertEqual(found.without_lines_minor, sum(bare))
            self.assertEqual(sorted(found.revenue_minor.tolist(), reverse=True), found.revenue_minor.tolist())

    def test_a_purchase_day_has_the_lines_of_all_its_orders(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            found = bought(history_of(rows, unit=OrderUnit.PURCHASE_DAY), "category")
            for place, label in enumerate(found.labels):
                having = [row for row in shown(rows, False) for line in lines_of(row) if line[1] == label]
                self.assertEqual(found.orders[place], len({(row.customer, row.day) for row in having}))
                self.assertEqual(found.lines[place], len(having))

    def test_lines_are_read_once(self) -> None:
        book, read = with_lines(random_rows(1)), 0

        def counting(order_id: np.ndarray[tuple[int], np.dtype[np.int64]]) -> OrderLines:
            nonlocal read
            read += 1
            return book.on_record.read(order_id)

        again = replace(book, on_record=LinesOnRecord(counting))
        for _ in range(2):
            again.order_lines()
            bought(read_history(again, HistoryRule(AS_OF_DAY)), "product")
        self.assertEqual(read, 1)

    def test_what_a_customer_spent_on_it_is_a_sum_of_lines(self) -> None:
        for seed in SEEDS:
            rows = random_rows(seed)
            history = history_of(rows)
            orders, revenue = bought_by_customer(history.book, "product", "slip")
            for customer in range(9):
                mine = [row for row in shown(rows, False) if row.customer == customer]
                lines = [line for row in mine for line in lines_of(row) if line[0] == "slip"]
                self.assertEqual(revenue[customer], sum(line[2] for line in lines))
                self.assertEqual(
                    orders[customer], sum(any(line[0] == "slip" for line in lines_of(row)) for row in mine)
                )
            self.assertEqual(history.fields.level("revenue:product:slip"), history.fields.level("revenue"))
            with self.assertRaises(KeyError):
                bought_by_customer(history.book, "product", "paint")


class First(unittest.TestCase):
    def test_those_of_a_first_category_came_to_another_by_a_later_order(self) -> None:
        for seed, counter_only in product(SEEDS, (False, True)):
            rows = random_rows(seed)
            history = history_of(rows, counter_only=counter_only)
            found = leads_to(history)
            labels = history.fields.grouping("first_category")
            first_of = {customer: labels.labels[labels.codes[customer]] for customer in range(9)}
            firsts = {int(history.book.order_id[history.book.starts[c]]) for c in history.book.ordering.tolist()}
            later = [row for row in shown(rows, counter_only) if row.number not in firsts]
            for at, row_label in enumerate(found.rows):
                for place, column in enumerate(found.columns):
                    came = {
                        row.customer
                        for row in later
                        if first_of[row.customer] == row_label and any(line[1] == column for line in lines_of(row))
                    }
                    with self.subTest(seed=seed, row=row_label, column=column, counter_only=counter_only):
                        self.assertEqual(found.came_to[at, place], len(came))
                        self.assertEqual(set(who_came_to(history, row_label, column).customers.tolist()), came)
                again = {row.customer for row in later if first_of[row.customer] == row_label}
                self.assertEqual(found.later[at], len(again))
                self.assertEqual(set(who_came_to(history, row_label, None).customers.tolist()), again)


if __name__ == "__main__":
    unittest.main()
