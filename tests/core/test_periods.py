"""Periods of the calendar."""

from __future__ import annotations

import datetime as dt
import unittest

import numpy as np

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.periods import (
    months_before,
    period_end,
    period_label,
    period_of_day,
    period_start,
    period_table,
)
from goldthread.core.choices import Period


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

    def test_every_day_lies_between_the_ends_of_its_own_period(self) -> None:
        days = np.arange(-800, 25_000, dtype=np.int32)
        for period in Period:
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
