"""Staged orders and order lines: repeats inside the file, lines rolled up, comparison with the book, writing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import Connection, text

from goldthread.core.records import AttributeType, FileKind, Problem, Progress
from goldthread.store.write import own_attributes
from goldthread.store.write.delivery import CHANGES_SHOWN, Change, DeliveryReport, Place, shown
from goldthread.store.write.staging import amount_of, remove, take_out_repeats

ROWS_PER_WRITE = 250_000

_SAME_HEADER = """s.customer = f.customer AND s.ordered_on = f.ordered_on AND s.ordered_at <=> f.ordered_at
  AND s.amount = f.amount AND s.status = f.status AND s.rep = f.rep AND s.channel = f.channel"""
_SAME_LINE = f"{_SAME_HEADER} AND s.product = f.product AND s.category = f.category AND s.quantity <=> f.quantity"

_REPEATED_HEADERS = """
SELECT s.file_row, s.order_number, f.file_row, {same} FROM staged s JOIN staged f ON f.file_row = s.first_row
WHERE s.first_row <> s.file_row ORDER BY s.file_row
"""
_FIRST_LINES = """
CREATE TEMPORARY TABLE first_lines (first_row INT NOT NULL, line_number VARCHAR(32) NOT NULL, file_row INT NOT NULL,
  PRIMARY KEY (first_row, line_number))
SELECT SQL_BIG_RESULT first_row, line_number, MIN(file_row) AS file_row FROM staged WHERE line_number <> ''
GROUP BY first_row, line_number HAVING COUNT(*) > 1
"""
_REPEATED_LINES = """
SELECT s.file_row, s.order_number, f.file_row, {same} FROM staged s
STRAIGHT_JOIN first_lines l ON l.first_row = s.first_row AND l.line_number = s.line_number AND l.file_row < s.file_row
JOIN staged f ON f.file_row = l.file_row ORDER BY s.file_row
"""

_EXACTLY = "COLLATE utf8mb4_bin"
# the least and the greatest of each are found while the server sorts; what the first line says is looked up for the few
# orders whose lines differ
_ROLL_UP = f"""
CREATE TEMPORARY TABLE staged_orders (file_row INT NOT NULL PRIMARY KEY,
  order_number VARCHAR(64) COLLATE utf8mb4_bin NOT NULL) ENGINE=InnoDB
SELECT SQL_BIG_RESULT first_row AS file_row, MIN(order_number) AS order_number, MIN(customer) AS customer,
  MIN(ordered_on) AS ordered_on, MIN(ordered_at) AS ordered_at, SUM(amount) AS amount, MIN(status) AS status,
  MIN(rep {_EXACTLY}) AS rep, MIN(channel {_EXACTLY}) AS channel, MIN(customer) <> MAX(customer) AS has_customers,
  MIN(ordered_on) <> MAX(ordered_on) AS has_dates, MIN(status) <> MAX(status) AS has_statuses,
  NOT (MIN(ordered_at) <=> MAX(ordered_at)) OR COUNT(ordered_at) NOT IN (0, COUNT(*)) AS has_times,
  MIN(rep {_EXACTLY}) <> MAX(rep {_EXACTLY}) OR MIN(channel {_EXACTLY}) <> MAX(channel {_EXACTLY}) AS has_words{{own}}
FROM staged GROUP BY first_row
"""
_DIFFERING = "(o.has_dates OR o.has_statuses OR o.has_times OR o.has_words)"
_TAKE_FIRST = f"""
UPDATE staged_orders o JOIN staged f ON f.file_row = o.file_row
JOIN (SELECT o.file_row, MIN(CONCAT(s.ordered_on, ' ', IFNULL(s.ordered_at, ''))) AS moment
  FROM staged s STRAIGHT_JOIN staged_orders o ON o.file_row = s.first_row
  WHERE {_DIFFERING} GROUP BY o.file_row) e ON e.file_row = o.file_row
SET o.status = f.status, o.rep = f.rep, o.channel = f.channel, o.ordered_on = CAST(LEFT(e.moment, 10) AS DATE),
  o.ordered_at = CAST(NULLIF(SUBSTRING(e.moment, 12), '') AS TIME)
