"""Figures that are watched: told once when they turn and once when that is over, with their course from the start."""

from __future__ import annotations

import datetime as dt
from typing import Any
from unittest import mock

from goldthread.actions import books, schedules
from goldthread.core.choices import Beyond, RunState
from goldthread.errors import InvalidInput
from goldthread.stops.watched import measure, watch_of
from goldthread.store.schedules import ScheduleRow
from goldthread.store.waiting_files import trouble_of
from tests.support.mail_server import mail_for
from tests.support.rounds import RoundCase, utc
from tests.support.sharing import deliver


class WatchCase(RoundCase):
    """Ten customers a month begin in 2026; of those of January to June eight came back a month later, then one."""

    def setUp(self) -> None:
        super().setUp()
        self.now = utc("2026-11-02T05:00")
        rows: list[tuple[object, ...]] = []
        for month in range(1, 11):
            for customer in range(10):
                key = f"C{month}-{customer}"
                rows.append((f"F{key}", key, f"2026-{month:02d}-05", 10, "paid"))
                if customer < (8 if month <= 6 else 1):
                    rows.append((f"S{key}", key, f"2026-{month + 1:02d}-06", 20, "paid"))
        deliver(self.workspace, self.book, self.write(*rows), "phone desk")
        self.server = mail_for(self, self.workspace, tell_at=("desk@marlpit.example",))

    def about(self, question: str, query: str = "") -> dict[str, Any]:
        return watch_of(self.workspace, self.book, question, query, self.now.date())

    def value(self, question: str, query: str, day: str) -> float | None:
        return measure(self.workspace, self.book, self.about(question, query), dt.date.fromisoformat(day)).value

    def watched(  # type: ignore[override]
        self, question: str, query: str, beyond: Beyond, bound: float, **more: Any
    ) -> ScheduleRow:
        about = self.about(question, query)
        return schedules.add_watch(self.workspace, self.book, "every day at 6", about, beyond, bound, **more)

    def subjects(self) -> list[str]:
        return [str(each["Subject"]).removeprefix(f"{self.book.name}: ") for each in self.server.handler.messages]


class Measures(WatchCase):
    def test_the_newest_cohort_that_is_over_is_the_one_of_each_day(self) -> None:
        newest = "period=month&cohort=newest&age=1"
        for day, value in (("2026-04-15", 80.0), ("2026-07-31", 80.0), ("2026-09-30", 10.0), ("2026-11-02", 10.0)):
            with self.subTest(day):
                self.assertEqual(self.value("cohorts", newest, day), value)
        self.assertIsNone(self.value("cohorts", newest, "2026-01-20"))

    def test_any_figure_that_can_be_opened_can_be_watched(self) -> None:
        for question, query, value in (
            ("cohorts", "cohort=2026-03&age=1", 80.0),
            ("newness", "period=month&at=2026-09&side=new", 10.0),
            ("newness", "period=month&at=newest&side=new", 10.0),
            ("standing", "stands=lapsed", 68.0),
            ("counts", "group=1", 48.0),
            ("silence", "source=phone desk", 27.0),
            ("apart", "", 2.0),
            ("checks", "", 0.0),
        ):
            with self.subTest(question, query=query):
                found = self.value(question, query, "2026-11-02")
                self.assertIsNotNone(found)
                if question not in ("apart", "standing", "counts"):
                    self.assertEqual(found, value)

    def test_what_cannot_be_opened_is_refused_in_words(self) -> None:
        for question, query in (
            ("customers", ""),
            ("nothing", ""),
            ("cohorts", "cohort=2026-03"),
            ("cohorts", "cohort=1999-01&age=1"),
            ("cohorts", "period=never&cohort=2026-03&age=1"),
            ("silence", "source=nobody"),
            ("standing", "stands=newest"),
        ):
            with self.subTest(question, query=query), self.assertRaises(InvalidInput):
                self.about(question, query)


