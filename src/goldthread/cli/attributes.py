"""What ``goldthread attributes`` does."""

from __future__ import annotations

import json

import click

from goldthread.actions import attributes, books
from goldthread.cli.own import own_workspace


def tell_attributes(
    book_name: str, rename: tuple[str, str] | None, hide: str | None, offer: str | None, report: str
) -> None:
    """Change what own attributes of orders are called and whether they are offered, and list them."""
    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    if rename is not None:
        attributes.describe_attribute(workspace, found, rename[0], rename[1])
    for name, hidden in ((hide, True), (offer, False)):
        if name is not None:
            attributes.describe_attribute(workspace, found, name, hidden=hidden)
    rows = attributes.list_attributes(workspace, found)
    if report == "json":
        listed = [
            {"name": row.name, "title": row.column.title, "type": row.column.type, "hidden": row.column.hidden}
            for row in rows
        ]
        click.echo(json.dumps(listed, ensure_ascii=False))
        return
    for row in rows:
        title = f" “{row.column.title}”" if row.column.title != row.name else ""
        click.echo(f"{row.name}{title}: {row.column.type}{', hidden' if row.column.hidden else ''}")
