"""Staged orders and order lines: repeats inside the file, lines rolled up, comparison with the book, writing."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Row, text

from goldthread.core.records import FileKind, KeyKind, Problem, Progress
from goldthread.store.delivery import DeliveryReport

ROWS_PER_WRITE = 250_000

_HEADER_COLUMNS = """
  file_row INT NOT NULL PRIMARY KEY,
  order_number VARCHAR(64) COLLATE utf8mb4_bin NOT NULL,
  customer VARCHAR(191) COLLATE utf8mb4_bin NOT NULL,
  ordered_on DATE NOT NULL,
  ordered_at TIME NULL,
  amount DECIMAL(19,4) NOT NULL,
  status ENUM('open','paid','cancelled','refunded') NOT NULL"""
_LINE_COLUMNS = """
  line_number VARCHAR(32) NOT NULL,
  product VARCHAR(255) NOT NULL,
  category VARCHAR(120) NOT NULL,
  quantity DECIMAL(19,4) NULL"""
_LOAD = r"""
LOAD DATA LOCAL INFILE :path INTO TABLE staged CHARACTER SET utf8mb4
FIELDS TERMINATED BY '\t' ESCAPED BY '' LINES TERMINATED BY '\n'
(file_row, order_number, customer, ordered_on, @ordered_at, amount, status{line_columns})
SET ordered_at = NULLIF(@ordered_at, ''){line_values}
"""
STAGES = {
    FileKind.ORDERS: (
        f"CREATE TEMPORARY TABLE staged ({_HEADER_COLUMNS}) ENGINE=Aria TRANSACTIONAL=0",
        _LOAD.format(line_columns="", line_values=""),
    ),
    FileKind.LINES: (
        f"CREATE TEMPORARY TABLE staged ({_HEADER_COLUMNS}, {_LINE_COLUMNS}) ENGINE=Aria TRANSACTIONAL=0",
        _LOAD.format(
            line_columns=", line_number, product, category, @quantity",
            line_values=", quantity = NULLIF(@quantity, '')",
        ),
    ),
}
"""How to make and fill the staging table of each kind of file."""

_SAME_HEADER = """s.customer = f.customer AND s.ordered_on = f.ordered_on AND s.ordered_at <=> f.ordered_at
  AND s.amount = f.amount AND s.status = f.status"""
_SAME_LINE = f"{_SAME_HEADER} AND s.product = f.product AND s.category = f.category AND s.quantity <=> f.quantity"

_FIRST_HEADERS = """
CREATE TEMPORARY TABLE firsts (file_row INT PRIMARY KEY)
SELECT MIN(file_row) AS file_row, order_number FROM staged GROUP BY order_number HAVING COUNT(*) > 1
"""
_FIRST_LINES = """
CREATE TEMPORARY TABLE firsts (file_row INT PRIMARY KEY)
SELECT MIN(file_row) AS file_row, order_number, line_number FROM staged WHERE line_number <> ''
GROUP BY order_number, line_number HAVING COUNT(*) > 1
"""

_ROLL_UP = """
CREATE TEMPORARY TABLE staged_orders (file_row INT NOT NULL PRIMARY KEY,
  order_number VARCHAR(64) COLLATE utf8mb4_bin NOT NULL, KEY (order_number)) ENGINE=Aria TRANSACTIONAL=0
SELECT MIN(file_row) AS file_row, order_number, MIN(customer) AS customer,
  CAST(LEFT(MIN(CONCAT(ordered_on, ' ', IFNULL(ordered_at, ''))), 10) AS DATE) AS ordered_on,
  CAST(NULLIF(SUBSTRING(MIN(CONCAT(ordered_on, ' ', IFNULL(ordered_at, ''))), 12), '') AS TIME) AS ordered_at,
  SUM(amount) AS amount,
  SUBSTRING_INDEX(GROUP_CONCAT(status ORDER BY file_row), ',', 1) AS status,
  COUNT(DISTINCT ordered_on) AS dates, COUNT(DISTINCT status) AS statuses
