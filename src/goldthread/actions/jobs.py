"""Work that takes longer than a request: progress, stopping, results."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum

from goldthread.core.checks import Check
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError, NotFound, Stopped
from goldthread.store.books import BookRow
from goldthread.store.delivery import DeliveryReport

JOBS_KEPT = 200
_log = logging.getLogger(__name__)


Work = Callable[[Progress], DeliveryReport | BookRow | list[Check]]
"""A piece of work: told how to report its progress, it gives what became of a file, a book, or what checks found."""


class JobState(StrEnum):
    """How a piece of work stands."""

    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


@dataclass
class Job:
    """A delivery, a book that is brought back, or checks. ``seconds_left`` is None until the pace is known."""

    id: str
    state: JobState = JobState.RUNNING
    phase: str = "reading"
    done: int = 0
    total: int = 0
    seconds_left: float | None = None
    report: DeliveryReport | None = None
    book_id: int | None = None
    checks: list[Check] | None = None
    error: GoldThreadError | None = None
    started: float = field(default_factory=time.monotonic)
    phase_started: float = field(default_factory=time.monotonic)
    stop_wanted: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)

    def advance(self, phase: str, done: int, total: int) -> None:
        """Note progress. Raises `Stopped` when somebody asked for that."""
        if self.stop_wanted.is_set():
            raise Stopped("The work was stopped.", remedy="Nothing was changed. Begin again when ready.")
        now = time.monotonic()
        if phase != self.phase:
            self.phase, self.phase_started = phase, now
        self.done, self.total = done, total
        self.seconds_left = (now - self.phase_started) * (total - done) / done if done else None


class JobBoard:
    """The jobs of this process, each in a thread of its own."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()

    def start(self, work: Work) -> Job:
        """Begin a piece of work; it is told how to report its progress."""
        job = Job(uuid.uuid4().hex)
        with self._lock:
            self._jobs[job.id] = job
            while len(self._jobs) > JOBS_KEPT:
                self._jobs.popitem(last=False)
        threading.Thread(target=_run, args=(job, work), name=f"delivery-{job.id[:8]}", daemon=True).start()
        return job

    def find(self, job_id: str) -> Job:
        """Raises `NotFound`."""
        with self._lock:
            job = self._jobs.get(job_id)
        if job is None:
            raise NotFound("That work is not known here.", remedy="Look into the delivery log for what came in.")
        return job


def _run(job: Job, work: Work) -> None:
    try:
        result = work(job.advance)
        if isinstance(result, DeliveryReport):
            job.report = result
        elif isinstance(result, BookRow):
            job.book_id = result.id
        else:
            job.checks = result
        job.state = JobState.DONE
    except Stopped as stopped:
        job.error, job.state = stopped, JobState.STOPPED
    except GoldThreadError as error:
        job.error, job.state = error, JobState.FAILED
    except Exception:
        _log.exception("A piece of work failed")
        job.error = GoldThreadError("The work failed for a reason of ours.", remedy="Nothing was changed. See the log.")
        job.state = JobState.FAILED
    finally:
        job.ended.set()
