"""``goldthread serve``, ``up``, ``down`` and ``database``: the server in front or in the background, its database."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from functools import partial
from pathlib import Path

import click

from goldthread.errors import Unavailable
from goldthread.logs import write_logs
from goldthread.processes import POLL_SECONDS, alone, end, mark, remove_left_behind, write_known
from goldthread.settings import Settings, count_into, load_settings, private_folder

_PORTS_TRIED = 40
_START_LIMIT_SECONDS = 60
_LOCK = "lock"
_LOOK_SECONDS = 1.0
_NICE = 10


@click.command("serve")
@click.option("--address-file", type=click.Path(dir_okay=False, path_type=Path), help="Where to write the address.")
@click.option("--with-database", is_flag=True, help="Start the private database before, and stop it after.")
def serve_command(address_file: Path | None, with_database: bool) -> None:
    """Serve the page and the API until ended. Takes another port when the usual one is taken, and says which."""
    from goldthread.actions.upkeep import unsafe
    from goldthread.cli.own import own_process

    own_process()
    settings = load_settings()
    write_logs(settings)
    if (wrong := unsafe(settings)) is not None:
        raise wrong
    if settings.metrics_address:
        _count_into(settings.var / "metrics")
    from goldthread.server import serve

    listener = _listen(settings)
    address = f"http://{settings.host}:{listener.getsockname()[1]}"

    def ready() -> None:
        click.echo(f"Gold Thread is at {address}")
        if address_file is not None:
            unfinished = address_file.with_suffix(".new")
            unfinished.write_text(address, encoding="ascii")
            unfinished.rename(address_file)

    with _database_for(settings) if with_database else nullcontext():
        serve(settings, listener, ready, [sys.executable, "-m", "goldthread"])


def _count_into(folder: Path) -> None:
    """Have this server count into a folder of its own, before anything that counts is loaded."""
    own = folder / f"server{mark()}"
    remove_left_behind(folder, "*")
    private_folder(folder)
    count_into(own)


@contextmanager
def _database_for(settings: Settings) -> Iterator[None]:
    """The private database, where there is to be one, for as long as a server runs."""
    from goldthread.installation import outside_database, private_database

    if outside_database(settings) is not None:
        yield
        return
    database, owner = private_database(settings), os.getpid()
    database.start()
    try:
        yield
    finally:
        # the processes that answer come by here as well when they end
        if os.getpid() == owner:
            database.stop()


@click.command("work")
@click.option("--with-parent", is_flag=True, help="End when the process that began this one does.")
def work_command(with_parent: bool) -> None:
    """Do what takes longer than a request: importing, files, checks, mailings. A server begins as many of these as the
    setting workers says; further ones may run beside it."""
    from goldthread.cli.own import own_process
    from goldthread.server import make_worker

    own_process()
    settings = load_settings()
    write_logs(settings)
    # whoever asks comes before what takes long
    os.nice(_NICE)
    with until_ended(with_parent):
        worker = make_worker(settings)
        worker.start()
    worker.end()


@contextmanager
def until_ended(with_parent: bool) -> Iterator[None]:
    """Do something, then wait until this process is to end, or the one that began it has where it goes with that."""
    ended, parent = threading.Event(), os.getppid()
    for each in (signal.SIGTERM, signal.SIGINT):
        signal.signal(each, lambda *_: ended.set())
    yield
    while not ended.wait(_LOOK_SECONDS):
        if with_parent and os.getppid() != parent:
            break


@click.command("metrics")
@click.option("--with-parent", is_flag=True, help="End when the process that began this one does.")
def metrics_command(with_parent: bool) -> None:
    """Tell what a server counts of itself, for Prometheus, at the setting metrics_address. A server begins this one by
    itself."""
    from goldthread.actions.upkeep import counted_on_record
    from goldthread.cli.own import own_workspace
    from goldthread.metrics import serve_metrics

    workspace = own_workspace()
    settings = workspace.settings
    write_logs(settings)
    host, _, port = settings.metrics_address.rpartition(":")
    with until_ended(with_parent):
        serve_metrics(host.strip("[]"), int(port), partial(counted_on_record, workspace))


@click.command("up")
@click.option("--demo", is_flag=True, help="Fill the demo book, through the same intake as any other file.")
@click.option("--people", is_flag=True, help="With --demo: accounts to sign in as, one for each role.")
def up_command(demo: bool, people: bool) -> None:
    """Start the database and the server in the background; a server that runs already is started anew."""
    from goldthread.cli.own import own_process
    from goldthread.installation import outside_database, private_database

    own_process()
    settings = load_settings()
    with alone(settings.var / _LOCK):
        if outside_database(settings) is None:
            private_database(settings).start()
        if demo:
            _fill_demo(settings, people)
        address = _started(settings)
        _must_be_ready(address)
    if settings.port and not address.endswith(f":{settings.port}"):
        click.echo(f"Port {settings.port} is taken, so another one is used.")
    click.echo(f"Gold Thread is at {address}")


def _fill_demo(settings: Settings, people: bool) -> None:
    from goldthread.actions.demo import PEOPLE, add_people
    from goldthread.api.work import fill_demo
    from goldthread.cli.progress import progress_bar
    from goldthread.workspace import open_workspace

    with progress_bar("demo") as progress:
        workspace = open_workspace(settings)
        report = fill_demo(workspace, progress)
    click.echo("The demo book is filled." if report.delivery_id else "The demo book is there already.")
    if people:
        password = add_people(workspace)
        for name, role in PEOPLE.items():
            click.echo(f"Sign in as {name}, {role}, with the password {password}")


def _started(settings: Settings) -> str:
    """Start the server in the background, instead of the one that may run; its address once it answers."""
    end(settings.var / "server.pid")
    address_file = settings.var / "address"
    address_file.unlink(missing_ok=True)
    log_file = settings.var / "server.log"
    log_file.touch(mode=0o600)
    with log_file.open("ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "goldthread", "serve", "--address-file", str(address_file)],
            stdout=log,
            stderr=log,
            stdin=subprocess.DEVNULL,
            start_new_session=True,
        )
    write_known(settings.var / "server.pid", process.pid)
    deadline = time.monotonic() + _START_LIMIT_SECONDS
    while not address_file.exists():
        if process.poll() is not None or time.monotonic() > deadline:
            tail = log_file.read_text(encoding="utf-8", errors="replace")[-600:]
            raise Unavailable("The server did not start.", remedy=f"The end of {log_file} says: {tail}")
        time.sleep(POLL_SECONDS)
    return address_file.read_text(encoding="ascii")


def _must_be_ready(address: str) -> None:
    """Raises `Unavailable` where the server that answers at an address cannot do its work."""
    try:
        with urllib.request.urlopen(f"{address}/api/health/ready", timeout=_START_LIMIT_SECONDS):  # noqa: S310 - our own server gave it
            pass
    except urllib.error.HTTPError as error:
        told = json.loads(error.read())
        raise Unavailable(told["detail"], remedy=told["remedy"]) from None


@click.command("check-settings")
def check_settings_command() -> None:
    """Show every setting as it holds here, and what of it cannot work on this machine. Ends with 1 where something
    cannot."""
    from goldthread.actions.upkeep import slow_with, wrong_with

    settings = load_settings()
    for name in Settings.model_fields:
        click.echo(f"{name} = {settings.shown(name)}")
    wrong = wrong_with(settings)
    if not wrong:
        for note in slow_with(settings):
            click.echo(note, err=True)
    for each in wrong:
        click.echo(f"{each.field}: {each}", err=True)
    if wrong:
        raise click.exceptions.Exit(1)


@click.command("down")
def down_command() -> None:
    """Stop the server and its database."""
    from goldthread.installation import private_database

    settings = load_settings()
    with alone(settings.var / _LOCK):
        server = end(settings.var / "server.pid")
        database = private_database(settings).stop()
    click.echo("Stopped." if server or database else "Nothing was running.")


@click.group("database")
def database_group() -> None:
    """The database that the record is in: the private one under the folder of running data, or that of database_url."""


@database_group.command("up")
def database_up() -> None:
    """Start the private one, or find it running."""
    from goldthread.cli.own import own_process
    from goldthread.installation import outside_database, private_database
    from goldthread.workspace import open_workspace

    own_process()
    settings = load_settings()
    address = outside_database(settings)
    if address is None:
        address = private_database(settings).start()
    else:
        open_workspace(settings)
    click.echo(f"The database answers on {address.host}:{address.port}.")


@database_group.command("down")
def database_down() -> None:
    """Stop the private one."""
    from goldthread.installation import private_database

    stopped = private_database(load_settings()).stop()
    click.echo("The database has stopped." if stopped else "The database was not running.")


@database_group.command("take")
def database_take() -> None:
    """Make the record in the database of database_url this installation's, in place of one that runs no more: its
    folder of running data was lost, or stands on a machine that is gone."""
    from goldthread.actions.upkeep import take_record

    take_record(load_settings())
    click.echo("The record is this installation's.")


@click.command("openapi")
def openapi_command() -> None:
    """Print the description of the HTTP interface (OpenAPI 3.1)."""
    from goldthread.api.app import describe_api

    click.echo(json.dumps(describe_api(), indent=1, sort_keys=True))


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
