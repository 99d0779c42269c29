"""A hundred and fifty forms of one history, without a word: right, or asked about, or refused; never wrong."""

from __future__ import annotations

import random
import sys
import unittest
from collections import Counter

from tests.support.compositions import composed, drawn
from tests.support.forms import ASKED, RIGHT, Form, history
from tests.support.many_forms import forms, large_forms
from tests.support.outcomes import Outcome, outcome

COMPOSITIONS = 80
RIGHT_AT_LEAST = 0.9


class Forms(unittest.TestCase):
    def taken(self, form: Form) -> Outcome:
        """What becomes of a form; one that asks asks for what it should, and is right when it is answered."""
        found = outcome(form)
        self.assertEqual(found.how, form.wanted, found.words)
        self.assertIn(form.asks, found.words)
        if form.said:
            answered = outcome(form, form.said)
            self.assertEqual(answered.how, RIGHT, f"{answered.words} instead of {form.figures}")
        return found

    def test_every_form_is_right_or_asked_about_in_one_sentence(self) -> None:
        counts: Counter[str] = Counter()
        for form in forms(history(100)):
            with self.subTest(form=form.title):
                counts[self.taken(form).how] += 1
        sys.stderr.write(f"forms of 100 orders: {dict(counts)}\n")
        self.assertGreaterEqual(sum(counts.values()), 150)

    def test_a_dozen_orders_are_enough(self) -> None:
        unclear = "codes and names that no name gives away"
        for form in forms(history(12)):
            if form.name.endswith(".csv") and form.title != unclear:
                with self.subTest(form=form.title):
                    self.taken(form)

    def test_fifty_thousand_orders_are_decided_over_all_of_them(self) -> None:
        orders = history(50_000)
        for form in (*large_forms(orders[:6_000]), next(large_forms(orders))):
            with self.subTest(form=form.title):
                self.taken(form)

    def test_any_composition_is_right_or_asked_about_and_never_wrong(self) -> None:
        draw, counts = random.Random(29), Counter[str]()
        histories = [history(orders) for orders in (12, 40, 400)]
        for _ in range(COMPOSITIONS):
            made = drawn(draw)
            found = outcome(composed(made, draw.choice(histories)))
            with self.subTest(made=str(made)):
                self.assertIn(found.how, (RIGHT, ASKED), found.words)
            counts[found.how] += 1
        sys.stderr.write(f"compositions: {dict(counts)}\n")
        self.assertGreaterEqual(counts[RIGHT], RIGHT_AT_LEAST * COMPOSITIONS)


if __name__ == "__main__":
    unittest.main()
