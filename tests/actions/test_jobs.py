"""Pieces of work on record: done by one worker each, told of by any process, ended, left behind and taken up again."""

from __future__ import annotations

import io
import os
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

from sqlalchemy import text, update

from goldthread.actions import books
from goldthread.actions import worker as workers
from goldthread.actions.jobs import AT_ONCE, WAITING_MOST, Arguments, JobBoard, Kind, Made, make_file
from goldthread.actions.uploads import keep_files, receive
from goldthread.actions.worker import Chore, Worker
from goldthread.api.shapes.intake import DeliveryIn
from goldthread.api.work import KINDS, tell_error, tell_result
from goldthread.core.choices import JobState
from goldthread.core.records import FileKind, Progress
from goldthread.errors import Conflict, NotFound, Stopped, Unavailable
from goldthread.processes import POLL_SECONDS, mark
from goldthread.settings import load_settings
from goldthread.store import jobs as record
from goldthread.store.books import BookRow
from goldthread.store.jobs import JobRow
from goldthread.store.schema.models import Job
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace, open_workspace
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv
from tests.support.state import state_of

LIMIT_SECONDS = 60
HEADER = ("order", "customer_no", "date", "amount")
AFTER_THE_END = "bringing forward"
"""The phase of a delivery in which it stands on record already."""
ASKED = {"asked": {}, "today": "2025-09-01"}
Do = Callable[[Workspace, Arguments, Progress], Any]
OTHER_WORKER = """
import sys
from tests.actions.test_jobs import hang
hang(*sys.argv[1:])
"""


def hang(name: str, kind: str, phase: str) -> None:
    """A worker in a process of its own that begins a piece of work of a kind and never comes beyond a phase."""

    def do(workspace: Workspace, given: Arguments, progress: Progress) -> Any:
        def until_phase(now: str, done: int, total: int) -> None:
            progress(now, done, total)
            if now == phase:
                sys.stdin.read()

        return KINDS[kind].do(workspace, given, until_phase)

    Worker(open_workspace(load_settings()), {name: Kind(do)}, tell_result, tell_error).start()
    threading.Event().wait()


def empty(_workspace: Workspace, _given: Arguments, _progress: Progress) -> DeliveryReport:
    return DeliveryReport()


def for_ever(_workspace: Workspace, _given: Arguments, progress: Progress) -> DeliveryReport:
    while True:
        progress("looking", 1, 2)
        time.sleep(POLL_SECONDS)


