"""The second road for opened figures: whatever can be opened is counted again, and a wrong record is found out."""

from __future__ import annotations

import datetime as dt
import random
import unittest

from sqlalchemy import text

from goldthread.core.choices import AgeKind, CohortFigure, Measure, OrderUnit, Side, Span
from goldthread.core.records import OrderStatus
from goldthread.errors import Stopped
from goldthread.stops.checking import check_book
from goldthread.stops.cohorts.answer import CohortAnswer, ask_cohorts
from goldthread.stops.cohorts.question import ALL, CellChoice, CohortQuestion
from goldthread.stops.cohorts.recount import recount_cohort_figure
from goldthread.stops.newness.answer import NewnessAnswer, ask_newness
from goldthread.stops.newness.question import EVERYTHING, THIS_YEAR, NewnessFigureName, NewnessQuestion
from goldthread.stops.newness.recount import recount_newness_figure
from goldthread.stops.reading import read_book
from goldthread.stops.reading_line import ReadingLine
from tests.support.sharing import deliver, write_csv
from tests.support.store import StoreCase

TODAY = dt.date(2025, 1, 15)
CHOICES = (
    ReadingLine(as_of=TODAY.isoformat()),
    ReadingLine(as_of=TODAY.isoformat(), status=(OrderStatus.PAID,), source=("counter",), lapse="2m"),
    ReadingLine(as_of=TODAY.isoformat(), where="number LIKE 'C1%'"),
    ReadingLine(as_of=TODAY.isoformat(), unit=OrderUnit.PURCHASE_DAY),
)


