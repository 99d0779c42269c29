"""The program held against a second implementation of the definitions, over small books full of traps."""

from __future__ import annotations

import random
import unittest
from unittest.mock import patch

import numpy as np

from tests.reference import differential
from tests.reference.askings import Asking, random_asking
from tests.reference.differential import differences, printed, smallest
from tests.reference.questions import QUESTIONS
from tests.reference.records import random_book
from tests.reference.threads import ReadBy
from tests.support.sharing import shared_workspace

BOOKS, ASKED_EACH = 16, 60
SEED = 2_026


class EveryQuestion(unittest.TestCase):
    def test_every_figure_is_what_the_definitions_say(self) -> None:
        asked, figures = set(), 0
        for book, asking, words, count in differences(SEED, BOOKS, ASKED_EACH):
            asked.add(asking.question)
            figures += count
            if words:
                self.fail(printed(*smallest(shared_workspace(), book, asking, words)))
        self.assertEqual(asked, set(QUESTIONS))
        self.assertGreater(figures, 50_000)

    def test_a_wrong_figure_is_found_and_made_small(self) -> None:
        book = random_book(3)
        asking = Asking("figures", {"group": ""}, ReadBy(max(order.day for order in book.orders)))
        with patch("goldthread.core.threads.groups.distinct_by_code", return_value=np.array([99])):
            words = differential.difference(differential.Recorded(shared_workspace(), book), asking)[0]
            self.assertIn("'customers'", words)
            small, _, words = smallest(shared_workspace(), book, asking, words)
        self.assertEqual(len(small.orders), 1)
        self.assertIn("99", words)
        self.assertEqual(differential.difference(differential.Recorded(shared_workspace(), small), asking)[0], "")

    def test_readings_are_of_every_kind(self) -> None:
        draw = random.Random(SEED)
        books = [random_book(SEED + place) for place in range(30)]
        askings = [random_asking(draw, book) for book in books for _ in range(20)]
        self.assertEqual({asking.line.unit for asking in askings}, {"order", "purchase-day"})
        self.assertEqual({asking.line.firsts for asking in askings}, {"all", "matching"})
        self.assertEqual({asking.list_as for asking in askings}, {"alone", "without", "against"})
        with_orders = [asking for asking in askings if asking.line.where and asking.line.where.speaks_of_orders()]
        self.assertGreater(len(with_orders), len(askings) / 10)


if __name__ == "__main__":
    unittest.main()
