"""``goldthread event``: what stands on the time axis, and what is typed there."""

from __future__ import annotations

import click

from goldthread.cli.own import own_book

_BOOK = click.option("--book", "book_name", required=True, help="The book that it is about.")
_BEGINS = click.option("--from", "begins", required=True, help="Its first day, ISO 8601.")
_UNTIL = click.option("--until", default="", help="Its last day; the first one without.")
_EVENT = click.argument("event", type=click.IntRange(1))


@click.group("event")
def event_group() -> None:
    """Campaigns, price changes, closed days: what explains a spike."""


@event_group.command("list")
@_BOOK
def event_list(book_name: str) -> None:
    """Events, earliest first: number of one that was typed, first day, last day, name."""
    from goldthread.actions import by_hand

    for each in by_hand.list_events(*own_book(book_name)):
        number = "" if each.by_hand is None else str(each.by_hand)
        click.echo("\t".join((number, each.begins.isoformat(), each.ends.isoformat(), each.label)))


@event_group.command("add")
@click.argument("label")
@_BOOK
@_BEGINS
@_UNTIL
def event_add(label: str, book_name: str, begins: str, until: str) -> None:
    """Put an event on the time axis."""
    _put(book_name, label, begins, until, None)


@event_group.command("edit")
@_EVENT
@click.argument("label")
@_BOOK
@_BEGINS
@_UNTIL
def event_edit(event: int, label: str, book_name: str, begins: str, until: str) -> None:
    """Put an event that was typed otherwise, by its number."""
    _put(book_name, label, begins, until, event)


def _put(book_name: str, label: str, begins: str, until: str, instead: int | None) -> None:
    from goldthread.actions import by_hand

    report = by_hand.put_event(*own_book(book_name), by_hand.EventByHand(label, begins, until), instead)
    click.echo(f"Event {report.delivery_id}: {label}.")


@event_group.command("remove")
@_EVENT
@_BOOK
def event_remove(event: int, book_name: str) -> None:
    """Take back an event that was typed, by its number."""
    from goldthread.actions import by_hand

    by_hand.remove_event(*own_book(book_name), event)
    click.echo(f"Event {event} is taken back.")
