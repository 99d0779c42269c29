"""What makes an installation: the database that its record is in, the small files beside it, and copies of both."""

from __future__ import annotations

import datetime as dt
import json
import logging
from contextlib import suppress
from pathlib import Path

from goldthread import __version__
from goldthread.core.records import Progress, unreported
from goldthread.errors import Busy, Unavailable
from goldthread.processes import alone, write_private
from goldthread.settings import ERASING_KEY, FILE, INSTALLATION, SESSION_SECRET, Settings, private_folder
from goldthread.store.backup import Kept, make_backup, restore_backup
from goldthread.store.server.address import Address, address_of
from goldthread.store.server.instance import PrivateDatabase

OLD_DAYS = 2
"""A backup that is older is spoken of, where one is to be made every day."""
_PATTERN = "goldthread-*.backup.zip"
_LAST, _LOCK, _DAILY_LOCK = "last-backup.json", "backup.lock", "daily-backup.lock"
_LOCK_SECONDS, _AT_ONCE_SECONDS = 6 * 3600, 0.1
_AHEAD = dt.timedelta(hours=1)
_log = logging.getLogger(__name__)


def private_database(settings: Settings) -> PrivateDatabase:
    """The database that belongs to these settings."""
    return PrivateDatabase(settings.database, settings.database_memory_mib)


def outside_database(settings: Settings) -> Address | None:
    """The database that the settings name in place of the private one. Raises `InvalidInput`."""
    if not settings.database_url:
        return None
    return address_of(settings.database_url, settings.database_password, settings.database_ca_file)


def find_database(settings: Settings) -> Address:
    """Where the database of these settings is reached. Raises `Unavailable` where the private one does not run."""
    address = outside_database(settings) or private_database(settings).running()
    if address is None:
        raise Unavailable("The database is not running.", remedy="Start it with make start, or goldthread database up.")
    return address


def back_up(settings: Settings, folder: Path, progress: Progress = unreported) -> Path:
    """Put a copy of everything into a folder, and give its file. One is made at a time.

    Raises `Unavailable` where the database does not answer or cannot be copied, and `DiskFull`.
    """
    find_database(settings)
    with alone(settings.var / _LOCK, "making a backup", _LOCK_SECONDS):
        began = _now()
        file = private_folder(folder) / f"goldthread-{began:%Y%m%dT%H%M%S}Z.backup.zip"
        about = {"program": __version__, "made_at": _text(began)}
        make_backup(_kept(settings), file, settings.backup_passphrase, about, progress)
        write_private(settings.var / _LAST, json.dumps({"made_at": _text(began), "file": str(file)}))
    return file


def restore(settings: Settings, file: Path, progress: Progress = unreported) -> list[str]:
    """Make an empty installation of a backup; gives the names of files that were there already and stay as they are.

    Raises what `restore_backup` raises.
    """
    private_folder(settings.var)
    with alone(settings.var / _LOCK, "making a backup", _LOCK_SECONDS):
        return restore_backup(_kept(settings), file, settings.backup_passphrase, progress)


def _kept(settings: Settings) -> Kept:
    files = {name: settings.var / name for name in (FILE, INSTALLATION, SESSION_SECRET, ERASING_KEY)}
    return Kept(private_database(settings), outside_database(settings), files)


def backups_there(settings: Settings) -> list[str]:
    """The names of backups in the folder of those that nobody asked for, the newest first."""
    return sorted((each.name for each in settings.backups.glob(_PATTERN)), reverse=True)


def last_backup(settings: Settings) -> dt.datetime | None:
    """When the last backup was begun that was made whole, in UTC; None where there is none."""
    try:
        told = json.loads((settings.var / _LAST).read_text(encoding="ascii"))
        return dt.datetime.fromisoformat(told["made_at"])
    except (FileNotFoundError, ValueError, KeyError):
        return None


def backup_is_due(settings: Settings, now: dt.datetime) -> bool:
    """Whether the time of the day's backup has come at ``now``, in the machine's own zone, and none was made since.

    One that is said to be of later than now does not count: the clock was set back.
    """
    if not settings.backup_daily_at:
        return False
    at = dt.time.fromisoformat(settings.backup_daily_at)
    due = now.replace(hour=at.hour, minute=at.minute, second=0, microsecond=0)
    if due > now:
        due -= dt.timedelta(days=1)
    last = last_backup(settings)
    return last is None or last < due or last > now + _AHEAD


def backup_is_old(settings: Settings, now: dt.datetime) -> bool:
    """Whether backups are to be made every day, and the last one is older than two days."""
    last = last_backup(settings)
    return bool(settings.backup_daily_at) and (last is None or now - last > dt.timedelta(days=OLD_DAYS))


def back_up_daily(settings: Settings) -> None:
    """Make the day's backup where it is due and nobody else does, and let those go that are too many. Raises what
    `back_up` raises."""

    def is_due() -> bool:
        return backup_is_due(settings, dt.datetime.now().astimezone())

    if not is_due():
        return
    with suppress(Busy), alone(settings.var / _DAILY_LOCK, "making the day's backup", _AT_ONCE_SECONDS):
        if is_due():
            _log.info("The day's backup was made: %s", back_up_unasked(settings))


def back_up_unasked(settings: Settings) -> Path:
    """Make a backup that nobody asked for, in the folder of these, and let all but the newest go there."""
    file = back_up(settings, settings.backups)
    for each in sorted(settings.backups.glob(_PATTERN))[: -settings.backup_keep]:
        each.unlink(missing_ok=True)
    return file


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC).replace(microsecond=0)


def _text(moment: dt.datetime) -> str:
    return moment.isoformat()
