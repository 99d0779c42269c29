"""``goldthread``: the commands, and how errors and progress are told on a terminal."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from goldthread import __version__
from goldthread.actions import books, package
from goldthread.actions.checking import check_book
from goldthread.actions.questions import HistoryChoice
from goldthread.actions.workspace import private_database
from goldthread.api.app import describe_api
from goldthread.cli.asking import ask_group, history_options
from goldthread.cli.delivering import deliver_command, deliveries_command, withdraw_command
from goldthread.cli.progress import progress_bar
from goldthread.cli.serving import down_command, serve_command, up_command
from goldthread.cli.words import own_workspace
from goldthread.errors import GoldThreadError
from goldthread.settings import load_settings


class _ToldErrors(click.Group):
    def invoke(self, context: click.Context) -> Any:
        try:
            return super().invoke(context)
        except GoldThreadError as error:
            raise click.ClickException(str(error)) from error


@click.group(cls=_ToldErrors)
@click.version_option(__version__)
def main() -> None:
    """Order history, read customer by customer."""


@main.group()
def book() -> None:
    """Books: bodies of orders with one currency."""


@book.command("add")
@click.argument("name")
@click.option("--currency", required=True, help="ISO 4217, such as EUR.")
@click.option("--time-zone", required=True, help="IANA name, such as Europe/Lisbon.")
def book_add(name: str, currency: str, time_zone: str) -> None:
    """Begin a book."""
    added = books.add_book(own_workspace(), name, currency, time_zone)
    click.echo(f"{added.name} is ready, in {added.currency}, {added.time_zone}.")


@book.command("list")
def book_list() -> None:
    """List the books."""
    for known in books.list_books(own_workspace()):
        click.echo(f"{known.name}\t{known.currency}\t{known.time_zone}")


@main.command("check")
@history_options
def check_command(book_name: str, history: HistoryChoice) -> None:
    """Hold the identities of the definitions over every table, and have the database count whole tables again."""
    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    with progress_bar(found.name) as progress:
        checks = check_book(workspace, found, history, books.today_of(found), progress)
    for check in checks:
        word = "holds" if check.holds else f"FAILS: {check.found}, not {check.expected}"
        click.echo(f"{check.number}. {check.claim}{f' ({check.where})' if check.where else ''}: {word}")
    if not all(check.holds for check in checks):
        sys.exit(1)


@main.command("export")
@click.option("--book", "book_name", required=True)
@click.option("--out", required=True, type=click.Path(dir_okay=False, path_type=Path), help="The zip to write.")
def export_command(book_name: str, out: Path) -> None:
    """Take a whole book out as a Frictionless Data Package: a zip of CSVs."""
    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    with progress_bar(found.name) as progress:
        package.take_book_out(workspace, found, out, progress)
    click.echo(f"{found.name} is in {out}.")


@main.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--name", help="Of the book, where it is not to be its own.")
def import_command(file: Path, name: str | None) -> None:
    """Bring back a book that was taken out."""
    with progress_bar(file.name) as progress:
        book = package.bring_book_back(own_workspace(), file, name, progress)
    click.echo(f"{book.name} is back.")


@main.group("database")
def database() -> None:
    """The private database under the folder of running data."""


@database.command("up")
def database_up() -> None:
    """Start it, or find it running."""
    address = private_database(load_settings()).start()
    click.echo(f"The database answers on 127.0.0.1:{address.port}.")


@database.command("down")
def database_down() -> None:
    """Stop it."""
    stopped = private_database(load_settings()).stop()
    click.echo("The database has stopped." if stopped else "The database was not running.")


@main.command("openapi")
def openapi_command() -> None:
    """Print the description of the HTTP interface (OpenAPI 3.1)."""
    click.echo(json.dumps(describe_api(), indent=1, sort_keys=True))


for _command in (
    ask_group,
    serve_command,
    up_command,
    down_command,
    deliver_command,
    deliveries_command,
    withdraw_command,
):
    main.add_command(_command)
