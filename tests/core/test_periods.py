"""Periods of the calendar."""

from __future__ import annotations

import datetime as dt
import unittest

import numpy as np

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.periods import (
    first_day_of,
    months_before,
    period_end,
    period_label,
    period_of_day,
    period_start,
    period_table,
)
from goldthread.core.choices import Period, Span


class Periods(unittest.TestCase):
    def test_labels_are_iso(self) -> None:
        cases = {
            (dt.date(2024, 12, 31), Period.WEEK): "2025-W01",
            (dt.date(2021, 1, 3), Period.WEEK): "2020-W53",
            (dt.date(2024, 2, 29), Period.MONTH): "2024-02",
            (dt.date(2024, 3, 31), Period.QUARTER): "2024-Q1",
            (dt.date(1969, 12, 31), Period.YEAR): "1969",
        }
        for (date, period), label in cases.items():
            with self.subTest(date=date, period=period):
                self.assertEqual(period_label(period_of_day(to_day(date), period), period), label)

    def test_fiscal_years_are_named_by_the_year_in_which_they_end_and_sunday_weeks_by_their_first_day(self) -> None:
        cases = {
            (dt.date(2026, 3, 31), "fiscal-year-4"): ("FY2026", dt.date(2025, 4, 1)),
            (dt.date(2026, 4, 1), "fiscal-year-4"): ("FY2027", dt.date(2026, 4, 1)),
            (dt.date(2026, 3, 31), "fiscal-quarter-4"): ("FY2026-Q4", dt.date(2026, 1, 1)),
            (dt.date(2025, 12, 1), "fiscal-quarter-12"): ("FY2026-Q1", dt.date(2025, 12, 1)),
            (dt.date(1969, 12, 31), "fiscal-year-2"): ("FY1970", dt.date(1969, 2, 1)),
            (dt.date(2026, 12, 31), "fiscal-year"): ("FY2026", dt.date(2026, 1, 1)),
            (dt.date(2024, 2, 29), "fiscal-quarter"): ("FY2024-Q1", dt.date(2024, 1, 1)),
            (dt.date(2026, 3, 1), "week-sunday"): ("2026-03-01/P7D", dt.date(2026, 3, 1)),
            (dt.date(2026, 3, 7), "week-sunday"): ("2026-03-01/P7D", dt.date(2026, 3, 1)),
            (dt.date(1969, 12, 30), "week-sunday"): ("1969-12-28/P7D", dt.date(1969, 12, 28)),
        }
        for (date, name), (label, begins) in cases.items():
            with self.subTest(date=date, period=name):
                period = Period(name)
                self.assertEqual(period_label(period_of_day(to_day(date), period), period), label)
                self.assertEqual(to_date(first_day_of(label, period)), begins)

    def test_a_period_in_the_calendar_of_a_book_is_one_thing_everywhere(self) -> None:
        april = Period.FISCAL_YEAR.within(4, sundays=True)
        self.assertIs(april, Period("fiscal-year-4"))
        make, given = april.__reduce_ex__(4)
        self.assertIs(make(*given), april)
        self.assertEqual((april.kind, april.noun, april.first_month), (Period.FISCAL_YEAR, "fiscal year", 4))
        self.assertIs(april.within(1, sundays=True), Period.FISCAL_YEAR)
        self.assertIs(Period.WEEK.within(4, sundays=True), Period("week-sunday"))
        self.assertIs(Period("week-sunday").within(4, sundays=False), Period.WEEK)
        self.assertIs(Span.MONTH.within(4, sundays=True), Span.MONTH)
        for wrong in ("fiscal-year-1", "fiscal-year-13", "fiscal-month-4", "week-monday", "Fiscal-year-4"):
            with self.subTest(wrong), self.assertRaises(ValueError):
                Period(wrong)

    def test_every_day_lies_between_the_ends_of_its_own_period(self) -> None:
        days = np.arange(-800, 25_000, dtype=np.int32)
        for period in (*Period, *map(Period, ("week-sunday", "fiscal-quarter-2", "fiscal-year-11"))):
            index = period_table(int(days[0]), int(days[-1]), period).astype(np.int64)
            with self.subTest(period=period):
                self.assertTrue((period_start(index, period) <= days).all())
                self.assertTrue((days <= period_end(index, period)).all())
                self.assertTrue((period_end(index, period) + 1 == period_start(index + 1, period)).all())

    def test_months_are_counted_back_to_the_months_end(self) -> None:
        cases = {
            (dt.date(2025, 8, 31), 6): dt.date(2025, 2, 28),
            (dt.date(2024, 8, 31), 6): dt.date(2024, 2, 29),
            (dt.date(2025, 1, 15), 1): dt.date(2024, 12, 15),
            (dt.date(2025, 12, 31), 13): dt.date(2024, 11, 30),
        }
        for (date, months), wanted in cases.items():
            with self.subTest(date=date, months=months):
                self.assertEqual(to_date(months_before(to_day(date), months)), wanted)


if __name__ == "__main__":
    unittest.main()
