"""One customer: the thread with all its facts, every order, payments, and what lies behind them in time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from goldthread.actor import Role, actor
from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Kind
from goldthread.core.history.conditions import Level
from goldthread.core.history.facts import OWN_MEDIAN_FROM_ORDERS, expected_gap_days_of
from goldthread.core.threads.gaps import NO_GAP, gap_days
from goldthread.errors import NotAllowed, NotFound
from goldthread.stops.behind.order_details import details_of
from goldthread.stops.behind.thread import MOST_KNOTS_LARGE, ThreadKnot, knots_of
from goldthread.stops.customer.finding import find_customers
from goldthread.stops.customer.question import ThreadQuestion
from goldthread.stops.events import events_of
from goldthread.stops.field_values import Cell, cells_of_a_few
from goldthread.stops.reading import Read, place_of
from goldthread.stops.sentences.sentence import Part, Words, lapse_control
from goldthread.store.books import BookRow
from goldthread.store.lists import ListRow, list_lists
from goldthread.store.read import details
from goldthread.store.read.details import EventRow, LineRow, OrderDetail, PaymentRow
from goldthread.store.working import ContactRow, contacts_of
from goldthread.workspace import Shelved, Workspace

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

OPTIONAL = ("channel", "rep", "category")
MOST_PAYMENTS = 600


@dataclass(frozen=True)
class OwnCell:
    """An own attribute that an order has: what people call it, and its value."""

    title: str
    kind: Kind
    value: str


@dataclass(frozen=True)
class ThreadOrder:
    """An order on the thread. ``gap_days`` is None for the first; ``shown``: no condition leaves it out."""

    id: int
    rank: int
    gap_days: int | None
    category: str
    shown: bool
    detail: OrderDetail
    own: list[OwnCell]


@dataclass(frozen=True)
class CustomerPage:
    """Everything about one customer as of a date.

    ``facts`` are the fields of `FACTS`, by name; None where nothing applies. ``expected_gap_days`` is the gap after
    which the next order is expected, ``own_rhythm`` whether by the customer's own gaps. ``not_counted`` is how many
    orders the reading line leaves out, ``filled`` which of `OPTIONAL` any counted order has. ``knots`` draw the counted
    orders; those that a condition leaves out do not stand out. Payments and events end with the as-of date; of payments
    there are the latest `MOST_PAYMENTS`. ``paid_to`` are the sources that sent them, where the customer ordered from
    others too. ``contacts`` are those of every list, of any date, latest first.
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
    order_count: int
    knots: list[ThreadKnot]
    filled: list[str]
    payment_count: int
    payments: list[PaymentRow]
    paid_to: list[str]
    events: list[EventRow]
    contacts: list[ContactRow]


@dataclass(frozen=True, eq=False)
class CustomerAnswer:
    """One customer: the page, and ``place`` in ``alone``, which is read of this customer at least."""

    read: Read
    question: ThreadQuestion
    page: CustomerPage
    alone: Read
    place: int

    @property
    def customer(self) -> int:
        """The place in the whole book."""
        return int(self.alone.orders.places[self.place])

    @property
    def words(self) -> Words:
        """The question in words."""
        return Words([Part(f"The thread of {self.page.name or self.page.keys[0]}.")], [], [lapse_control(self.read)])


def ask_thread(workspace: Workspace, read: Read, question: ThreadQuestion) -> CustomerAnswer:
    """One customer. Raises `NotFound`; a customer who was found to be another one since is shown as that one."""
    number = question.customer
    if number is None:
        if actor().role is Role.CALLER:
            raise _not_listed()
        found = find_customers(workspace, read, question.find, 1)
        if not found:
            raise NotFound(
                f"No customer is found by {question.find or 'nothing'}.",
                remedy="Give another part of the name, or the number.",
                field="find",
            )
        number = found[0].customer_id
    place = place_of(workspace, read, number)
    _must_be_listed(workspace, read.shelved, read.lists, int(read.history.whole.customer_id[place]))
    alone, rows = read.of_a_few(np.array([place]))
    return CustomerAnswer(read, question, _page(workspace, alone, int(rows[0])), alone, int(rows[0]))


def _must_be_listed(workspace: Workspace, shelved: Shelved, known: list[ListRow], customer_id: int | None) -> None:
    """Raises `NotAllowed` where a caller asks for somebody who is on none of the lists that they were given."""
    if actor().role is Role.CALLER:
        places = np.flatnonzero(shelved.orders.customer_id == customer_id)
        if not any(workspace.list_members(shelved, each.id).take(places).any() for each in known):
            raise _not_listed()


def _not_listed() -> NotAllowed:
    return NotAllowed("Callers see the customers on their lists.", remedy="Open one of your lists under Follow-up.")


