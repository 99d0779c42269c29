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

from goldthread.processes import read_known, write_known
from goldthread.settings import Settings, private_folder

_OWNER = "owner"
_OTHERS_MAY_NOT = 0o077


def use_scratch(settings: Settings) -> None:
    """Let this process make its temporary files, and all its files, where nobody else can read them."""
    os.umask(_OTHERS_MAY_NOT)
    private_folder(settings.var)
    scratch = private_folder(settings.scratch)
    remove_orphans(scratch)
    own = private_folder(scratch / uuid.uuid4().hex)
    write_known(own / _OWNER, os.getpid())
    atexit.register(shutil.rmtree, own, ignore_errors=True)
    tempfile.tempdir = str(own)


def remove_orphans(scratch: Path) -> None:
    """Remove the folders of processes that do not run any more."""
    for folder in scratch.iterdir():
        owner = read_known(folder / _OWNER)
        if owner is None or not owner.is_alive:
            shutil.rmtree(folder, ignore_errors=True)
