"""Files that were sent and wait for a word: kept under a name of ours, removed when used or old."""

from __future__ import annotations

import json
import re
import shutil
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from goldthread.errors import NotFound
from goldthread.settings import Settings

KEPT_SECONDS = 24 * 3600
_TOKEN = re.compile(r"[0-9a-f]{32}")


@dataclass(frozen=True)
class Upload:
    """A file that was sent; ``name`` is what its sender calls it."""

    token: str
    name: str
    path: Path


def keep_upload(settings: Settings, name: str, content: IO[bytes]) -> Upload:
    """Keep a file until it is delivered. The sender's name is never used as a path."""
    settings.uploads.mkdir(parents=True, exist_ok=True)
    _remove_old(settings)
    token = uuid.uuid4().hex
    folder = settings.uploads / token
    folder.mkdir(mode=0o700)
    path = folder / "file"
    with path.open("wb") as out:
        shutil.copyfileobj(content, out, 1 << 20)
    shown = name.replace("\\", "/").rsplit("/", 1)[-1]
    (folder / "name.json").write_text(json.dumps(shown), encoding="utf-8")
    return Upload(token, shown, path)


def find_upload(settings: Settings, token: str) -> Upload:
    """Raises `NotFound`."""
    folder = settings.uploads / token
    if not _TOKEN.fullmatch(token) or not (folder / "name.json").exists():
        raise NotFound("That file is not here any more.", remedy="Choose it again.", field="upload")
    name = json.loads((folder / "name.json").read_text(encoding="utf-8"))
    return Upload(token, name, folder / "file")


def remove_upload(upload: Upload) -> None:
    """Forget a file that was sent."""
    shutil.rmtree(upload.path.parent, ignore_errors=True)


def _remove_old(settings: Settings) -> None:
    for folder in settings.uploads.iterdir():
        if _TOKEN.fullmatch(folder.name) and folder.stat().st_mtime < time.time() - KEPT_SECONDS:
            shutil.rmtree(folder, ignore_errors=True)
