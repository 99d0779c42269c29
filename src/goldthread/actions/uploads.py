"""Files as they are sent: unpacked, and turned into tables; kept under a name of ours until they are delivered."""

from __future__ import annotations

import json
import re
import shutil
import time
import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

from goldthread.core.records import OF_ORDERS, FileKind, Progress, unreported
from goldthread.errors import InvalidInput, NotFound, TooLarge
from goldthread.intake.database import Rows, Since, take_rows
from goldthread.intake.packing import Packed, Table, tables_of, unpack
from goldthread.processes import mark, remove_left_behind
from goldthread.settings import Settings, private_folder

KEPT_SECONDS = 24 * 3600
_TOKEN = re.compile(r"[0-9a-f]{32}")
_ABOUT = "about.json"
_ARRIVING, _SENT = "arriving-", "sent"
_PIECE_BYTES = 1 << 20


@dataclass(frozen=True)
class SentFile:
    """A file with its tables; ``name`` is what its sender calls it, and ``token`` what we call it where it is kept.

    ``rejected`` is where a dry run puts the rejected rows. ``waiting``: the number of the file that came by itself and
    waited to be looked at, which this is of.
    """

    name: str
    folder: Path
    tables: tuple[Table, ...]
    token: str = ""
    waiting: int | None = None

    @property
    def rejected(self) -> Path:
        return self.folder / "rejected.csv"

    def table(self, sheet: str | None = None) -> Table:
        """The table of a sheet; unless one is named, the first that reads as orders, else the first that reads as
        anything. Raises `InvalidInput`."""
        if sheet is None:
            return min(self.tables, key=lambda table: (table.kind not in OF_ORDERS, table.kind is None))
        for table in self.tables:
            if table.name == sheet:
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
    for place, file in enumerate(unpack(Packed(path.name, path), folder, limit, unreported)):
        own = folder / f"file-{place}"
        own.mkdir()
        opened.append(SentFile(file.name, own, tuple(tables_of(file, own, limit, unreported))))
    return opened


@dataclass(frozen=True)
class Arrival:
    """A file that has just been sent to a book, not yet unpacked."""

    book_id: int
    name: str
    folder: Path
    waiting: int | None = None

    @property
    def content(self) -> Path:
        """The file itself."""
        return self.folder / _SENT

    def told(self) -> dict[str, Any]:
        """What another process knows it by."""
        return {"book": self.book_id, "name": self.name, "folder": str(self.folder)}


def receive(settings: Settings, book_id: int, name: str, content: IO[bytes]) -> Arrival:
    """Take in a file that is sent. The sender's name is never used as a path.

    Raises `TooLarge` when the files that wait to be imported would take more room than they may.
    """
    private_folder(settings.uploads)
    _remove_old(settings)
    shown = name.replace("\\", "/").rsplit("/", 1)[-1] or "unnamed"
    folder = _arriving(settings)
    try:
        with (folder / _SENT).open("wb") as out:
            while piece := content.read(_PIECE_BYTES):
                out.write(piece)
                out.flush()
                _limit_waiting(settings)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return Arrival(book_id, shown, folder)


def keep_files(settings: Settings, arrival: Arrival, progress: Progress) -> list[SentFile]:
    """Keep a file that arrived, or the files packed in it; nothing is left of one that cannot be read."""
    limit = settings.unpacked_limit_mib << 20
    kept: list[SentFile] = []
    try:
        for file in unpack(Packed(arrival.name, arrival.content), arrival.folder, limit, progress):
            kept.append(_kept(settings, arrival, file, limit, progress))
    except BaseException:
        for sent in kept:
            forget(sent)
        raise
    finally:
        shutil.rmtree(arrival.folder, ignore_errors=True)
    return kept


def _kept(settings: Settings, arrival: Arrival, file: Packed, limit_bytes: int, progress: Progress) -> SentFile:
    def fill(folder: Path) -> SentFile:
        path = folder / "file"
        file.path.rename(path)
        return SentFile(file.name, folder, tuple(tables_of(Packed(file.name, path), folder, limit_bytes, progress)))

    return _keep(settings, arrival.book_id, fill, arrival.waiting)


def _keep(settings: Settings, book_id: int, fill: Callable[[Path], SentFile], waiting: int | None = None) -> SentFile:
    """Keep what is put into a folder of its own under a name of ours; nothing is left of what fails."""
    token = uuid.uuid4().hex
    folder, final = _arriving(settings), settings.uploads / token
    try:
        sent = fill(folder)
        _limit_waiting(settings)
        listed = [(each.name, str(each.path.relative_to(folder)), each.typed, each.kind) for each in sent.tables]
        about = {"book": book_id, "name": sent.name, "tables": listed, "waiting": waiting}
        (folder / _ABOUT).write_text(json.dumps(about), encoding="utf-8")
        folder.rename(final)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    tables = tuple(replace(each, path=final / each.path.relative_to(folder)) for each in sent.tables)
    return SentFile(sent.name, final, tables, token, waiting)