"""


def settle(connection: Connection, kind: FileKind, report: DeliveryReport, may_repeat: bool, attributes: int) -> None:
    """Take out rows that repeat or contradict an earlier row of the file, and roll lines up to orders.

    ``attributes`` is how many own attributes the rows have.
    """
    own = own_attributes.same_as("f", attributes)
    if may_repeat and kind is FileKind.LINES:
        connection.execute(text(_FIRST_LINES))
        _take_out_repeats(connection, report, _REPEATED_LINES.format(same=_SAME_LINE + own), "line of the order")
        connection.execute(text("DROP TEMPORARY TABLE first_lines"))
    elif may_repeat:
        _take_out_repeats(connection, report, _REPEATED_HEADERS.format(same=_SAME_HEADER + own), "order")
    if kind is FileKind.LINES:
        _roll_up(connection, report, attributes)
    report.rows_in = report.rows_read - report.rows_repeated - report.rows_rejected
    if kind is FileKind.LINES and report.rows_in:
        own_attributes.settle_lines(connection, attributes)
        _tell_differing_lines(connection, report)


def _roll_up(connection: Connection, report: DeliveryReport, attributes: int) -> None:
    """Make ``staged_orders`` of the lines: the earliest date and time, the sum, and what else the first line says."""
    roll_up = text(_ROLL_UP.format(own=own_attributes.rolled_up(attributes)))
    connection.execute(roll_up)
    if _is_any(connection, "o.has_customers"):
        _take_out_other_customers(connection, report)
        connection.execute(text("DROP TEMPORARY TABLE staged_orders"))
        connection.execute(roll_up)
    if _is_any(connection, _DIFFERING):
        connection.execute(text(_TAKE_FIRST))


def _is_any(connection: Connection, which: str) -> bool:
    """Whether any staged order is one of these."""
    return connection.execute(text(f"SELECT 1 FROM staged_orders o WHERE {which} LIMIT 1")).first() is not None


def _take_out_repeats(connection: Connection, report: DeliveryReport, repeated: str, what: str) -> None:
    found = connection.execute(text(repeated)).all()
    report.amount_rejected += amount_of(connection, [row[0] for row in found if not row[3]])
    take_out_repeats(
        connection,
        report,
        found,
        "order number",
        f"An earlier row says otherwise about this {what}.",
        "Compare it with row {row}, keep the one that is right, and import the file again.",
    )


def _take_out_other_customers(connection: Connection, report: DeliveryReport) -> None:
    """One order has one customer: its first line's. Lines that name another are reported."""
    found = connection.execute(
        text(
            "SELECT s.file_row, s.customer, f.file_row FROM staged s JOIN staged f ON f.file_row = s.first_row "
            "WHERE s.customer <> f.customer ORDER BY s.file_row"
        )
    ).all()
    for file_row, customer, first_row in found:
        report.reject(
            Problem(
                file_row,
                "customer",
                customer,
                "An earlier row gives the same order to another customer.",
                f"Compare it with row {first_row}; correct the customer or the order number.",
            )
        )
    rows = [row[0] for row in found]
    report.amount_rejected += amount_of(connection, rows)
    remove(connection, rows)


def _tell_differing_lines(connection: Connection, report: DeliveryReport) -> None:
    found = connection.execute(
        text("SELECT file_row, order_number, has_dates FROM staged_orders WHERE has_dates OR has_statuses")
    )
    for file_row, number, has_dates in found:
        what, rule = ("dates", "the earliest") if has_dates else ("statuses", "the first line's")
        report.note(
            Problem(
                file_row,
                "order number",
                number,
                f"The lines of this order have different {what}; {rule} counts.",
                "Correct the lines if that is not right.",
                rejected=False,
            )
        )


_TOTALS = """
SELECT COUNT(*), COALESCE(SUM(amount), 0), MIN(ordered_on), MAX(ordered_on), COALESCE(SUM(amount < 0), 0),
  COALESCE(SUM(amount = 0), 0), COALESCE(SUM(LEAST(amount, 0)), 0) FROM {table}
"""
# rows of the file find their orders (STRAIGHT_JOIN): the server, whose statistics of a book that just grew are old, may
# try every order on every row
_KNOWN = """
FROM {table} s
STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
JOIN customer_keys k ON k.id = o.customer_key_id
LEFT JOIN own_differs d ON d.file_row = s.file_row
"""
_COMPARE = f"""
SELECT COUNT(*), COALESCE(SUM({{same}}), 0), COALESCE(SUM(s.amount), 0), COALESCE(SUM(IF({{same}}, o.amount, 0)), 0),
  COALESCE(SUM(IF({{same}}, 0, s.amount - o.amount)), 0) {_KNOWN}
"""
_CHANGES = f"""
SELECT s.order_number, k.value, o.ordered_on, o.amount, o.status, o.rep, o.channel,
  s.customer, s.ordered_on, s.amount, s.status, s.rep, s.channel
{_KNOWN} WHERE NOT ({{same}}) ORDER BY s.file_row LIMIT {CHANGES_SHOWN}
"""
_SAME_AS_BOOK = """(k.kind = :key_kind AND k.value = s.customer AND o.ordered_on = s.ordered_on
  AND o.ordered_at <=> s.ordered_at AND o.amount = s.amount AND o.status = s.status AND o.rep = s.rep
  AND o.channel = s.channel AND d.file_row IS NULL)"""
