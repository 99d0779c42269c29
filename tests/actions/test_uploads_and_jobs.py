"""Files that are sent and kept, and pieces of work that take a while."""

from __future__ import annotations

import datetime as dt
import io
import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import zipfile
from functools import partial
from pathlib import Path
from unittest import mock

import numpy as np

from goldthread.actions.jobs import AT_ONCE, FORGOTTEN_SECONDS, WAITING_MOST, Job, JobBoard, JobState, Made, make_file
from goldthread.actions.upkeep import clean_up
from goldthread.actions.uploads import KEPT_SECONDS, SentFile, find_file, forget, keep_files, receive
from goldthread.core.records import Progress
from goldthread.errors import Conflict, GoldThreadError, NotFound, Stopped, TooLarge, Unavailable
from goldthread.processes import KnownProcess
from goldthread.settings import Settings
from goldthread.store.write.delivery import DeliveryReport

TODAY = dt.date(2025, 9, 1)


GONE = KnownProcess(999_999_999, 1.0)


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
        small = self.settings.model_copy(update={"uploads_limit_mib": 1})
        receive(small, 1, "first.csv", io.BytesIO(b"x" * 700_000))
        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            receive(small, 1, "second.csv", io.BytesIO(b"x" * 700_000))
        self.assertEqual(len(list(self.settings.uploads.iterdir())), 1)
        [kept] = self.keep("whole.csv", b"x")
        [ours] = [each for each in self.settings.uploads.iterdir() if each.name != kept.token]
        theirs = ours.rename(ours.with_name(f"arriving-x.{GONE.pid}-{GONE.started:.2f}"))
        (self.settings.uploads / "arriving-nobody").mkdir()
        clean_up(self.settings)
        self.assertFalse(theirs.exists())
        self.assertEqual([each.name for each in self.settings.uploads.iterdir()], [kept.token])

    def test_what_another_process_has_under_way_stays(self) -> None:
        arrival = receive(self.settings, 1, "first.csv", io.BytesIO(b"x"))
        other = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        known = KnownProcess.of(other.pid)
        theirs = arrival.folder.rename(self.settings.uploads / f"arriving-x.{known.pid}-{known.started:.2f}")
        unfinished = self.settings.snapshots / f"7-a-x.{known.pid}-{known.started:.2f}.new"
        beside = self.settings.snapshots / "7-3-a" / f"lines.{known.pid}-{known.started:.2f}.new"
        unfinished.mkdir(parents=True)
        beside.mkdir(parents=True)
        clean_up(self.settings)
        self.assertTrue(theirs.exists() and unfinished.exists() and beside.exists())
        other.communicate(b"\n")
        clean_up(self.settings)
        self.assertFalse(theirs.exists() or unfinished.exists() or beside.exists())

    def test_files_that_arrive_at_the_same_moment_share_the_room(self) -> None:
        small = self.settings.model_copy(update={"uploads_limit_mib": 2})

        class Meanwhile(io.BytesIO):
            def read(self, size: int | None = -1, /) -> bytes:
                if self.tell() == 0:
                    receive(small, 1, "second.csv", io.BytesIO(b"y" * (1 << 20)))
                return super().read(size)

        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            receive(small, 1, "first.csv", Meanwhile(b"x" * (3 << 19)))
        self.assertEqual(len(list(self.settings.uploads.iterdir())), 1)

    def test_what_a_file_unpacks_to_counts_too(self) -> None:
        small = self.settings.model_copy(update={"uploads_limit_mib": 1})
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("orders.csv", b"order,customer,date\n" + b"1,2,2024-01-01\n" * 100_000)
        arrival = receive(small, 1, "orders.zip", io.BytesIO(packed.getvalue()))
        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            keep_files(small, arrival, lambda *_progress: None)
        self.assertEqual(list(self.settings.uploads.iterdir()), [])


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

        given_up: list[int] = []
        started = [
            board.start(work, never_begun=partial(given_up.append, place)) for place in range(AT_ONCE + WAITING_MOST)
        ]
        with self.assertRaisesRegex(Unavailable, "under way or wait"):
            board.start(work, never_begun=partial(given_up.append, -1))
        self.assertEqual(given_up, [-1])
        waiting = [job for job in started if job.phase == "waiting"]
        self.assertGreaterEqual(len(waiting), WAITING_MOST)
        waiting[-1].stop_wanted.set()
        go_on.set()
        states = [self.ended(job).state for job in started]
        self.assertEqual(most, AT_ONCE)
        self.assertEqual((states.count(JobState.DONE), waiting[-1].state), (len(started) - 1, JobState.STOPPED))
        self.assertEqual(given_up, [-1, started.index(waiting[-1])])

    def test_files_that_were_made_wait_so_long_and_take_so_much(self) -> None:
        board, folder = JobBoard(), tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)

        def made(name: str) -> Path:
            path = Path(folder.name) / name
            path.write_bytes(b"x" * 1_000)
            self.ended(board.start(lambda _progress: Made(path, name, "text/plain")))
            return path

        with mock.patch("goldthread.actions.jobs.FILES_KEPT_BYTES", 2_500):
            files = [made(name) for name in "abcd"]
            self.assertEqual([each.exists() for each in files], [False, False, True, True])
        with mock.patch("goldthread.actions.jobs.FILES_KEPT_BYTES", 10):
            last = made("e")
            self.assertEqual([each.exists() for each in (*files, last)], [False] * 4 + [True])
        with mock.patch("goldthread.actions.jobs.FILES_KEPT_SECONDS", 0):
            self.ended(board.start(lambda _progress: DeliveryReport()))
        self.assertFalse(last.exists())

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
