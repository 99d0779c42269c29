"""A copy of everything that is on record, in one file, and an installation made of it again.

The file is a ZIP: a copy of the database as of one moment, some small files beside it, and last a manifest of what is
in it with checksums (SHA-256). Of a private database the copy is of its pages (mariadb-backup), which takes as long as
copying them; of another one it is the statements that make it again (mariadb-dump). Where there is a passphrase the
ZIP is encrypted with a key of its own, and this key with the passphrase, each in the format age-encryption.org/v1.
"""

from __future__ import annotations

import getpass
import hashlib
import json
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any, cast

import psutil
import pyrage
from sqlalchemy import text

from goldthread.core.records import Progress
from goldthread.errors import Conflict, DiskFull, Unavailable, UnreadableFile
from goldthread.store.server.address import Address
from goldthread.store.server.engine import engine_at, newest_revision, schema_revision, transaction
from goldthread.store.server.instance import PrivateDatabase, program
from goldthread.store.server.suiting import must_suit

FORMAT = 1
PAGES, STATEMENTS = "database.mbstream", "database.sql"
_MANIFEST, _KEY, _CONTENT = "manifest.json", "key.age", "content.zip.age"
_BLOCK_BYTES = 1 << 20
_MANIFEST_BYTES = 1 << 20
_TAIL_LETTERS = 500
_EPOCH = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class Kept:
    """What of an installation is backed up: its database, the private one unless there is one ``outside``, and small
    files by the name that each has in the copy."""

    private: PrivateDatabase
    outside: Address | None
    files: Mapping[str, Path]

    @property
    def address(self) -> Address:
        return self.outside or self.private.address()


def make_backup(kept: Kept, file: Path, passphrase: str, about: Mapping[str, str], progress: Progress) -> None:
    """Write a copy of everything on record as of one moment, readable by its owner alone; others may work meanwhile.

    ``about`` stands in the manifest. The file is there once it is whole. Raises `Unavailable` where the database or the
    program that copies it fails, and `Stopped` when the progress says so.
    """
    unfinished = file.with_name(f".{file.name}.new")
    try:
        unfinished.touch(mode=0o600)
        if not passphrase:
            _write(kept, unfinished, about, progress)
        else:
            with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
                plain = Path(folder) / "content.zip"
                _write(kept, plain, about, progress)
                _encrypt(plain, unfinished, passphrase)
        unfinished.replace(file)
    finally:
        unfinished.unlink(missing_ok=True)


def _write(kept: Kept, file: Path, about: Mapping[str, str], progress: Progress) -> None:
    described = []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as content:
        for name, small in kept.files.items():
            if small.exists():
                with small.open("rb") as source:
                    described.append(_put(content, name, source, lambda _done: None))
        of_database, total = _of_database(kept.address)
        with _copied(kept) as (name, source):
            described.append(_put(content, name, source, lambda done: progress("backup", min(done, total), total)))
        manifest = {**about, "format": FORMAT, **of_database, "files": described}
        content.writestr(zipfile.ZipInfo(_MANIFEST, _EPOCH), json.dumps(manifest, indent=1))


def _put(content: zipfile.ZipFile, name: str, source: IO[bytes], advance: Callable[[int], None]) -> dict[str, Any]:
    entry = zipfile.ZipInfo(name, _EPOCH)
    entry.compress_type = zipfile.ZIP_DEFLATED
    with content.open(entry, "w", force_zip64=True) as into:
        return {"name": name, **_summed(source, into.write, advance)}


def _summed(source: IO[bytes], take: Callable[[bytes], object], advance: Callable[[int], None]) -> dict[str, Any]:
    """How many bytes a stream has and what they sum up to, each piece being taken on the way."""
    digest, size = hashlib.sha256(), 0
    while block := source.read(_BLOCK_BYTES):
        digest.update(block)
        take(block)
        size += len(block)
        advance(size)
    return {"bytes": size, "sha256": digest.hexdigest()}


def _of_database(address: Address) -> tuple[dict[str, str], int]:
    """What the manifest says of the database, and about how many bytes its copy has."""
    query = "SELECT VERSION(), COALESCE(SUM(data_length + index_length), 0) FROM information_schema.TABLES"
    with engine_at(address) as engine:
        with transaction(engine) as connection:
            server, size = connection.execute(text(query)).one()
        return {"server": server, "schema": schema_revision(engine) or ""}, int(size) or 1