FROM staged GROUP BY order_number
"""


@dataclass(frozen=True)
class Place:
    """Where staged orders go. New orders get ids from ``first_order_id`` on."""

    book_id: int
    source_id: int
    delivery_id: int
    first_order_id: int
    customer_key: KeyKind
    kind: FileKind

    @property
    def values(self) -> dict[str, Any]:
        return {
            "book": self.book_id,
            "source": self.source_id,
            "delivery": self.delivery_id,
            "base": self.first_order_id,
            "key_kind": self.customer_key.value,
            "from_lines": self.kind is FileKind.LINES,
        }

    @property
    def table(self) -> str:
        return "staged_orders" if self.kind is FileKind.LINES else "staged"


def settle(connection: Connection, kind: FileKind, report: DeliveryReport, may_repeat: bool) -> None:
    """Take out rows that repeat or contradict an earlier row of the file, and roll lines up to orders."""
    if kind is FileKind.LINES:
        _take_out_repeats(connection, report, _FIRST_LINES, _SAME_LINE, "AND s.line_number = f.line_number")
        _take_out_other_customers(connection, report)
    elif may_repeat:
        _take_out_repeats(connection, report, _FIRST_HEADERS, _SAME_HEADER, "")
    report.rows_in = report.rows_read - report.rows_repeated - report.rows_rejected
    if kind is FileKind.LINES and report.rows_in:
        connection.execute(text(_ROLL_UP))
        _tell_differing_lines(connection, report)


def _take_out_repeats(connection: Connection, report: DeliveryReport, firsts: str, same: str, also: str) -> None:
    connection.execute(text(firsts))
    found = connection.execute(
        text(
            f"SELECT s.file_row, s.order_number, f.file_row, {same} FROM firsts "
            "JOIN staged f ON f.file_row = firsts.file_row "
            f"JOIN staged s ON s.order_number = f.order_number {also} AND s.file_row > f.file_row"
        )
    ).all()
    for file_row, number, first_row, is_same in found:
        if is_same:
            report.rows_repeated += 1
            continue
        report.reject(
            Problem(
                file_row,
                "order number",
                number,
                f"Row {first_row} tells this {'line of the order' if also else 'order'} otherwise.",
                "Keep the row that is right, and bring the file in again.",
            )
        )
    _remove(connection, found)
    connection.execute(text("DROP TEMPORARY TABLE firsts"))


def _take_out_other_customers(connection: Connection, report: DeliveryReport) -> None:
    """One order has one customer: its first line's. Lines that name another are told."""
    connection.execute(
        text(
            "CREATE TEMPORARY TABLE owners (order_number VARCHAR(64) COLLATE utf8mb4_bin PRIMARY KEY, "
            "file_row INT, customer VARCHAR(191) COLLATE utf8mb4_bin) "
            "SELECT order_number, MIN(file_row) AS file_row, '' AS customer FROM staged "
            "GROUP BY order_number HAVING COUNT(DISTINCT customer) > 1"
        )
    )
    connection.execute(text("UPDATE owners o JOIN staged s ON s.file_row = o.file_row SET o.customer = s.customer"))
    found = connection.execute(
        text(
            "SELECT s.file_row, s.customer, o.file_row FROM staged s JOIN owners o USING (order_number) "
            "WHERE s.customer <> o.customer"
        )
    ).all()
    for file_row, customer, first_row in found:
        report.reject(
            Problem(
                file_row,
                "customer",
                customer,
                f"Row {first_row} gives the same order to another customer.",
                "Correct the customer or the order number.",
            )
        )
    _remove(connection, found)
    connection.execute(text("DROP TEMPORARY TABLE owners"))


def _remove(connection: Connection, found: Iterable[Row[Any]]) -> None:
    rows = [{"file_row": row[0]} for row in found]
    if rows:
        connection.execute(text("DELETE FROM staged WHERE file_row = :file_row"), rows)


def _tell_differing_lines(connection: Connection, report: DeliveryReport) -> None:
    found = connection.execute(
        text("SELECT file_row, order_number, dates, statuses FROM staged_orders WHERE dates > 1 OR statuses > 1")
    )
    for file_row, number, dates, _statuses in found:
        what, rule = ("dates", "the earliest") if dates > 1 else ("statuses", "the first line's")
        report.problems.append(
            Problem(
                file_row,
                "order number",
                number,
                f"The lines of this order have different {what}; {rule} counts.",
                "Correct the lines if that is not right.",
                rejected=False,
            )
        )


def write(connection: Connection, place: Place, report: DeliveryReport, progress: Progress) -> int:
    """Write the staged orders as versions of this delivery; gives the next free order id."""
    report.customers_added = add_keys(connection, place)
    compare(connection, place, report)
    last_row = connection.execute(text("SELECT MAX(file_row) FROM staged")).scalar_one()
    for start in range(0, last_row + 1, ROWS_PER_WRITE):
        values = place.values | {"low": start, "high": start + ROWS_PER_WRITE - 1}
        connection.execute(text(_INSERT.format(table=place.table)), values)
        if place.kind is FileKind.LINES:
            connection.execute(text(_INSERT_LINES), values)
        progress("writing", min(start + ROWS_PER_WRITE, last_row), last_row)
    if report.changed or report.same:
        connection.execute(text(_RETIRE.format(table=place.table)), place.values)
    return place.first_order_id + int(last_row) + 1


