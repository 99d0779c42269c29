"""Does the work that stands on record, a few pieces at once, and tells how far each is.

Work is taken up by one worker each, and told of by a thread that does nothing else: it says that this process lives,
hears what is to be stopped, and looks after the pieces of workers that have ended.
"""

from __future__ import annotations

import logging
import shutil
import socket
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.exc import SQLAlchemyError

from goldthread.actions.jobs import AT_ONCE, MAILINGS_AT_ONCE, Kind, Made, Result, acting_of
from goldthread.actor import act_as
from goldthread.core.choices import JobState, Lane
from goldthread.errors import GoldThreadError, Stopped, Unavailable
from goldthread.processes import POLL_SECONDS, is_marked_alive, mark
from goldthread.settings import private_folder
from goldthread.store import jobs
from goldthread.store.jobs import JobRow, Reached, Running
from goldthread.store.server.faults import in_our_words
from goldthread.workspace import Workspace

LOOK_SECONDS = SAY_SECONDS = 0.2
ROUND_SECONDS = 2.0
"""How often a worker looks for work, says how far it is, and looks after what others have left."""
FILES_KEPT_BYTES, FILES_KEPT_SECONDS = 4 << 30, 3600
"""How much the files take together that pieces of work have made, and how long each waits to be taken; the last one
waits whatever its size."""
CHORES_SECONDS = 20.0
"""How often it is seen what is to be done by the clock."""
_ENDING_SECONDS = 20.0
_log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Chore:
    """What is to be done by the clock, whether or not anybody asks for it, and how soon again after it failed."""

    do: Callable[[], object]
    again_seconds: float = CHORES_SECONDS


@dataclass
class _Doing:
    """A piece of work that is being done."""

    job: JobRow
    kind: Kind
    phase: str = "waiting"
    done: int = 0
    total: int = 0
    said: tuple[str, int, int] | None = None
    must_stop: bool = False

    def advance(self, phase: str, done: int, total: int) -> None:
        """Note progress. Raises `Stopped` when somebody asked for that."""
        if self.must_stop:
            raise Stopped("The work was stopped.", remedy="Nothing was changed. Begin again when ready.")
        self.phase, self.done, self.total = phase, done, total


@dataclass(frozen=True)
class _Outcome:
    """What came of a piece of work, until it stands on record; no state: another worker shall do it."""

    job_id: str
    state: JobState | None
    told: dict[str, Any]
    file: str = ""
    content_type: str = ""


def _nothing() -> None:
    """What is done when nothing is under way any more."""


