"""A book that does things by itself, by a clock of the test's own. Its moments are UTC, as on record."""

from __future__ import annotations

import datetime as dt
import json
import os
from pathlib import Path
from unittest import mock

from sqlalchemy import text

from goldthread.actions import arriving, schedules
from goldthread.api.work import KINDS
from goldthread.core.choices import JobState, Lane, RunState
from goldthread.core.records import unreported
from goldthread.store import jobs
from goldthread.store.schedules import RUN, SEND, ScheduleRow
from goldthread.store.waiting_files import WaitingRow
from tests.support.sharing import write_csv
from tests.support.store import StoreCase

HEADER = ("order", "customer_no", "date", "amount", "status")
LONG_AGO_SECONDS = 3600


def utc(said: str) -> dt.datetime:
    """A moment as it stands on record."""
    return dt.datetime.fromisoformat(said)


class RoundCase(StoreCase):
    """``now`` is the moment (UTC) that the clock shows."""

    def setUp(self) -> None:
        super().setUp()
        self.now = utc("2026-12-04T12:00")
        patched = mock.patch.object(schedules, "moment", side_effect=lambda: self.now)
        patched.start()
        self.addCleanup(patched.stop)
        self.addCleanup(self._forget)
        self.inbox = arriving.inbox(self.workspace.settings) / f"shop {self.book.id}"

    def _forget(self) -> None:
        with self.workspace.record.engine.begin() as connection:
            for table in ("waiting_files", "letters", "schedule_runs", "schedules"):
                connection.execute(text(f"DELETE FROM {table}"))

    def put(self, name: str, *rows: tuple[object, ...], header: tuple[str, ...] = HEADER, ago: int = 3600) -> Path:
        """A file in the inbox, written so many seconds ago by the test's clock."""
        self.inbox.mkdir(parents=True, exist_ok=True)
        path = write_csv(self.inbox / name, [header, *rows])
        self.touch(path, ago)
        return path

    def touch(self, path: Path, ago: int) -> None:
        at = self.now.replace(tzinfo=dt.UTC).timestamp() - ago
        os.utime(path, (at, at))

    def watched(self, every: str = "every hour", source: str = "shop") -> ScheduleRow:
        return schedules.add_folder(self.workspace, self.book, every, source, self.inbox.name)

    def work(self) -> int:
        """Do all runs that were begun, in this thread; how many."""
        done, engine = 0, self.workspace.record.engine
        for lane in Lane:
            while (job := jobs.take_up(engine, lane, (RUN, SEND), "test.0")) is not None:
                state = JobState.FAILED
                try:
                    KINDS[job.kind].do(self.workspace, job.arguments, unreported)
                    state = JobState.DONE
                finally:
                    jobs.end(engine, "test.0", job.id, state, {}, "", "")
                done += 1
        return done

    def until(self, at: dt.datetime) -> int:
        """Let the clock go on, and have everything run when it is due; how many runs there were."""
        runs, engine = 0, self.workspace.record.engine
        while True:
            with engine.connect() as connection:
                due = connection.execute(text("SELECT MIN(due_at) FROM schedules WHERE NOT paused")).scalar()
            if due is None or due > at:
                self.now = at
                return runs
            self.now = max(self.now, due)
            if not schedules.take_due(self.workspace, self.now):
                raise AssertionError("What is due was not begun.")
            runs += self.work()

    def after(self, **span: int) -> int:
        return self.until(self.now + dt.timedelta(**span))

    def last(self, row: ScheduleRow) -> tuple[RunState, str]:
        last = schedules.find_schedule(self.workspace, self.book, row.id).last
        assert last is not None
        return last.state, last.said

    def waits(self) -> list[WaitingRow]:
        return schedules.list_waiting(self.workspace, self.book)

    def names(self, folder: str = "") -> list[str]:
        """The files of a folder of the inbox."""
        place = self.inbox / folder
        return sorted(each.name for each in place.iterdir() if each.is_file()) if place.exists() else []

    def report_of(self, name: str) -> list[dict[str, object]]:
        told: list[dict[str, object]] = json.loads((self.inbox / "done" / f"{name}.report.json").read_text("utf-8"))
        return told