_INSERT = """
INSERT INTO orders (book_id, id, source_id, delivery_id, order_number, customer_key_id, ordered_on, ordered_at, amount,
  status, from_lines, current)
SELECT :book, :base + s.file_row, :source, :delivery, s.order_number, k.id, s.ordered_on, s.ordered_at, s.amount,
  s.status, :from_lines, TRUE
FROM {table} s STRAIGHT_JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = s.customer
WHERE s.file_row BETWEEN :low AND :high
"""
_INSERT_LINES = """
INSERT INTO order_lines (book_id, order_id, sequence, line_number, product, category, quantity, amount)
SELECT :book, :base + o.file_row, s.file_row, s.line_number, s.product, s.category, s.quantity, s.amount
FROM staged s JOIN staged_orders o ON o.order_number = s.order_number
WHERE s.file_row BETWEEN :low AND :high
"""
_RETIRE = """
UPDATE orders o JOIN {table} s ON s.order_number = o.order_number
LEFT JOIN (SELECT order_number, MAX(id) AS header_id FROM orders
  WHERE source_id = :source AND NOT from_lines GROUP BY order_number) h ON h.order_number = o.order_number
SET o.current = (CASE WHEN h.header_id IS NULL THEN o.delivery_id = :delivery ELSE o.id = h.header_id END)
WHERE o.source_id = :source
"""
_ADD_KEYS = """
INSERT INTO customer_keys (book_id, kind, value, customer_id)
SELECT :book, :key_kind, fresh.customer, 0 FROM (SELECT DISTINCT customer FROM {table}) fresh
LEFT JOIN customer_keys k ON k.book_id = :book AND k.kind = :key_kind AND k.value = fresh.customer WHERE k.id IS NULL
"""


def add_keys(connection: Connection, place: Place) -> int:
    """Give every customer that was not known a key and a record; how many there were."""
    made = connection.execute(text(_ADD_KEYS.format(table=place.table)), place.values)
    found_customers(connection, place.book_id)
    return made.rowcount


def found_customers(connection: Connection, book_id: int) -> None:
    """Make a customer, named by its key, for every key that was just added without one."""
    values = {"book": book_id}
    connection.execute(
        text(
            "INSERT INTO customers (id, book_id, name, attributes) "
            "SELECT id, book_id, value, '{}' FROM customer_keys WHERE book_id = :book AND customer_id = 0"
        ),
        values,
    )
    connection.execute(
        text("UPDATE customer_keys SET customer_id = id WHERE book_id = :book AND customer_id = 0"), values
    )


_COMPARE = """
SELECT COUNT(*), COALESCE(SUM({same}), 0)
FROM {table} s
JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
JOIN customer_keys k ON k.id = o.customer_key_id
"""
_SAME_AS_BOOK = """(k.kind = :key_kind AND k.value = s.customer AND o.ordered_on = s.ordered_on
  AND o.ordered_at <=> s.ordered_at AND o.amount = s.amount AND o.status = s.status)"""
_HEADER_WINS = """
SELECT s.file_row, s.order_number, s.amount, o.amount FROM staged_orders s
JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current AND NOT o.from_lines
WHERE o.amount <> s.amount
"""


def compare(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Count the staged orders that are new, changed and the same; lines never change an order that has a header."""
    same = f"(NOT o.from_lines) OR {_SAME_AS_BOOK}" if place.kind is FileKind.LINES else _SAME_AS_BOOK
    total = connection.execute(text(f"SELECT COUNT(*) FROM {place.table}")).scalar_one()
    known, unchanged = connection.execute(text(_COMPARE.format(table=place.table, same=same)), place.values).one()
    report.added, report.same, report.changed = int(total - known), int(unchanged), int(known - unchanged)
    if place.kind is FileKind.LINES:
        for file_row, number, amount, own in connection.execute(text(_HEADER_WINS), place.values):
            report.problems.append(_header_wins(file_row, number, str(amount), str(own)))


def _header_wins(file_row: int, number: str, amount: str, own: str) -> Problem:
    return Problem(
        file_row,
        "amount",
        amount,
        f"The lines of order {number} do not add up to its own amount, {own}; that one counts.",
        "Correct the lines if that is not right.",
        rejected=False,
    )