def _page(workspace: Workspace, read: Read, customer: int) -> CustomerPage:
    engine, book = workspace.record.engine, read.orders
    row = np.array([customer])
    known = read.fields.by_name
    facts = {name: cells_of_a_few(read.fields, name, row)[0] for name in FACTS if name in known}
    expected = float(expected_gap_days_of(book, row)[0])
    about = read.history.whole.customers
    as_of, own_id = to_date(read.as_of_day), int(book.customer_id[customer])
    keys, paid = workspace.bound(
        read.shelved, lambda: (details.keys_of_customer(engine, own_id), details.payments_of(engine, own_id))
    )
    payments = [row for row in paid if row.date <= as_of]
    first, after = int(book.starts[customer]), int(book.starts[customer + 1])
    shown = read.history.shown
    marked = np.ones(after - first, bool) if shown is None else shown[first:after]
    return CustomerPage(
        id=own_id,
        name=about.name(customer),
        keys=keys if actor().sees_people else [about.key(customer)],
        about={
            name: attribute.labels[attribute.codes[customer]]
            for name, attribute in about.attributes.items()
            if attribute.labels[attribute.codes[customer]] not in ("", "no")
        },
        facts=facts,
        expected_gap_days=None if np.isnan(expected) else expected,
        own_rhythm=after - first >= OWN_MEDIAN_FROM_ORDERS,
        paid_last=bool(payments) and (after == first or payments[-1].date > to_date(int(book.day[after - 1]))),
        not_counted=int(read.history.whole.counts[customer] - _orders_of(book, first, after)),
        order_count=after - first,
        knots=knots_of(book, customer, marked, MOST_KNOTS_LARGE),
        filled=[name for name in OPTIONAL if _is_filled(book.attributes[name], slice(first, after))],
        payment_count=len(payments),
        payments=payments[-MOST_PAYMENTS:],
        paid_to=_paid_to(book.attributes["source"], slice(first, after), {payment.source for payment in payments}),
        contacts=contacts_of(engine, own_id, {each.id for each in read.lists} if actor().sees_people else set()),
        events=[event for event in events_of(workspace, read.shelved) if event.begins <= as_of],
    )


def _paid_to(source: Attribute, orders: slice, paid: set[str]) -> list[str]:
    ordered = {source.labels[code] for code in np.unique(source.codes[orders]).tolist()}
    return [] if ordered <= paid else sorted(paid)


def _orders_of(book: OrderBook, first: int, after: int) -> int:
    """How many orders some entries of a book stand for."""
    joined = book.joined
    return after - first if joined is None else int(joined[first:after].sum())


def show_lines(workspace: Workspace, book: BookRow, order_id: int) -> list[LineRow]:
    """The lines of an order. Raises `NotAllowed` where it is of somebody whom a caller does not see."""
    engine = workspace.record.engine
    if actor().role is Role.CALLER:
        owner = details.customer_of_order(engine, book.id, order_id)
        _must_be_listed(workspace, workspace.orders(book.id), list_lists(engine, book.id), owner)
    return details.order_lines(engine, book.id, order_id)


def _own_of(workspace: Workspace, read: Read, ids: list[int]) -> dict[int, list[OwnCell]]:
    """The own attributes of some orders, by order id. Of a few orders they come from the record itself."""
    by_slot = {
        column.slot: field
        for field in read.fields.fields
        if field.level is Level.ORDER and (column := read.orders.own.columns.get(field.own))
    }
    if not by_slot:
        return {}
    found = workspace.bound(read.shelved, lambda: details.own_values_of(workspace.record.engine, read.book.id, ids))
    return {
        order: [
            OwnCell(by_slot[row.slot].title, by_slot[row.slot].kind, row.value) for row in rows if row.slot in by_slot
        ]
        for order, rows in found.items()
    }


def _is_filled(attribute: Attribute, rows: slice) -> bool:
    return any(attribute.labels[code] for code in np.unique(attribute.codes[rows]))


def latest_orders(workspace: Workspace, answer: CustomerAnswer, offset: int, limit: int) -> list[ThreadOrder]:
    """A window of a customer's counted orders, the latest first."""
    read = answer.alone
    book = read.orders
    first, after = int(book.starts[answer.place]), int(book.starts[answer.place + 1])
    end = max(first, after - offset)
    places = range(end - 1, max(first, end - limit) - 1, -1)
    ids = book.ids_of(np.array(places, np.int64)).tolist()
    found = details_of(workspace, read, book, np.array(places, np.int64))
    own = _own_of(workspace, read, ids)
    gaps, shown, category = gap_days(book), read.history.shown, book.attributes["category"]
    return [
        ThreadOrder(
            id=order_id,
            rank=place - first + 1,
            gap_days=None if gaps[place] == NO_GAP else int(gaps[place]),
            category=category.labels[category.codes[place]],
            shown=shown is None or bool(shown[place]),
            detail=found[order_id],
            own=own.get(order_id, []),
        )
        for place, order_id in zip(places, ids, strict=True)
    ]
