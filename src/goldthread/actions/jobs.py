"""Work that takes longer than a request: put down on record, stopped, and the files that it made."""

from __future__ import annotations

import os
import tempfile
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from goldthread.actions.inspecting import FileView
from goldthread.actions.sending import Mailed
from goldthread.actions.uploads import SentFile
from goldthread.actor import AT_THE_DESK, Actor, actor
from goldthread.core.checks import Check
from goldthread.core.choices import Lane
from goldthread.core.records import Progress
from goldthread.errors import NotFound
from goldthread.store import jobs, people
from goldthread.store.books import BookRow
from goldthread.store.jobs import JobRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.store.write.withdrawing import Withdrawal
from goldthread.workspace import Workspace

AT_ONCE, MAILINGS_AT_ONCE, WAITING_MOST = 4, 4, 36
"""How many pieces of work a worker does side by side, how many mailings beside these, since they mostly wait for their
pace, and how many more may wait for their turn."""


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


Result = None | DeliveryReport | BookRow | Withdrawal | Made | Mailed | list[LookedAt] | list[Check]
Arguments = Mapping[str, Any]
"""What a piece of work is to be done with, as it stands on record."""
_ACTING = "acting"
"""Beside the arguments: who asked."""


def _nothing(_workspace: Workspace, _arguments: Arguments) -> None:
    """What is to be done where nothing is left behind."""


@dataclass(frozen=True)
class Kind:
    """A kind of work.

    Attributes
    ----------
    do : does it, telling its progress, and gives what came of it
    is_repeatable : it may be begun again after a worker that did it has ended
    is_attended : it ends when nobody asks about it any more
    never_begun : called in place of ``do`` where it is not begun, or is stopped before its turn comes
    """

    do: Callable[[Workspace, Arguments, Progress], Result]
    is_repeatable: bool = False
    is_attended: bool = False
    lane: Lane = Lane.WORK
    never_begun: Callable[[Workspace, Arguments], None] = _nothing


def acting_of(arguments: Arguments) -> Actor:
    """Who asked for a piece of work."""
    told = arguments.get(_ACTING)
    return AT_THE_DESK if told is None else Actor.of(told)


class JobBoard:
    """What can be done of a few kinds of work by whoever is asked for it; `goldthread.actions.worker` does the work."""

    def __init__(self, workspace: Workspace, kinds: Mapping[str, Kind]) -> None:
        self._workspace, self._kinds = workspace, kinds

    def start(self, name: str, /, **arguments: Any) -> JobRow:
        """Put a piece of work down. Raises `Unavailable` when too much waits."""
        kind, job_id, engine = self._kinds[name], uuid.uuid4().hex, self._workspace.record.engine
        try:
            most = AT_ONCE + WAITING_MOST
            told = {**arguments, _ACTING: actor().told()}
            jobs.put_down(engine, job_id, name, told, kind.lane, most, attended=kind.is_attended)
        except BaseException:
            kind.never_begun(self._workspace, arguments)
            raise
        return jobs.find(engine, job_id)

    def find(self, job_id: str) -> JobRow:
        """How a piece of work stands, for whoever asked for it. Raises `NotFound`."""
        job, who = jobs.find(self._workspace.record.engine, job_id), actor()
        if who.user is not None:
            self._must_be_theirs(job, who.user)
        return job

    def _must_be_theirs(self, job: JobRow, user: int) -> None:
        """Raises `NotFound` for somebody else's work, and where they are no member of its book any more."""
        book = job.arguments.get("book")
        is_member = not book or book in people.roles_of(self._workspace.record.engine, user)
        is_member &= actor().only_book in (None, book)
        if acting_of(job.arguments).user != user or not is_member:
            raise jobs.no_such_job()

    def stop(self, job_id: str) -> JobRow:
        """Ask for a piece of work to be stopped. Raises `NotFound`."""
        self.find(job_id)
        jobs.want_stop(self._workspace.record.engine, job_id)
        return self.find(job_id)

    def take_file(self, job_id: str) -> Made:
        """The file that a piece of work made. Raises `NotFound`."""
        job = self.find(job_id)
        path = self._workspace.settings.made / job.file
        if not job.file or not path.exists():
            raise NotFound("There is no such file any more.", remedy="Ask for it again.")
        return Made(path, str((job.told or {})["file"]), job.content_type)
