"""``goldthread brief``: pages of findings that people write for others."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import click

from goldthread.cli.own import own_book

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.store.briefs import BriefRow
    from goldthread.workspace import Workspace

_BOOK = click.option("--book", "book_name", required=True, help="The book that it is about.")
_BRIEF = click.argument("name")


@click.group("brief")
def brief_group() -> None:
    """Pages of findings that people write for others."""


def _found(book_name: str, name: str) -> tuple[Workspace, BookRow, BriefRow]:
    from goldthread.actions import briefs

    workspace, book = own_book(book_name)
    return workspace, book, briefs.find_brief(workspace, book, name)


@brief_group.command("list")
@_BOOK
def brief_list(book_name: str) -> None:
    """Briefs by name: number, name, findings, who began it."""
    from goldthread.actions import briefs

    for row in briefs.list_briefs(*own_book(book_name)):
        click.echo(f"{row.id}\t{row.name}\t{row.findings}\t{row.made_by}")


@brief_group.command("show")
@_BRIEF
@_BOOK
@click.option(
    "--format", "form", type=click.Choice(["text", "html"], case_sensitive=False), default="text", show_default=True
)
def brief_show(name: str, book_name: str, form: str) -> None:
    """A brief as it is today: as text, or as one HTML file with its pictures inside."""
    from goldthread.actions import books
    from goldthread.stops.briefs import brief_page, brief_text, show_all

    workspace, book, row = _found(book_name, name)
    today = books.today_of(book)
    shown = show_all(workspace, book, row.id, today)
    click.echo((brief_page if form == "html" else brief_text)(book, row.name, shown, today), nl=False)


@brief_group.command("add")
@_BRIEF
@_BOOK
def brief_add(name: str, book_name: str) -> None:
    """Begin a brief."""
    from goldthread.actions import briefs

    row = briefs.add_brief(*own_book(book_name), name)
    click.echo(f"{row.id}\t{row.name}")


@brief_group.command("pin")
@_BRIEF
@_BOOK
@click.option("--stop", help="The stop whose view it is, such as cohorts; without it, words alone.")
@click.option("--query", default="", help="The query of the view's address, such as period=month&source=fairs.")
@click.option("--figure", default="", help="One figure of it, such as cohort=2026-03&age=1.")
@click.option("--heading", default="", help="What was found, in a line.")
@click.option("--words", default="", help="What is to be said of it: paragraphs, lists and emphasis of Markdown.")
@click.option("--as-it-was", is_flag=True, help="Show it as it is at this moment from now on.")
def brief_pin(
    name: str, book_name: str, stop: str | None, query: str, figure: str, heading: str, words: str, as_it_was: bool
) -> None:
    """Put a finding at the end of a brief."""
    from goldthread.actions import books, briefs
    from goldthread.stops.findings import keep

    workspace, book, row = _found(book_name, name)
    pinned = None if stop is None else {"stop": stop, "query": query, "figure": figure}
    keeping = partial(keep, workspace, book, books.today_of(book))
    number = briefs.add_finding(workspace, book, row, heading, words, pinned, keeping, live=not as_it_was)
    click.echo(f"Finding {number} is in {row.name}.")


@brief_group.command("remove")
@_BRIEF
@_BOOK
@click.option("--finding", type=click.IntRange(1), help="One of its findings, by number, in place of all of it.")
def brief_remove(name: str, book_name: str, finding: int | None) -> None:
    """Remove a brief, or one of its findings."""
    from goldthread.actions import briefs

    workspace, book, row = _found(book_name, name)
    if finding is None:
        briefs.remove_brief(workspace, book, row)
    else:
        briefs.remove_finding(workspace, book, row, finding)
    click.echo(f"{row.name}: removed." if finding is None else f"Finding {finding} is removed.")
