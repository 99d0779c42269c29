"""Recounts: whatever can be opened is counted again, and a wrong record is found out."""

from __future__ import annotations

import datetime as dt
import random
import unittest
from collections.abc import Iterator
from itertools import product

from sqlalchemy import text

from goldthread.core.book.days import to_date, to_day
from goldthread.core.choices import (
    AgeKind,
    CohortFigure,
    Flow,
    Measure,
    OrderUnit,
    Period,
    Side,
    Span,
    Stands,
    Waiting,
    Who,
)
from goldthread.core.records import OrderStatus
from goldthread.errors import Stopped
from goldthread.stops.behind.recount import Recounted
from goldthread.stops.checking import check_book
from goldthread.stops.cohorts.answer import CohortAnswer, ask_cohorts
from goldthread.stops.cohorts.question import ALL, CellChoice, CohortQuestion
from goldthread.stops.cohorts.recount import recount_cohort_figure
from goldthread.stops.followup.answer import ask_follow_up, ask_standing
from goldthread.stops.followup.question import (
    Contactable,
    FollowUpFigureName,
    FollowUpQuestion,
    StandingFigureName,
    StandingQuestion,
)
from goldthread.stops.followup.recount import recount_follow_up, recount_standing
from goldthread.stops.newness.answer import NewnessAnswer, ask_newness
from goldthread.stops.newness.question import EVERYTHING, THIS_YEAR, NewnessFigureName, NewnessQuestion
from goldthread.stops.newness.recount import recount_newness_figure
from goldthread.stops.reading import read_book
from goldthread.stops.rhythm.answer import ask_counts, ask_due, ask_gaps, ask_next_order
from goldthread.stops.rhythm.question import (
    CountsFigureName,
    CountsQuestion,
    DueFigureName,
    DueQuestion,
    GapsFigureName,
    GapsQuestion,
    NextOrderFigureName,
    NextOrderQuestion,
)
from goldthread.stops.rhythm.recount import recount_counts, recount_due, recount_gaps, recount_next_order
from goldthread.stops.sentences.reading_line import ReadingLine
from tests.support.sharing import deliver, write_csv
from tests.support.store import StoreCase

TODAY = dt.date(2025, 1, 15)
TODAY_NUMBER = to_day(TODAY)
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
        about = [(f"C{place}", ("Coast", "Hills")[place % 2]) for place in range(45)]
        path = write_csv(self.folder / "customers.csv", [("customer_no", "region"), *about])
        deliver(self.workspace, self.book, path, "office")

    def cohorts(self, question: CohortQuestion) -> CohortAnswer:
        return ask_cohorts(self.workspace, read_book(self.workspace, self.book, question, TODAY), question)

    def newness(self, choice: ReadingLine, span: Span, measure: Measure) -> NewnessAnswer:
        question = NewnessQuestion(**choice.model_dump(), period=span, measure=measure)
        return ask_newness(self.workspace, read_book(self.workspace, self.book, question, TODAY), question)


class Standings(RecountCase):
    def test_standings_flows_and_reasons_of_random_orders(self) -> None:
        asked = 0
        for choice, lapse in product(CHOICES, ("45d", "2m", "1.5x")):
            line = choice.model_copy(update={"lapse": lapse})
            question = StandingQuestion(**line.model_dump(), over=Period.QUARTER)
            read = read_book(self.workspace, self.book, question, TODAY)
            answer = ask_standing(self.workspace, read, question)
            assert answer.over is not None
            figures = [StandingFigureName(stands=stands) for stands in Stands]
            if lapse != "1.5x":
                at = answer.over.labels[-3]
                figures += [StandingFigureName(stands=stands, at=at) for stands in Stands]
                figures += [StandingFigureName(flow=flow, at=at) for flow in Flow]
            for figure in figures:
                found = recount_standing(self.workspace, answer, figure)
                with self.subTest(lapse=lapse, figure=figure, where=choice.where):
                    self.assertTrue(found.agrees, found)
                asked += found.page.customers > 0
            follow = FollowUpQuestion(**line.model_dump(), who=tuple(Who), contactable=Contactable.ALL)
            listed = ask_follow_up(self.workspace, read, follow)
            for reason in Who:
                again = recount_follow_up(self.workspace, listed, FollowUpFigureName(reason=reason))
                with self.subTest(lapse=lapse, reason=reason, where=choice.where):
                    self.assertTrue(again.agrees, again)
        self.assertGreater(asked, 30)


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
        self.assertEqual((found.database, found.agrees), (None, None))
        self.assertIn("no filter on orders", found.reason)


