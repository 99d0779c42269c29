"""Columns of texts and the search over them, each beside Python's own string methods."""

from __future__ import annotations

import random
import re
import unittest
from collections.abc import Callable
from fractions import Fraction

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from goldthread.core.book.texts import TextColumn, like_expression
from goldthread.core.history.conditions import Compare, number_compared
from goldthread.core.search import SearchIndex
from goldthread.store.read.folding import fold, fold_text

WORDS = ("Ada", "O'Fallon", "Brae", "Róisín", "50%", "a_b", "", "Ægir", "x\\y", "straße")


def texts(seed: int, count: int) -> list[str]:
    draw = random.Random(seed)
    return [" ".join(draw.choice(WORDS) for _ in range(draw.randrange(4))) for _ in range(count)]


class Texts(unittest.TestCase):
    def test_equal_like_and_empty_are_those_of_each_text(self) -> None:
        told = texts(1, 300)
        column = TextColumn.of(told)
        self.assertEqual(column.empty().tolist(), [text == "" for text in told])
        self.assertEqual(column.some(np.arange(300)), told)
        for wanted in {*told, "nothing like it"}:
            self.assertEqual(column.equal(wanted).tolist(), [text == wanted for text in told])
        for pattern in ("%Fallon", "A%", "%", "", "%da%", "_da%", "50\\%", "%\\_b", "%a%B%", "%x\\\\y%", "%zzz%"):
            fits = re.compile(like_expression(pattern), re.DOTALL).fullmatch
            with self.subTest(pattern=pattern):
                self.assertEqual(column.like(pattern).tolist(), [fits(text) is not None for text in told])

    def test_ranks_are_the_order_of_bytes(self) -> None:
        told = texts(2, 200)
        ranks = TextColumn.of(told).ranks()
        order = sorted(range(200), key=lambda row: told[row].encode())
        self.assertEqual(np.argsort(ranks).tolist(), order)

    def test_the_same_texts_are_known_as_such(self) -> None:
        self.assertTrue(TextColumn.of(["a", "bc"]).same_as(TextColumn.of(["a", "bc"])))
        self.assertFalse(TextColumn.of(["a", "bc"]).same_as(TextColumn.of(["ab", "c"])))


class ExactNumbers(unittest.TestCase):
    def test_whole_numbers_are_compared_exactly_at_every_edge(self) -> None:
        edge = 2**31 - 1
        values = np.array([-edge - 1, -3, -2, 0, 2, 3, edge], np.int32)
        bounds = [Fraction(n, 2) for n in range(-7, 8)] + [Fraction(edge), Fraction(edge) + 1, -Fraction(edge) * 4]
        operators: dict[Compare, Callable[[Fraction, Fraction], bool]] = {
            Compare.EQUAL: lambda a, b: a == b,
            Compare.OTHER: lambda a, b: a != b,
            Compare.LESS: lambda a, b: a < b,
            Compare.MORE: lambda a, b: a > b,
            Compare.AT_MOST: lambda a, b: a <= b,
            Compare.AT_LEAST: lambda a, b: a >= b,
        }
        for bound in bounds:
            for compare, operator in operators.items():
                with self.subTest(bound=bound, compare=compare):
                    wanted = [operator(Fraction(value), bound) for value in values.tolist()]
                    self.assertEqual(number_compared(values, compare, bound).tolist(), wanted)


class Finding(unittest.TestCase):
    @given(st.text(st.characters(max_codepoint=127), max_size=20))
    def test_plain_letters_are_folded_as_all_others_are(self, text: str) -> None:
        beside_an_accent = fold(pa.array([text, "\u00e9"]))[0].as_py()
        self.assertEqual(fold_text(text), beside_an_accent)

    def test_folding_forgets_case_accents_and_apostrophes(self) -> None:
        cases = {"Róisín  O’Hara": "roisin ohara", "STRASSE": "strasse", "straße": "strasse", "Łódź Ærø": "lodz aero"}
        self.assertEqual({text: fold_text(text) for text in cases}, cases)

    def test_everything_that_has_all_words_is_found_and_nothing_else(self) -> None:
        draw = random.Random(5)
        lines = [
            f"\t{draw.choice('abcdef')}{draw.choice(('lder', 'ram', 'obalt'))} {draw.randrange(900)}\tc{row:04d}\n"
            for row in range(1_500)
        ]
        index = SearchIndex.of(TextColumn.of(lines))
        for wanted in ("a", "alder", "lder 1", "c0777", "77", "balt 12", "0 a", "zz", "m 8 c", "1499", "c1"):
            words = wanted.split()
            matching = {row for row, line in enumerate(lines) if all(word in line for word in words)}
            with self.subTest(wanted=wanted):
                found = index.find(wanted, 2_000)
                self.assertEqual(len(found), len(set(found)))
                if len(matching) < 400:
                    self.assertEqual(set(found), matching)
                else:
                    self.assertLessEqual(set(found), matching)
                    self.assertGreaterEqual(len(found), 400)
        self.assertEqual(index.find("", 5), [])

    def test_the_whole_comes_before_a_beginning_and_that_before_the_middle(self) -> None:
        lines = [
            "\tmira vale\tc1\n",
            "\tvale and sons\tc2\n",
            "\tvale\tc3\n",
            "\tupvale\tc4\n",
            "\tthe vale\tvale\tc5\n",
        ]
        found = SearchIndex.of(TextColumn.of(lines)).find("vale", 9)
        self.assertEqual({found[0], found[1]}, {2, 4})
        self.assertEqual(found[2:], [1, 0, 3])


if __name__ == "__main__":
    unittest.main()
