"""Staged payments, spend and events: each is known by an identity of its own, and the newest delivery tells it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, text

from goldthread.core.records import FileKind
from goldthread.store.write.delivery import CHANGES_SHOWN, Change, DeliveryReport, Place
from goldthread.store.write.staged_orders import add_keys, count_customers
from goldthread.store.write.staging import take_out_repeats


@dataclass(frozen=True)
class EntryTable:
    """Where entries of a kind are kept, what makes two rows the same entry, and within what."""

    name: str
    identity: str
    scope: str
    day: str
    values: tuple[str, ...]
    shown: str
    has_customer: bool = False
    has_amount: bool = True


ENTRIES = {
    FileKind.PAYMENTS: EntryTable(
        "payments",
        "IF(reference <> '', CONCAT('reference ', reference), CONCAT_WS(' ', 'alike', customer, paid_on, amount, nth))",
        "source_id = :source",
        "paid_on",
        ("reference", "order_number", "paid_on", "amount"),
        "CONCAT_WS(' ', {0}.paid_on, {0}.amount, {0}.order_number)",
        has_customer=True,
    ),
    FileKind.SPEND: EntryTable(
        "spend",
        "CONCAT(month, ' ', LOWER(channel))",
        "book_id = :book",
        "month",
        ("month", "channel", "amount"),
        "{0}.amount",
    ),
    FileKind.EVENTS: EntryTable(
        "events",
        "CONCAT(begins_on, ' ', LOWER(label))",
        "book_id = :book",
        "begins_on",
        ("begins_on", "ends_on", "label"),
        "CONCAT('until ', {0}.ends_on)",
        has_amount=False,
    ),
}
_IDENTIFY = """
UPDATE staged s JOIN (SELECT file_row, {nth} AS nth FROM staged) n USING (file_row) SET s.identity = {identity}
"""
_NTH = "ROW_NUMBER() OVER (PARTITION BY customer, paid_on, amount ORDER BY file_row)"
_REPEATS = """
SELECT s.file_row, s.identity, f.file_row, {same} FROM staged s
JOIN (SELECT MIN(file_row) AS first_row, identity FROM staged GROUP BY identity HAVING COUNT(*) > 1) g
  ON g.identity = s.identity AND s.file_row > g.first_row
JOIN staged f ON f.file_row = g.first_row
"""


def settle(connection: Connection, kind: FileKind, report: DeliveryReport) -> None:
    """Give rows their identity, and take out those that repeat or contradict an earlier row."""
    table = ENTRIES[kind]
    nth = _NTH if kind is FileKind.PAYMENTS else "0"
    connection.execute(text(_IDENTIFY.format(nth=nth, identity=table.identity)))
    compared = (*table.values, "customer") if table.has_customer else table.values
    same = " AND ".join(f"s.{name} = f.{name}" for name in compared)
    found = connection.execute(text(_REPEATS.format(same=same))).all()
    take_out_repeats(
        connection,
        report,
        found,
        "",
        "An earlier row of the file says otherwise about the same.",
        "Compare it with row {row}: keep the one that is right, or add the two up.",
    )
    report.rows_in = report.rows_read - report.rows_repeated - report.rows_rejected


def compare(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Count what is new, changed and the same, and what that does to the total."""
    table = ENTRIES[place.kind]
    amount = "{0}.amount" if table.has_amount else "0"
    same = " AND ".join(f"s.{name} = o.{name}" for name in table.values)
    keys = ""
    if table.has_customer:
        keys = "JOIN customer_keys k ON k.id = o.customer_key_id"
        same += " AND k.kind = :key_kind AND k.value = s.customer"
    on = f"o.{table.scope} AND o.identity = s.identity AND o.current"
    known = f"FROM staged s STRAIGHT_JOIN {table.name} o ON {on} {keys}"
    new_amount, old_amount = amount.format("s"), amount.format("o")
    total, whole, first, last = connection.execute(
        text(f"SELECT COUNT(*), COALESCE(SUM({new_amount}), 0), MIN({table.day}), MAX({table.day}) FROM staged s")
    ).one()
    count, unchanged, of_known, of_same = connection.execute(
        text(
            f"SELECT COUNT(*), COALESCE(SUM({same}), 0), COALESCE(SUM({new_amount}), 0), "
            f"COALESCE(SUM(IF({same}, {old_amount}, 0)), 0) {known}"
        ),
        place.values,
    ).one()
    was = connection.execute(text(f"SELECT COALESCE(SUM({old_amount}), 0) {known}"), place.values).scalar_one()
    report.added, report.same, report.changed = int(total - count), int(unchanged), int(count - unchanged)
    report.amount_added, report.amount_same, report.amount_changed = whole - of_known, of_same, of_known - was
    report.first_date, report.last_date = first, last
    if table.has_customer:
        count_customers(connection, place, report)
    changes = connection.execute(
        text(
            f"SELECT s.identity, {table.shown.format('o')}, {table.shown.format('s')} {known} "
            f"WHERE NOT ({same}) ORDER BY s.file_row LIMIT {CHANGES_SHOWN}"
        ),
        place.values,
    )
    report.changes = [Change(str(row[0]), str(row[1]), str(row[2])) for row in changes]


def write(connection: Connection, place: Place) -> None:
    """Write the staged entries as versions of this delivery; older versions stay, and are not read."""
    table = ENTRIES[place.kind]
    names, values = ", ".join(table.values), ", ".join(f"s.{name}" for name in table.values)
    keys = ""
    if table.has_customer:
        add_keys(connection, place)
        names, values = f"{names}, customer_key_id", f"{values}, k.id"
        keys = "JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = s.customer"
    connection.execute(
        text(
            f"UPDATE staged s STRAIGHT_JOIN {table.name} o ON o.{table.scope} AND o.identity = s.identity "
            "SET o.current = FALSE"
        ),
        place.values,
    )
    connection.execute(
        text(
            f"INSERT INTO {table.name} (book_id, source_id, delivery_id, identity, current, {names}) "
            f"SELECT :book, :source, :delivery, s.identity, TRUE, {values} FROM staged s {keys} ORDER BY s.file_row"
        ),
        place.values,
    )