class Rhythm(RecountCase):
    def figures(self, choice: ReadingLine) -> Iterator[tuple[object, Recounted]]:
        """Figures of every question of the stop, each counted again."""
        said = choice.model_dump()
        read = read_book(self.workspace, self.book, choice, TODAY)
        for dates in ({}, {"from_date": "2023-03-01", "to_date": "2024-02-29"}):
            counts = ask_counts(self.workspace, read, CountsQuestion(**said, **dates, groups=4))
            for groups in ((), ("1",), ("2", "4+"), ("0", "3")):
                counted = CountsFigureName(orders=groups)
                yield counted, recount_counts(self.workspace, counts, counted)
        for by in ("all", "step", "region", "quarter"):
            gaps = ask_gaps(self.workspace, read, GapsQuestion(**said, by=by))
            labels = [] if gaps.table is None else [None, gaps.table.labels[0], gaps.table.labels[-1]]
            for label, (low, high) in product(labels, ((None, None), (0, 0), (30, 90))):
                spread = GapsFigureName(group=label, shortest=low, longest=high)
                yield (by, spread), recount_gaps(self.workspace, gaps, spread)
        for step, where in product((1, 3), Waiting):
            waits = ask_next_order(self.workspace, read, NextOrderQuestion(**said, step=step, split="region"))
            for label in (None, *waits.labels):
                waiting = NextOrderFigureName(days=60, who=where, group=label)
                yield (step, waiting), recount_next_order(self.workspace, waits, waiting)
        due = ask_due(self.workspace, read, DueQuestion(**said, within="91d"))
        days = [str(to_date(TODAY_NUMBER + place)) for place in (0, 5)]
        for at in ("", "late", "late-1", "late-2", "late-3", "late-4", "late-5", *days):
            yield at, recount_due(self.workspace, due, DueFigureName(at=at))

    def test_every_figure_agrees_but_those_that_the_database_cannot_be_asked(self) -> None:
        for choice in CHOICES:
            compared = 0
            for figure, found in self.figures(choice):
                with self.subTest(choice=choice, figure=figure):
                    if isinstance(figure, CountsFigureName) and "0" in figure.orders and choice.where:
                        self.assertIn("none without", found.reason)
                    else:
                        self.assertTrue(found.agrees, found)
                        compared += found.page.customers > 0
            self.assertGreater(compared, 40)

    def test_a_group_of_a_field_of_orders_cannot_be_asked(self) -> None:
        choice = CHOICES[0]
        read = read_book(self.workspace, self.book, choice, TODAY)
        gaps = ask_gaps(self.workspace, read, GapsQuestion(**choice.model_dump(), by="source"))
        found = recount_gaps(self.workspace, gaps, GapsFigureName(group="web"))
        self.assertEqual((found.database, found.page.orders > 0), (None, True))
        self.assertIn("groups of a field of orders", found.reason)


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
        self.assertEqual({check.number for check in checks}, {*range(1, 11), 12, 13})
        self.assertTrue(all(check.identity for check in checks))
        self.assertEqual(len([check for check in checks if check.number == 8]), 17)
        self.assertEqual(list(dict.fromkeys(done for _, done, _ in steps)), list(range(steps[-1][2] + 1)))
        self.assertEqual(steps[-1][1], steps[-1][2])
        # between two cells, too, the work can be stopped
        self.assertGreater(len(steps), 5 * steps[-1][2])
        of_days = check_book(self.workspace, self.book, CHOICES[3], TODAY, progress)
        self.assertEqual([check for check in of_days if not check.holds], [])
        by_orders, by_days = (
            next(check.found for check in found if check.claim == "Gaps are orders less customers")
            for found in (checks, of_days)
        )
        self.assertLess(by_days, by_orders)
        under_condition = check_book(self.workspace, self.book, CHOICES[2], TODAY, progress)
        self.assertEqual({check.number for check in under_condition}, {*range(1, 8), 9, 10, 12, 13})

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
