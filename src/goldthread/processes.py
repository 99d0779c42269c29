"""Processes of ours, known by their number: whether one runs, and ending it."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

from goldthread.errors import Unavailable

POLL_SECONDS = 0.02
_END_LIMIT_SECONDS = 60


def is_alive(pid: int) -> bool:
    """Whether the process runs; one that has ended but was not yet collected does not."""
    try:
        state = Path(f"/proc/{pid}/stat").read_text(encoding="ascii", errors="replace").rpartition(")")[2].split()[0]
    except (FileNotFoundError, ProcessLookupError):
        return False
    return state != "Z"


def end(pid_file: Path) -> bool:
    """End the process named in a file and wait until it has; True when it was running. Raises `Unavailable`."""
    if not pid_file.exists():
        return False
    pid = int(pid_file.read_text(encoding="ascii"))
    was_alive = is_alive(pid)
    if was_alive:
        os.kill(pid, signal.SIGTERM)
        deadline = time.monotonic() + _END_LIMIT_SECONDS
        while is_alive(pid):
            if time.monotonic() > deadline:
                raise Unavailable(f"Process {pid} did not end.", remedy="See its log under the folder of running data.")
            time.sleep(POLL_SECONDS)
    pid_file.unlink(missing_ok=True)
    return was_alive
