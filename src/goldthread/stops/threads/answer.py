"""Threads: customers and their orders in lists, figures of orders, pairs, and what was backdated."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.cells import Cell, cells
from goldthread.actions.reading import Read
from goldthread.actions.thread import Thread, orders_among, thread_of
from goldthread.actions.thread_questions import (
    COLUMNS_LIMIT,
    BackdatedQuestion,
    CustomersQuestion,
    Direction,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
    usual_direction,
)
from goldthread.actions.workspace import Workspace
from goldthread.core.backdated import backdated_orders
from goldthread.core.conditions import Level
from goldthread.core.facts import open_gap_days
from goldthread.core.fields import Field
from goldthread.core.groups import Groups, Pairs, grouped, pairs
from goldthread.core.history import History
from goldthread.core.limits import hold_groups
from goldthread.core.listing import in_sequence, nth_orders, owner
from goldthread.core.periods import to_date
from goldthread.errors import InvalidInput
from goldthread.store import details
from goldthread.store.details import OrderDetail

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Listing:
    """Customers or orders in sequence.

    ``rows``: customers, or positions of orders in the history's book; int64. ``by`` and ``columns`` are the fields that
    are shown. ``direction`` is the one in force.
    """

    read: Read
    by: Field
    direction: Direction
    columns: list[Field]
    rows: Int64s
    of_orders: bool

    def customers(self, rows: Int64s) -> Int64s:
        """The customer of each of some rows."""
        return owner(self.read.orders, rows) if self.of_orders else rows

    def cells(self, field: Field, rows: Int64s) -> list[Cell]:
        """A field in some rows."""
        at = rows if field.level is Level.ORDER else self.customers(rows)
        return cells(self.read.fields.values(field.name), field.kind, at)


@dataclass(frozen=True)
class ListedRow:
    """One row of a list: whose it is, the thread, the cells by column, the orders that stand out."""

    thread: Thread
    cells: list[Cell]
    orders: list[OrderDetail]


@dataclass(frozen=True)
class Tally:
    """Some customers at a glance. ``median_days_since`` is None when none of them ordered."""

    customers: int
    with_orders: int
    orders: int
    revenue_minor: int
    median_days_since: float | None


def list_customers(workspace: Workspace, read: Read, question: CustomersQuestion) -> Listing:
    """The customers that are looked at, in sequence. Raises `InvalidInput` for a field that is not there."""
    by, columns = _field(read, question.by, "by"), _columns(read, question.show)
    if Level.ORDER in {field.level for field in (by, *columns)}:
        raise InvalidInput(
            "A customer has many orders, so their fields cannot stand beside the customer.",
            remedy="Choose fields of the customer, or show one order of each customer.",
            field="by",
        )
    direction = question.direction or usual_direction(by.kind)

    def ordered() -> Int64s:
        values, everybody = read.fields.values(by.name), read.history.customers
        return in_sequence(values, everybody, descending=direction is Direction.DOWN)

    rows = workspace.answer(read.shelved, ("customers", *read.key, by.name, direction), ordered)
    return Listing(read, by, direction, columns, rows, of_orders=False)


def list_orders(workspace: Workspace, read: Read, question: OrdersQuestion) -> Listing:
    """One order of each customer who has it, in sequence. Raises `InvalidInput`."""
    nth = question.nth
    by, columns = _field(read, question.by, "by"), _columns(read, question.show)
    direction = question.direction or usual_direction(by.kind)

    def ordered() -> Int64s:
        positions = nth_orders(read.history, nth)
        values = read.fields.values(by.name)
        if by.level is Level.ORDER:
            return in_sequence(values, positions, descending=direction is Direction.DOWN)
        who = owner(read.orders, positions)
        places = np.empty(read.orders.customer_count, np.int64)
        places[who] = positions
        return places.take(in_sequence(values, who, descending=direction is Direction.DOWN))

    rows = workspace.answer(read.shelved, ("nth", *read.key, nth, by.name, direction), ordered)
    return Listing(read, by, direction, columns, rows, of_orders=True)


def list_backdated(workspace: Workspace, read: Read, _question: BackdatedQuestion) -> tuple[Listing, Int64s]:
    """The customers with backdated orders, by name, and the positions of those orders."""
    found = workspace.answer(read.shelved, ("backdated", *read.key), lambda: backdated_orders(read.history))
    who = np.unique(owner(read.orders, found)) if found.size else found
    fields = [_field(read, name, "show") for name in ("orders", "first_date", "latest_date")]
    by = _field(read, "name", "by")
    return Listing(read, by, Direction.UP, fields, who, of_orders=False), found


def listed(
    workspace: Workspace, listing: Listing, offset: int, limit: int, marked: Int64s | None = None
) -> list[ListedRow]:
    """Some rows of a list with their threads. ``marked``: ascending positions of orders that stand out; in a list of
    orders those listed do."""
    read = listing.read
    rows = listing.rows[offset : offset + limit]
    customers = listing.customers(rows)
    told = [listing.cells(field, rows) for field in (listing.by, *listing.columns)]
    inside = np.sort(rows) if listing.of_orders else marked
    standing_out = [orders_among(read.orders, customer, inside) for customer in customers.tolist()]
    ids = read.orders.order_id.take(np.concatenate([np.zeros(0, np.int64), *standing_out])).tolist()
    found = details.order_details(workspace.record.engine, read.book.id, ids) if ids else {}
    return [
        ListedRow(
            thread=thread_of(read.orders, customer, inside),
            cells=[column[place] for column in told],
            orders=[found[order_id] for order_id in read.orders.order_id.take(standing_out[place]).tolist()],
        )
        for place, customer in enumerate(customers.tolist())
    ]


def tally(history: History) -> Tally:
    """Customers, orders and revenue of a history, and how long ago its customers ordered."""
    shown = history.shown_orders
    amounts = history.book.amount_minor if shown is None else history.book.amount_minor.take(shown)
    since = open_gap_days(history.book, history.rule.as_of_day).take(history.customers)
    known = since[~np.isnan(since)]
    return Tally(
        customers=int(history.customers.size),
        with_orders=int(known.size),
        orders=history.shown_order_count,
        revenue_minor=int(amounts.sum()),
        median_days_since=float(np.median(known)) if known.size else None,
    )


def figures(workspace: Workspace, read: Read, history: History, question: FiguresQuestion) -> Groups:
    """The figures of one of the histories of a reading."""
    group = _field(read, question.group, "group").name if question.group else None
    key = ("figures", *read.key, history is read.rest, group)
    groups: Groups = workspace.answer(read.shelved, key, lambda: grouped(history, group))
    return groups


def figures_with_orders(
    workspace: Workspace, read: Read, history: History, question: FiguresQuestion, most: int
) -> tuple[Groups, dict[int, OrderDetail]]:
    """The figures of one of the histories of a reading, and their extreme orders by id. Raises `TooLarge` for more
    groups than ``most``."""
    groups = figures(workspace, read, history, question)
    hold_groups(len(groups.labels), most, "group")
    ids = history.book.order_id.take(np.concatenate((groups.smallest, groups.largest)))
    return groups, details.order_details(workspace.record.engine, read.book.id, ids.tolist())


def date_pairs(workspace: Workspace, read: Read, question: PairsQuestion) -> Pairs:
    """Earliest and latest order for each pair of labels."""
    key = ("pairs", *read.key, question.rows, question.columns)
    found: Pairs = workspace.answer(read.shelved, key, lambda: pairs(read.history, question.rows, question.columns))
    return found


def date_span(read: Read) -> tuple[dt.date, dt.date]:
    """The time axis that all threads of a list share: from the first order in the book to the as-of date."""
    low, _ = read.shelved.orders.day_span
    return to_date(min(low, read.as_of_day)), to_date(read.as_of_day)


def _field(read: Read, name: str, of: str) -> Field:
    try:
        return read.fields.field(name)
    except InvalidInput as error:
        raise InvalidInput(error.detail, remedy=error.remedy, field=of) from None


def _columns(read: Read, names: Sequence[str]) -> list[Field]:
    if len(names) > COLUMNS_LIMIT:
        raise InvalidInput(
            f"{len(names)} columns are more than a list can show.",
            remedy=f"Choose up to {COLUMNS_LIMIT}.",
            field="show",
        )
    return [_field(read, name, "show") for name in names]
