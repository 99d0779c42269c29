"""Changes made by hand: an order, a customer, a match of customers. Each is a delivery of one, and can be withdrawn."""

from __future__ import annotations

import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from goldthread.actions.books import checked_name, zone
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.actions.log import Deed, put_down
from goldthread.core.limits import SAID_OF_MOST
from goldthread.core.records import FileKind, KeyKind, OrderStatus, Piece, Rows, Verdict, unreported
from goldthread.errors import InvalidInput, NotFound
from goldthread.intake import values
from goldthread.intake.values import BadValue, Parser
from goldthread.store.books import BookRow
from goldthread.store.read.details import EventRow, OrderRow, events_of, order_on_record
from goldthread.store.read.duplicates import keys_of
from goldthread.store.server.faults import tried_again
from goldthread.store.write.conflicts import event_there, order_changed, something_said
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport, Unless
from goldthread.store.write.orders_in import deliver
from goldthread.workspace import Workspace

BY_HAND = "by hand"
"""The source of what is no shop's: customers and matches of customers."""


@dataclass(frozen=True)
class OrderByHand:
    """An order as somebody writes it down; texts as they were typed."""

    source: str
    number: str
    customer: str
    date: str
    amount: str
    status: OrderStatus = OrderStatus.PAID
    rep: str = ""
    channel: str = ""


@dataclass(frozen=True)
class CustomerByHand:
    """A customer as somebody writes it down. None leaves a mark as it is."""

    number: str = ""
    email: str = ""
    name: str = ""
    town: str = ""
    closed: bool | None = None
    do_not_contact: bool | None = None


@dataclass(frozen=True)
class EventByHand:
    """An event as somebody writes it down; the last day is blank for an event of one day."""

    label: str
    begins: str
    until: str = ""


def put_order(workspace: Workspace, book: BookRow, order: OrderByHand, seen: int | None = None) -> DeliveryReport:
    """Add an order, or correct the one of that number.

    ``seen`` is the version of it that whoever writes has seen last, 0 for none. Raises `InvalidInput` naming the field
    that is wrong, and `Conflict` when somebody changed the order since.
    """
    key = _key_kind(order.customer)
    moment = _read("date", values.date_parser(zone(book.time_zone)), order.date)
    columns = {
        "order_number": _read("number", values.order_number, order.number),
        "customer": _read("customer", values.customer_parser(key), order.customer),
        "date": moment[:10],
        "time": moment[11:],
        "amount": _read("amount", values.amount_parser(book.currency), order.amount),
        "status": order.status.value,
        "rep": _read("rep", values.text_parser(120), order.rep),
        "channel": _read("channel", values.text_parser(120), order.channel),
    }
    source = checked_name(order.source, "source")
    number = columns["order_number"]

    unless = order_changed(book.id, source, number, seen)
    report = _deliver(workspace, book, source, FileKind.ORDERS, key, f"order {number}", [columns], unless)
    is_cancelled = order.status is OrderStatus.CANCELLED
    put_down(workspace, Deed.ORDER_CANCELLED if is_cancelled else Deed.ORDER_PUT, book.id, f"{source} {number}")
    return report


def cancel_order(
    workspace: Workspace, book: BookRow, source: str, number: str, seen: int | None = None
) -> DeliveryReport:
    """Cancel an order that is on record. Raises `NotFound`, and `Conflict` when somebody changed it since it was
    ``seen``."""
    known = show_order(workspace, book, source, number)
    if known is None:
        raise NotFound(f"{source} has no order {number}.", remedy="Check the number and the source.", field="number")
    order = OrderByHand(
        known.source,
        known.number,
        known.customer,
        known.date.isoformat() + (f" {known.time}" if known.time else ""),
        f"{known.amount:f}",
        OrderStatus.CANCELLED,
        known.rep,
        known.channel,
    )
    # what is cancelled is what was just read, whoever else is at it
    return put_order(workspace, book, order, known.version if seen is None else seen)


def show_order(workspace: Workspace, book: BookRow, source: str, number: str) -> OrderRow | None:
    """The order of a number as it is on record; None when there is none."""
    with workspace.record.engine.connect() as connection:
        return order_on_record(connection, book.id, source, number)


def put_customer(workspace: Workspace, book: BookRow, customer: CustomerByHand) -> DeliveryReport:
    """Add a customer, or change what is known of one: what is left blank stays as it is. Raises `InvalidInput`."""
    columns = {
        "number": _read("number", values.text_parser(values.CUSTOMER_LENGTH), customer.number),
        "email": _read("email", values.optional_email, customer.email),
        "name": _read("name", values.text_parser(255), customer.name),
        "town": _read("town", values.text_parser(120), customer.town),
        "closed": _mark(customer.closed),
        "do_not_contact": _mark(customer.do_not_contact),
        "attributes": json.dumps({}),
    }
    if not columns["number"] and not columns["email"]:
        raise InvalidInput(
            "There is neither a customer number nor an e-mail.", remedy="Give one of the two.", field="number"
        )
    shown = columns["name"] or columns["number"] or columns["email"]
    report = _deliver(workspace, book, BY_HAND, FileKind.CUSTOMERS, KeyKind.NUMBER, f"customer {shown}", [columns])
    put_down(workspace, Deed.CUSTOMER_PUT, book.id, delivery=report.delivery_id)
    return report


