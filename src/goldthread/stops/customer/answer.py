"""One customer: the thread with all its facts, every order, payments, and what lies behind them in time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from goldthread.actions.cells import Cell, cells
from goldthread.actions.further import EventRow, events_of
from goldthread.actions.reading import Read
from goldthread.actions.workspace import Workspace
from goldthread.core.facts import OWN_MEDIAN_FROM_ORDERS, expected_gap_days
from goldthread.core.periods import to_date
from goldthread.core.threads import NO_GAP, gap_days
from goldthread.errors import NotFound
from goldthread.store import details
from goldthread.store.books import BookRow
from goldthread.store.details import LineRow as LineRow
from goldthread.store.details import OrderDetail as OrderDetail
from goldthread.store.details import PaymentRow

FACTS = (
    "first_date",
    "latest_date",
    "days_since",
    "orders",
    "revenue",
    "average_order_value",
    "usual_gap",
    "average_gap",
    "widest_gap",
    "last_activity",
    "balance",
    "standing",
    "next_due",
    "overdue",
    "first_source",
    "first_channel",
    "first_rep",
    "first_category",
    "first_amount",
)


@dataclass(frozen=True)
class ThreadOrder:
    """An order on the thread. ``gap_days`` is None for the first; ``shown``: no condition leaves it out."""

    id: int
    rank: int
    gap_days: int | None
    category: str
    shown: bool
    detail: OrderDetail


@dataclass(frozen=True)
class CustomerPage:
    """Everything about one customer as of a date.

    ``facts`` are the fields of `FACTS`, by name; None where nothing applies. ``expected_gap_days`` is the gap after
    which the next order is expected, ``own_rhythm`` whether by the customer's own gaps. ``not_counted`` is how many
    orders the reading line leaves out. Payments and events end with the as-of date.
    """

    id: int
    name: str
    keys: list[str]
    about: dict[str, str]
    facts: dict[str, Cell]
    expected_gap_days: float | None
    own_rhythm: bool
    paid_last: bool
    not_counted: int
    orders: list[ThreadOrder]
    payments: list[PaymentRow]
    events: list[EventRow]


def show_customer(workspace: Workspace, read: Read, customer_id: int) -> CustomerPage:
    """A customer's page. Raises `NotFound`; a customer who was found to be another one since is shown as that one."""
    engine, book = workspace.record.engine, read.orders
    customer = place_of(workspace, read, customer_id)
    row = np.array([customer])
    known = read.fields.by_name
    facts = {name: cells(read.fields.values(name), known[name].kind, row)[0] for name in FACTS if name in known}
    expected = float(expected_gap_days(book)[customer])
    about = read.shelved.orders.customers
    as_of, own_id = to_date(read.as_of_day), int(book.customer_id[customer])
    keys, paid = workspace.bound(
        read.shelved, lambda: (details.keys_of_customer(engine, own_id), details.payments_of(engine, own_id))
    )
    payments = [row for row in paid if row.date <= as_of]
    orders = _orders(workspace, read, customer)
    return CustomerPage(
        id=own_id,
        name=about.name(customer),
        keys=keys,
        about={
            name: attribute.labels[attribute.codes[customer]]
            for name, attribute in about.attributes.items()
            if attribute.labels[attribute.codes[customer]] not in ("", "no")
        },
        facts=facts,
        expected_gap_days=None if np.isnan(expected) else expected,
        own_rhythm=len(orders) >= OWN_MEDIAN_FROM_ORDERS,
        paid_last=bool(payments) and (not orders or payments[-1].date > orders[-1].detail.date),
        not_counted=int(read.shelved.orders.counts[customer] - book.counts[customer]),
        orders=orders,
        payments=payments,
        events=[event for event in events_of(workspace, read.shelved) if event.begins <= as_of],
    )


def show_lines(workspace: Workspace, book: BookRow, order_id: int) -> list[LineRow]:
    """The lines of an order."""
    return details.order_lines(workspace.record.engine, book.id, order_id)


def place_of(workspace: Workspace, read: Read, customer_id: int) -> int:
    """A customer's place in the book, by id. Raises `NotFound`."""
    ids = read.orders.customer_id
    found = np.flatnonzero(ids == customer_id)
    if found.size == 0:
        found = np.flatnonzero(np.isin(ids, details.owners_of_keys(workspace.record.engine, [customer_id])))
    if found.size == 0:
        raise NotFound("There is no such customer in this book.", remedy="Find the customer by name.", field="customer")
    return int(found[0])


def _orders(workspace: Workspace, read: Read, customer: int) -> list[ThreadOrder]:
    book = read.orders
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    ids = book.order_id[first:after].tolist()
    found = details.order_details(workspace.record.engine, read.book.id, ids)
    gaps = gap_days(book)[first:after].tolist()
    shown = read.history.shown
    category = book.attributes["category"]
    return [
        ThreadOrder(
            id=order_id,
            rank=place + 1,
            gap_days=None if gap == NO_GAP else gap,
            category=category.labels[category.codes[first + place]],
            shown=shown is None or bool(shown[first + place]),
            detail=found[order_id],
        )
        for place, (order_id, gap) in enumerate(zip(ids, gaps, strict=True))
    ]
