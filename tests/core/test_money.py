"""Exact money: written as plain decimals and read back without losing a ten-thousandth."""

from __future__ import annotations

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.money import MINOR_PER_UNIT, amount_text, minor_of, money_text, whole_cents

AMOUNTS = st.integers(-(10**18), 10**18)


class Money(unittest.TestCase):
    @given(AMOUNTS)
    def test_an_amount_is_what_its_text_says(self, minor: int) -> None:
        text = money_text(minor)
        self.assertEqual(Decimal(text) * MINOR_PER_UNIT, minor)
        self.assertEqual(minor_of(Decimal(text)), minor)
        self.assertIn(len(text.split(".")[1]), (2, 4))

    @given(AMOUNTS)
    def test_what_the_record_has_is_written_alike(self, minor: int) -> None:
        self.assertEqual(amount_text(Decimal(minor) / MINOR_PER_UNIT), money_text(minor))

    @given(st.floats(-1e12, 1e12))
    def test_an_average_is_shown_to_the_nearest_hundredth(self, minor: float) -> None:
        shown = whole_cents(minor)
        self.assertEqual(shown % 100, 0)
        self.assertLessEqual(abs(shown - minor), 50.01)

    def test_texts(self) -> None:
        cases = {0: "0.00", 1: "0.0001", -1: "-0.0001", 12_300: "1.23", -12_345: "-1.2345", 10_000: "1.00"}
        self.assertEqual({minor: money_text(minor) for minor in cases}, cases)
        self.assertEqual(amount_text(Decimal("188.005")), "188.0050")
        self.assertEqual(amount_text(Decimal("-0.5")), "-0.50")


class CalendarWords(unittest.TestCase):
    def test_periods_and_dates_as_people_read_them(self) -> None:
        cases = {
            "1999": "1999",
            "2024-Q4": "quarter 4 of 2024",
            "2024-12": "Dec 2024",
            "2020-W53": "week 53 of 2020",
        }
        self.assertEqual({label: period_words(label) for label in cases}, cases)
        self.assertEqual((date_words(0), date_words(-1), date_words(59)), ("1 Jan 1970", "31 Dec 1969", "1 Mar 1970"))


if __name__ == "__main__":
    unittest.main()