_HEADER_WINS = """
SELECT s.file_row, s.order_number, s.amount, o.amount FROM staged_orders s
STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current AND NOT o.from_lines
WHERE o.amount <> s.amount
"""
_NAMED = """
CREATE TEMPORARY TABLE named (customer VARCHAR(191) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY)
SELECT DISTINCT customer FROM {table}
"""
_NEW = """
SELECT COUNT(*) FROM named n LEFT JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind
  AND k.value = n.customer WHERE k.id IS NULL
"""
_FIRSTS_MOVED = """
SELECT COUNT(*) FROM (
  SELECT k.customer_id, MIN(s.ordered_on) AS day FROM {table} s JOIN customer_keys k ON k.book_id = :book
    AND k.kind = :key_kind AND k.value = s.customer GROUP BY k.customer_id) fresh
JOIN (SELECT k.customer_id, MIN(o.ordered_on) AS day FROM orders o JOIN customer_keys k ON k.id = o.customer_key_id
  WHERE o.book_id = :book AND o.current GROUP BY k.customer_id) known USING (customer_id)
WHERE fresh.day < known.day
"""


_ADDED_BY_MONTH = """
SELECT YEAR(s.ordered_on) * 12 + MONTH(s.ordered_on) - 1 - 1970 * 12 AS month, COUNT(*) FROM {table} s
LEFT JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
WHERE o.id IS NULL GROUP BY month
"""


def compare(connection: Connection, place: Place, report: DeliveryReport, attributes: Sequence[str]) -> None:
    """Count what is new, changed and the same, and what that does; lines never change an order that has a header."""
    table, values = table_of(place), place.values
    own_attributes.compare(connection, place, table, attributes)
    same = f"((NOT o.from_lines) OR {_SAME_AS_BOOK})" if place.kind is FileKind.LINES else _SAME_AS_BOOK
    total, amount, first, last, negative, zero, below = connection.execute(text(_TOTALS.format(table=table))).one()
    found = connection.execute(text(_COMPARE.format(table=table, same=same)), values).one()
    known, unchanged, amount_known, amount_same, difference = found
    report.added, report.same, report.changed = int(total - known), int(unchanged), int(known - unchanged)
    report.amount_added, report.amount_same, report.amount_changed = amount - amount_known, amount_same, difference
    report.first_date, report.last_date = first, last
    report.negative, report.zero, report.amount_negative = int(negative), int(zero), below
    if report.changed:
        changes = connection.execute(text(_CHANGES.format(table=table, same=same)), values)
        report.changes = [_change(row[0], row[1:7], row[7:]) for row in changes]
    count_customers(connection, place, report)
    if place.kind is FileKind.LINES:
        for file_row, number, lines, own in connection.execute(text(_HEADER_WINS), values):
            report.note(_header_wins(file_row, number, str(lines), str(own)))
    if report.dry_run:
        report.firsts_moved = connection.execute(text(_FIRSTS_MOVED.format(table=table)), values).scalar_one()
        by_month = connection.execute(text(_ADDED_BY_MONTH.format(table=table)), values)
        report.added_by_month = {int(month): int(orders) for month, orders in by_month}


def _change(number: str, was: tuple[object, ...], becomes: tuple[object, ...]) -> Change:
    """Only what differs, in the order of customer, date, amount, status, rep and channel; else it is the time of day, a
    line or an attribute."""
    differing = [(shown(a), shown(b)) for a, b in zip(was, becomes, strict=True) if a != b]
    differing = differing or [("time, line or attribute on record", "what this file says")]
    return Change(number, ", ".join(a or "nothing" for a, _ in differing), ", ".join(b for _, b in differing))