class Jobs(unittest.TestCase):
    def setUp(self) -> None:
        self.workspace = shared_workspace()
        self.engine = self.workspace.record.engine
        self.name = f"kind {uuid.uuid4().hex[:12]}"

    def kinds(self, do: Do, **more: Any) -> dict[str, Kind]:
        return {self.name: Kind(do, **more)}

    @contextmanager
    def working(self, kinds: dict[str, Kind]) -> Iterator[Worker]:
        worker = Worker(self.workspace, kinds, tell_result, tell_error)
        worker.start()
        try:
            yield worker
        finally:
            worker.end()

    @contextmanager
    def hanging(self, kind: str, phase: str) -> Iterator[subprocess.Popen[bytes]]:
        """Another process that does a kind of work under this test's name, up to a phase."""
        other = subprocess.Popen(
            [sys.executable, "-c", OTHER_WORKER, self.name, kind, phase],
            stdin=subprocess.PIPE,
            env=os.environ | {"GOLDTHREAD_VAR": str(self.workspace.settings.var)},
        )
        try:
            yield other
        finally:
            other.kill()
            other.communicate()

    def book(self) -> BookRow:
        """A book with one order."""
        book = new_book(self.workspace)
        with tempfile.TemporaryDirectory() as folder:
            deliver(self.workspace, book, write_csv(Path(folder) / "a.csv", [HEADER, ("A-1", "C1", "2024-01-05", "1")]))
        return book

    def job(self, job: JobRow) -> JobRow:
        return record.find(self.engine, job.id)

    def until(self, job: JobRow, is_so: Callable[[JobRow], bool]) -> JobRow:
        deadline = time.monotonic() + LIMIT_SECONDS
        while not is_so(found := self.job(job)):
            self.assertLess(time.monotonic(), deadline, found)
            time.sleep(POLL_SECONDS)
        return found

    def ended(self, job: JobRow) -> JobRow:
        return self.until(job, lambda now: now.state not in (JobState.WAITING, JobState.RUNNING))

    def told(self, job: JobRow) -> dict[str, Any]:
        return (self.ended(job).told or {})["error"]  # type: ignore[no-any-return]

    def test_a_job_tells_its_progress_and_its_report(self) -> None:
        go_on = threading.Event()

        def work(_workspace: Workspace, given: Arguments, progress: Progress) -> DeliveryReport:
            progress("reading", 10, 40)
            go_on.wait(LIMIT_SECONDS)
            progress("writing", 40, 40)
            return DeliveryReport(rows_in=given["rows"])

        kinds = self.kinds(work)
        with self.working(kinds):
            job = JobBoard(self.workspace, kinds).start(self.name, rows=40)
            now = self.until(job, lambda now: now.done > 0)
            self.assertEqual((now.state, now.phase, now.done, now.total), (JobState.RUNNING, "reading", 10, 40))
            assert now.seconds_left is not None
            self.assertGreaterEqual(now.seconds_left, 0)
            go_on.set()
            ended = self.ended(job)
        self.assertEqual((ended.state, ended.phase), (JobState.DONE, "writing"))
        self.assertEqual((ended.told or {})["report"]["counts"]["rows_in"], 40)

    def test_a_few_run_at_once_the_others_wait_and_there_is_an_end_to_it(self) -> None:
        full, go_on, lock = threading.Event(), threading.Event(), threading.Lock()
        most, now, given_up = 0, 0, list[int]()

        def work(_workspace: Workspace, _given: Arguments, _progress: Progress) -> DeliveryReport:
            nonlocal most, now
            with lock:
                now += 1
                most = max(most, now)
                if now == AT_ONCE:
                    full.set()
            go_on.wait(LIMIT_SECONDS)
            with lock:
                now -= 1
            return DeliveryReport()

        kinds = self.kinds(work, never_begun=lambda _workspace, given: given_up.append(given["place"]))
        board = JobBoard(self.workspace, kinds)
        with self.working(kinds):
            started = [board.start(self.name, place=place) for place in range(AT_ONCE + WAITING_MOST)]
            with self.assertRaisesRegex(Unavailable, "under way or wait"):
                board.start(self.name, place=-1)
            self.assertEqual(given_up, [-1])
            board.stop(started[-1].id)
            self.assertTrue(full.wait(LIMIT_SECONDS))
            go_on.set()
            states = [self.ended(job).state for job in started]
        self.assertEqual(most, AT_ONCE)
        self.assertEqual((states.count(JobState.DONE), states[-1]), (len(started) - 1, JobState.STOPPED))
        self.assertEqual(given_up, [-1, len(started) - 1])

    def test_files_that_were_made_wait_so_long_and_take_so_much(self) -> None:
        folder = self.workspace.settings.made

        def work(_workspace: Workspace, given: Arguments, _progress: Progress) -> Made:
            return make_file(f"{given['name']}.txt", "text/plain", lambda path: _written(path, b"x" * 1_000))

        def _written(path: Path, content: bytes) -> None:
            path.write_bytes(content)

        kinds = self.kinds(work)
        board = JobBoard(self.workspace, kinds)

        def taken(job: JobRow) -> bool:
            try:
                return board.take_file(job.id).path.read_bytes() == b"x" * 1_000
            except NotFound:
                return False

        def eventually(jobs: list[JobRow], expected: list[bool]) -> None:
            deadline = time.monotonic() + LIMIT_SECONDS
            while [taken(job) for job in jobs] != expected and time.monotonic() < deadline:
                time.sleep(POLL_SECONDS)
            self.assertEqual([taken(job) for job in jobs], expected)

        with mock.patch.object(workers, "ROUND_SECONDS", POLL_SECONDS):
            with mock.patch.object(workers, "FILES_KEPT_BYTES", 2_500), self.working(kinds):
                jobs = []
                for name in "abcd":
                    jobs.append(board.start(self.name, name=name))
                    self.ended(jobs[-1])
                eventually(jobs, [False, False, True, True])
            made = board.take_file(jobs[-1].id)
            self.assertEqual((made.name, made.content_type, made.path.parent), ("d.txt", "text/plain", folder))
            self.assertEqual((folder.stat().st_mode & 0o077), 0)
            with mock.patch.object(workers, "FILES_KEPT_BYTES", 10), self.working(kinds):
                eventually(jobs, [False, False, False, True])
            with mock.patch.object(workers, "FILES_KEPT_SECONDS", 0), self.working(kinds):
                eventually(jobs, [False] * 4)
        self.assertFalse(made.path.exists())

    def test_of_work_that_has_ended_the_last_is_remembered(self) -> None:
        kinds = self.kinds(empty)
        board = JobBoard(self.workspace, kinds)
        with (
            mock.patch.object(record, "JOBS_KEPT", 2),
            mock.patch.object(workers, "ROUND_SECONDS", POLL_SECONDS),
            self.working(kinds),
        ):
            first = board.start(self.name)
            for _ in range(2):
                self.ended(board.start(self.name))
            deadline = time.monotonic() + LIMIT_SECONDS
            with self.assertRaises(NotFound):
                while time.monotonic() < deadline:
                    board.find(first.id)

    def test_a_look_that_nobody_asks_about_any_more_is_stopped(self) -> None:
        kinds = self.kinds(for_ever, is_attended=True)
        with self.working(kinds):
            job = JobBoard(self.workspace, kinds).start(self.name)
            self.until(job, lambda now: now.done > 0)
            asked = text(f"UTC_TIMESTAMP(6) - INTERVAL {record.FORGOTTEN_SECONDS + 1} SECOND")
            with self.engine.begin() as connection:
                connection.execute(update(Job).where(Job.id == job.id).values(asked_at=asked))
            deadline = time.monotonic() + LIMIT_SECONDS
            state = JobState.RUNNING
            while state == JobState.RUNNING and time.monotonic() < deadline:
                with self.engine.connect() as connection:
                    state = connection.execute(
                        text("SELECT state FROM jobs WHERE id = :id"), {"id": job.id}
                    ).scalar_one()
        self.assertEqual(state, JobState.STOPPED)

    def test_stopping_failing_and_breaking_are_told_apart(self) -> None:
        def work(workspace: Workspace, given: Arguments, progress: Progress) -> DeliveryReport:
            if given["how"] == "refuse":
                raise Conflict("taken")
            if given["how"] == "break":
                raise ZeroDivisionError("inside")
            return for_ever(workspace, given, progress)

        kinds = self.kinds(work)
        board = JobBoard(self.workspace, kinds)
        with self.working(kinds), self.assertLogs("goldthread.actions.worker", "ERROR"):
            self.assertEqual(self.told(failed := board.start(self.name, how="refuse"))["detail"], "taken")
            self.assertEqual(self.job(failed).state, JobState.FAILED)
            self.assertNotIn("inside", self.told(board.start(self.name, how="break"))["detail"])
            board.stop((running := board.start(self.name, how="go on")).id)
            self.assertEqual(self.ended(running).state, JobState.STOPPED)
            self.assertEqual(self.told(running)["type"], "urn:goldthread:Stopped")
        with self.assertRaises(NotFound):
            board.find("unknown")

    def test_a_worker_that_ends_leaves_to_others_what_can_be_begun_again(self) -> None:
        again, once = self.kinds(for_ever, is_repeatable=True), {f"{self.name} once": Kind(for_ever)}
        kinds = again | once
        board = JobBoard(self.workspace, kinds)
        with self.working(kinds):
            left, stopped = board.start(self.name), board.start(f"{self.name} once")
            self.until(left, lambda now: now.done > 0)
            self.until(stopped, lambda now: now.done > 0)
        self.assertEqual((self.job(left).state, self.job(stopped).state), (JobState.WAITING, JobState.STOPPED))
        with self.working(self.kinds(empty)):
            self.assertEqual(self.ended(left).state, JobState.DONE)

    def test_what_a_killed_worker_did_is_taken_up_again_where_that_may_be_else_it_has_failed(self) -> None:
        for is_repeatable, expected in ((True, JobState.DONE), (False, JobState.FAILED)):
            with self.subTest(is_repeatable=is_repeatable):
                self.name = f"kind {uuid.uuid4().hex[:12]}"
                kinds = self.kinds(empty, is_repeatable=is_repeatable)
                with self.hanging("check", "Gaps") as other:
                    job = JobBoard(self.workspace, kinds).start(self.name, book=self.book().id, **ASKED)
                    self.until(job, lambda now: now.phase == "Gaps")
                    with mock.patch.object(workers, "ROUND_SECONDS", POLL_SECONDS), self.working(kinds):
                        self.assertEqual(self.job(job).state, JobState.RUNNING)
                        other.kill()
                        other.wait()
                        self.assertEqual(self.ended(job).state, expected)
                if not is_repeatable:
                    self.assertIn("process that did this has ended", self.told(job)["detail"])

    def sent(self, book: BookRow) -> dict[str, Any]:
        """The arguments of importing a file of 200 orders, which was sent to a book."""
        rows = [(f"B-{at}", f"C{at % 40}", "2024-02-05", "2") for at in range(200)]
        content = "\n".join(",".join(row) for row in (HEADER, *rows)).encode()
        arrival = receive(self.workspace.settings, book.id, "more.csv", io.BytesIO(content))
        [sent] = keep_files(self.workspace.settings, arrival, lambda *_progress: None)
        body = DeliveryIn(upload=sent.token, source="web", kind=FileKind.ORDERS)
        return {"book": book.id, "body": body.model_dump(mode="json")}

    def test_a_delivery_whose_worker_is_killed_before_its_end_has_never_happened(self) -> None:
        phases = dict[str, int]()
        KINDS["import"].do(self.workspace, self.sent(self.book()), lambda phase, *_: phases.update({phase: 1}))
        self.assertEqual(list(phases)[-1], AFTER_THE_END)
        book = self.book()
        given = self.sent(book)
        before = (state_of(self.workspace, book), books.find_book(self.workspace, book.id).revision)
        for phase in phases:
            with self.subTest(phase=phase):
                self.name = f"kind {uuid.uuid4().hex[:12]}"
                kinds = self.kinds(KINDS["import"].do)
                with self.hanging("import", phase) as other:
                    job = JobBoard(self.workspace, kinds).start(self.name, **given)
                    self.until(job, lambda now, phase=phase: now.phase == phase)  # type: ignore[misc]
                    other.kill()
                    other.wait()
                    with mock.patch.object(workers, "ROUND_SECONDS", POLL_SECONDS), self.working(kinds):
                        self.assertEqual(self.ended(job).state, JobState.FAILED)
                after = (state_of(self.workspace, book), books.find_book(self.workspace, book.id).revision)
                self.assertEqual(after == before, phase != AFTER_THE_END)

    def test_what_kills_every_worker_is_not_begun_for_ever(self) -> None:
        kinds = self.kinds(for_ever, is_repeatable=True)
        job = JobBoard(self.workspace, kinds).start(self.name)
        gone = f"{socket.gethostname()}.999999999-1.00"
        for _ in range(record.TRIES_MOST):
            self.assertIsNotNone(record.take_up(self.engine, kinds[self.name].lane, kinds, gone))
            record.put_back(self.engine, gone, job.id)
        record.take_up(self.engine, kinds[self.name].lane, kinds, gone)
        with mock.patch.object(workers, "ROUND_SECONDS", POLL_SECONDS), self.working(kinds):
            self.assertIn("three times", self.told(job)["detail"])

    def test_each_piece_of_work_is_done_once_by_however_many_workers(self) -> None:
        lock, done = threading.Lock(), list[int]()

        def work(_workspace: Workspace, given: Arguments, _progress: Progress) -> DeliveryReport:
            with lock:
                done.append(given["place"])
            return DeliveryReport()

        kinds = self.kinds(work)
        board = JobBoard(self.workspace, kinds)
        with self.working(kinds), self.working(kinds), self.working(kinds):
            for job in [board.start(self.name, place=place) for place in range(WAITING_MOST)]:
                self.ended(job)
        self.assertEqual(sorted(done), list(range(WAITING_MOST)))

    def test_work_that_became_another_workers_is_stopped_and_its_end_is_not_put_down(self) -> None:
        stopped = threading.Event()

        def work(workspace: Workspace, given: Arguments, progress: Progress) -> DeliveryReport:
            try:
                return for_ever(workspace, given, progress)
            except Stopped:
                stopped.set()
                raise

        kinds = self.kinds(work)
        with self.assertLogs("goldthread.actions.worker", "WARNING"), self.working(kinds):
            job = JobBoard(self.workspace, kinds).start(self.name)
            self.until(job, lambda now: now.done > 0)
            with self.engine.begin() as connection:
                connection.execute(update(Job).where(Job.id == job.id).values(worker=f"elsewhere{mark()}"))
            self.assertTrue(stopped.wait(LIMIT_SECONDS))
        self.assertEqual(self.job(job).state, JobState.RUNNING)
        record.end(self.engine, f"elsewhere{mark()}", job.id, JobState.DONE, {}, "", "")

    def test_what_an_idle_worker_holds_is_let_go(self) -> None:
        idle = threading.Event()
        kinds = self.kinds(empty)
        worker = Worker(self.workspace, kinds, tell_result, tell_error, idle.set)
        worker.start()
        try:
            JobBoard(self.workspace, kinds).start(self.name)
            self.assertTrue(idle.wait(LIMIT_SECONDS))
        finally:
            worker.end()

    def test_every_kind_of_work_says_whether_it_may_be_begun_again(self) -> None:
        once = {name for name, kind in KINDS.items() if not kind.is_repeatable}
        self.assertEqual(once, {"look at arrival", "import", "withdraw", "import book", "refresh", "send"})


class FilesMade(unittest.TestCase):
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


class Chores(unittest.TestCase):
    def test_a_chore_waits_neither_for_one_that_takes_long_nor_for_one_that_fails(self) -> None:
        seen, over = threading.Semaphore(0), threading.Event()
        self.addCleanup(over.set)

        def fail() -> None:
            raise Unavailable("The disk is away.")

        chores = (Chore(lambda: over.wait(LIMIT_SECONDS)), Chore(fail, LIMIT_SECONDS), Chore(seen.release))
        with mock.patch.object(workers, "CHORES_SECONDS", POLL_SECONDS):
            worker = Worker(shared_workspace(), {}, tell_result, tell_error, chores=chores)
            worker.start()
            self.addCleanup(worker.end)
            for _ in range(3):
                self.assertTrue(seen.acquire(timeout=LIMIT_SECONDS))


if __name__ == "__main__":
    unittest.main()
