"""A whole Gold Thread of its own for tests: database, server and browser on loopback, in a folder that is removed."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

from goldthread.installation import private_database
from goldthread.processes import POLL_SECONDS
from goldthread.settings import Settings
from goldthread.store.server.instance import PrivateDatabase
from goldthread.workspace import Workspace, open_workspace
from tests.support.mariadb import Named

ROOT = Path(__file__).parents[2]
MEMORY_MIB = 256
START_LIMIT_SECONDS = 120
WAIT_MS = 60_000
"""For what a page comes to show: a machine at work on other tests is slow."""
CHROMIUM = "/usr/bin/chromium-headless-shell"
CHROMIUM_ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--force-color-profile=srgb",
]


class Place:
    """A folder of running data with a database that runs while the place is open: a private one, or one that is
    ``named``."""

    def __init__(self, upload_limit_mib: int = 8, named: Named | None = None) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="gt-"))
        self.settings = Settings(
            var=self.folder,
            web=ROOT / "web" / "dist",
            port=0,
            database_memory_mib=MEMORY_MIB,
            upload_limit_mib=upload_limit_mib,
            **(named.settings if named else {}),
        )
        self.database: PrivateDatabase = private_database(self.settings)
        self._named = named
        if named is None:
            self.database.start()

    @property
    def till(self) -> Path:
        """A database of somebody else, which the settings name; a test that asks it makes the file."""
        return self.folder / "till.sqlite"

    def workspace(self) -> Workspace:
        return open_workspace(self.settings)

    @property
    def environment(self) -> dict[str, str]:
        """The settings as a process of its own reads them."""
        own = {
            "GOLDTHREAD_VAR": str(self.folder),
            "GOLDTHREAD_WEB": str(self.settings.web),
            "GOLDTHREAD_PORT": "0",
            "GOLDTHREAD_WORKERS": "0",
            "GOLDTHREAD_DATABASE_MEMORY_MIB": str(MEMORY_MIB),
            "GOLDTHREAD_UPLOAD_LIMIT_MIB": str(self.settings.upload_limit_mib),
            "GOLDTHREAD_DATABASES": json.dumps({"till": f"sqlite:///{self.till}"}),
        }
        further = self._named.settings if self._named else {}
        return os.environ | own | {f"GOLDTHREAD_{name.upper()}": value for name, value in further.items()}

    def close(self) -> None:
        self.database.stop()
        shutil.rmtree(self.folder, ignore_errors=True)


@contextmanager
def server(place: Place, further: Mapping[str, str] | None = None) -> Iterator[str]:
    """A server process on a place, with further settings; gives its address."""
    address_file = place.folder / "address"
    address_file.unlink(missing_ok=True)
    log = (place.folder / "server.log").open("wb")
    process = subprocess.Popen(
        [sys.executable, "-m", "goldthread", "serve", "--address-file", str(address_file)],
        env={**place.environment, **(further or {})},
        stdout=log,
        stderr=log,
    )
    try:
        deadline = time.monotonic() + START_LIMIT_SECONDS
        while not address_file.exists():
            if process.poll() is not None or time.monotonic() > deadline:
                raise RuntimeError((place.folder / "server.log").read_text(encoding="utf-8"))
            time.sleep(POLL_SECONDS)
        yield address_file.read_text(encoding="ascii")
    finally:
        process.terminate()
        process.wait()
        log.close()


@contextmanager
def browser() -> Iterator[Browser]:
    """Headless Chromium of the system."""
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_ARGUMENTS)
        try:
            yield started
        finally:
            started.close()