class RecountCase(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        draw = random.Random(11)
        header = ("order", "customer_no", "date", "amount", "status")
        for source in ("counter", "web"):
            rows = [
                (
                    f"{draw.choice(('A-', 'b', ''))}{number}",
                    f"C{draw.randrange(40)}",
                    dt.date(2023, 1, 1) + dt.timedelta(draw.choice((draw.randrange(800), 58, 59, 424))),
                    draw.choice(("12.50", "3", "-1")),
                    draw.choice(("paid", "paid", "cancelled", "refunded")),
                )
                for number in range(150)
            ]
            deliver(self.workspace, self.book, write_csv(self.folder / f"{source}.csv", [header, *rows]), source)

    def cohorts(self, question: CohortQuestion) -> CohortAnswer:
        return ask_cohorts(self.workspace, read_book(self.workspace, self.book, question, TODAY), question)

    def newness(self, choice: ReadingLine, span: Span, measure: Measure) -> NewnessAnswer:
        question = NewnessQuestion(**choice.model_dump(), period=span, measure=measure)
        return ask_newness(self.workspace, read_book(self.workspace, self.book, question, TODAY), question)


class Agreement(RecountCase):
    def test_figures_of_the_cohort_table(self) -> None:
        draw = random.Random(3)
        for choice in CHOICES:
            for kind in AgeKind:
                for figure in CohortFigure:
                    question = CohortQuestion(**choice.model_dump(), ages=kind, figure=figure, split="first_source")
                    answer = self.cohorts(question)
                    label = draw.choice(answer.table.labels[:12])
                    cells = [
                        CellChoice(ALL, None),
                        CellChoice(ALL, 2),
                        CellChoice(ALL, 1, "web" if not choice.source else "counter"),
                    ]
                    if answer.table.size[answer.table.labels.index(label)]:
                        cells += [CellChoice(label, 3), CellChoice(label, None)]
                    if kind is AgeKind.CALENDAR:
                        cells.append(CellChoice(ALL, None, period="2024-03"))
                    for cell in cells:
                        found = recount_cohort_figure(self.workspace, answer, cell)
                        with self.subTest(choice=choice, kind=kind, figure=figure, cell=cell):
                            self.assertTrue(found.agrees, found)

    def test_figures_of_new_and_returning(self) -> None:
        for choice in CHOICES:
            for measure in Measure:
                answer = self.newness(choice, Span.QUARTER, measure)
                for at in ("2023-Q3", answer.table.labels[-1], EVERYTHING, THIS_YEAR):
                    for side in Side:
                        found = recount_newness_figure(self.workspace, answer, NewnessFigureName(at=at, side=side))
                        with self.subTest(choice=choice, measure=measure, at=at, side=side):
                            self.assertTrue(found.agrees, found)

    def test_what_the_database_cannot_be_told_is_said(self) -> None:
        choice = CHOICES[0].model_copy(update={"where": "amount > 5"})
        answer = self.cohorts(CohortQuestion(**choice.model_dump()))
        found = recount_cohort_figure(self.workspace, answer, CellChoice(ALL, 1))
        self.assertEqual((found.database, found.agrees), (None, False))
        self.assertIn("no filter on orders", found.reason)


class Disagreement(RecountCase):
    def test_a_record_that_was_changed_behind_our_back_is_found(self) -> None:
        choice = CHOICES[0]
        answer = self.cohorts(CohortQuestion(**choice.model_dump()))
        newness = self.newness(choice, Span.YEAR, Measure.ORDERS)
        cell = CellChoice(ALL, None, period="2024-02")
        self.assertTrue(recount_cohort_figure(self.workspace, answer, cell).agrees)
        with self.workspace.record.engine.begin() as connection:
            changed = connection.execute(
                text(
                    "UPDATE orders SET amount = amount + 1 WHERE book_id = :book AND current AND status = 'paid' "
                    "AND ordered_on BETWEEN '2024-02-01' AND '2024-02-29' LIMIT 1"
                ),
                {"book": self.book.id},
            )
        self.assertEqual(changed.rowcount, 1)
        found = recount_cohort_figure(self.workspace, answer, cell)
        assert found.database is not None
        self.assertEqual(found.database.revenue_minor - found.page.revenue_minor, 10_000)
        self.assertEqual((found.database.customers, found.database.orders), (found.page.customers, found.page.orders))
        self.assertFalse(recount_newness_figure(self.workspace, newness, NewnessFigureName(at="2024")).agrees)


class Checks(RecountCase):
    def test_every_identity_is_held_and_whole_tables_are_counted_again(self) -> None:
        steps: list[tuple[str, int, int]] = []

        def progress(phase: str, done: int, total: int) -> None:
            steps.append((phase, done, total))

        checks = check_book(self.workspace, self.book, CHOICES[0], TODAY, progress)
        self.assertEqual([check for check in checks if not check.holds], [])
        self.assertEqual({check.number for check in checks}, set(range(1, 9)))
        self.assertEqual(len([check for check in checks if check.number == 8]), 13)
        self.assertEqual([done for _, done, _ in steps], list(range(len(steps))))
        self.assertEqual(steps[-1][1], steps[-1][2])
        of_days = check_book(self.workspace, self.book, CHOICES[3], TODAY, progress)
        self.assertEqual([check for check in of_days if not check.holds], [])
        by_orders, by_days = (
            next(check.found for check in found if check.claim == "Gaps are orders less customers")
            for found in (checks, of_days)
        )
        self.assertLess(by_days, by_orders)
        under_condition = check_book(self.workspace, self.book, CHOICES[2], TODAY, progress)
        self.assertEqual({check.number for check in under_condition}, set(range(1, 8)))

    def test_a_changed_record_fails_and_the_work_can_be_stopped(self) -> None:
        read_book(self.workspace, self.book, CHOICES[0], TODAY)
        with self.workspace.record.engine.begin() as connection:
            connection.execute(
                text("UPDATE orders SET ordered_on = '2023-05-05' WHERE book_id = :book AND current LIMIT 20"),
                {"book": self.book.id},
            )
        checks = check_book(self.workspace, self.book, CHOICES[0], TODAY, lambda *_: None)
        failed = {(check.number, check.where) for check in checks if not check.holds}
        self.assertEqual({number for number, _ in failed}, {8})
        self.assertIn((8, "by month"), failed)

        def stop(_phase: str, done: int, _total: int) -> None:
            if done == 3:
                raise Stopped("Enough.", remedy="")

        with self.assertRaises(Stopped):
            check_book(self.workspace, self.book, CHOICES[0], TODAY, stop)


if __name__ == "__main__":
    unittest.main()