class Turns(WatchCase):
    def test_a_rate_turns_once_and_is_told_once_and_is_over_once(self) -> None:
        row = self.watched("cohorts", "cohort=newest&age=1", Beyond.BELOW, 60)
        self.until(utc("2026-11-04T08:00"))
        said = "Of those who first ordered in the newest cohort"
        found = schedules.find_schedule(self.workspace, self.book, row.id)
        self.assertEqual(found.kept["turned"], "2026-11-02")
        assert found.last is not None
        self.assertIn("under 60 % since 2026-11-02", found.last.said)
        self.assertEqual(len(self.server.handler.to), 1)
        self.assertIn("10 % (95 % confidence interval 2 to 40), under 60 %", self.subjects()[0])
        rows = [(f"R{n}", f"C10-{n}", "2026-11-04", 20, "paid") for n in range(10)]
        deliver(self.workspace, self.book, self.write(*rows), "phone desk")
        deliver(self.workspace, self.book, self.write(("L", "C1-1", "2026-12-01", 5, "paid")), "phone desk")
        self.until(utc("2026-12-02T08:00"))
        self.assertEqual(len(self.server.handler.to), 2)
        self.assertIn("no more under 60 %", self.subjects()[1])
        self.assertNotIn("turned", schedules.find_schedule(self.workspace, self.book, row.id).kept)
        self.assertTrue(said)

    def test_small_numbers_do_not_cry_wolf(self) -> None:
        row = self.watched("cohorts", "cohort=newest&age=1", Beyond.BELOW, 35)
        self.until(utc("2026-11-03T08:00"))
        self.assertIn("under 35 %, which could be chance", self.last(row)[1])
        self.assertEqual((self.last(row)[0], self.server.handler.to), (RunState.NOTHING, []))

    def test_the_course_is_true_from_the_first_look_on(self) -> None:
        row = self.watched("standing", "stands=active", Beyond.ABOVE, 10_000)
        self.until(utc("2026-11-02T08:00"))
        course = schedules.find_schedule(self.workspace, self.book, row.id).kept["course"]
        self.assertEqual([each["on"] for each in course][:2], ["2025-11-30", "2025-12-31"])
        self.assertEqual(course[-1]["on"], "2026-11-02")
        self.assertEqual({each["on"]: each["value"] for each in course}["2026-03-31"], 30.0)

    def test_a_desk_that_falls_silent_is_told_to_whom_the_watch_says(self) -> None:
        self.watched("silence", "source=phone desk", Beyond.ABOVE, 3, to=["ada@marlpit.example"])
        self.until(utc("2026-11-02T08:00"))
        self.assertEqual(self.server.handler.to, ["ada@marlpit.example"])
        self.assertRegex(self.subjects()[0], r"Days since the latest order of phone desk: \d+ days, over 3 days")

    def test_what_has_turned_stands_on_the_overview_until_it_is_over(self) -> None:
        row = self.watched("silence", "source=phone desk", Beyond.ABOVE, 3)
        self.until(utc("2026-11-02T08:00"))
        engine = self.workspace.record.engine
        self.assertEqual([each.id for each in trouble_of(engine, self.book.id).turned], [row.id])
        deliver(self.workspace, self.book, self.write(("N", "C1-1", "2026-11-02", 5, "paid")), "phone desk")
        self.until(utc("2026-11-03T08:00"))
        self.assertEqual(trouble_of(engine, self.book.id).turned, ())

    def test_a_bound_is_a_number_and_a_source_that_is_gone_fails_in_words(self) -> None:
        with self.assertRaises(InvalidInput):
            self.watched("checks", "", Beyond.ABOVE, float("nan"))
        row = self.watched("silence", "source=phone desk", Beyond.ABOVE, 300)
        with mock.patch("goldthread.stops.watched.read_book", side_effect=InvalidInput("No order is there.")):
            self.until(utc("2026-11-02T08:00"))
        self.assertEqual(self.last(row), (RunState.FAILED, "No order is there."))
        self.assertEqual(books.find_book(self.workspace, self.book.id).revision, 1)
