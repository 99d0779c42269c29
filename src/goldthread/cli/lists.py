"""``goldthread list``: customer lists, and how they are worked."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, TextIO

import click

from goldthread.cli.words import Words
from goldthread.core.choices import MemberState

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.store.lists import ListRow
    from goldthread.workspace import Workspace

_BOOK = click.option("--book", "book_name", required=True, help="The book that the list belongs to.")
_BY = click.option("--by", default="", help="Who did it.")


@click.group("list")
def list_group() -> None:
    """Customer lists, and how they are worked."""


def _opened(book_name: str, name: str) -> tuple[Workspace, BookRow, ListRow]:
    from goldthread.actions import books, lists
    from goldthread.cli.own import own_workspace

    workspace = own_workspace()
    book = books.find_book(workspace, book_name)
    return workspace, book, lists.find_list(workspace, book, name)


@list_group.command("show")
@_BOOK
def list_show(book_name: str) -> None:
    """Every list of a book, newest first."""
    from goldthread.actions import books, lists
    from goldthread.cli.own import own_workspace

    workspace = own_workspace()
    for row in lists.list_lists(workspace, books.find_book(workspace, book_name)):
        click.echo(f"{row.name}\t{row.customer_count}\t{row.as_of.isoformat()}\t{row.rule}")


@list_group.command("mark")
@click.argument("name")
@click.argument("customer")
@_BOOK
@click.option("--state", type=Words(MemberState), help="How far the member is worked.")
@click.option("--on", type=click.DateTime(["%Y-%m-%d"]), help="When they were contacted; today.")
@click.option("--channel", help="How they were contacted, such as phone.")
@click.option("--call-on", type=click.DateTime(["%Y-%m-%d"]), help="When to call them.")
@click.option("--note", help="What there is to know.")
@_BY
def list_mark(
    name: str,
    customer: str,
    book_name: str,
    state: MemberState | None,
    on: dt.datetime | None,
    channel: str | None,
    call_on: dt.datetime | None,
    note: str | None,
    by: str,
) -> None:
    """Put down what was done about a member, who is given by number or e-mail."""
    from goldthread.actions import working
    from goldthread.actions.working import Done

    workspace, book, row = _opened(book_name, name)
    done = Done(state, on and on.date(), channel, call_on and call_on.date(), note=note)
    member = working.customer_by_key(workspace, book, customer)
    action, entry = working.work_member(workspace, book, row.id, member, done, by)
    click.echo(f"{customer}: {entry.state.replace('_', ' ')} (action {action})")


@list_group.command("undo")
@click.argument("name")
@_BOOK
@click.option("--action", type=click.IntRange(1), help="Which action; the last one.")
@_BY
def list_undo(name: str, book_name: str, action: int | None, by: str) -> None:
    """Take back what was done last, or an action by its number."""
    from goldthread.actions import working

    workspace, book, row = _opened(book_name, name)
    customers = working.undo_work(workspace, book, row.id, action, by)
    names = working.customer_names(workspace, book, customers)
    click.echo(f"Taken back: {', '.join(names.get(each, str(each)) for each in customers)}.")


@list_group.command("history")
@click.argument("name")
@_BOOK
@click.option("--limit", type=click.IntRange(1, 10_000), default=100, help="How many changes, the newest first.")
def list_history(name: str, book_name: str, limit: int) -> None:
    """What was done about the members, the newest first."""
    from goldthread.actions import working

    workspace, book, row = _opened(book_name, name)
    _, changes = working.work_history(workspace, book, row.id, 0, limit)
    names = working.customer_names(workspace, book, [each.customer_id for each in changes])
    for each in changes:
        said = " ".join(each.value.split())
        undone = ", taken back" if each.undone else f", takes back {each.undoes}" if each.undoes else ""
        who = names.get(each.customer_id, str(each.customer_id))
        click.echo(f"{each.action}\t{each.made_at.isoformat()}Z\t{each.made_by}\t{who}\t{each.field}: {said}{undone}")


@list_group.command("mail")
@click.argument("name")
@_BOOK
@click.option("--subject", required=True, help="Of every message; {name} stands for what each customer has.")
@click.option("--text", "text_file", required=True, type=click.File(encoding="utf-8"), help="A file with the text.")
@click.option("--dry-run", is_flag=True, help="Reach the server and check every message; send nothing.")
@click.option("--preview", type=click.IntRange(0, 100), default=0, help="Show so many messages as they will be sent.")
@_BY
def list_mail(name: str, book_name: str, subject: str, text_file: TextIO, dry_run: bool, preview: int, by: str) -> None:
    """Write to the members who are to do, one message each. Sending again goes on with those who have none yet."""
    from goldthread.actions import mailing, sending
    from goldthread.actions.mailing import Template
    from goldthread.cli.progress import progress_bar

    workspace, book, row = _opened(book_name, name)
    template = Template(subject, text_file.read())
    found = (sending.dry_run if dry_run else mailing.mailing)(workspace, book, row.id, template)
    for message in found.messages[:preview]:
        blank = f" (not sent: no {', '.join(message.blank)})" if message.blank else ""
        click.echo(f"To: {message.email}{blank}\nSubject: {message.subject}\n\n{message.text}\n")
    for reason, customers in found.left_out.items():
        click.echo(f"{customers}: {reason}")
    click.echo(f"{len(found.ready)} of {len(found.messages)} messages can be sent.")
    if dry_run or preview:
        return
    with progress_bar(name) as progress:
        mailed = sending.send(workspace, book, row.id, template, by, progress)
    click.echo(f"{mailed.sent} sent, {mailed.refused} refused, {mailed.unknown} unknown.")
