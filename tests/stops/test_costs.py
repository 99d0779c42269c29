"""What winning a customer cost: from recorded spend, per channel, for whoever is being looked at."""

from __future__ import annotations

import datetime as dt
import math
import unittest

from goldthread.core.choices import CohortFigure, Period
from goldthread.stops.cohorts.answer import CohortAnswer, ask_cohorts
from goldthread.stops.cohorts.question import CohortQuestion
from goldthread.stops.reading import read_book
from tests.support.sharing import deliver, write_csv
from tests.support.store import StoreCase

TODAY = dt.date(2024, 12, 31)
ORDERS = (
    ("A1", "C1", "2024-01-05", "100", "search"),
    ("A2", "C2", "2024-01-09", "50", "letter"),
    ("A3", "C3", "2024-01-20", "10", "letter"),
    ("A4", "C4", "2024-02-02", "40", "search"),
    ("A5", "C1", "2024-02-11", "60", "letter"),
)
SPEND = (("2024-01", "search", "30"), ("2024-01", "letter", "12"), ("2024-03", "search", "99"))


class Costs(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        header = ("order", "customer_no", "date", "amount", "channel")
        deliver(self.workspace, self.book, write_csv(self.folder / "orders.csv", [header, *ORDERS]))
        spend = [("month", "channel", "amount"), *SPEND]
        deliver(self.workspace, self.book, write_csv(self.folder / "spend.csv", spend), "office")

    def ask(self, where: str = "", split: str = "", cac: str = "spend", period: Period = Period.MONTH) -> CohortAnswer:
        question = CohortQuestion(
            as_of="2024-12-31",
            where=where,
            period=period,
            figure=CohortFigure.PROFIT_PER_CUSTOMER,
            split=split,
            margin="50",
            cac=cac,
        )
        return ask_cohorts(self.workspace, read_book(self.workspace, self.book, question, TODAY), question)

    def profit(self, answer: CohortAnswer, row: int, age: int) -> float:
        """In the currency's unit."""
        return float(answer.figure.values[row, age]) / 10_000

    def test_spend_of_a_month_is_shared_by_its_new_customers(self) -> None:
        answer = self.ask()
        self.assertAlmostEqual(self.profit(answer, 0, 0), 0.5 * 160 / 3 - 42 / 3)
        self.assertAlmostEqual(self.profit(answer, 0, 1), 0.5 * 220 / 3 - 42 / 3)
        self.assertTrue(math.isnan(self.profit(answer, 1, 0)), "nothing was spent in February")
        quarter = self.ask(period=Period.QUARTER)
        self.assertAlmostEqual(self.profit(quarter, 0, 0), 0.5 * 260 / 4 - 141 / 4)

    def test_a_condition_does_not_make_a_customer_dearer(self) -> None:
        answer = self.ask(where="number = 'C1'")
        self.assertEqual(int(answer.table.size[0]), 1)
        self.assertAlmostEqual(self.profit(answer, 0, 0), 50 - 42 / 3)

    def test_by_channel_each_has_its_own_spend(self) -> None:
        split = self.ask(split="first_channel").split
        assert split is not None
        found = {part.label: float(part.figure.values[0, 0]) / 10_000 for part in split.parts}
        self.assertAlmostEqual(found["search"], 0.5 * 100 - 30)
        self.assertAlmostEqual(found["letter"], 0.5 * 60 / 2 - 12 / 2)
        by_source = self.ask(split="first_source").split
        assert by_source is not None
        self.assertAlmostEqual(float(by_source.parts[0].figure.values[0, 0]) / 10_000, 0.5 * 160 / 3 - 42 / 3)

    def test_a_channel_is_the_same_whatever_its_case_on_both_sides(self) -> None:
        header = ("order", "customer_no", "date", "amount", "channel")
        rows = [header, ("B1", "C8", "2024-01-06", "20", "Search"), ("B2", "C9", "2024-01-07", "20", "SEARCH")]
        deliver(self.workspace, self.book, write_csv(self.folder / "more.csv", rows))
        split = self.ask(split="first_channel").split
        assert split is not None
        # 30 was spent on search in January, and three customers came by it under three writings
        found = {part.label: float(part.figure.values[0, 0]) / 10_000 for part in split.parts}
        self.assertAlmostEqual(found["search"], 0.5 * 100 - 10)
        self.assertAlmostEqual(found["Search"], 0.5 * 20 - 10)
        self.assertAlmostEqual(found["SEARCH"], 0.5 * 20 - 10)

    def test_one_amount_can_be_said_and_weeks_fit_no_month(self) -> None:
        self.assertAlmostEqual(self.profit(self.ask(cac="7.50"), 1, 0), 0.5 * 40 - 7.5)
        weekly = self.ask(period=Period.WEEK)
        self.assertTrue(math.isnan(self.profit(weekly, 0, 0)))
        self.assertFalse(math.isnan(self.profit(self.ask(period=Period.WEEK, cac="1"), 0, 0)))


if __name__ == "__main__":
    unittest.main()
