"""``goldthread deliver``, ``deliveries`` and ``withdraw``: their flags."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from goldthread.cli.words import Words
from goldthread.core.records import FileKind, KeyKind
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.meanings import KINDS, KeptAt, OrdersBy

_FORMS = click.Choice(["text", "json"], case_sensitive=False)


@click.command("deliver")
@click.argument("files", nargs=-1, type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--book", "book_name", required=True)
@click.option("--source", required=True, help="Where the records come from, such as 'web shop'.")
@click.option(
    "--from",
    "database",
    envvar="GOLDTHREAD_FROM",
    show_envvar=True,
    help="A database to take the rows from, by its name in the settings or its address, in place of files.",
)
@click.option("--query", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="A file with the SQL.")
@click.option(
    "--waiting",
    type=click.IntRange(1),
    help="A file that came by itself and waits, by its number, in place of files: see schedule waiting.",
)
@click.option("--kind", type=Words(FileKind, KINDS), help="What one row is; guessed when not given.")
@click.option(
    "--sheet",
    "sheets",
    multiple=True,
    help="Of a workbook; the one that reads as orders when not given. Repeatable: one after another.",
)
@click.option(
    "--column", "columns", multiple=True, help="MEANING=COLUMN, such as order=receipt; MEANING= leaves it out."
)
@click.option("--dates", type=Words(DateForm), help="How dates are read; found out when not given.")
@click.option("--decimal", type=Words(DecimalMark), help="What stands before decimals; found out.")
@click.option("--years", type=Words(TwoDigitYears), help="How years of two digits are read.")
@click.option("--status", "statuses", multiple=True, help="WORD=STATUS, such as bezahlt=paid; repeatable.")
@click.option("--key", type=Words(KeyKind), help="What customers are known by; guessed when not given.")
@click.option("--orders-by", type=Words(OrdersBy), help="What makes lines without a number one order; time by default.")
@click.option(
    "--keep",
    "kept",
    multiple=True,
    help=f"COLUMN=WHERE for a further column of orders, such as Region=customer; WHERE is {', '.join(KeptAt)}.",
)
@click.option("--fill-down/--no-fill-down", default=None, help="Whether blank cells below a filled one repeat it.")
@click.option(
    "--say",
    "said",
    multiple=True,
    help="CHOICE=ANSWER to what a file leaves open: returns, cents, amounts, numbers, wide or pad; it is asked for.",
)
@click.option("--accept-rejected", is_flag=True, help="Import the rest though more than 2 % would be left out.")
@click.option("--guess-anew", is_flag=True, help="Do not read the file as the source's last one was read.")
@click.option("--dry-run", is_flag=True, help="Find out what would come of it, and change nothing.")
@click.option("--rejected", type=click.Path(dir_okay=False, path_type=Path), help="A file for the rejected rows.")
@click.option("--report", type=_FORMS, default="text")
def deliver_command(files: tuple[Path, ...], **flags: Any) -> None:
    """Bring files into a book: CSV, XLSX, ODS, JSON, Parquet, gzip or zip of them; or the rows of a query to a database
    (SQLite, PostgreSQL, MariaDB), which is only read. Exit code 3: rows rejected; 5: stopped before importing, because
    more than 2 % of the rows or of the amount would be left out."""
    from goldthread.cli.delivered import Flags, deliver_all

    deliver_all(files, Flags(**flags))


@click.command("deliveries")
@click.option("--book", "book_name", required=True)
@click.option("--report", type=_FORMS, default="text")
def deliveries_command(book_name: str, report: str) -> None:
    """The delivery log, newest first."""
    from goldthread.cli.delivered import tell_log

    tell_log(book_name, report)


@click.command("attributes")
@click.option("--book", "book_name", required=True)
@click.option("--rename", nargs=2, metavar="NAME TITLE", help="Call one otherwise.")
@click.option("--hide", metavar="NAME", help="Do not offer one any more.")
@click.option("--offer", metavar="NAME", help="Offer a hidden one again.")
@click.option("--report", type=_FORMS, default="text")
def attributes_command(
    book_name: str, rename: tuple[str, str] | None, hide: str | None, offer: str | None, report: str
) -> None:
    """What the orders of a book say beside the usual: further columns of their files."""
    from goldthread.cli.attributes import tell_attributes

    tell_attributes(book_name, rename, hide, offer, report)


@click.command("withdraw")
@click.argument("delivery", type=click.IntRange(1, 2**31 - 1))
@click.option("--book", "book_name", required=True)
@click.option("--report", type=_FORMS, default="text")
def withdraw_command(delivery: int, book_name: str, report: str) -> None:
    """Withdraw a delivery by its number in the log: the book becomes what it would be had it never come."""
    from goldthread.cli.delivered import withdraw_delivery

    withdraw_delivery(delivery, book_name, report)
