"""``goldthread book``, ``check``, ``export`` and ``import``: books as wholes."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from goldthread.cli.asking import reading_options
from goldthread.cli.flags import flags_of
from goldthread.stops.costs.given import UsualSettings
from goldthread.stops.sentences.reading_line import USUAL_NAMES, ReadingLine


@click.group("book")
def book_group() -> None:
    """Books: bodies of orders with one currency."""


@book_group.command("add")
@click.argument("name")
@click.option("--currency", required=True, help="ISO 4217, such as EUR.")
@click.option("--time-zone", required=True, help="IANA name, such as Europe/Lisbon.")
@click.option(
    "--orders-in",
    metavar="parquet:FOLDER",
    help="Files in which the orders stay, such as parquet:/data/orders or parquet:s3://shop/orders.",
)
@click.option("--source", default="files", show_default=True, help="With --orders-in: where the orders come from.")
@click.option(
    "--column", "columns", multiple=True, help="With --orders-in: MEANING=COLUMN, such as order=receipt; repeatable."
)
@click.option("--status", "statuses", multiple=True, help="With --orders-in: WORD=STATUS, such as bezahlt=paid.")
def book_add(
    name: str,
    currency: str,
    time_zone: str,
    orders_in: str | None,
    source: str,
    columns: tuple[str, ...],
    statuses: tuple[str, ...],
) -> None:
    """Begin a book; with --orders-in one whose orders stay in files, which refresh brings it up to."""
    from goldthread.actions import books, refreshing
    from goldthread.cli.delivered import given_of, tell_refresh
    from goldthread.cli.own import own_workspace
    from goldthread.cli.progress import progress_bar

    workspace = own_workspace()
    if orders_in is None:
        added = books.add_book(workspace, name, currency, time_zone)
        report = None
    else:
        said = given_of(columns, statuses)
        with progress_bar(name) as progress:
            added, report = refreshing.begin_from_files(
                workspace, name, currency, time_zone, orders_in, source, said, progress
            )
    click.echo(f"{added.name} is ready, in {added.currency}, {added.time_zone}.")
    if report is not None:
        tell_refresh(added, report)


@book_group.command("refresh")
@click.argument("name")
@click.option("--as-before", is_flag=True, help="Go back to the files of the refresh before, where they still are.")
@click.option("--accept-rejected", is_flag=True, help="Go on though more than 2 % of the rows would be left out.")
def book_refresh(name: str, as_before: bool, accept_rejected: bool) -> None:
    """Bring a book whose orders stay in files up to these. Exit code 3: rows rejected; 5: nothing was changed, because
    more than 2 % of the rows or of the amount would be left out."""
    from goldthread.actions import books, refreshing
    from goldthread.cli.delivered import tell_refresh
    from goldthread.cli.own import own_workspace
    from goldthread.cli.progress import progress_bar

    workspace = own_workspace()
    book = books.find_book(workspace, name)
    with progress_bar(book.name) as progress:
        report = refreshing.refresh_book(
            workspace, book, progress, as_before=as_before, accept_rejected=accept_rejected
        )
    tell_refresh(book, report)


@book_group.command("settings")
@click.argument("name")
@click.option("--hide-people/--show-people", default=None, help="Whether readers see numbers in place of names.")
def book_settings(name: str, hide_people: bool | None) -> None:
    """Show what an owner decides about a book, or decide it."""
    from goldthread.actions import books
    from goldthread.cli.own import own_workspace

    workspace = own_workspace()
    book = books.find_book(workspace, name)
    if hide_people is not None:
        books.hide_people(workspace, book, hidden=hide_people)
    hides = books.find_state(workspace, book.id).hides_people
    click.echo(f"Readers see {'numbers' if hides else 'names'} of customers.")


def _book_usual(name: str, take_back: tuple[str, ...], **given: Any) -> None:
    """Show the usual settings of a book, which hold where a question says nothing else, or say some of them."""
    from goldthread.actions import books, usual
    from goldthread.cli.own import own_workspace
    from goldthread.stops.usual import checked_usual, settings_words, usual_of

    workspace = own_workspace()
    book = books.find_book(workspace, name)
    said = {setting: value for setting, value in given.items() if value not in (None, ())}
    if said or take_back:
        kept = {setting: value for setting, value in usual_of(book).items() if setting not in take_back}
        said = checked_usual(kept | said)
        usual.say_usual(workspace, book, said, settings_words(said))
        book = books.find_book(workspace, name)
    for words in settings_words(usual_of(book)) or ["No usual settings."]:
        click.echo(words)


book_group.add_command(
    click.Command(
        "usual",
        callback=_book_usual,
        help=_book_usual.__doc__,
        params=[
            click.Argument(["name"]),
            *flags_of(UsualSettings, without=set(UsualSettings.model_fields) - set(USUAL_NAMES)),
            click.Option(
                ["--take-back"],
                type=click.Choice(USUAL_NAMES, case_sensitive=False),
                multiple=True,
                help="A setting to take back.",
            ),
        ],
    )
)


@book_group.command("list")
def book_list() -> None:
    """List the books."""
    from goldthread.actions import books
    from goldthread.cli.own import own_workspace

    for known in books.list_books(own_workspace()):
        click.echo(f"{known.name}\t{known.currency}\t{known.time_zone}")


@reading_options
def check_command(book_name: str, line: ReadingLine) -> None:
    """Hold the identities of the definitions over every table, and have the database count whole tables again."""
    from goldthread.actions import books
    from goldthread.cli.own import own_workspace
    from goldthread.cli.progress import progress_bar
    from goldthread.stops.checking import check_book

    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    with progress_bar(found.name) as progress:
        checks = check_book(workspace, found, line, books.today_of(found), progress)
    for check in checks:
        word = "holds" if check.holds else f"FAILS: {check.found}, not {check.expected}"
        click.echo(f"{check.number}. {check.claim}{f' ({check.where})' if check.where else ''}: {word}")
    if not all(check.holds for check in checks):
        sys.exit(1)


@click.command("export")
@click.option("--book", "book_name", required=True)
@click.option("--out", required=True, type=click.Path(dir_okay=False, path_type=Path), help="The zip to write.")
def export_command(book_name: str, out: Path) -> None:
    """Take a whole book out as a Frictionless Data Package: a zip of CSVs."""
    from goldthread.actions import books, package
    from goldthread.cli.own import own_workspace
    from goldthread.cli.progress import progress_bar

    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    with progress_bar(found.name) as progress:
        package.export_book(workspace, found, out, progress)
    click.echo(f"{found.name} is in {out}.")


@click.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--name", help="Of the book, where it is not to be its own.")
def import_command(file: Path, name: str | None) -> None:
    """Import a book that was exported."""
    from goldthread.actions import package
    from goldthread.cli.own import own_workspace
    from goldthread.cli.progress import progress_bar

    with progress_bar(file.name) as progress:
        book = package.import_book(own_workspace(), file, name, progress)
    click.echo(f"{book.name} is back.")
