"""Sentences, tables, questions, uploads and jobs."""

from __future__ import annotations

import dataclasses
import datetime as dt
import io
import os
import tempfile
import threading
import time
import unittest
from decimal import Decimal
from itertools import product
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from goldthread.actions.cohort_questions import CellChoice, CohortQuestion, Columns, FirstColumn
from goldthread.actions.cohort_wording import age_phrase, cohort_controls, cohort_manner, cohort_sentence
from goldthread.actions.files import KEPT_SECONDS, SentFile, find_file, forget, keep_files, receive
from goldthread.actions.jobs import AT_ONCE, FORGOTTEN_SECONDS, WAITING_MOST, Job, JobBoard, JobState, make_file
from goldthread.actions.questions import HistoryChoice, date_words, period_words
from goldthread.actions.reading import Read
from goldthread.actions.tables import money, money_texts, orders_csv
from goldthread.actions.upkeep import clean_up
from goldthread.actions.wording import count_words, plain, reading_line
from goldthread.actions.workspace import Shelved
from goldthread.core.cohort_figures import COUNTS, Average, CohortFigure
from goldthread.core.history import read_history
from goldthread.core.periods import AgeKind, Period, to_day
from goldthread.core.records import OrderStatus, Progress
from goldthread.errors import Conflict, GoldThreadError, InvalidInput, NotFound, Stopped, TooLarge, Unavailable
from goldthread.settings import Settings
from goldthread.store.books import BookRow
from goldthread.store.delivery import DeliveryReport
from goldthread.store.details import OrderDetail
from goldthread.store.revisions import Stamped
from tests.support import tiny

TODAY = dt.date(2025, 9, 1)


class Sentences(unittest.TestCase):
    def reading(self, choice: HistoryChoice) -> str:
        return plain(reading_line(self.read(choice)))

    def read(self, choice: HistoryChoice) -> Read:
        orders = tiny.book()
        history = read_history(orders, choice.rule(orders, TODAY))
        row = BookRow(1, "tiny", "EUR", "Europe/Lisbon", 1)
        return Read(row, Shelved(1, Stamped(1, "a"), orders), choice, history, None, None, [], None, ())

    def test_the_reading_line_names_sources_statuses_and_the_date(self) -> None:
        open_, paid, *_ = OrderStatus
        every, none = "orders of every source", "without condition"
        cases = {
            HistoryChoice(): (f"{every}, cancelled left out, as of 31 Aug 2025, {none}; 1 later order left out."),
            HistoryChoice("2024-12-31", tuple(OrderStatus), ("phone", "web")): (
                f"orders from phone and web, whatever their status, as of 31 Dec 2024, {none}; 9 later orders left out."
            ),
            HistoryChoice("2026-01-01", (paid,)): f"{every}, paid ones only, as of 1 Jan 2026, {none}.",
            HistoryChoice("2026-01-01", (open_, paid)): (
                f"{every}, cancelled and refunded left out, as of 1 Jan 2026, {none}."
            ),
            HistoryChoice("2026-01-01", source=("counter", "phone", "web")): (
                f"{every}, cancelled left out, as of 1 Jan 2026, {none}."
            ),
        }
        for choice, wanted in cases.items():
            with self.subTest(wanted=wanted):
                self.assertEqual(self.reading(choice), f"Reading {wanted}")

    def test_every_choice_has_its_own_words_and_each_control_states_one_of_its_options(self) -> None:
        read, seen = self.read(HistoryChoice()), set()
        choices = product(Period, AgeKind, CohortFigure, Average, FirstColumn, Columns, ("", "first_source"))
        for period, ages, figure, average, first, columns, split in choices:
            question = CohortQuestion(HistoryChoice(), period, ages, figure, average, first, columns, split=split)
            parts = [*cohort_sentence(question), *cohort_manner(question, read.fields)]
            controls = {c.name: c for c in cohort_controls(question, read, None)}
            for part in parts:
                if part.control is None:
                    continue
                control = controls[part.control]
                chosen = [option.label for option in control.options if option.value in control.chosen]
                self.assertEqual(chosen, [part.text])
            seen.add((plain(parts), average if figure in COUNTS else None))
        laid_out = 2 + 1 + 1 + 1
        self.assertEqual(len(seen), 4 * 2 * len(CohortFigure) * 2 * laid_out)

    def test_ages_and_periods_in_words(self) -> None:
        cases = {
            (Period.MONTH, AgeKind.CALENDAR, 0): "in the same month",
            (Period.WEEK, AgeKind.CALENDAR, 1): "1 calendar week later",
            (Period.YEAR, AgeKind.CALENDAR, 3): "3 calendar years later",
            (Period.MONTH, AgeKind.ELAPSED, 0): "within 30 days",
            (Period.QUARTER, AgeKind.ELAPSED, 1): "1 span of 91 days later",
            (Period.WEEK, AgeKind.ELAPSED, 12): "12 spans of 7 days later",
        }
        for place, words in cases.items():
            with self.subTest(place=place):
                self.assertEqual(age_phrase(*place), words)
        labels = {"2024": "2024", "2024-03": "Mar 2024", "2024-Q2": "quarter 2 of 2024", "2024-W05": "week 5 of 2024"}
        self.assertEqual({label: period_words(label) for label in labels}, labels)
        self.assertEqual(date_words(to_day(dt.date(2026, 7, 12))), "12 Jul 2026")
        self.assertEqual((count_words(1, "order"), count_words(2377, "order")), ("1 order", "2\u202f377 orders"))

    def test_the_first_column_is_hidden_where_it_is_always_whole(self) -> None:
        self.assertFalse(CohortQuestion().first_column_shown)
        for figure in (CohortFigure.CUSTOMERS, CohortFigure.AVERAGE_ORDER_VALUE, CohortFigure.PROFIT_PER_CUSTOMER):
            self.assertTrue(CohortQuestion(figure=figure).first_column_shown)
        self.assertTrue(CohortQuestion(first_column=FirstColumn.SHOWN).first_column_shown)


