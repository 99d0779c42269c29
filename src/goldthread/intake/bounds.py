"""What a process that reads somebody's file may use: a share of the machine, and a turn of its own.

A file made to do harm, or one far larger than it looks, ends that process and nothing else.
"""

from __future__ import annotations

import os
import resource
import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from goldthread.core.records import Progress

CPU_SECONDS, CPU_SECONDS_PER_MIB = 900, 3
"""What a file may take of a processor: a text is looked at in about half a second a MiB."""
_MEMORY_SHARE, _LEAST_BYTES, _MOST_BYTES = 4, 2 << 30, 6 << 30
_TURNS = threading.BoundedSemaphore(2)
_LOOK_EVERY_SECONDS = 0.2


def bound_this_process(output_bytes: int | None = None, content_bytes: int = 0) -> None:
    """Bound the memory and the processor time of this process, and the size of each file that it writes.

    ``content_bytes`` : of the file that it reads.
    """
    seconds = CPU_SECONDS + CPU_SECONDS_PER_MIB * (content_bytes >> 20)
    memory = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // _MEMORY_SHARE
    memory = min(max(memory, _LEAST_BYTES), _MOST_BYTES)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    if output_bytes is not None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (output_bytes, output_bytes))


@contextmanager
def turn(progress: Progress) -> Iterator[None]:
    """One of two turns at reading files apart. ``progress`` is called while it waits, and may raise `Stopped`."""
    while not _TURNS.acquire(timeout=_LOOK_EVERY_SECONDS):
        progress("waiting", 0, 0)
    try:
        yield
    finally:
        _TURNS.release()
