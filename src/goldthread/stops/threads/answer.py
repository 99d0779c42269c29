"""Threads: customers and their orders in lists, figures of orders, pairs, and what was backdated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.payments import NO_DAY
from goldthread.core.choices import CUSTOMER, Direction
from goldthread.core.counted import Counted
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field, FieldValues
from goldthread.core.history.history import History
from goldthread.core.history.labels import OfOrders
from goldthread.core.limits import GROUPS_SHOWN_MOST, limit_groups
from goldthread.core.threads.backdated import backdated_behind
from goldthread.core.threads.groups import Groups, Pairs, grouped, pairs
from goldthread.core.threads.listing import (
    RANK_BITS,
    NthBy,
    every_order,
    nth_count,
    nth_orders,
    order_rows,
    owner,
    positions_of_rows,
)
from goldthread.core.threads.windows import RowsInSequence, listed_rows
from goldthread.errors import InvalidInput
from goldthread.stops.behind.order_details import details_of, details_of_extremes
from goldthread.stops.behind.thread import Thread, orders_among, thread_of
from goldthread.stops.field_values import Cell, cells, cells_of_a_few
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.stops.sentences.sequence import (
    Columns,
    Key,
    by_column,
    chosen_direction,
    customers_by,
    of_customers,
    sequenced,
)
from goldthread.stops.threads.question import (
    COLUMNS_LIMIT,
    BackdatedQuestion,
    CustomersQuestion,
    Extreme,
    FiguresQuestion,
    ListedQuestion,
    NthQuestion,
    OrdersQuestion,
    PairsQuestion,
)
from goldthread.stops.threads.words import thread_words
from goldthread.store.read.details import OrderDetail
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]


_SHOWN_OF_BACKDATED = ("orders", "first_date", "latest_date")
_SHOWN_OF_EVERY_ORDER = ("date", "source", "amount", "rank", "gap", "revenue_to_date")


@dataclass(frozen=True, eq=False)
class Listing:
    """Customers or orders in sequence.

    ``found``: customers by their places, or orders as `order_rows` names them. ``by`` and ``columns`` are the fields
    that are shown. ``marked``: how many orders stand out, and what finds them; None where those of the rows do, if any.
    """

    read: Read
    question: ListedQuestion
    by: Field
    columns: list[Field]
    found: RowsInSequence
    of_orders: bool
    marked: Counted | None = None

    @property
    def count(self) -> int:
        """How many rows there are."""
        return self.found.count

    @property
    def words(self) -> Words:
        """The question in words."""
        return thread_words(self.read, self.question)

    def customers(self, rows: Int64s) -> Int64s:
        """The customer of each of some rows; int64."""
        return rows >> RANK_BITS if self.of_orders else rows


@dataclass(frozen=True, eq=False)
class FiguresAnswer:
    """Figures of orders by group."""

    read: Read
    question: FiguresQuestion
    groups: Groups

    @property
    def words(self) -> Words:
        """The question in words."""
        return thread_words(self.read, self.question)


@dataclass(frozen=True, eq=False)
class PairsAnswer:
    """Earliest and latest order for each pair of labels."""

    read: Read
    question: PairsQuestion
    grid: Pairs

    @property
    def words(self) -> Words:
        """The question in words."""
        return thread_words(self.read, self.question)


@dataclass(frozen=True)
class ListedRow:
    """One row of a list: whose it is, the thread, the cells by column, the orders that stand out."""

    thread: Thread
    cells: list[Cell]
    orders: list[OrderDetail]


def list_customers(workspace: Workspace, read: Read, question: CustomersQuestion) -> Listing:
    """The customers that are looked at, in sequence. Raises `InvalidInput` for a field that is not there."""
    by, columns = read.fields.field(question.by, "by"), _columns(read, question.show)
    if Level.ORDER in {field.level for field in (by, *columns)}:
        raise InvalidInput(
            "A customer has many orders, so their fields cannot stand beside the customer.",
            remedy="Choose fields of the customer, or show one order of each customer.",
            field="by",
        )
    direction = chosen_direction(by, question.direction)

    rows = customers_by(workspace, read, ("customers", *read.key), by, direction)
    return Listing(read, question, by, columns, rows, of_orders=False)


def list_nth(workspace: Workspace, read: Read, question: NthQuestion) -> Listing:
    """One order of each customer who has it, in sequence. Raises `InvalidInput`."""
    nth, history = question.nth, read.history
    by, columns = read.fields.field(question.by, "by"), _columns(read, question.show)
    direction = chosen_direction(by, question.direction)

    def ordered() -> Int64s:
        positions = nth_orders(history, nth)
        if by.level is Level.ORDER:
            return order_rows(read.orders, sequenced(read, by, direction, positions))
        who = owner(read.orders, positions)
        places = np.empty(read.orders.customer_count, np.int64)
        places[who] = positions
        return order_rows(read.orders, places.take(sequenced(read, by, direction, who)))

    def made() -> RowsInSequence:
        rows = NthBy(nth, by.name, direction is Direction.DOWN)
        return listed_rows(history, rows, ordered, lambda: nth_count(history, nth))

    found = workspace.answer(read.shelved, ("nth", *read.key, nth, by.name, direction), made)
    return Listing(read, question, by, columns, found, of_orders=True)


def list_every_order(_workspace: Workspace, read: Read, question: OrdersQuestion) -> Listing:
    """Every shown order, by customer, then in the order of the thread."""
    columns = [read.fields.field(name, "show") for name in _SHOWN_OF_EVERY_ORDER if name in read.fields.by_name]
    history = read.history
    found = listed_rows(history, every_order, lambda: every_order(history).rows, lambda: history.shown_order_count)
    return Listing(read, question, read.fields.field("name", "by"), columns, found, of_orders=True)


def list_backdated(workspace: Workspace, read: Read, question: BackdatedQuestion) -> Listing:
    """The customers with backdated orders, by name; those orders stand out."""
    found = workspace.answer(read.shelved, ("backdated", *read.key), lambda: Counted(read.history, backdated_behind))
    columns = [read.fields.field(name, "show") for name in _SHOWN_OF_BACKDATED]
    by = read.fields.field("name", "by")
    return Listing(read, question, by, columns, found.members, of_orders=False, marked=found)


def listed(workspace: Workspace, listing: Listing, offset: int, limit: int) -> list[ListedRow]:
    """Some rows of a list with their threads; in a list of orders the one of the row stands out."""
    rows = listing.found.window(offset, limit)
    read, customers = listing.read.of_a_few(listing.customers(rows))
    book, fields, marked = read.orders, read.fields, None
    if listing.of_orders:
        rows = positions_of_rows(book, customers, rows)
    elif listing.marked is not None:
        marked = listing.marked.of_a_few(rows).behind.orders
    columns = [_cells(fields, field, rows, customers) for field in (listing.by, *listing.columns)]
    if listing.of_orders:
        standing_out = list(rows[:, None])
    else:
        standing_out = [orders_among(book, customer, marked) for customer in customers.tolist()]
    found = details_of(workspace, read, book, np.concatenate([np.zeros(0, np.int64), *standing_out]))
    return [
        ListedRow(
            thread=thread_of(book, customer, standing_out[place]),
            cells=[column[place] for column in columns],
            orders=[found[order_id] for order_id in book.ids_of(standing_out[place]).tolist()],
        )
        for place, customer in enumerate(customers.tolist())
    ]


def _cells(fields: FieldValues, field: Field, orders: Int64s, customers: Int64s) -> list[Cell]:
    """A field of some orders, by their positions, or of some customers."""
    if field.level is Level.ORDER:
        return cells(fields.values(field.name), field.kind, orders)
    return cells_of_a_few(fields, field.name, customers)


def ask_figures(workspace: Workspace, read: Read, question: FiguresQuestion) -> FiguresAnswer:
    """Count, sum, average, smallest and largest of the shown orders. Raises `InvalidInput` for an unknown group."""
    return FiguresAnswer(read, question, _groups(workspace, read, read.history, question.group))


def _groups(workspace: Workspace, read: Read, history: History, name: str) -> Groups:
    group = read.fields.field(name, "group").name if name else None
    key = ("figures", *read.key, history is read.rest, group)
    groups: Groups = workspace.answer(
        read.shelved, key, lambda: grouped(history, None if group is None else OfOrders.asked(history, group))
    )
    return groups


def groups_with_orders(
    workspace: Workspace, read: Read, history: History, group: str
) -> tuple[Groups, dict[int, OrderDetail]]:
    """The figures of one of the histories of a reading, and their extreme orders by id. Raises `TooLarge` for more
    groups than are shown."""
    groups = _groups(workspace, read, history, group)
    limit_groups(len(groups.labels), GROUPS_SHOWN_MOST, "group")
    return groups, details_of_extremes(workspace, read, groups)


def ask_pairs(workspace: Workspace, read: Read, question: PairsQuestion) -> PairsAnswer:
    """Earliest and latest order for each pair of labels."""
    key, history = ("pairs", *read.key, question.rows, question.columns), read.history

    def counted() -> Pairs:
        columns = OfOrders.asked(history, question.columns)
        return pairs(history, None if question.rows == CUSTOMER else OfOrders.asked(history, question.rows), columns)

    grid: Pairs = workspace.answer(read.shelved, key, counted)
    if not question.sort:
        return PairsAnswer(read, question, grid)
    days = grid.latest if question.extreme is Extreme.LATEST else grid.earliest
    columns: Columns = {
        "row": lambda: _row_labels(read, grid),
        **{str(place + 1): partial(_known_days, days[:, place]) for place in range(len(grid.column_labels))},
    }
    rows = by_column(question.sort, np.arange(grid.rows.size), columns)
    taken = {name: getattr(grid, name).take(rows, axis=0) for name in ("rows", "earliest", "latest", "orders")}
    return PairsAnswer(read, question, replace(grid, **taken))


def _row_labels(read: Read, grid: Pairs) -> Key:
    if grid.row_labels is None:
        return of_customers(read, "name", grid.rows)
    return [grid.row_labels[code] for code in grid.rows.tolist()]


def _known_days(days: NDArray[np.int32]) -> NDArray[np.float64]:
    return np.where(days == NO_DAY, np.nan, days)


def _columns(read: Read, names: Sequence[str]) -> list[Field]:
    if len(names) > COLUMNS_LIMIT:
        raise InvalidInput(
            f"{len(names)} columns are more than a list can show.",
            remedy=f"Choose up to {COLUMNS_LIMIT}.",
            field="show",
        )
    return [read.fields.field(name, "show") for name in names]
