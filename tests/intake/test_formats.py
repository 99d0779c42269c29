"""How dates and amounts are written, found from whole columns; values read in every writing."""

from __future__ import annotations

import datetime as dt
import unittest
from decimal import Decimal
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from goldthread.actions.deciding import read_both_ways
from goldthread.intake.formats import AmountEvidence, DateEvidence, DateForm, DecimalMark
from goldthread.intake.values import BadValue, amount_parser, date_parser

UTC = ZoneInfo("UTC")
DATES = st.dates(dt.date(1900, 1, 1), dt.date(2199, 12, 31))


def date_form(*values: str) -> DateForm | None:
    evidence = DateEvidence()
    evidence.add(values)
    return evidence.form


def decimal_mark(*values: str) -> DecimalMark | None:
    evidence = AmountEvidence()
    evidence.add(values)
    return evidence.mark


class Columns(unittest.TestCase):
    def test_dates(self) -> None:
        cases: list[tuple[tuple[str, ...], DateForm | None]] = [
            (("03/04/2025", "31/02/2025"), DateForm.DMY),
            (("03/04/2025", "04/13/2025"), DateForm.MDY),
            (("03/04/2025", "05/06/2025"), None),
            (("03/03/2025", "04/04/2025"), DateForm.ISO),
            (("2025-03-04", "5 Nov 2024"), DateForm.ISO),
            (("45000", "45001.5", ""), DateForm.SERIAL),
            (("13.04.2025", "14.04.2025", "04/15/2025"), DateForm.DMY),
            ((), DateForm.ISO),
        ]
        for values, wanted in cases:
            with self.subTest(values=values):
                self.assertEqual(date_form(*values), wanted)

    def test_amounts(self) -> None:
        cases: list[tuple[tuple[str, ...], DecimalMark | None]] = [
            (("1.234,50",), DecimalMark.COMMA),
            (("1,234.50",), DecimalMark.POINT),
            (("1.234", "9,90"), DecimalMark.COMMA),
            (("1.234", "5"), None),
            (("1.234.567",), DecimalMark.COMMA),
            (("0.125", "€ 3"), DecimalMark.POINT),
            (("12", "ten"), DecimalMark.POINT),
        ]
        for values, wanted in cases:
            with self.subTest(values=values):
                self.assertEqual(decimal_mark(*values), wanted)

    @given(st.lists(DATES, min_size=1), st.sampled_from(["%d/%m/%Y", "%m-%d-%Y"]))
    def test_one_day_beyond_twelve_settles_a_whole_column(self, dates: list[dt.date], form: str) -> None:
        column = [date.strftime(form) for date in [*dates, dt.date(2025, 1, 13)]]
        self.assertEqual(date_form(*column), DateForm.DMY if form.startswith("%d") else DateForm.MDY)

    def test_an_open_date_is_shown_both_ways(self) -> None:
        self.assertEqual(read_both_ways("03/04/2025"), "03/04/2025 is 3 Apr 2025 or 4 Mar 2025")
        self.assertEqual(read_both_ways("03/04/25"), "03/04/25 is 3 Apr 2025 or 4 Mar 2025")
        self.assertEqual(read_both_ways("03/04/xx"), "03/04/xx can be read both ways")


