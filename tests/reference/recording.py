"""The files, and the changes by hand, that bring a plain book into the program."""

from __future__ import annotations

from pathlib import Path

from goldthread.actions.by_hand import OrderByHand, put_order
from goldthread.core.records import FileKind, KeyKind, OrderStatus
from goldthread.intake.meanings import KeptAt
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace
from tests.reference.records import SOURCES, Book, iso, units
from tests.support.sharing import deliver, new_book, write_csv


def put_on_record(workspace: Workspace, book: Book, folder: Path) -> BookRow:
    """A new book that holds these records, one file for each source and kind."""
    row = new_book(workspace)
    head = ("order number", "customer number", "date", "amount", "status", "channel", "rep")
    for source in SOURCES:
        mine = [order for order in book.orders if order.source == source and not order.by_hand]
        path = folder / f"{source}.csv"
        if not mine:
            continue
        about = {order: (order.number, order.customer, iso(order.day)) for order in mine}
        if source == "web":
            rows: list[tuple[str, ...]] = [
                (*about[o], units(line.amount), o.status, o.channel, o.rep, str(at), line.product, line.category)
                for o in mine
                for at, line in enumerate(o.lines, 1)
            ]
            write_csv(path, [(*head, "line number", "product", "category"), *rows])
            deliver(workspace, row, path, source, FileKind.LINES, KeyKind.NUMBER)
        else:
            own = ("discount", "gift") if source == "shop" else ()
            rows = [
                (o.number, o.customer, f"{iso(o.day)} {o.time}".strip(), units(o.amount), o.status, o.channel, o.rep)
                + ((o.discount, o.gift) if own else ())
                for o in mine
            ]
            write_csv(path, [(*head, *own), *rows])
            further = dict.fromkeys(own, KeptAt.ORDER)
            deliver(workspace, row, path, source, FileKind.ORDERS, KeyKind.NUMBER, further=further)
    if book.customers:
        names = ("customer number", "name", "email", "town", "region", "score", "closed", "do not contact", "joined")
        of_customers = [
            (c.key, c.name, c.email, c.town, c.region, c.score, *(c.closed, c.do_not_contact), iso(c.joined or 0))
            for c in book.customers
        ]
        path = write_csv(folder / "customers.csv", [names, *of_customers])
        deliver(workspace, row, path, "customers", FileKind.CUSTOMERS, KeyKind.NUMBER)
    if book.payments:
        rows = [(p.customer, iso(p.day), units(p.amount)) for p in book.payments]
        path = write_csv(folder / "payments.csv", [("customer number", "date", "amount"), *rows])
        deliver(workspace, row, path, "bank", FileKind.PAYMENTS, KeyKind.NUMBER)
    if book.spend:
        rows = [(iso(s.month)[:7], s.channel, units(s.amount)) for s in book.spend]
        path = write_csv(folder / "spend.csv", [("month", "channel", "amount"), *rows])
        deliver(workspace, row, path, "spend", FileKind.SPEND)
    for order in book.orders:
        if order.by_hand:
            said = (order.source, order.number, order.customer, iso(order.day), units(order.amount))
            put_order(workspace, row, OrderByHand(*said, OrderStatus(order.status), order.rep, order.channel))
    return row
