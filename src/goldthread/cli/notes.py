"""``goldthread note``: what people write about a customer, a delivery, a list, a cohort, a cell of it, or a period."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from goldthread.cli.own import own_book

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.store.notes import NoteRow, Thing
    from goldthread.workspace import Workspace

_BOOK = click.option("--book", "book_name", required=True, help="The book that it is about.")
_NOTE = click.argument("note", type=click.IntRange(1))
_ON_HELP = (
    "What it is on: customer:NUMBER or customer:E-MAIL, delivery:NUMBER, list:NAME, cohort:2026-03, "
    "cell:2026-03/1, period:2026-03."
)


@click.group("note")
def note_group() -> None:
    """Notes about customers, deliveries, lists, cohorts, their cells, and periods."""


def _thing(workspace: Workspace, book: BookRow, said: str) -> Thing:
    """What a note is on; customers and lists go by their names here."""
    from goldthread.actions import lists, notes, working
    from goldthread.core.choices import NoteOn

    about, _, key = said.partition(":")
    if about not in list(NoteOn):
        raise click.BadParameter(f"{said} names nothing.", param_hint="--on")
    if about == NoteOn.CUSTOMER:
        key = str(working.customer_by_key(workspace, book, key))
    if about == NoteOn.LIST:
        key = str(lists.find_list(workspace, book, key).id)
    return notes.thing_of(NoteOn(about), key)


def _told(workspace: Workspace, book: BookRow, rows: list[NoteRow]) -> None:
    from goldthread.actions import notes

    for row, on in zip(rows, notes.things_words(workspace, book, rows), strict=True):
        at = (row.edited_at or row.made_at).date().isoformat()
        click.echo("\t".join((str(row.id), at, row.made_by, on, " ".join(row.text.split()))))


@note_group.command("add")
@_BOOK
@click.option("--on", required=True, help=_ON_HELP)
@click.argument("text")
def note_add(book_name: str, on: str, text: str) -> None:
    """Write a note."""
    from goldthread.actions import notes

    workspace, book = own_book(book_name)
    _told(workspace, book, [notes.add_note(workspace, book, _thing(workspace, book, on), text)])


@note_group.command("list")
@_BOOK
@click.option("--on", help=_ON_HELP)
@click.option("--find", "finding", default="", help="Words that stand in it.")
@click.option("--limit", type=click.IntRange(1, 500), default=100, show_default=True, help="How many.")
def note_list(book_name: str, on: str | None, finding: str, limit: int) -> None:
    """Notes, the newest first: number, date (UTC), author, what it is on, its text."""
    from goldthread.actions import notes

    workspace, book = own_book(book_name)
    thing = None if on is None else _thing(workspace, book, on)
    _told(workspace, book, notes.list_notes(workspace, book, thing, finding, 0, limit)[1])


@note_group.command("edit")
@_NOTE
@_BOOK
@click.argument("text")
def note_edit(note: int, book_name: str, text: str) -> None:
    """Write a note anew."""
    from goldthread.actions import notes

    workspace, book = own_book(book_name)
    _told(workspace, book, [notes.edit_note(workspace, book, note, text)])


@note_group.command("remove")
@_NOTE
@_BOOK
def note_remove(note: int, book_name: str) -> None:
    """Take a note back."""
    from goldthread.actions import notes

    workspace, book = own_book(book_name)
    notes.remove_note(workspace, book, note)
    click.echo(f"Note {note} is removed.")