class Values(unittest.TestCase):
    @given(DATES)
    def test_a_date_is_the_same_in_every_writing(self, date: dt.date) -> None:
        iso = date.isoformat()
        written = {
            DateForm.DMY: [
                f"{date.day}/{date.month}/{date.year}",
                f"{date:%d.%m.%Y}",
                f"{date.day} {date:%B} {date.year}",
            ],
            DateForm.MDY: [
                f"{date.month}/{date.day}/{date.year}",
                f"{date:%b} {date.day}, {date.year}",
                f"{date:%Y%m%d}",
            ],
            DateForm.ISO: [iso, f"{date:%d-%b-%Y}", f"{date:%Y/%m/%d}"],
        }
        for form, texts in written.items():
            for text in texts:
                self.assertEqual(date_parser(UTC, form)(text), iso)

    def test_times_of_day_and_serial_days(self) -> None:
        cases = {
            (DateForm.DMY, "13/04/2025 9:30"): "2025-04-13 09:30:00",
            (DateForm.MDY, "04/13/2025 12:05 am"): "2025-04-13 00:05:00",
            (DateForm.MDY, "04/13/2025 9:30:15 PM"): "2025-04-13 21:30:15",
            (DateForm.SERIAL, "45000"): "2023-03-15",
            (DateForm.SERIAL, "45000.75"): "2023-03-15 18:00:00",
            (DateForm.SERIAL, "45000.0"): "2023-03-15",
            (DateForm.SERIAL, "45000.9999999"): "2023-03-16 00:00:00",
            (DateForm.ISO, "Sept 5, 2024"): "2024-09-05",
        }
        for (form, text), wanted in cases.items():
            with self.subTest(text=text):
                self.assertEqual(date_parser(UTC, form)(text), wanted)

    def test_weekdays_zones_and_numbers_that_count(self) -> None:
        lisbon = ZoneInfo("Europe/Lisbon")
        cases = {
            (DateForm.DMY, "Mo. 30.01.2017"): "2017-01-30",
            (DateForm.DMY, "mar, 31.01.2017"): "2017-01-31",
            (DateForm.ISO, "mar 3 2017"): "2017-03-03",
            (DateForm.ISO, "lundi 30 janvier 2017"): "2017-01-30",
            (DateForm.ISO, "30 de enero de 2017"): "2017-01-30",
            (DateForm.ISO, "5. września 2024 r."): "2024-09-05",
            (DateForm.ISO, "30JAN2017"): "2017-01-30",
            (DateForm.ISO, "2017.01.30."): "2017-01-30",
            (DateForm.DMY, "30.01.2017 14:05 Uhr"): "2017-01-30 14:05:00",
            (DateForm.DMY, "30.1.2017 14.05"): "2017-01-30 14:05:00",
            (DateForm.ISO, "20170630140500"): "2017-06-30 14:05:00",
            (DateForm.ISO, "2017-06-30 14:05:00 UTC"): "2017-06-30 15:05:00",
            (DateForm.ISO, "2017-06-30T14:05:00+02:00[Europe/Paris]"): "2017-06-30 13:05:00",
            (DateForm.ISO, "2017-06-30 14:05 America/New_York"): "2017-06-30 19:05:00",
            (DateForm.ISO, "Fri Jun 30 14:05:00 2017"): "2017-06-30 14:05:00",
            (DateForm.ISO, "Fri, 30 Jun 2017 14:05:00 GMT"): "2017-06-30 15:05:00",
            (DateForm.ISO, "Fri Jun 30 2017 14:05:00 GMT+0200 (Central Europe)"): "2017-06-30 13:05:00",
            (DateForm.SERIAL_1904, "43538"): "2023-03-15",
            (DateForm.SECONDS, "1498831500"): "2017-06-30 15:05:00",
            (DateForm.MILLISECONDS, "1498831500000"): "2017-06-30 15:05:00",
        }
        for (form, text), wanted in cases.items():
            with self.subTest(text=text):
                self.assertEqual(date_parser(lisbon, form)(text), wanted)

    def test_dates_that_cannot_come_in(self) -> None:
        cases = [
            (DateForm.DMY, "31/02/2025", "no such date"),
            (DateForm.DMY, "04/03/25", "two digits"),
            (DateForm.MDY, "13/04/2025", "no such date"),
            (DateForm.ISO, "03/04/2025", "told apart"),
            (DateForm.ISO, "5 Marx 2024", "not understood"),
            (DateForm.ISO, "45000", "not a date"),
            (DateForm.DMY, "13/04/2025 25:00", "not understood"),
            (DateForm.ISO, "2017-06-30 14:05 BST", "not understood"),
            (DateForm.ISO, "week 3 of 2025", "not understood"),
            (DateForm.ISO, "202506", "not understood"),
            (DateForm.DMY, "13/04/2025 noon", "not understood"),
            (DateForm.MDY, "04/13/2025 13:00 pm", "not understood"),
        ]
        for form, text, words in cases:
            with self.subTest(text=text), self.assertRaisesRegex(BadValue, words):
                date_parser(UTC, form)(text)

    @given(
        st.decimals(-(10**9), 10**9, places=2), st.sampled_from(list(DecimalMark)), st.sampled_from(["", "€ ", "EUR "])
    )
    def test_an_amount_is_the_same_in_every_writing(self, amount: Decimal, mark: DecimalMark, sign: str) -> None:
        text = f"{abs(amount):,.2f}"
        if mark is DecimalMark.COMMA:
            text = text.translate(str.maketrans(",.", ".,"))
        parse = amount_parser("EUR", mark)
        writings = [f"{sign}{text}", f"{text} €"] if amount >= 0 else [f"-{sign}{text}", f"({text})", f"{text}-"]
        for written in writings:
            self.assertEqual(Decimal(parse(written)), amount)

    def test_amounts_of_another_currency_or_mark_are_told(self) -> None:
        cases = {"£18.00": "kept in EUR", "5 USD": "kept in EUR", "1.234,50": "not a number", "1,2,3": "not a number"}
        for text, words in cases.items():
            with self.subTest(text=text), self.assertRaisesRegex(BadValue, words):
                amount_parser("EUR")(text)


if __name__ == "__main__":
    unittest.main()
