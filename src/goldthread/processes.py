"""Processes of ours, known by number and start: a number alone is given out again, to a stranger, after a restart."""

from __future__ import annotations

import contextlib
import logging
import math
import os
import re
import shutil
import subprocess
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import psutil
from filelock import FileLock, Timeout

from goldthread.errors import Busy, Unavailable

POLL_SECONDS = 0.02
END_LIMIT_SECONDS = 60
_START_LOCK_SECONDS = 120
_AGAIN_SECONDS = 1.0
"""How soon a process that ended is begun again."""
_log = logging.getLogger(__name__)
_SAME_START_SECONDS = 2.0
"""The clock may be set while a start is worked out."""
_SINCE_1970 = 1e9
"""A start above that was put down by an earlier version, as the clock had it."""
_BOOT = Path("/proc/sys/kernel/random/boot_id")


_MARK = re.compile(r"\.([0-9]+)-([0-9]+\.[0-9]{2})(?:\.|$)")


@dataclass(frozen=True)
class KnownProcess:
    """A process by its number and its start, in seconds since the machine booted: the clock may be set meanwhile.
    ``boot`` tells one run of the machine from others, blank where that is not known."""

    pid: int
    started: float
    boot: str = ""

    @classmethod
    def of(cls, pid: int) -> KnownProcess:
        """A process that runs. Raises `psutil.NoSuchProcess`."""
        return cls(pid, psutil.Process(pid).create_time() - psutil.boot_time(), _boot())

    @property
    def is_alive(self) -> bool:
        """Whether this very process runs; one that has ended but was not yet collected does not."""
        try:
            process = psutil.Process(self.pid)
            began = process.create_time() - (0 if self.started > _SINCE_1970 else psutil.boot_time())
            same = abs(began - self.started) <= _SAME_START_SECONDS and self.boot in ("", _boot())
            return same and process.status() != psutil.STATUS_ZOMBIE
        except psutil.NoSuchProcess:
            return False


@cache
def _boot() -> str:
    """What tells this run of the machine from others; blank where the system does not say."""
    try:
        return _BOOT.read_text(encoding="ascii").strip()
    except OSError:
        return ""


def write_known(file: Path, pid: int) -> None:
    """Note a running process in a file that its owner alone can read."""
    known = KnownProcess.of(pid)
    write_private(file, f"{known.pid} {known.started!r} {known.boot}")


def read_known(file: Path) -> KnownProcess | None:
    """The process that a file names; None when it names none, or was written in part."""
    try:
        pid, started, *boot = file.read_text(encoding="ascii").split()
        return KnownProcess(int(pid), float(started), *boot)
    except (FileNotFoundError, ValueError, TypeError):
        return None


def mark() -> str:
    """This process as the last part of the name of what it has under way: ``.`` and a number, a dash and its start."""
    own = KnownProcess.of(os.getpid())
    return f".{own.pid}-{own.started:.2f}"


def is_marked_alive(name: str) -> bool:
    """Whether the process runs whose mark a name bears; False for one without a mark."""
    found = _MARK.search(name)
    return found is not None and KnownProcess(int(found[1]), float(found[2])).is_alive


def remove_left_behind(folder: Path, pattern: str) -> None:
    """Remove what bears the mark of a process that does not run any more, or none; what others have under way stays."""
    for each in folder.glob(pattern):
        if not is_marked_alive(each.name):
            shutil.rmtree(each, ignore_errors=True)


def is_alive(pid: int) -> bool:
    """Whether a process of this number runs, whoever's it is."""
    try:
        return bool(psutil.Process(pid).status() != psutil.STATUS_ZOMBIE)
    except psutil.NoSuchProcess:
        return False


def end(pid_file: Path) -> bool:
    """End the process named in a file and wait until it has; True when it was running. Raises `Unavailable`.

    A file that names no running process of ours is removed, and nobody is signalled.
    """
    known = read_known(pid_file)
    was_alive = known is not None and known.is_alive
    if known is not None and was_alive:
        with contextlib.suppress(psutil.NoSuchProcess):
            psutil.Process(known.pid).terminate()
        deadline = time.monotonic() + END_LIMIT_SECONDS
        while known.is_alive:
            if time.monotonic() > deadline:
                raise Unavailable(
                    f"Process {known.pid} did not end.", remedy="See its log under the folder of running data."
                )
            time.sleep(POLL_SECONDS)
    pid_file.unlink(missing_ok=True)
    return was_alive


class Kept:
    """Some processes of one command: begun when first looked after, begun again when they end, ended with their
    owner; ``only_when`` something is so, where that is given."""

    def __init__(self, command: Sequence[str], count: int, only_when: Callable[[], bool] | None = None) -> None:
        self._command, self._count, self._only_when = list(command), count, only_when
        self._running: list[subprocess.Popen[bytes]] = []
        self._begun_at = -math.inf

    def look(self) -> None:
        """Begin those that do not run, not more often than once in a second."""
        gone = [process for process in self._running if process.poll() is not None]
        if len(self._running) - len(gone) == self._count or time.monotonic() - self._begun_at < _AGAIN_SECONDS:
            return
        if self._only_when is not None and not self._only_when():
            return
        if gone or self._only_when is not None:
            _log.warning("Begun again: %s", " ".join(self._command))
        for process in gone:
            self._running.remove(process)
        self._begun_at = time.monotonic()
        while len(self._running) < self._count:
            self._running.append(subprocess.Popen(self._command, stdin=subprocess.DEVNULL))

    def end(self) -> None:
        """End them, and wait until they have; one that takes too long is killed."""
        for process in self._running:
            process.terminate()
        for process in self._running:
            try:
                process.wait(END_LIMIT_SECONDS / 2)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self._running.clear()


def write_private(file: Path, text: str) -> Path:
    """Write a small file that its owner alone can read; whoever reads it meanwhile sees the old one or the new one."""
    unfinished = file.with_name(f"{file.name}.{time.monotonic_ns()}.new")
    unfinished.touch(mode=0o600)
    unfinished.write_text(text, encoding="ascii")
    unfinished.replace(file)
    return file


@contextlib.contextmanager
def alone(
    lock_file: Path, doing: str = "starting or stopping Gold Thread here", seconds: float | None = None
) -> Iterator[None]:
    """Keep every other process out of the block, until it is over or this process ends. ``doing`` says what the others
    wait for, so many seconds. Raises `Busy`."""
    lock_file.parent.mkdir(parents=True, exist_ok=True)
    lock = FileLock(lock_file, mode=0o600, poll_interval=POLL_SECONDS)
    try:
        lock.acquire(timeout=seconds or _START_LOCK_SECONDS)
    except Timeout:
        raise Busy(f"Somebody else is {doing}.", remedy="Try again when they are done.") from None
    try:
        yield
    finally:
        lock.release()
