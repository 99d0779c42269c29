"""Single values: their exact form, or why they have none."""

from __future__ import annotations

import unittest
from decimal import Decimal
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from goldthread.core.records import KeyKind, OrderStatus, guarded, unguarded
from goldthread.intake import values, words
from goldthread.intake.formats import DateForm
from goldthread.intake.values import BadValue

LISBON = ZoneInfo("Europe/Lisbon")


class Amounts(unittest.TestCase):
    def test_amounts_are_exact(self) -> None:
        cases = {"12": "12", " 12.50 ": "12.5", "-0.00": "0", "+7.1": "7.1", "188.0050": "188.005", "0012.30": "12.3"}
        for text, wanted in cases.items():
            with self.subTest(text=text):
                self.assertEqual(values.amount(text), wanted)

    def test_what_is_no_plain_number_is_told(self) -> None:
        for text in (
            "",
            "ten",
            "1,50",
            "1.234,50",
            "=1+1",
            "1e3",
            "12.34567",
            "1 00",
            "--5",
            "(-5)",
            "٣",
            "9" * 16,
            "100000000000",
            "NaN",
        ):
            with self.subTest(text=text), self.assertRaises(BadValue) as told:
                values.amount(text)
            self.assertTrue(told.exception.reason.endswith(".") and told.exception.remedy.endswith("."))

    @given(st.decimals(min_value=-(10**11) + 1, max_value=10**11 - 1, places=4))
    def test_no_amount_is_ever_rounded(self, amount: Decimal) -> None:
        self.assertEqual(Decimal(values.amount(f"{amount:f}")), amount)


class Dates(unittest.TestCase):
    def setUp(self) -> None:
        self.parse = values.date_parser(LISBON)

    def test_dates_and_moments(self) -> None:
        cases = {
            "2024-02-29": "2024-02-29",
            " 2024-02-28 ": "2024-02-28",
            "2024-12-31T23:30:00-05:00": "2025-01-01 04:30:00",
            "2024-07-01T23:30:00+00:00": "2024-07-02 00:30:00",
            "2024-01-15T09:00:00Z": "2024-01-15 09:00:00",
            "2024-01-15 09:00": "2024-01-15 09:00:00",
        }
        for text, wanted in cases.items():
            with self.subTest(text=text):
                self.assertEqual(self.parse(text), wanted)

    def test_impossible_dates_are_told_and_never_moved(self) -> None:
        cases = (
            "",
            "2025-02-31",
            "31/02/2025",
            "2025-13-01",
            "04/03/25",
            "0024-01-01",
            "2300-01-01",
            "2025-01-01T25:00",
        )
        for text in cases:
            with self.subTest(text=text), self.assertRaises(BadValue):
                self.parse(text)


class Keys(unittest.TestCase):
    def test_an_email_is_one_however_it_is_written(self) -> None:
        parse = values.customer_parser(KeyKind.EMAIL)
        self.assertEqual(parse(" LIO@BOE.EXAMPLE"), parse("lio@boe.example"))

    def test_what_cannot_be_a_customer_is_told(self) -> None:
        for kind, text in (
            (KeyKind.EMAIL, "lio"),
            (KeyKind.EMAIL, " "),
            (KeyKind.NUMBER, ""),
            (KeyKind.NUMBER, "a\x00b"),
        ):
            with self.subTest(kind=kind, text=text), self.assertRaises(BadValue):
                values.customer_parser(kind)(text)

    def test_order_numbers_are_trimmed_and_bounded(self) -> None:
        self.assertEqual(values.order_number(" W-9 "), "W-9")
        for text in ("", "x" * 65, "W\t9"):
            with self.subTest(text=text), self.assertRaises(BadValue):
                values.order_number(text)

    @given(st.lists(st.text(max_size=70), min_size=1, max_size=5))
    def test_the_short_cut_for_plain_keys_lets_nothing_through_that_the_parser_would_change(
        self, keys: list[str]
    ) -> None:
        if values.PLAIN_KEY.fullmatch("\x1f".join(keys)):
            whole = [part for key in keys for part in key.split("\x1f")]
            self.assertEqual([values.order_number(key) for key in whole], whole)


class Others(unittest.TestCase):
    def test_status_words(self) -> None:
        usual = {
            "Paid ": "paid",
            "canceled": "cancelled",
            "REFUNDED": "refunded",
            "Bezahlt": "paid",
            "In  Progress": "open",
        }
        for text, wanted in usual.items():
            with self.subTest(text=text):
                self.assertEqual(words.usual_status(text), wanted)
        self.assertIsNone(words.usual_status("stage 4"))
        parse = words.status_parser({"stage 4": OrderStatus.OPEN})
        self.assertEqual([parse(text) for text in (" Stage 4", "", "  ")], ["open", "paid", "paid"])
        with self.assertRaisesRegex(BadValue, "Nobody has said"):
            parse("bezahlt")

    def test_marks_of_customers(self) -> None:
        self.assertEqual([words.flag(text) for text in ("Yes", "0", "", "x")], ["1", "0", "", "1"])
        self.assertEqual([words.closed(text) for text in ("moved", "Open", "", "no")], ["1", "0", "", "0"])
        for parse in (words.flag, words.closed):
            with self.assertRaises(BadValue):
                parse("perhaps")

    def test_months(self) -> None:
        parse = values.month_parser(LISBON, DateForm.DMY)
        for text in ("2024-03", "03/2024", "Mar 2024", "March 2024", "202403", "2024-03-17", "17/03/2024"):
            with self.subTest(text=text):
                self.assertEqual(parse(text), "2024-03-01")
        for text in ("2024-13", "", "Marx 2024", "spring"):
            with self.subTest(text=text), self.assertRaises(BadValue):
                parse(text)

    @given(st.text(alphabet="'=+-@ab1 ", max_size=6))
    def test_a_guard_against_formulas_is_taken_off_again(self, text: str) -> None:
        self.assertEqual(unguarded(guarded(text)), text)
        self.assertFalse(guarded(text).startswith(("=", "@", "-a", "+b", "--")))

    def test_another_currency_is_told(self) -> None:
        parse = values.currency_parser("EUR")
        self.assertEqual([parse("eur"), parse(" ")], ["EUR", "EUR"])
        with self.assertRaisesRegex(BadValue, "kept in EUR"):
            parse("USD")

    def test_free_texts_keep_to_one_line(self) -> None:
        self.assertEqual(values.text_parser(20)(" Loop\n tool\t2 "), "Loop tool 2")
        with self.assertRaises(BadValue):
            values.text_parser(3)("long")


if __name__ == "__main__":
    unittest.main()