def _arriving(settings: Settings) -> Path:
    """A folder for a file that is not whole yet; it bears our mark, so that nobody else removes it."""
    return private_folder(settings.uploads / f"{_ARRIVING}{uuid.uuid4().hex}{mark()}")


def query_database(
    settings: Settings,
    address: str,
    query: str,
    folder: Path,
    name: str,
    progress: Progress,
    since: Since | None = None,
) -> tuple[SentFile, Rows]:
    """The rows of a query as a file in a folder, which must live as long as it is used, and how many they are. Raises
    as `take_rows`."""
    path = folder / "rows.csv"
    rows = take_rows(address, query, path, settings.unpacked_limit_mib << 20, progress, since)
    return SentFile(name, folder, (Table("", path, typed=True),)), rows


def address_of(settings: Settings, database: str) -> str:
    """The address of a database that the settings name. Raises `NotFound`."""
    address = settings.databases.get(database)
    if address is None:
        raise NotFound(
            f"The settings name no database {database}.",
            remedy=f"They name: {', '.join(settings.databases) or 'none'}.",
            field="database",
        )
    return address


def keep_query(settings: Settings, book_id: int, database: str, query: str, progress: Progress) -> SentFile:
    """Keep the rows of a query to one of the databases that the settings name. Raises `NotFound` and as `take_rows`."""
    address = address_of(settings, database)
    private_folder(settings.uploads)
    _remove_old(settings)
    name = f"query of {database}"
    return _keep(settings, book_id, lambda folder: query_database(settings, address, query, folder, name, progress)[0])


def keep_waiting(
    settings: Settings, book_id: int, path: Path, name: str, waiting: int, progress: Progress, *, typed: bool
) -> list[SentFile]:
    """Keep a copy of a file that waited to be looked at. ``typed``: it holds the rows of a query. Raises `NotFound`
    where it is gone, and as `keep_files`."""
    try:
        with path.open("rb") as content:
            arrival = receive(settings, book_id, name, content)
    except FileNotFoundError:
        raise NotFound(f"{path} is not there any more.", remedy="Leave it out, and send it again.") from None
    if not typed:
        return keep_files(settings, replace(arrival, waiting=waiting), progress)

    def fill(folder: Path) -> SentFile:
        arrival.content.rename(folder / "rows.csv")
        return SentFile(name, folder, (Table("", folder / "rows.csv", typed=True),))

    try:
        return [_keep(settings, book_id, fill, waiting)]
    finally:
        discard(arrival)


def is_last_of(settings: Settings, book_id: int, sent: SentFile) -> bool:
    """Whether no other file lies here that came out of the same one that waited."""
    for each in settings.uploads.iterdir():
        if each.name != sent.token and _TOKEN.fullmatch(each.name):
            with suppress(NotFound):
                if find_file(settings, book_id, each.name).waiting == sent.waiting:
                    return False
    return True


def find_file(settings: Settings, book_id: int, token: str) -> SentFile:
    """A file that was sent to a book. Raises `NotFound`."""
    folder = settings.uploads / token
    about: dict[str, Any] = {}
    if _TOKEN.fullmatch(token):
        with suppress(FileNotFoundError):
            about = json.loads((folder / _ABOUT).read_text(encoding="utf-8"))
    if about.get("book") != book_id:
        raise NotFound("That file is not here any more.", remedy="Choose it again.", field="upload")
    tables = tuple(
        Table(name, folder / path, typed, FileKind(kind) if kind else None)
        for name, path, typed, kind in about["tables"]
    )
    return SentFile(about["name"], folder, tables, token, about.get("waiting"))


def discard(arrival: Arrival) -> None:
    """Let go of a file that arrived and is not looked at after all."""
    shutil.rmtree(arrival.folder, ignore_errors=True)


def forget(sent: SentFile) -> None:
    """Forget a file that was kept."""
    shutil.rmtree(sent.folder, ignore_errors=True)


def remove_unfinished(settings: Settings) -> None:
    """Remove files whose arrival was broken off: nobody can name them."""
    if settings.uploads.exists():
        remove_left_behind(settings.uploads, f"{_ARRIVING}*")


def _remove_old(settings: Settings) -> None:
    for folder in settings.uploads.iterdir():
        # somebody else may be removing it at this moment
        with suppress(FileNotFoundError):
            if abs(time.time() - folder.stat().st_mtime) > KEPT_SECONDS:
                shutil.rmtree(folder, ignore_errors=True)


def _limit_waiting(settings: Settings) -> None:
    """All files are looked at each time: others may be arriving at this moment. Raises `TooLarge`."""
    total = 0
    for each in settings.uploads.rglob("*"):
        with suppress(FileNotFoundError):
            total += each.stat().st_size
    if total > settings.uploads_limit_mib << 20:
        raise TooLarge(
            f"The files that wait to be imported would take more than {settings.uploads_limit_mib} MiB.",
            remedy="Import or discard some of them first.",
        )
