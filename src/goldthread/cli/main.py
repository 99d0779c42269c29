"""``goldthread``: the commands, and how errors are shown on a terminal.

Each command lives in a module that is imported when the command is called: help and wrong calls come at once.
"""

from __future__ import annotations

from importlib import import_module
from typing import Any

import click

from goldthread import __version__
from goldthread.errors import GoldThreadError

COMMANDS = {
    "ask": ("asking", "ask_group", "Ask a question of a book."),
    "attributes": ("delivering", "attributes_command", "What the orders of a book say beside the usual."),
    "backup": ("backing", "backup_command", "Copy everything on record into one file."),
    "book": ("books", "book_group", "Books: bodies of orders with one currency."),
    "brief": ("briefs", "brief_group", "Pages of findings for others."),
    "cluster": ("cluster", "cluster_group", "Workers that answer questions of large books."),
    "customer": ("people", "customer_group", "What one customer may ask for."),
    "check": ("books", "check_command", "Hold every identity, and have the database count again."),
    "check-settings": ("serving", "check_settings_command", "Show every setting, and what cannot work here."),
    "database": ("serving", "database_group", "The database that the record is in."),
    "deliver": ("delivering", "deliver_command", "Import files of one source into a book."),
    "deliveries": ("delivering", "deliveries_command", "The delivery log, newest first."),
    "down": ("serving", "down_command", "Stop the server and its database."),
    "event": ("events", "event_group", "What stands on the time axis."),
    "export": ("books", "export_command", "Export a whole book as a Frictionless Data Package."),
    "import": ("books", "import_command", "Import a book that was exported."),
    "list": ("lists", "list_group", "Customer lists, and how they are worked."),
    "log": ("people", "log_command", "Who did what."),
    "member": ("people", "member_group", "Who may do what in a book."),
    "metrics": ("serving", "metrics_command", "Tell what a server counts of itself, until ended."),
    "note": ("notes", "note_group", "Notes about customers, cohorts and other things."),
    "openapi": ("serving", "openapi_command", "Print the description of the HTTP interface (OpenAPI 3.1)."),
    "restore": ("backing", "restore_command", "Make an installation of a backup."),
    "schedule": ("schedules", "schedule_group", "What a book does by itself."),
    "secrets": ("people", "secrets_group", "What the installation keeps to itself."),
    "serve": ("serving", "serve_command", "Serve the page and the API until ended."),
    "share": ("people", "share_group", "Links for people outside."),
    "token": ("people", "token_group", "What programs sign in with."),
    "up": ("serving", "up_command", "Start the database and the server in the background."),
    "user": ("people", "user_group", "Accounts of people."),
    "work": ("serving", "work_command", "Do what takes longer than a request, until ended."),
    "watch": ("schedules", "watch_group", "Figures that are watched."),
    "withdraw": ("delivering", "withdraw_command", "Withdraw a delivery by its number in the log."),
}
"""Every command: the module it lives in, its name there, and what it does."""


class _Commands(click.Group):
    """Finds commands when they are called, and shows our errors as a terminal does."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002 - the group's own signature
        return sorted(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002
        if cmd_name not in COMMANDS:
            return None
        module, name, _ = COMMANDS[cmd_name]
        found: click.Command = getattr(import_module(f"goldthread.cli.{module}"), name)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002
        with formatter.section("Commands"):
            formatter.write_dl([(name, COMMANDS[name][2]) for name in sorted(COMMANDS)])

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except GoldThreadError as error:
            raise click.ClickException(str(error)) from error


@click.group(cls=_Commands)
@click.version_option(__version__)
def main() -> None:
    """Order history, read customer by customer."""


def run() -> None:
    """The program: as `main`, in a process whose files nobody else can read once it works on any."""
    main(prog_name="goldthread", obj=_use_scratch)


def _use_scratch() -> None:
    from goldthread.scratch import use_scratch
    from goldthread.settings import load_settings

    use_scratch(load_settings())
