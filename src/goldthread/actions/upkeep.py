"""What a server puts in order when it starts: remains of work that was broken off."""

from __future__ import annotations

import tempfile

import psutil

from goldthread.actions import uploads as files
from goldthread.errors import DiskFull, InvalidInput, Unavailable
from goldthread.installation import outside_database
from goldthread.settings import Settings, private_folder
from goldthread.store import jobs, snapshot, undoing
from goldthread.store.books import changed_ago_seconds
from goldthread.store.server import suiting
from goldthread.store.server.engine import engine_at, must_be_current
from goldthread.workspace import Workspace, open_cluster

LEAST_FREE_BYTES = 64 << 20


def clean_up(settings: Settings) -> None:
    """Remove what nobody can name any more: snapshots and files that were never whole."""
    private_folder(settings.var)
    if settings.snapshots.exists():
        snapshot.remove_unfinished(settings.snapshots)
    files.remove_unfinished(settings)


def wrong_with(settings: Settings) -> list[InvalidInput]:
    """What of some settings cannot work on this machine as it is."""
    found = []
    try:
        private_folder(settings.var)
        with tempfile.TemporaryFile(dir=settings.var):
            pass
    except OSError as error:
        found.append(
            InvalidInput(
                f"Nothing can be written into the folder of running data: {error}.",
                remedy="Give it to the user whom Gold Thread runs as, or set GOLDTHREAD_VAR.",
                field="var",
            )
        )
    if not (settings.web / "index.html").exists():
        found.append(
            InvalidInput(
                f"No page is built in {settings.web}.", remedy="Build it: setup/prepare.sh product.", field="web"
            )
        )
    exposed = unsafe(settings)
    if exposed is not None:
        found.append(exposed)
    if settings.smtp_host and not settings.smtp_from:
        found.append(
            InvalidInput(
                "A mail server is named, but not from whom messages are.",
                remedy='Set smtp_from, such as "Shop <shop@example.com>".',
                field="smtp_from",
            )
        )
    return found + _wrong_with_cluster(settings) + _wrong_with_database(settings)


def unsafe(settings: Settings) -> InvalidInput | None:
    """What is wrong where a server listens for others than this machine, and nothing in front of it speaks TLS."""
    if settings.is_on_loopback or (settings.public_url.startswith("https://") and settings.trusted_proxies):
        return None
    return InvalidInput(
        f"The server would listen on {settings.host} without TLS: anybody in reach could read and change everything.",
        remedy="Let a proxy that speaks TLS ask it, and set public_url and trusted_proxies; or set host to 127.0.0.1.",
        field="host",
    )


def _wrong_with_cluster(settings: Settings) -> list[InvalidInput]:
    """What is missing for a cluster that the settings name."""
    try:
        open_cluster(settings)
    except Unavailable as wrong:
        return [InvalidInput(wrong.detail, remedy=wrong.remedy, field="compute")]
    return []


def _wrong_with_database(settings: Settings) -> list[InvalidInput]:
    """What keeps a database that others look after from holding a record; it is asked, and a table made and removed."""
    try:
        address = outside_database(settings)
        if address is not None:
            with engine_at(address) as engine:
                suiting.must_suit(engine)
                suiting.must_have_rights(engine)
    except InvalidInput as wrong:
        return [wrong]
    except Unavailable as wrong:
        return [InvalidInput(wrong.detail, remedy=wrong.remedy, field="database_url")]
    return []


def slow_with(settings: Settings) -> list[str]:
    """What makes a database that others look after slower than it could be."""
    address = outside_database(settings)
    if address is None:
        return []
    with engine_at(address) as engine:
        return suiting.slow_with(engine)


def take_record(settings: Settings) -> None:
    """Make the record in a database that others look after this installation's. Raises `InvalidInput`."""
    address = outside_database(settings)
    if address is None:
        raise InvalidInput(
            "The private database belongs to this installation already.", remedy="Nothing is to be done."
        )
    with engine_at(address) as engine:
        suiting.take(engine, settings.installation)


def must_be_ready(workspace: Workspace) -> None:
    """Raises `Unavailable` where questions cannot be answered, and `DiskFull` where nothing can be brought in."""
    must_be_current(workspace.record.engine)
    must_have_room(workspace.settings)


def must_have_room(settings: Settings, wanted_bytes: int = 0) -> None:
    """Raises `DiskFull` where the disk has no room for what is wanted, and some more: a database that comes to its end
    while it writes has to be started anew."""
    free = psutil.disk_usage(str(settings.var)).free
    if free < LEAST_FREE_BYTES + wanted_bytes:
        raise DiskFull(
            f"{free >> 20} MiB are free on the disk of {settings.var}, and "
            f"{(LEAST_FREE_BYTES + wanted_bytes) >> 20} are wanted.",
            remedy="Nothing was changed. Make room on it.",
        )


def counted_on_record(workspace: Workspace) -> tuple[dict[str, int], dict[int, float]]:
    """How many pieces of work there are, by state; how many seconds ago something was brought into each book, by its
    id, of the books that were changed last."""
    engine = workspace.record.engine
    return jobs.count_by_state(engine), changed_ago_seconds(engine)


def remove_deleted(workspace: Workspace) -> None:
    """Remove lists and views that were deleted longer ago than anybody may undo."""
    with workspace.record.engine.begin() as connection:
        undoing.remove_for_good(connection)
