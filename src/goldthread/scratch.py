"""Temporary files of our processes: each process in a folder of its own under the settings' ``scratch``.

A process that was killed leaves its folder behind, with customers' data in it; the next one to start removes it.
"""

from __future__ import annotations

import atexit
import os
import shutil
import tempfile
import uuid
from pathlib import Path

from goldthread.processes import mark, remove_left_behind
from goldthread.settings import Settings, private_folder

_OTHERS_MAY_NOT = 0o077


def use_scratch(settings: Settings) -> None:
    """Let this process make its temporary files, and all its files, where nobody else can read them."""
    os.umask(_OTHERS_MAY_NOT)
    private_folder(settings.var)
    scratch = private_folder(settings.scratch)
    remove_left_behind(scratch, "*")
    own = private_folder(scratch / f"{uuid.uuid4().hex}{mark()}")
    atexit.register(_remove, own, os.getpid())
    tempfile.tempdir = str(own)


def _remove(folder: Path, owner: int) -> None:
    """Remove a process's folder when it ends, and not when one does that it forked."""
    if os.getpid() == owner:
        shutil.rmtree(folder, ignore_errors=True)