@contextmanager
def _copied(kept: Kept) -> Iterator[tuple[str, IO[bytes]]]:
    """The copy of the database as it comes from the program that makes it, and its name."""
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        if kept.outside is None:
            command = [
                program("mariadb-backup"),
                "--no-defaults",
                "--backup",
                "--stream=mbstream",
                f"--datadir={kept.private.data}",
                f"--target-dir={folder}",
                "--socket=../run/db.sock",
                f"--user={getpass.getuser()}",
            ]
            with _running(command, kept.private.data) as source:
                yield PAGES, source
        else:
            command = [
                program("mariadb-dump"),
                f"--defaults-file={_told(kept.address, Path(folder))}",
                "--single-transaction",
                "--skip-lock-tables",
                "--no-tablespaces",
                "--hex-blob",
                "--quick",
                "--default-character-set=utf8mb4",
                kept.address.schema,
            ]
            with _running(command, Path(folder)) as source:
                yield STATEMENTS, source


def _told(address: Address, folder: Path) -> Path:
    """What a program of the database's own is told in a file, which its command would show to others."""

    def quoted(value: str) -> str:
        return '"' + value.replace("\\", "\\\\").replace('"', '\\"') + '"'

    told = {"host": address.host, "port": str(address.port), "user": address.user, "password": address.password}
    lines = [f"{name}={quoted(value)}" for name, value in told.items()]
    lines += [f"ssl-ca={quoted(address.ca_file)}", "ssl-verify-server-cert"] if address.ca_file else ["skip-ssl"]
    file = folder / "told.cnf"
    file.touch(mode=0o600)
    file.write_text("\n".join(["[client]", "protocol=tcp", *lines]) + "\n", encoding="utf-8")
    return file


@contextmanager
def _running(command: list[str], folder: Path, *, is_fed: bool = False) -> Iterator[IO[bytes]]:
    """What a program writes while it runs, or takes where it ``is_fed``. Raises `Unavailable` where it fails; it is
    ended when the block is left."""
    with tempfile.TemporaryFile() as errors:
        process = subprocess.Popen(
            command,
            cwd=folder,
            stdin=subprocess.PIPE if is_fed else subprocess.DEVNULL,
            stdout=subprocess.DEVNULL if is_fed else subprocess.PIPE,
            stderr=errors,
        )
        try:
            with suppress(BrokenPipeError), cast(IO[bytes], process.stdin if is_fed else process.stdout) as stream:
                yield stream
        except BaseException:
            process.kill()
            raise
        finally:
            code = process.wait()
        if code:
            errors.seek(0)
            said = errors.read().decode("utf-8", "replace").strip()[-_TAIL_LETTERS:]
            raise Unavailable(f"{Path(command[0]).name} ended with {code}.", remedy=f"It said: {said}")


def _encrypt(plain: Path, file: Path, passphrase: str) -> None:
    key = pyrage.x25519.Identity.generate()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as outer:
        outer.writestr(zipfile.ZipInfo(_KEY, _EPOCH), pyrage.passphrase.encrypt(str(key).encode(), passphrase))
        with plain.open("rb") as source, outer.open(zipfile.ZipInfo(_CONTENT, _EPOCH), "w", force_zip64=True) as into:
            pyrage.encrypt_io(source, into, [key.to_public()])


def restore_backup(kept: Kept, file: Path, passphrase: str, progress: Progress) -> list[str]:
    """Make an installation of a backup: everything is looked at before anything is put anywhere.

    Gives the names of small files that were there already and were left as they are. Raises `Conflict` where the
    installation holds something, `UnreadableFile` for a file that is no backup, or was damaged or encrypted otherwise,
    `Unavailable` for one of a newer program or of another series of the database.
    """
    _must_be_empty(kept)
    with _opened(file, passphrase) as content:
        manifest = _manifest(content)
        _check(content, manifest, kept, progress)
        small_files = {name: kept.files[name] for each in manifest["files"] if (name := each["name"]) in kept.files}
        left = [name for name, small in small_files.items() if small.exists()]
        if kept.outside is None:
            _restore_pages(content, kept.private)
        else:
            _restore_statements(content, kept.outside)
        for name, small in small_files.items():
            if name not in left:
                small.touch(mode=0o600)
                small.write_bytes(content.read(name))
    return left


def _must_be_empty(kept: Kept) -> None:
    if kept.outside is None:
        holds_something = kept.private.data.exists()
    else:
        query = "SELECT COUNT(*) FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
        with engine_at(kept.outside) as engine:
            with transaction(engine) as connection:
                holds_something = connection.execute(text(query)).scalar_one() > 0
            if not holds_something:
                must_suit(engine)
    if holds_something:
        raise Conflict(
            "There is a record here already, and nothing of it was changed.",
            remedy="Restore into an empty folder of running data (GOLDTHREAD_VAR), or an empty database.",
        )


