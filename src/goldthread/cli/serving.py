"""``goldthread serve``: the server on loopback, in the foreground."""

from __future__ import annotations

import logging
import socket
from pathlib import Path

import click
import waitress

from goldthread.actions.workspace import open_workspace
from goldthread.api.app import create_app
from goldthread.settings import Settings, load_settings

THREADS = 12
_PORTS_TRIED = 40


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
        clear_untrusted_proxy_headers=True,
    )
    address = f"http://{settings.host}:{port}"
    if port != settings.port:
        click.echo(f"Port {settings.port} is taken.")
    click.echo(f"Gold Thread is at {address}")
    if address_file is not None:
        unfinished = address_file.with_suffix(".new")
        unfinished.write_text(address, encoding="ascii")
        unfinished.rename(address_file)
    server.run()


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