def count_customers(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Count the customers that the rows name, new and known, and keep them in the table ``named``."""
    named = connection.execute(text(_NAMED.format(table=table_of(place)))).rowcount
    report.customers_added = int(connection.execute(text(_NEW), place.values).scalar_one())
    report.customers_known = named - report.customers_added


def _header_wins(file_row: int, number: str, amount: str, own: str) -> Problem:
    return Problem(
        file_row,
        "amount",
        amount,
        "The lines of the order do not add up to its own amount; that one counts.",
        f"Order {number} is on record with {own}. Correct the lines if that is not right.",
        rejected=False,
    )


def write(
    connection: Connection,
    place: Place,
    attributes: Mapping[str, AttributeType],
    progress: Progress,
) -> int:
    """Write the staged orders as versions of this delivery; gives the last id that was given out."""
    add_keys(connection, place)
    slots = own_attributes.take_slots(connection, place, attributes)
    own_attributes.describe(connection, place, attributes, slots)
    own = text(own_attributes.insert_statement(table_of(place), slots)) if slots else None
    last_row = connection.execute(text("SELECT MAX(file_row) FROM staged")).scalar_one()
    for start in range(0, last_row + 1, ROWS_PER_WRITE):
        values = place.values | {"low": start, "high": start + ROWS_PER_WRITE - 1}
        connection.execute(text(_INSERT.format(table=table_of(place))), values)
        if place.kind is FileKind.LINES:
            connection.execute(text(_INSERT_LINES), values)
        if own is not None:
            connection.execute(own, values)
        progress("writing", min(start + ROWS_PER_WRITE, last_row), last_row)
    return place.first_order_id + int(last_row)


def retire(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Let the newest version of each order be the one that is read."""
    if report.changed or report.same:
        connection.execute(text(_RETIRE.format(table=table_of(place))), place.values)


def table_of(place: Place) -> str:
    """The staging table that has an order a row."""
    return "staged_orders" if place.kind is FileKind.LINES else "staged"


_INSERT = """
INSERT INTO orders (book_id, id, source_id, delivery_id, order_number, customer_key_id, ordered_on, ordered_at, amount,
  status, rep, channel, from_lines, current)
SELECT :book, :base + s.file_row, :source, :delivery, s.order_number, k.id, s.ordered_on, s.ordered_at, s.amount,
  s.status, s.rep, s.channel, :from_lines, TRUE
FROM {table} s STRAIGHT_JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = s.customer
WHERE s.file_row BETWEEN :low AND :high
"""
_INSERT_LINES = """
INSERT INTO order_lines (book_id, order_id, sequence, line_number, product, category, quantity, amount)
SELECT :book, :base + s.first_row, s.file_row, s.line_number, s.product, s.category, s.quantity, s.amount FROM staged s
WHERE s.file_row BETWEEN :low AND :high
"""
_RETIRE = """
UPDATE {table} s STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number
LEFT JOIN (SELECT v.order_number, MAX(v.id) AS header_id
  FROM {table} t STRAIGHT_JOIN orders v ON v.source_id = :source AND v.order_number = t.order_number
  WHERE NOT v.from_lines GROUP BY v.order_number) h ON h.order_number = o.order_number
SET o.current = (CASE WHEN h.header_id IS NULL THEN o.delivery_id = :delivery ELSE o.id = h.header_id END)
"""
_ADD_KEYS = """
INSERT INTO customer_keys (book_id, kind, value, customer_id)
SELECT :book, :key_kind, n.customer, 0 FROM named n
LEFT JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = n.customer WHERE k.id IS NULL
"""


def add_keys(connection: Connection, place: Place) -> None:
    """Give every customer of the table ``named`` that is not known a key and a record of its own."""
    connection.execute(text(_ADD_KEYS), place.values)
    found_customers(connection, place.book_id)


def found_customers(connection: Connection, book_id: int) -> None:
    """Make a customer, named by its key, for every key that was just added without one."""
    values = {"book": book_id}
    connection.execute(
        text(
            "INSERT INTO customers (id, book_id, name, town, closed, do_not_contact, attributes) "
            "SELECT id, book_id, value, '', FALSE, FALSE, '{}' FROM customer_keys "
            "WHERE book_id = :book AND customer_id = 0"
        ),
        values,
    )
    connection.execute(
        text("UPDATE customer_keys SET customer_id = id WHERE book_id = :book AND customer_id = 0"), values
    )