def put_event(workspace: Workspace, book: BookRow, event: EventByHand, instead: int | None = None) -> DeliveryReport:
    """Put an event on the time axis, in place of one that was typed with the delivery ``instead``.

    Raises `InvalidInput` naming the field that is wrong, `Conflict` for a name that an event of that day has already,
    and `NotFound` when the one before is not there any more.
    """
    date = values.date_parser(zone(book.time_zone))
    label = _read("label", values.text_parser(255), event.label)
    begins = _read("begins", date, event.begins)[:10]
    until = _read("until", date, event.until)[:10] if event.until else begins
    if not label:
        raise InvalidInput("The event has no name.", remedy="Say what it was, such as kiln sale.", field="label")
    if until < begins:
        raise InvalidInput("The event ends before it begins.", remedy="Correct one of the two dates.", field="until")
    columns = {"date": begins, "until": until, "label": label}
    unless = event_there(book.id, begins, label, instead)
    report = _deliver(workspace, book, BY_HAND, FileKind.EVENTS, KeyKind.NUMBER, f"event {label}", [columns], unless)
    if instead is not None:
        # whatever befalls in between, what was typed is on record
        withdraw_delivery(workspace, book, instead)
    put_down(workspace, Deed.EVENT_PUT, book.id, label)
    return report


def list_events(workspace: Workspace, book: BookRow) -> list[EventRow]:
    """The events of a book, imported and typed, earliest first."""
    return events_of(workspace.record.engine, book.id)


def remove_event(workspace: Workspace, book: BookRow, delivery: int) -> None:
    """Take back an event that was typed, by the delivery of it. Raises `NotFound`, also for one that was imported."""
    if delivery not in [each.by_hand for each in list_events(workspace, book)]:
        raise NotFound(
            "No event was typed under this number.", remedy="What was imported is withdrawn with its delivery."
        )
    withdraw_delivery(workspace, book, delivery)


def match_customers(
    workspace: Workspace, book: BookRow, customer_ids: Sequence[int], verdict: Verdict, seen: int | None = None
) -> DeliveryReport:
    """Say that customers are one, or that they are different people.

    ``seen`` is the newest word on any of them that whoever says so has seen, 0 for none. Raises `NotFound`,
    `InvalidInput`, and `Conflict` when somebody said otherwise since.
    """
    if not 2 <= len(set(customer_ids)) <= SAID_OF_MOST:
        raise InvalidInput(
            f"It takes two customers, and {SAID_OF_MOST} at most.", remedy="Choose at least two.", field="customers"
        )
    with workspace.record.engine.connect() as connection:
        keys = keys_of(connection, book.id, customer_ids)

    rows = [
        {"kind": one[0].value, "customer": one[1], "other_kind": other[0].value, "other": other[1], "verdict": verdict}
        for one, other in combinations(keys, 2)
    ]
    given = " and ".join(key for _, key in keys)
    name = f"{given}: {'same customer' if verdict is Verdict.ONE else 'different customers'}"
    unless = something_said(book.id, customer_ids, seen)
    report = _deliver(workspace, book, BY_HAND, FileKind.MATCHES, KeyKind.NUMBER, name, rows, unless)
    put_down(workspace, Deed.MATCHED, book.id, delivery=report.delivery_id)
    return report


def _deliver(
    workspace: Workspace,
    book: BookRow,
    source: str,
    kind: FileKind,
    key: KeyKind,
    name: str,
    rows: Sequence[Mapping[str, str]],
    unless: Unless | None = None,
) -> DeliveryReport:
    wanted = DeliveryOrder(
        book_id=book.id,
        source_name=source,
        kind=kind,
        customer_key=key,
        file_name=name,
        fingerprint=uuid.uuid4().hex,
        by_hand=True,
        unless=unless,
        erasing_key=workspace.settings.erasing_key,
    )
    columns = {column: [row[column] for row in rows] for column in rows[0]}
    piece = Piece(Rows(list(range(1, len(rows) + 1)), columns), [], len(rows))
    return tried_again(lambda: deliver(workspace.record.engine, wanted, [piece], len(rows), unreported))


def _read(field: str, parse: Parser, text: str) -> str:
    try:
        return parse(text)
    except BadValue as bad:
        raise InvalidInput(bad.reason, remedy=bad.remedy, field=field) from None


def _key_kind(customer: str) -> KeyKind:
    return KeyKind.EMAIL if values.is_email(customer) else KeyKind.NUMBER


def _mark(given: bool | None) -> str:
    return "" if given is None else str(int(given))
