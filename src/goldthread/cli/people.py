"""What is about people, at the command line: accounts, members, tokens, links for people outside, the log, secrets."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, TextIO

import click

from goldthread.actor import Role
from goldthread.cli.words import Words

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.store.people import UserRow
    from goldthread.workspace import Workspace

_BOOK = click.option("--book", "book_name", required=True, help="The book that it is about.")
_USER = click.argument("user_name", metavar="USER")


def _workspace() -> Workspace:
    from goldthread.cli.own import own_workspace

    return own_workspace()


def _found(user_name: str, book_name: str) -> tuple[Workspace, UserRow, BookRow]:
    from goldthread.actions import books, people

    workspace = _workspace()
    return workspace, people.find_user(workspace, user_name), books.find_book(workspace, book_name)


@click.group("user")
def user_group() -> None:
    """Accounts. From the first one on, nobody asks without signing in."""


@user_group.command("add")
@click.argument("name")
@click.option("--email", default="", help="Where links go.")
@click.option("--admin", is_flag=True, help="Whether they administer accounts; the first one must.")
@click.option("--password-file", type=click.File(encoding="utf-8"), help="A file with the password, or -.")
def user_add(name: str, email: str, admin: bool, password_file: TextIO | None) -> None:
    """Make an account. Without a password it prints a link by which somebody sets one, within an hour."""
    from goldthread.actions import people

    workspace = _workspace()
    password = None if password_file is None else password_file.read().rstrip("\r\n")
    user = people.add_user(workspace, name, email, is_admin=admin, password=password)
    click.echo(f"{user.name} has an account.")
    if password is None:
        click.echo(people.password_link(workspace, user, is_mailed=False))


@user_group.command("list")
def user_list() -> None:
    """Every account, ended ones too."""
    from goldthread.actions import people

    for user in people.list_users(_workspace()):
        marks = [word for word, holds in (("administrator", user.is_admin), ("ended", user.ended_at)) if holds]
        click.echo(f"{user.name}\t{user.email}\t{', '.join(marks)}")


@user_group.command("end")
@_USER
def user_end(user_name: str) -> None:
    """End an account, with its sessions, tokens and memberships; what it made stays."""
    from goldthread.actions import people

    workspace = _workspace()
    user = people.find_user(workspace, user_name)
    people.end_user(workspace, user)
    click.echo(f"The account {user.name} has ended.")


@user_group.command("reset")
@_USER
@click.option("--codes", is_flag=True, help="Take one-time codes away too, for somebody who lost them.")
def user_reset(user_name: str, codes: bool) -> None:
    """Print a link by which somebody sets their password, once, within an hour."""
    from goldthread.actions import people, signing_in

    workspace = _workspace()
    user = people.find_user(workspace, user_name)
    if codes:
        signing_in.use_no_codes(workspace, user)
    click.echo(people.password_link(workspace, user, is_mailed=False))


@user_group.command("allow")
@_USER
@click.option("--database", required=True, help="One that the settings name.")
@click.option("--no-longer", is_flag=True, help="Take the permission away.")
def user_allow(user_name: str, database: str, no_longer: bool) -> None:
    """Let somebody take rows from a database by a query of their own."""
    from goldthread.actions import people

    workspace = _workspace()
    user = people.find_user(workspace, user_name)
    people.grant_database(workspace, user, database, granted=not no_longer)
    click.echo(f"{user.name} may {'no longer ' if no_longer else ''}ask {database}.")


@click.group("member")
def member_group() -> None:
    """Who may do what in a book."""


@member_group.command("set")
@_USER
@_BOOK
@click.option("--role", required=True, type=Words(Role), help="What they may do; see docs/definitions.md, section 15.")
def member_set(user_name: str, book_name: str, role: Role) -> None:
    """Make an account a member of a book, or give a member another role."""
    from goldthread.actions import people

    workspace, user, book = _found(user_name, book_name)
    people.set_member(workspace, book, user, role)
    click.echo(f"{user.name}: {role} of {book.name}.")


@member_group.command("list")
@_BOOK
def member_list(book_name: str) -> None:
    """The members of a book."""
    from goldthread.actions import books, people

    workspace = _workspace()
    for member in people.list_members(workspace, books.find_book(workspace, book_name)):
        click.echo(f"{member.name}\t{member.role}")


@member_group.command("remove")
@_USER
@_BOOK
def member_remove(user_name: str, book_name: str) -> None:
    """Make somebody no member of a book any more."""
    from goldthread.actions import people

    workspace, user, book = _found(user_name, book_name)
    people.remove_member(workspace, book, user)
    click.echo(f"{user.name} is no member of {book.name} any more.")


@click.group("token")
def token_group() -> None:
    """What programs sign in with."""


@token_group.command("add")
@click.option("--user", "user_name", required=True, help="Whose it is.")
@_BOOK
@click.option("--role", type=Words(Role), default=Role.READER, help="Not above their own.")
@click.option("--days", type=click.IntRange(1, 366), default=30, help="How long it lasts.")
@click.option("--name", default="command line", help="What it is for.")
def token_add(user_name: str, book_name: str, role: Role, days: int, name: str) -> None:
    """Print a new token, which is not shown again."""
    from goldthread.actions import people

    workspace, user, book = _found(user_name, book_name)
    token, _ = people.add_token(workspace, user, book, role, name, days)
    click.echo(token)


@token_group.command("list")
def token_list() -> None:
    """Every token: number, whose, of which book, role, until when, what it is for."""
    from goldthread.actions import people

    for each in people.list_tokens(_workspace()):
        until = each.ends_at.date().isoformat()
        click.echo(f"{each.id}\t{each.user_name}\t{each.book_name}\t{each.role}\t{until}\t{each.name}")


@token_group.command("end")
@click.argument("number", type=click.IntRange(1))
def token_end(number: int) -> None:
    """End a token by its number."""
    from goldthread.actions import people

    people.end_token(_workspace(), number, None)
    click.echo(f"Token {number} has ended.")


@click.group("share")
def share_group() -> None:
    """Links by which somebody outside sees one view of a book."""


@share_group.command("add")
@_BOOK
@click.option("--view", "view_name", help="A saved view, by its name.")
@click.option("--brief", "brief_name", help="A brief, by its name, in place of a view.")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), required=True, help="The last day on which it holds.")
@click.option("--frozen", is_flag=True, help="Show the answer as it is now, and not as it stands when it is opened.")
@click.option("--figures", is_flag=True, help="Let figures be opened.")
@click.option("--people", is_flag=True, help="Show names of customers, and not their numbers alone.")
@click.option("--passphrase-file", type=click.File(encoding="utf-8"), help="A file with a passphrase, or -.")
def share_add(
    book_name: str,
    view_name: str | None,
    brief_name: str | None,
    until: dt.datetime,
    frozen: bool,
    figures: bool,
    people: bool,
    passphrase_file: TextIO | None,
) -> None:
    """Print the address of a new link, which is not shown again."""
    from goldthread.actions import books, briefs, saved_views, shared_links
    from goldthread.stops.outside import BRIEFS, shared_view
    from goldthread.workspace import asked_anew

    if (view_name is None) == (brief_name is None):
        raise click.UsageError("Give one of --view and --brief.")
    workspace = _workspace()
    book = books.find_book(workspace, book_name)
    if brief_name is not None:
        brief = briefs.find_brief(workspace, book, brief_name)
        shown = (brief.name, BRIEFS, f"brief={brief.id}")
    else:
        saved = saved_views.find_view(workspace, book, view_name or "")
        shown = (saved.name, saved.stop, saved.query)
    view = shared_view(workspace, *shown[1:])
    told = asked_anew(lambda: view.told(book, books.today_of(book), people=people))
    address = shared_links.add_link(
        workspace,
        book,
        *shown,
        until.date(),
        frozen=view.frozen(told) if frozen else None,
        opens_figures=figures,
        shows_people=people,
        passphrase="" if passphrase_file is None else passphrase_file.read().rstrip("\r\n"),
    )
    click.echo(address)


@share_group.command("list")
@_BOOK
def share_list(book_name: str) -> None:
    """Every link of a book that holds: number, last day, how often it was opened, whose it is, what it is called."""
    from goldthread.actions import books, shared_links

    workspace = _workspace()
    book = books.find_book(workspace, book_name)
    for each in shared_links.list_links(workspace, book):
        last_day = shared_links.last_day(book, each).isoformat()
        click.echo(f"{each.id}\t{last_day}\t{each.opened}\t{each.made_by}\t{each.name}")


@share_group.command("end")
@click.argument("number", type=click.IntRange(1))
@_BOOK
def share_end(number: int, book_name: str) -> None:
    """End a link by its number, at once."""
    from goldthread.actions import books, shared_links

    workspace = _workspace()
    shared_links.end_link(workspace, books.find_book(workspace, book_name), number)
    click.echo(f"Link {number} has ended.")


@click.command("log")
@click.option("--book", "book_name", help="Of a book; without one, what concerns no book.")
@click.option("--who", default="", help="Only of one account.")
@click.option("--deed", default="", help="Only of one kind, as the table names it.")
@click.option("--since", type=click.DateTime(["%Y-%m-%d"]), help="From a day on (UTC).")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), help="Up to a day (UTC).")
@click.option(
    "--format",
    "form",
    type=click.Choice(["table", "csv"], case_sensitive=False),
    default="table",
    help="How it is written.",
)
@click.option("--limit", type=click.IntRange(1, 100_000), default=100, help="How many lines of a table.")
def log_command(
    book_name: str | None,
    who: str,
    deed: str,
    since: dt.datetime | None,
    until: dt.datetime | None,
    form: str,
    limit: int,
) -> None:
    """Who did what, the newest first."""
    from goldthread.actions import books, log
    from goldthread.store.log import LogChoice

    workspace = _workspace()
    book_id = None if book_name is None else books.find_book(workspace, book_name).id
    choice = LogChoice(book_id, who, deed, since and since.date(), until and until.date())
    if form == "csv":
        for line in log.log_csv(workspace, choice):
            click.echo(line, nl=False)
        return
    for row in log.read_log(workspace, choice, 0, limit)[1]:
        by = row.who or row.came_from or "somebody"
        click.echo(f"{row.at.isoformat(timespec='seconds')}Z\t{by}\t{log.sentence(row)}")


@click.group("customer")
def customer_group() -> None:
    """What one customer may ask for: what is on record of them, and that it goes."""


def _customer(key: str, book_name: str) -> tuple[Workspace, BookRow, int]:
    from goldthread.actions import books, working

    workspace = _workspace()
    book = books.find_book(workspace, book_name)
    return workspace, book, working.customer_by_key(workspace, book, key)


@customer_group.command("export")
@click.argument("key")
@_BOOK
@click.option("--format", "form", type=click.Choice(["json", "html"], case_sensitive=False), default="json")
def customer_export(key: str, book_name: str, form: str) -> None:
    """Print all that is on record of a customer, who is given by number or e-mail."""
    import json

    from goldthread.actions import persons

    workspace, book, customer = _customer(key, book_name)
    exported = persons.export_person(workspace, book, customer)
    click.echo(persons.person_page(exported) if form == "html" else json.dumps(exported, ensure_ascii=False, indent=1))


@customer_group.command("erase")
@click.argument("key")
@_BOOK
@click.option("--yes", is_flag=True, help="Do not ask.")
def customer_erase(key: str, book_name: str, yes: bool) -> None:
    """Erase a customer for good: names, contacts and attributes go, orders stay under a number."""
    from goldthread.actions import persons

    workspace, book, customer = _customer(key, book_name)
    backups = persons.backups_with(workspace)
    if backups:
        click.echo(f"These backups still hold the customer: {', '.join(backups)}.")
    if not yes:
        click.confirm(f"Erase {key} from {book.name} for good?", abort=True)
    erased = persons.erase_person(workspace, book, customer)
    click.echo(f"Erased. {erased.orders} orders and {erased.payments} payments stay, under {erased.label}.")


@click.group("secrets")
def secrets_group() -> None:
    """What the installation keeps to itself."""


@secrets_group.command("rotate")
def secrets_rotate() -> None:
    """Replace what sessions are signed with and codes are encrypted with. Everybody signs in again."""
    from goldthread.actions.signing_in import rotate_secrets

    rotate_secrets(_workspace())
    click.echo("The secrets are new. Start the server again: everybody signs in once more.")
