"""Files as they are sent: unpacked, and turned into tables; kept under a name of ours until they are delivered."""

from __future__ import annotations

import json
import re
import shutil
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from goldthread.errors import InvalidInput, NotFound
from goldthread.intake.packing import Packed, Table, tables_of, unpack
from goldthread.settings import Settings

KEPT_SECONDS = 24 * 3600
_TOKEN = re.compile(r"[0-9a-f]{32}")
_ABOUT = "about.json"


@dataclass(frozen=True)
class SentFile:
    """A file with its tables; ``name`` is what its sender calls it, and ``token`` what we call it where it is kept.

    ``rejected`` is where a dry run puts the rows that cannot come in.
    """

    name: str
    folder: Path
    tables: tuple[Table, ...]
    token: str = ""

    @property
    def rejected(self) -> Path:
        return self.folder / "rejected.csv"

    def table(self, sheet: str | None = None) -> Table:
        """The table of a sheet, the first one unless told. Raises `InvalidInput`."""
        for table in self.tables:
            if sheet is None or table.name == sheet:
                return table
        names = ", ".join(table.name for table in self.tables if table.name)
        raise InvalidInput(
            f"{self.name} has no sheet called {sheet}.",
            remedy=f"Its sheets are: {names}." if names else "It has no sheets.",
            field="sheet",
        )


def open_file(settings: Settings, path: Path, folder: Path) -> list[SentFile]:
    """A file on this machine, or the files packed in it. ``folder`` must live as long as they are used."""
    limit = settings.unpacked_limit_mib << 20
    opened = []
    for place, file in enumerate(unpack(Packed(path.name, path), folder, limit)):
        own = folder / f"file-{place}"
        own.mkdir()
        opened.append(SentFile(file.name, own, tuple(tables_of(file, own, limit))))
    return opened


def keep_files(settings: Settings, name: str, content: IO[bytes]) -> list[SentFile]:
    """Keep a file that was sent, or the files packed in it. The sender's name is never used as a path."""
    settings.uploads.mkdir(parents=True, exist_ok=True)
    _remove_old(settings)
    shown = name.replace("\\", "/").rsplit("/", 1)[-1] or "unnamed"
    limit = settings.unpacked_limit_mib << 20
    arrived = settings.uploads / f"arriving-{uuid.uuid4().hex}"
    arrived.mkdir(mode=0o700)
    kept: list[SentFile] = []
    try:
        with (arrived / "sent").open("wb") as out:
            shutil.copyfileobj(content, out, 1 << 20)
        for file in unpack(Packed(shown, arrived / "sent"), arrived, limit):
            kept.append(_kept(settings, file, limit))
    except Exception:
        for sent in kept:
            forget(sent)
        raise
    finally:
        shutil.rmtree(arrived, ignore_errors=True)
    return kept


def _kept(settings: Settings, file: Packed, limit_bytes: int) -> SentFile:
    token = uuid.uuid4().hex
    folder = settings.uploads / token
    folder.mkdir(mode=0o700)
    path = folder / "file"
    file.path.rename(path)
    try:
        tables = tables_of(Packed(file.name, path), folder, limit_bytes)
    except Exception:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    listed = [(table.name, str(table.path.relative_to(folder)), table.typed) for table in tables]
    (folder / _ABOUT).write_text(json.dumps({"name": file.name, "tables": listed}), encoding="utf-8")
    return SentFile(file.name, folder, tuple(tables), token)


def find_file(settings: Settings, token: str) -> SentFile:
    """A file that is kept. Raises `NotFound`."""
    folder = settings.uploads / token
    if not _TOKEN.fullmatch(token) or not (folder / _ABOUT).exists():
        raise NotFound("That file is not here any more.", remedy="Choose it again.", field="upload")
    about = json.loads((folder / _ABOUT).read_text(encoding="utf-8"))
    tables = tuple(Table(name, folder / path, typed) for name, path, typed in about["tables"])
    return SentFile(about["name"], folder, tables, token)


def forget(sent: SentFile) -> None:
    """Forget a file that was kept."""
    shutil.rmtree(sent.folder, ignore_errors=True)


def _remove_old(settings: Settings) -> None:
    for folder in settings.uploads.iterdir():
        if folder.stat().st_mtime < time.time() - KEPT_SECONDS:
            shutil.rmtree(folder, ignore_errors=True)
