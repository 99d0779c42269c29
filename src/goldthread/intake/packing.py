"""Files inside files, and tables inside files: what was sent comes down to delimited texts.

gzip and zip are unpacked here, within a bound. Workbooks, JSON and Parquet are turned into delimited text by a process
of their own (`goldthread.intake.converting`), with bounds on its memory, its time and what it may write: a file made to
do harm ends that process and nothing else.
"""

from __future__ import annotations

import gzip
import json
import re
import shutil
import subprocess
import sys
import time
import zipfile
import zlib
from dataclasses import dataclass, replace
from enum import StrEnum
from pathlib import Path, PurePosixPath
from typing import IO

from goldthread.core.records import FileKind, Progress
from goldthread.errors import TooLarge, UnreadableFile
from goldthread.intake.bounds import turn
from goldthread.intake.delimited import look
from goldthread.intake.encodings import UTF_8, encoding_of
from goldthread.intake.guessing import guess

FILES_MOST = 200
_LAST_RECORD, _LAST_RECORD_BYTES, _LIST_BYTES = b"PK\x05\x06", (1 << 16) + 22, 1 << 20
_CHUNK = 1 << 20
_SECONDS_MOST = 900
_LOOK_EVERY_SECONDS = 0.2
_HEAD_BYTES = 4096


class Format(StrEnum):
    """What a file is, found by its content."""

    TEXT = "text"
    WORKBOOK = "workbook"
    JSON = "json"
    PARQUET = "parquet"
    PAGE = "page"
    GZIP = "gzip"
    ZIP = "zip"


@dataclass(frozen=True)
class Packed:
    """A file as it was sent, or as it came out of another; ``name`` is what people call it."""

    name: str
    path: Path


@dataclass(frozen=True)
class Table:
    """One table of a file as delimited text. ``name`` is that of its sheet, empty where there is one table only;
    ``kind`` what its rows seem to be where nothing is missing, known where there are several tables."""

    name: str
    path: Path
    typed: bool
    kind: FileKind | None = None


def unpack(sent: Packed, folder: Path, limit_bytes: int, progress: Progress) -> list[Packed]:
    """The files in a gzip or zip file; a list of the file itself when it is neither.

    Raises `UnreadableFile`, what ``progress`` raises, and `TooLarge` when more comes out than the limit allows.
    """
    found = _format(sent.path)
    if found is Format.GZIP:
        name = sent.name.removesuffix(".gz") or "unpacked"
        target = folder / "unpacked"
        try:
            with gzip.open(sent.path) as content:
                _copy(content, target, limit_bytes, sent.name, progress)
        except (OSError, EOFError, zlib.error):
            raise UnreadableFile(f"{sent.name} is a damaged gzip file.", remedy="Pack it again.") from None
        return [Packed(name, target)]
    return _unzip(sent, folder, limit_bytes, progress) if found is Format.ZIP else [sent]


def limit_directory(path: Path) -> None:
    """Raises `UnreadableFile` for an archive that lists more members than any that we are sent: the list alone would
    fill the memory. Its length stands in the archive's last record."""
    with path.open("rb") as file:
        file.seek(max(path.stat().st_size - _LAST_RECORD_BYTES, 0))
        tail = file.read()
    place = tail.rfind(_LAST_RECORD)
    if place >= 0 and len(tail) >= place + 16 and int.from_bytes(tail[place + 12 : place + 16], "little") > _LIST_BYTES:
        raise UnreadableFile("The archive holds too many files.", remedy=f"Pack at most {FILES_MOST}.")


def _unzip(sent: Packed, folder: Path, limit_bytes: int, progress: Progress) -> list[Packed]:
    files: list[Packed] = []
    left = limit_bytes
    limit_directory(sent.path)
    try:
        with zipfile.ZipFile(sent.path) as archive:
            members = [member for member in archive.infolist() if _is_wanted(member)]
            if len(members) > FILES_MOST:
                raise TooLarge(f"{sent.name} holds {len(members)} files.", remedy=f"Pack at most {FILES_MOST}.")
            for place, member in enumerate(members):
                target = folder / f"unpacked-{place}"
                with archive.open(member) as content:
                    left -= _copy(content, target, left, sent.name, progress)
                files.append(Packed(PurePosixPath(member.filename).name, target))
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError):
        raise UnreadableFile(
            f"{sent.name} is a damaged or locked zip file.", remedy="Pack it again, without a password."
        ) from None
    if not files:
        raise UnreadableFile(f"{sent.name} holds no file.", remedy="Pack the exports themselves.")
    for file in files:
        if _format(file.path) in (Format.ZIP, Format.GZIP):
            raise UnreadableFile(f"{file.name} in {sent.name} is packed once more.", remedy="Pack the files once.")
    return files


