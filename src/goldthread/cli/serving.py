"""``goldthread serve``, ``up`` and ``down``: the server in the foreground, or in the background with its database."""

from __future__ import annotations

import logging
import socket
import subprocess
import sys
import time
from pathlib import Path

import click
import waitress

from goldthread.actions.demo import bring_in_demo
from goldthread.actions.watching import MOST_STREAMS
from goldthread.actions.workspace import open_workspace, private_database
from goldthread.api.app import create_app
from goldthread.cli.progress import progress_bar
from goldthread.errors import Unavailable
from goldthread.processes import POLL_SECONDS, end
from goldthread.settings import Settings, load_settings

THREADS = 12 + MOST_STREAMS
"""Twelve for requests, and one for every stream of changes."""
_PORTS_TRIED = 40
_START_LIMIT_SECONDS = 60


@click.command("serve")
@click.option("--address-file", type=click.Path(dir_okay=False, path_type=Path), help="Where to write the address.")
def serve_command(address_file: Path | None) -> None:
    """Serve the page and the API until ended. Takes another port when the usual one is taken, and says which."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(name)s: %(message)s")
    settings = load_settings()
    listener = _listen(settings)
    port = listener.getsockname()[1]
    app = create_app(open_workspace(settings))
    server = waitress.create_server(
        app,
        sockets=[listener],
        threads=THREADS,
        ident="Gold Thread",
        channel_timeout=300,
        max_request_body_size=(settings.upload_limit_mib + 1) << 20,
        clear_untrusted_proxy_headers=True,
    )
    address = f"http://{settings.host}:{port}"
    click.echo(f"Gold Thread is at {address}")
    if address_file is not None:
        unfinished = address_file.with_suffix(".new")
        unfinished.write_text(address, encoding="ascii")
        unfinished.rename(address_file)
    server.run()


@click.command("up")
@click.option("--demo", is_flag=True, help="Fill the demo book, through the same intake as any other file.")
def up_command(demo: bool) -> None:
    """Start the database and the server in the background; a server that runs already is started anew."""
    settings = load_settings()
    private_database(settings).start()
    if demo:
        with progress_bar("demo") as progress:
            report = bring_in_demo(open_workspace(settings), progress)
        click.echo("The demo book is filled." if report.delivery_id else "The demo book is there already.")
    end(settings.var / "server.pid")
    address_file = settings.var / "address"
    address_file.unlink(missing_ok=True)
    log_file = settings.var / "server.log"
    with log_file.open("ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "goldthread", "serve", "--address-file", str(address_file)],
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )
    (settings.var / "server.pid").write_text(str(process.pid), encoding="ascii")
    deadline = time.monotonic() + _START_LIMIT_SECONDS
    while not address_file.exists():
        if process.poll() is not None or time.monotonic() > deadline:
            tail = log_file.read_text(encoding="utf-8", errors="replace")[-600:]
            raise Unavailable("The server did not start.", remedy=f"The end of {log_file} says: {tail}")
        time.sleep(POLL_SECONDS)
    address = address_file.read_text(encoding="ascii")
    if not address.endswith(f":{settings.port}"):
        click.echo(f"Port {settings.port} is taken, so another one is used.")
    click.echo(f"Gold Thread is at {address}")


@click.command("down")
def down_command() -> None:
    """Stop the server and its database."""
    settings = load_settings()
    server = end(settings.var / "server.pid")
    database = private_database(settings).stop()
    click.echo("Stopped." if server or database else "Nothing was running.")


def _listen(settings: Settings) -> socket.socket:
    """A socket on the port of the settings, else on the next free one. Port 0 takes any."""
    last = settings.port + (_PORTS_TRIED if settings.port else 1)
    for port in range(settings.port, last):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((settings.host, port))
        except OSError:
            listener.close()
            continue
        listener.listen(1024)
        return listener
    raise click.ClickException(f"Ports {settings.port} to {last - 1} are all taken. Set GOLDTHREAD_PORT to a free one.")