class Worker:
    """One process's share of the work. ``tell_result`` and ``tell_error`` give what is put down of an end."""

    def __init__(
        self,
        workspace: Workspace,
        kinds: Mapping[str, Kind],
        tell_result: Callable[[Result], dict[str, Any]],
        tell_error: Callable[[GoldThreadError], dict[str, Any]],
        when_idle: Callable[[], None] = _nothing,
        chores: Sequence[Chore] = (),
    ) -> None:
        self._workspace, self._kinds = workspace, kinds
        self._tell_result, self._tell_error, self._when_idle = tell_result, tell_error, when_idle
        self._engine = workspace.record.engine
        self._host = socket.gethostname()
        self._name = f"{self._host}{mark()}"
        self._doing: dict[str, _Doing] = {}
        self._outcomes: list[_Outcome] = []
        self._lock = threading.Lock()
        self._ending = threading.Event()
        self._nudge = threading.Event()
        self._pools = {
            Lane.WORK: ThreadPoolExecutor(AT_ONCE, thread_name_prefix="work"),
            Lane.MAIL: ThreadPoolExecutor(MAILINGS_AT_ONCE, thread_name_prefix="mail"),
        }
        self._keeper = threading.Thread(target=self._keep, name="worker", daemon=True)
        self._housekeepers = [
            threading.Thread(target=self._do_again, args=(chore,), name="chores", daemon=True) for chore in chores
        ]

    def start(self) -> None:
        """Begin to look for work."""
        self._keeper.start()
        for each in self._housekeepers:
            each.start()

    def end(self) -> None:
        """Take nothing up any more; stop what is under way, and leave to others what they can begin again."""
        self._ending.set()
        self._nudge.set()
        self._keeper.join()

    def _keep(self) -> None:
        said = rounds = 0.0
        deadline: float | None = None
        while True:
            now = time.monotonic()
            if self._ending.is_set():
                deadline = deadline or now + _ENDING_SECONDS
                for each in self._under_way():
                    each.must_stop = True
                if (not self._doing and not self._outcomes) or now > deadline:
                    break
            try:
                self._put_down_outcomes()
                if not self._ending.is_set():
                    self._take_up()
                if now - said >= SAY_SECONDS:
                    self._say(whole=now - rounds >= ROUND_SECONDS)
                    said = now
                if now - rounds >= ROUND_SECONDS:
                    self._look_after_others()
                    self._forget()
                    rounds = now
            except (SQLAlchemyError, OSError, GoldThreadError) as error:
                known = in_our_words(error) if isinstance(error, SQLAlchemyError | OSError) else error
                _log.warning("The record of work cannot be reached: %s", known or error)
                self._ending.wait(ROUND_SECONDS)
            self._nudge.wait(POLL_SECONDS if self._ending.is_set() else LOOK_SECONDS)
            self._nudge.clear()
        for pool in self._pools.values():
            pool.shutdown(wait=False, cancel_futures=True)

    def _do_again(self, chore: Chore) -> None:
        """Do a chore again and again; none waits for another."""
        wait = CHORES_SECONDS
        while not self._ending.wait(wait):
            wait = CHORES_SECONDS
            try:
                chore.do()
            except (GoldThreadError, SQLAlchemyError, OSError) as error:
                _log.warning("What is done by the clock failed: %s", in_our_words(error) or error)
                wait = chore.again_seconds

    def _under_way(self) -> list[_Doing]:
        with self._lock:
            return list(self._doing.values())

    def _take_up(self) -> None:
        if not jobs.is_any_waiting(self._engine):
            return
        for lane, most in ((Lane.WORK, AT_ONCE), (Lane.MAIL, MAILINGS_AT_ONCE)):
            while sum(each.kind.lane is lane for each in self._under_way()) < most:
                job = jobs.take_up(self._engine, lane, self._kinds.keys(), self._name)
                if job is None:
                    break
                doing = _Doing(job, self._kinds[job.kind], must_stop=job.must_stop)
                with self._lock:
                    self._doing[job.id] = doing
                self._pools[lane].submit(self._do, doing)

    def _do(self, doing: _Doing) -> None:
        job, kind = doing.job, doing.kind
        begun = False
        act_as(acting_of(job.arguments))
        try:
            doing.advance("reading", 0, 0)
            begun = True
            result = kind.do(self._workspace, job.arguments, doing.advance)
            file = self._keep_file(job.id, result) if isinstance(result, Made) else ""
            content_type = result.content_type if isinstance(result, Made) else ""
            outcome = _Outcome(job.id, JobState.DONE, self._tell_result(result), file, content_type)
        except Stopped as stopped:
            is_left = self._ending.is_set() and kind.is_repeatable
            outcome = _Outcome(job.id, None if is_left else JobState.STOPPED, self._tell_error(stopped))
        except GoldThreadError as error:
            outcome = _Outcome(job.id, JobState.FAILED, self._tell_error(error))
        except Exception as error:
            known = in_our_words(error)
            if known is None:
                _log.exception("A piece of work failed")
            outcome = _Outcome(job.id, JobState.FAILED, self._tell_error(known or _unforeseen()))
        if not begun and outcome.state is not None:
            kind.never_begun(self._workspace, job.arguments)
        with self._lock:
            self._outcomes.append(outcome)
        self._nudge.set()

    def _keep_file(self, job_id: str, made: Made) -> str:
        """Put a file that was made where every process finds it."""
        name = f"{job_id}{made.path.suffix}"
        shutil.move(made.path, private_folder(self._workspace.settings.made) / name)
        return name

    def _put_down_outcomes(self) -> None:
        while self._outcomes:
            outcome = self._outcomes[0]
            doing = self._doing[outcome.job_id]
            self._say_of([doing])
            if outcome.state is None:
                is_ours = jobs.put_back(self._engine, self._name, outcome.job_id)
            else:
                ended = (outcome.state, outcome.told, outcome.file, outcome.content_type)
                is_ours = jobs.end(self._engine, self._name, outcome.job_id, *ended)
            if not is_ours:
                _log.warning("A piece of work was another worker's when it ended: %s", doing.job.kind)
            with self._lock:
                self._outcomes.pop(0)
                del self._doing[outcome.job_id]
                is_idle = not self._doing
            if is_idle:
                self._when_idle()

    def _say(self, *, whole: bool) -> None:
        """Put down how far the work is: what has moved since, or all of it so that this process is heard of."""
        doing = self._under_way()
        if doing:
            self._say_of([each for each in doing if whole or each.said != (each.phase, each.done, each.total)])

    def _say_of(self, doing: list[_Doing]) -> None:
        reached = []
        for each in doing:
            now = (each.phase, each.done, each.total)
            reached.append(Reached(each.job.id, *now, is_new=each.said is None or each.said[0] != each.phase))
            each.said = now
        ends = jobs.say(self._engine, self._name, reached)
        for each in self._under_way():
            each.must_stop |= each.job.id in ends

    def _look_after_others(self) -> None:
        """Begin again what a worker left that has ended, where that may be; say of the rest that it has failed."""
        # of kinds that it does not know, a worker of another version may
        for left in jobs.running_elsewhere(self._engine, self._name):
            kind = self._kinds.get(left.kind)
            if kind is None or not self._has_ended(left):
                continue
            if kind.is_repeatable and left.tries < jobs.TRIES_MOST:
                jobs.put_back(self._engine, left.worker, left.id)
            else:
                told = self._tell_error(_left(left))
                jobs.end(self._engine, left.worker, left.id, JobState.FAILED, told, "", "")

    def _has_ended(self, left: Running) -> bool:
        is_here = left.worker.startswith(f"{self._host}.")
        return not is_marked_alive(left.worker) if is_here else left.is_silent

    def _forget(self) -> None:
        """Forget old work, and the files that nobody took in time or that have no room."""
        jobs.forget_old(self._engine)
        folder = self._workspace.settings.made
        if not folder.exists():
            return
        kept, gone, room = jobs.files_kept(self._engine, FILES_KEPT_SECONDS), list[str](), FILES_KEPT_BYTES
        for place, name in enumerate(kept):
            room -= _size(folder / name)
            if room < 0 and place:
                gone.append(name)
        if gone:
            jobs.forget_files(self._engine, gone)
        for each in folder.iterdir():
            is_old = abs(time.time() - each.stat().st_mtime) > FILES_KEPT_SECONDS
            if each.name in gone or (is_old and each.name not in kept):
                each.unlink(missing_ok=True)


def _unforeseen() -> GoldThreadError:
    return GoldThreadError("Something failed on our side.", remedy="Nothing was changed. See the log.")


def _left(left: Running) -> Unavailable:
    return Unavailable(
        f"The process that did this has ended{' three times' if left.tries >= jobs.TRIES_MOST else ''}.",
        remedy="What it had not finished was not done. See the delivery log and the log of the server, then try again.",
    )


def _size(file: Path) -> int:
    try:
        return file.stat().st_size
    except FileNotFoundError:
        return 0