def _is_wanted(member: zipfile.ZipInfo) -> bool:
    name = PurePosixPath(member.filename).name
    return not member.is_dir() and not name.startswith(".") and not member.filename.startswith("__MACOSX/")


def _copy(content: IO[bytes] | gzip.GzipFile, target: Path, limit_bytes: int, name: str, progress: Progress) -> int:
    written = 0
    with target.open("wb") as out:
        while piece := content.read(_CHUNK):
            written += len(piece)
            progress("unpacking", 0, 0)
            if written > limit_bytes:
                raise TooLarge(
                    f"{name} unpacks to more than {limit_bytes >> 20} MiB.",
                    remedy="Bring its files in one by one, or raise unpacked_limit_mib in the settings.",
                )
            out.write(piece)
    return written


def tables_of(file: Packed, folder: Path, limit_bytes: int, progress: Progress) -> list[Table]:
    """The tables of a file as delimited texts; sheets without a filled row are left out.

    Raises `UnreadableFile`, and what ``progress`` raises, which is called now and then: the process then ends.
    """
    found = _format(file.path, file.name)
    if found is Format.TEXT:
        return [Table("", file.path, typed=False)]
    target = folder / "tables"
    shutil.rmtree(target, ignore_errors=True)
    target.mkdir()
    module = "goldthread.intake.converting"
    command = [sys.executable, "-m", module, found.value, str(file.path), str(target), str(limit_bytes)]
    with turn(progress):
        output = _converted(command, file.name, progress)
    try:
        answer = json.loads(output)
    except ValueError:
        raise UnreadableFile(
            f"{file.name} cannot be read: it asks for more memory or time than any table of its size needs.",
            remedy="Save the table as CSV (UTF-8).",
        ) from None
    if "problem" in answer:
        raise UnreadableFile(f"{file.name}: {answer['problem']}", remedy=answer["remedy"])
    typed = found is not Format.PAGE
    tables = [Table(name, target / path, typed) for name, path in answer["tables"]]
    return tables if len(tables) == 1 else [replace(table, kind=_read_as(table)) for table in tables]


def _read_as(table: Table) -> FileKind | None:
    """What the rows of a table seem to be by the first ones; None where it is no table, or lacks something."""
    try:
        file = look(table.path, table.typed)
    except UnreadableFile:
        return None
    guessed = guess(file.header, file.sample)
    return None if guessed.missing else guessed.kind


def _converted(command: list[str], name: str, progress: Progress) -> bytes:
    """What the converting process reports in the end; it ends at once with the one who waits for it."""
    deadline = time.monotonic() + _SECONDS_MOST
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as process:
        try:
            while time.monotonic() < deadline:
                try:
                    return process.communicate(timeout=_LOOK_EVERY_SECONDS)[0]
                except subprocess.TimeoutExpired:
                    progress("converting", 0, 0)
        finally:
            process.kill()
    raise UnreadableFile(f"{name} takes too long to read.", remedy="Save the table as CSV (UTF-8).")


def _format(path: Path, name: str = "") -> Format:
    with path.open("rb") as file:
        head = file.read(_HEAD_BYTES)
    if head.startswith(b"PK\x03\x04") or head.startswith(b"PK\x05\x06"):
        return Format.WORKBOOK if _is_workbook(path) else Format.ZIP
    if head.startswith(b"\x1f\x8b"):
        return Format.GZIP
    if head.startswith(b"PAR1"):
        return Format.PARQUET
    if head.startswith(b"\xd0\xcf\x11\xe0"):
        return Format.WORKBOOK
    if head.startswith(b"%PDF"):
        raise UnreadableFile(f"{name or 'This'} is a PDF file.", remedy="Export the table itself, as CSV or XLSX.")
    start = _as_text(head).lstrip("\ufeff \t\r\n")
    if start.startswith(("{", "[")) and not start.startswith("[]"):
        return Format.JSON
    if re.match(r"<(?:!doctype html|html|table|head|body|meta|div)\b", start, re.IGNORECASE):
        return Format.PAGE
    if start.startswith("<?xml"):
        raise UnreadableFile(f"{name or 'This'} is an XML file.", remedy="Save the table as CSV (UTF-8) or XLSX.")
    return Format.TEXT


def _as_text(head: bytes) -> str:
    try:
        return head.decode(encoding_of(head, is_whole=len(head) < _HEAD_BYTES) or UTF_8, errors="ignore")
    except UnicodeDecodeError:
        return head.decode(UTF_8, errors="ignore")


def _is_workbook(path: Path) -> bool:
    limit_directory(path)
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
    except (zipfile.BadZipFile, OSError):
        return False
    return bool(names & {"[Content_Types].xml", "content.xml"})
