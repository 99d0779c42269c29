"""Work that takes longer than a request: progress, stopping, results."""

from __future__ import annotations

import logging
import os
import tempfile
import threading
import time
import uuid
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from goldthread.actions.inspecting import FileView
from goldthread.actions.sending import Mailed
from goldthread.actions.uploads import SentFile
from goldthread.core.checks import Check
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError, NotFound, Stopped, Unavailable
from goldthread.store.books import BookRow
from goldthread.store.server.faults import in_our_words
from goldthread.store.write.delivery import DeliveryReport
from goldthread.store.write.withdrawing import Withdrawal

JOBS_KEPT = 200
AT_ONCE, MAILINGS_AT_ONCE, WAITING_MOST = 4, 4, 36
"""How many pieces of work are done side by side, how many mailings beside these, since they mostly wait for their pace,
and how many more may wait for their turn."""
FILES_KEPT_BYTES, FILES_KEPT_SECONDS = 4 << 30, 3600
"""How much the files take together that pieces of work have made, and how long each waits to be taken; the last one
waits whatever its size."""
FORGOTTEN_SECONDS = 60
"""A look at a file is stopped when nobody has asked about it for so long: its page was closed."""
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Made:
    """A file that a piece of work made; it is removed with the work."""

    path: Path
    name: str
    content_type: str


def make_file(name: str, content_type: str, write: Callable[[Path], None]) -> Made:
    """A file written by a piece of work, and its name for whoever takes it; nothing is left of one that broke off."""
    handle, path = tempfile.mkstemp(prefix="made-", suffix=Path(name).suffix)
    os.close(handle)
    try:
        write(Path(path))
    except BaseException:
        Path(path).unlink()
        raise
    return Made(Path(path), name, content_type)


@dataclass(frozen=True)
class LookedAt:
    """A file that was sent, one sheet of it, and what it seems to be."""

    sent: SentFile
    sheet: str
    view: FileView


Result = DeliveryReport | BookRow | Withdrawal | Made | Mailed | list[LookedAt] | list[Check]
Work = Callable[[Progress], Result]
"""A piece of work: given a way to report its progress, it gives what came of it."""


class JobState(StrEnum):
    """How a piece of work stands."""

    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


@dataclass
class Job:
    """A piece of work. ``seconds_left`` is None until the pace is known; ``result`` is there when it is done.

    One that is ``attended`` stops when nobody asks about it any more.
    """

    id: str
    attended: bool = False
    state: JobState = JobState.RUNNING
    phase: str = "waiting"
    done: int = 0
    total: int = 0
    seconds_left: float | None = None
    result: Result | None = None
    error: GoldThreadError | None = None
    asked: float = field(default_factory=time.monotonic)
    started: float = field(default_factory=time.monotonic)
    phase_started: float = field(default_factory=time.monotonic)
    stop_wanted: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)
    ended_at: float = 0.0

    def advance(self, phase: str, done: int, total: int) -> None:
        """Note progress. Raises `Stopped` when somebody asked for that."""
        now = time.monotonic()
        if self.stop_wanted.is_set() or (self.attended and now - self.asked > FORGOTTEN_SECONDS):
            raise Stopped("The work was stopped.", remedy="Nothing was changed. Begin again when ready.")
        if phase != self.phase:
            self.phase, self.phase_started = phase, now
        self.done, self.total = done, total
        self.seconds_left = (now - self.phase_started) * (total - done) / done if done else None


def _nothing() -> None:
    """What is to be done where nothing is left behind."""


class JobBoard:
    """The jobs of this process, each in a thread of its own; a few at once, the others wait for their turn."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()
        self._turns, self._mail_turns = (
            threading.BoundedSemaphore(AT_ONCE),
            threading.BoundedSemaphore(MAILINGS_AT_ONCE),
        )

    def start(
        self, work: Work, *, attended: bool = False, mails: bool = False, never_begun: Callable[[], None] = _nothing
    ) -> Job:
        """Begin a piece of work; it is given a way to report its progress. ``never_begun`` is called in its place where
        it is not begun or is stopped before its turn comes. Raises `Unavailable` when too much waits."""
        job = Job(uuid.uuid4().hex, attended)
        with self._lock:
            running = sum(not each.ended.is_set() for each in self._jobs.values())
            if running >= AT_ONCE + WAITING_MOST:
                never_begun()
                raise Unavailable(
                    f"{running} pieces of work are under way or wait already.", remedy="Try again when some have ended."
                )
            self._jobs[job.id] = job
            self._forget()
        run = (job, work, never_begun, self._mail_turns if mails else self._turns)
        threading.Thread(target=self._run, args=run, name=f"work-{job.id[:8]}", daemon=True).start()
        return job

    def _forget(self) -> None:
        """Forget the work that ended longest ago, and the files that nobody took in time or that have no room."""
        ended = [each for each in self._jobs.values() if each.ended_at]
        for old in ended[: max(0, len(self._jobs) - JOBS_KEPT)]:
            del self._jobs[old.id]
            _remove_file(old)
        room, now = float(FILES_KEPT_BYTES), time.monotonic()
        making = sorted((each for each in ended if isinstance(each.result, Made)), key=lambda job: -job.ended_at)
        for place, job in enumerate(making):
            room -= _file_bytes(job)
            if (room < 0 and place) or now - job.ended_at > FILES_KEPT_SECONDS:
                _remove_file(job)

    def find(self, job_id: str) -> Job:
        """Raises `NotFound`."""
        with self._lock:
            job = self._jobs.get(job_id)
        if job is None:
            raise NotFound("That work is not known here.", remedy="Look into the delivery log for what was imported.")
        job.asked = time.monotonic()
        return job

    def take_file(self, job_id: str) -> Made:
        """The file that a piece of work made. Raises `NotFound`."""
        made = self.find(job_id).result
        if not isinstance(made, Made) or not made.path.exists():
            raise NotFound("There is no such file any more.", remedy="Ask for it again.")
        return made

    def _run(self, job: Job, work: Work, never_begun: Callable[[], None], turns: threading.BoundedSemaphore) -> None:
        with turns:
            begun = False
            try:
                job.advance("reading", 0, 0)
                begun = True
                job.result = work(job.advance)
                job.state = JobState.DONE
            except Stopped as stopped:
                job.error, job.state = stopped, JobState.STOPPED
            except GoldThreadError as error:
                job.error, job.state = error, JobState.FAILED
            except Exception as error:
                known = in_our_words(error)
                if known is None:
                    _log.exception("A piece of work failed")
                job.error, job.state = known or _unforeseen(), JobState.FAILED
            finally:
                if not begun:
                    never_begun()
                job.ended_at = time.monotonic()
                with self._lock:
                    self._forget()
                job.ended.set()


def _unforeseen() -> GoldThreadError:
    return GoldThreadError("Something failed on our side.", remedy="Nothing was changed. See the log.")


def _remove_file(job: Job) -> None:
    if isinstance(job.result, Made):
        job.result.path.unlink(missing_ok=True)


def _file_bytes(job: Job) -> int:
    """How large the file is that a piece of work made; 0 where there is none any more."""
    try:
        return job.result.path.stat().st_size if isinstance(job.result, Made) else 0
    except FileNotFoundError:
        return 0