class Questions(unittest.TestCase):
    def as_of(self, text: str, today: dt.date = TODAY) -> int:
        return HistoryChoice(text).rule(tiny.book(), today).as_of_day

    def test_latest_is_the_last_order_date_that_is_not_after_today(self) -> None:
        self.assertEqual(self.as_of("latest"), tiny.AS_OF_DAY)
        self.assertEqual(self.as_of("latest", dt.date(2025, 9, 20)), to_day(dt.date(2025, 9, 15)))
        self.assertEqual(self.as_of("latest", dt.date(2000, 1, 1)), to_day(dt.date(2000, 1, 1)))
        self.assertEqual(self.as_of("today"), to_day(TODAY))
        self.assertEqual(self.as_of("2024-02-29"), to_day(dt.date(2024, 2, 29)))

    def test_choices_that_do_not_fit_the_book_are_told(self) -> None:
        wrong = {
            HistoryChoice("2025-02-30"): "as_of",
            HistoryChoice(status=()): "status",
            HistoryChoice(source=("x",)): "source",
        }
        for choice, field in wrong.items():
            with self.subTest(field=field), self.assertRaises(InvalidInput) as told:
                choice.rule(tiny.book(), TODAY)
            self.assertEqual(told.exception.field, field)
            self.assertTrue(told.exception.remedy)

    def test_a_cell_is_named_by_cohort_and_age(self) -> None:
        self.assertEqual(CellChoice.read("2024-01", "12"), CellChoice("2024-01", 12))
        self.assertEqual(CellChoice.read("all", "all"), CellChoice("all", None))
        for age in ("", "-1", "1.5", "²", "9999999", "2024-13-01"):
            with self.subTest(age=age), self.assertRaises(InvalidInput):
                CellChoice.read("2024-01", age)

    def test_amounts_are_written_alike_one_by_one_and_all_at_once(self) -> None:
        amounts = [0, 1, -1, 100, 12_345, -12_300, 10**18 - 1, -(10**18) + 1, 5_000]
        self.assertEqual(money_texts(np.array(amounts, np.int64)), [money(amount) for amount in amounts])

    def test_questions_cannot_be_changed_and_are_equal_by_value(self) -> None:
        self.assertEqual(hash(CohortQuestion()), hash(CohortQuestion(HistoryChoice("latest"))))
        with self.assertRaises(dataclasses.FrozenInstanceError):
            CohortQuestion().period = Period.YEAR  # type: ignore[misc]


