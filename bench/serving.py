"""How soon somebody is answered: a repeated question beside the smallest reply, a command beside what it stands on.

The server is a process of its own on a fresh private database with the demo's orders, asked over one connection.
"""

from __future__ import annotations

import http.client
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bench.timing import Row, timed
from goldthread.actions.demo import import_demo
from goldthread.installation import private_database
from goldthread.settings import Settings
from goldthread.workspace import open_workspace

ASKED_A_RUN = 20
QUESTIONS = ("cohorts", "cohorts?period=week", "newness", "newness?period=day", "customers", "pairs", "counts", "gaps")
CALLS = (["--help"], ["ask", "cohorts", "--help"], ["deliver", "--help"], ["ask", "cohorts", "--period", "decade"])


def serving_times(runs: int) -> list[Row]:
    """Measure both, so many times."""
    return [*_replies(runs * ASKED_A_RUN), *_commands(runs)]


def _replies(runs: int) -> list[Row]:
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder, _server(Path(folder)) as port:
        connection = http.client.HTTPConnection("127.0.0.1", port)

        def ask(path: str, tag: str = "", packed: bool = False) -> http.client.HTTPResponse:
            headers = ({"If-None-Match": tag} if tag else {}) | ({"Accept-Encoding": "gzip"} if packed else {})
            connection.request("GET", path, headers=headers)
            reply = connection.getresponse()
            reply.read()
            return reply

        rows = []
        for question in QUESTIONS:
            path = f"/api/books/1/ask/{question}"
            tag = ask(path).headers["ETag"]
            smallest = timed(lambda: ask("/api/session"), runs)
            for name, asked in (
                ("again", timed(lambda p=path: ask(p), runs)),  # type: ignore[misc]
                ("again, packed", timed(lambda p=path: ask(p, packed=True), runs)),  # type: ignore[misc]
                ("again, unchanged", timed(lambda p=path, t=tag: ask(p, t), runs)),  # type: ignore[misc]
            ):
                rows.append(Row(f"{question} {name}", asked, smallest, "the smallest reply"))
        return rows


@contextmanager
def _server(folder: Path) -> Iterator[int]:
    settings = Settings(var=folder, port=0)
    database = private_database(settings)
    database.start()
    try:
        import_demo(open_workspace(settings), lambda *_progress: None)
        address = folder / "address"
        command = [sys.executable, "-m", "goldthread", "serve", "--address-file", str(address)]
        own = os.environ | {"GOLDTHREAD_VAR": str(folder), "GOLDTHREAD_PORT": "0"}
        with subprocess.Popen(command, env=own, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as server:
            try:
                while not address.exists() and server.poll() is None:
                    time.sleep(0.05)
                yield int(address.read_text(encoding="ascii").rpartition(":")[2])
            finally:
                server.terminate()
    finally:
        database.stop()


def _commands(runs: int) -> list[Row]:
    def call(*arguments: str) -> None:
        subprocess.run([sys.executable, *arguments], capture_output=True, check=False)

    click = timed(lambda: call("-c", "import click"), runs)
    return [
        Row(
            f"goldthread {' '.join(arguments)}",
            timed(lambda a=arguments: call("-m", "goldthread", *a), runs),  # type: ignore[misc]
            click,
            "importing click",
        )
        for arguments in CALLS
    ]