@contextmanager
def _opened(file: Path, passphrase: str) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(file) as outer:
            if _KEY not in outer.namelist():
                yield outer
                return
            if not passphrase:
                raise UnreadableFile(f"{file.name} is encrypted.", remedy="Say GOLDTHREAD_BACKUP_PASSPHRASE.")
            with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
                plain = Path(folder) / "content.zip"
                key = pyrage.x25519.Identity.from_str(
                    pyrage.passphrase.decrypt(outer.read(_KEY), passphrase).decode("ascii")
                )
                with outer.open(_CONTENT) as source, plain.open("wb") as into:
                    pyrage.decrypt_io(source, into, [key])
                with zipfile.ZipFile(plain) as content:
                    yield content
    except pyrage.DecryptError:
        raise UnreadableFile(
            f"{file.name} cannot be decrypted: it was encrypted with another passphrase, or it was damaged.",
            remedy="Say its own in GOLDTHREAD_BACKUP_PASSPHRASE.",
        ) from None
    except (zipfile.BadZipFile, KeyError, OSError) as error:
        if isinstance(error, OSError) and error.errno is not None:
            raise
        raise UnreadableFile(f"{file.name} is no backup, or was damaged: {error}.", remedy="Take another.") from None


def _manifest(content: zipfile.ZipFile) -> dict[str, Any]:
    if content.getinfo(_MANIFEST).file_size > _MANIFEST_BYTES:
        raise UnreadableFile("The manifest is too large.", remedy="Take another backup.")
    manifest: dict[str, Any] = json.loads(content.read(_MANIFEST))
    if manifest["format"] > FORMAT or manifest["schema"] > newest_revision():
        raise Unavailable(
            f"The backup is of a newer version of the program ({manifest['program']}).",
            remedy="Install that version, and restore with it.",
        )
    return manifest


def _check(content: zipfile.ZipFile, manifest: dict[str, Any], kept: Kept, progress: Progress) -> None:
    """Hold every file against the manifest, and the database's own version and room against what they must be."""
    files = {each["name"]: each for each in manifest["files"]}
    wanted = PAGES if kept.outside is None else STATEMENTS
    if wanted not in files:
        kinds = "a private database" if wanted == STATEMENTS else "a database that database_url names"
        raise Unavailable(
            f"The backup is of {kinds}, and this installation has none.",
            remedy="Change database_url, restore, and take the books over by export and import.",
        )
    total = sum(each["bytes"] for each in files.values())
    done = 0

    def told(size: int) -> None:
        progress("checking", done + size, total)

    for name, each in files.items():
        with content.open(name) as source:
            found = _summed(source, len, told)
        done += found["bytes"]
        if (found["bytes"], found["sha256"]) != (each["bytes"], each["sha256"]):
            raise UnreadableFile(f"{name} in the backup was damaged or changed.", remedy="Take another backup.")
    if kept.outside is None:
        own = kept.private.series()
        if not manifest["server"].startswith(f"{own}."):
            raise Unavailable(
                f"The backup is of MariaDB {manifest['server']}, and this machine has {own}.",
                remedy="Install the same series of MariaDB, and restore with it.",
            )
        free = psutil.disk_usage(str(kept.private.folder.parent)).free
        if total > free:
            raise DiskFull(f"The backup takes {total >> 20} MiB, and {free >> 20} are free.", remedy="Make room.")


def _restore_pages(content: zipfile.ZipFile, database: PrivateDatabase) -> None:
    database.folder.mkdir(parents=True, exist_ok=True)
    unfinished = database.folder / "data.restored"
    shutil.rmtree(unfinished, ignore_errors=True)
    unfinished.mkdir(mode=0o700)
    unpack = [program("mbstream"), "-x", "-C", str(unfinished)]
    with content.open(PAGES) as source, _running(unpack, unfinished, is_fed=True) as into:
        shutil.copyfileobj(source, into, _BLOCK_BYTES)
    command = [program("mariadb-backup"), "--no-defaults", "--prepare", f"--target-dir={unfinished}"]
    with _running(command, unfinished) as said:
        said.read()
    unfinished.rename(database.data)


def _restore_statements(content: zipfile.ZipFile, address: Address) -> None:
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        command = [program("mariadb"), f"--defaults-file={_told(address, Path(folder))}", address.schema]
        with content.open(STATEMENTS) as source, _running(command, Path(folder), is_fed=True) as into:
            shutil.copyfileobj(source, into, _BLOCK_BYTES)