class Tables(unittest.TestCase):
    @given(st.integers(-(10**18), 10**18))
    def test_money_is_exact(self, minor: int) -> None:
        self.assertEqual(Decimal(money(minor)) * 10_000, minor)
        self.assertIn(len(money(minor).split(".")[1]), (2, 4))

    def test_orders_are_written_with_iso_dates_and_quoted_where_needed(self) -> None:
        detail = OrderDetail("web", "W-9", OrderStatus.PAID, dt.date(2024, 1, 15), Decimal("188.0050"), "", "", "")
        lines = orders_csv([('Eskil "Kit", Orme', "C05", detail)]).split("\r\n")
        self.assertEqual(lines[1], 'C05,"Eskil ""Kit"", Orme",web,W-9,2024-01-15,188.0050,paid')


class Uploads(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.settings = Settings(var=Path(folder.name))

    def keep(self, name: str, content: bytes) -> list[SentFile]:
        arrival = receive(self.settings, 1, name, io.BytesIO(content))
        return keep_files(self.settings, arrival, lambda *_progress: None)

    def test_the_senders_name_is_shown_and_never_a_path(self) -> None:
        for name, shown in {"..\\..\\a.csv": "a.csv", "/etc/passwd": "passwd", "plain.csv": "plain.csv"}.items():
            [kept] = self.keep(name, b"x")
            found = find_file(self.settings, 1, kept.token)
            with self.subTest(name=name):
                self.assertEqual((found.name, found.table().path.read_bytes()), (shown, b"x"))
                self.assertTrue(found.folder.is_relative_to(self.settings.uploads))
                forget(found)
                with self.assertRaises(NotFound):
                    find_file(self.settings, 1, kept.token)
                self.assertEqual(list(self.settings.uploads.iterdir()), [])

    def test_old_ones_are_removed_and_strange_names_never_found(self) -> None:
        [old] = self.keep("old.csv", b"x")
        long_ago = time.time() - KEPT_SECONDS - 1
        os.utime(old.folder, (long_ago, long_ago))
        [new] = self.keep("new.csv", b"y")
        for token in (old.token, "..", "../uploads", "x" * 32):
            with self.subTest(token=token), self.assertRaises(NotFound):
                find_file(self.settings, 1, token)
        with self.assertRaises(NotFound):
            find_file(self.settings, 2, new.token)

    def test_what_waits_has_an_end_and_what_broke_off_is_removed(self) -> None:
        small = dataclasses.replace(self.settings, uploads_limit_mib=1)
        receive(small, 1, "first.csv", io.BytesIO(b"x" * 700_000))
        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            receive(small, 1, "second.csv", io.BytesIO(b"x" * 700_000))
        self.assertEqual(len(list(self.settings.uploads.iterdir())), 1)
        [kept] = self.keep("whole.csv", b"x")
        clean_up(self.settings)
        self.assertEqual([each.name for each in self.settings.uploads.iterdir()], [kept.token])


class Jobs(unittest.TestCase):
    def ended(self, job: Job) -> Job:
        self.assertTrue(job.ended.wait(30))
        return job

    def test_a_file_that_broke_off_leaves_nothing(self) -> None:
        written: list[Path] = []

        def write(target: Path) -> None:
            target.write_text("half", encoding="ascii")
            written.append(target)
            if len(written) == 2:
                raise Stopped("stopped", remedy="again")

        opened: list[int] = []

        def make_temporary(prefix: str, suffix: str) -> tuple[int, str]:
            handle, path = mkstemp(prefix=prefix, suffix=suffix)
            opened.append(handle)
            return handle, path

        mkstemp = tempfile.mkstemp
        with (
            mock.patch("goldthread.actions.jobs.tempfile.mkstemp", make_temporary),
            mock.patch("goldthread.actions.jobs.os.close", wraps=os.close) as closed,
        ):
            made = make_file("a.zip", "application/zip", write)
            self.addCleanup(made.path.unlink)
            with self.assertRaises(Stopped):
                make_file("b.zip", "application/zip", write)
        self.assertEqual((made.path, made.path.suffix, made.path.read_text()), (written[0], ".zip", "half"))
        self.assertFalse(written[1].exists())
        self.assertEqual(len(opened), len(written))
        self.assertLessEqual(set(opened), {call.args[0] for call in closed.call_args_list})

    def test_a_job_tells_its_progress_and_its_report(self) -> None:
        board, reached, go_on = JobBoard(), threading.Event(), threading.Event()

        def work(progress: Progress) -> DeliveryReport:
            progress("reading", 10, 40)
            reached.set()
            go_on.wait(30)
            progress("writing", 40, 40)
            return DeliveryReport(rows_in=40)

        job = board.start(work)
        self.assertTrue(reached.wait(30))
        self.assertIs(board.find(job.id), job)
        self.assertEqual((job.state, job.phase, job.done, job.total), (JobState.RUNNING, "reading", 10, 40))
        assert job.seconds_left is not None
        self.assertGreaterEqual(job.seconds_left, 0)
        go_on.set()
        self.assertEqual(self.ended(job).state, JobState.DONE)
        assert isinstance(job.result, DeliveryReport)
        self.assertEqual((job.phase, job.result.rows_in), ("writing", 40))

    def test_a_few_run_at_once_the_others_wait_and_there_is_an_end_to_it(self) -> None:
        board, go_on = JobBoard(), threading.Event()
        lock, most, now = threading.Lock(), 0, 0

        def work(_progress: Progress) -> DeliveryReport:
            nonlocal most, now
            with lock:
                now += 1
                most = max(most, now)
            go_on.wait(30)
            with lock:
                now -= 1
            return DeliveryReport()

        started = [board.start(work) for _ in range(AT_ONCE + WAITING_MOST)]
        with self.assertRaisesRegex(Unavailable, "under way or wait"):
            board.start(work)
        waiting = [job for job in started if job.phase == "waiting"]
        self.assertGreaterEqual(len(waiting), WAITING_MOST)
        waiting[-1].stop_wanted.set()
        go_on.set()
        states = [self.ended(job).state for job in started]
        self.assertEqual(most, AT_ONCE)
        self.assertEqual((states.count(JobState.DONE), waiting[-1].state), (len(started) - 1, JobState.STOPPED))

    def test_a_look_that_nobody_asks_about_any_more_is_stopped(self) -> None:
        board = JobBoard()
        told = threading.Event()

        def forever(progress: Progress) -> DeliveryReport:
            while True:
                progress("looking", 0, 0)
                told.set()

        job = board.start(forever, attended=True)
        self.assertTrue(told.wait(30))
        job.asked -= FORGOTTEN_SECONDS + 1
        self.assertEqual(self.ended(job).state, JobState.STOPPED)

    def test_stopping_failing_and_breaking_are_told_apart(self) -> None:
        def refuse(_progress: Progress) -> DeliveryReport:
            raise Conflict("taken")

        def break_(_progress: Progress) -> DeliveryReport:
            raise ZeroDivisionError("inside")

        def forever(progress: Progress) -> DeliveryReport:
            while True:
                progress("reading", 1, 2)

        board = JobBoard()
        failed = self.ended(board.start(refuse))
        self.assertEqual((failed.state, failed.error and failed.error.detail), (JobState.FAILED, "taken"))
        with self.assertLogs("goldthread.actions.jobs", "ERROR"):
            broken = self.ended(board.start(break_))
        assert isinstance(broken.error, GoldThreadError)
        self.assertNotIn("inside", broken.error.detail)
        running = board.start(forever)
        running.stop_wanted.set()
        self.assertEqual(self.ended(running).state, JobState.STOPPED)
        self.assertIsInstance(running.error, Stopped)
        with self.assertRaises(NotFound):
            board.find("unknown")


class Settled(unittest.TestCase):
    def test_reports_add_up_by_name(self) -> None:
        report = DeliveryReport(rows_read=5, rows_in=3, rows_repeated=1, rows_rejected=1)
        counts = report.counts()
        self.assertEqual(counts["rows_read"], counts["rows_in"] + counts["rows_repeated"] + counts["rows_rejected"])
        self.assertTrue(all(isinstance(value, int | np.integer) for value in counts.values()))


if __name__ == "__main__":
    unittest.main()
