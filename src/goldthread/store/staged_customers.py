"""Staged customer records: who is who, by number and by e-mail, and writing."""

from __future__ import annotations

from sqlalchemy import Connection, text

from goldthread.core.records import Problem
from goldthread.store.delivery import DeliveryReport
from goldthread.store.staged_orders import found_customers

_CREATE = """
CREATE TEMPORARY TABLE staged (
  file_row INT NOT NULL PRIMARY KEY,
  number VARCHAR(191) COLLATE utf8mb4_bin NOT NULL,
  email VARCHAR(191) COLLATE utf8mb4_bin NOT NULL,
  name VARCHAR(255) NOT NULL,
  attributes LONGTEXT NOT NULL,
  by_number BIGINT NULL,
  by_email BIGINT NULL,
  customer BIGINT NULL,
  KEY (number), KEY (email), KEY (customer)
) ENGINE=Aria TRANSACTIONAL=0
"""

_LOAD = r"""
LOAD DATA LOCAL INFILE :path INTO TABLE staged CHARACTER SET utf8mb4
FIELDS TERMINATED BY '\t' ESCAPED BY '' LINES TERMINATED BY '\n'
(file_row, number, email, name, attributes)
"""

STAGE = (_CREATE, _LOAD)
"""How to make and fill the staging table."""

_COPY = "CREATE TEMPORARY TABLE firsts (file_row INT NOT NULL PRIMARY KEY)"
_FIRST_NUMBERS = f"""{_COPY}
SELECT MIN(file_row) AS file_row, number FROM staged WHERE number <> '' GROUP BY number HAVING COUNT(*) > 1
"""
_FIRST_EMAILS = f"""{_COPY}
SELECT MIN(file_row) AS file_row, email FROM staged WHERE email <> '' GROUP BY email HAVING COUNT(*) > 1
"""


def settle(connection: Connection, report: DeliveryReport) -> None:
    """Take out second records of one number; where two records share an e-mail, the first keeps it."""
    connection.execute(text(_FIRST_NUMBERS))
    again = connection.execute(
        text(
            "SELECT s.file_row, s.number, f.file_row FROM staged s JOIN firsts f USING (number) "
            "WHERE s.file_row > f.file_row"
        )
    ).all()
    for file_row, number, first_row in again:
        report.reject(
            Problem(
                file_row,
                "customer number",
                number,
                f"Row {first_row} is about the same customer already.",
                "Keep the row that is right, and bring the file in again.",
            )
        )
    _execute_each(connection, "DELETE FROM staged WHERE file_row = :file_row", [row[0] for row in again])
    connection.execute(text("DROP TEMPORARY TABLE firsts"))
    _part_shared_emails(connection, report)
    report.rows_in = report.rows_read - report.rows_rejected - report.rows_repeated


def _part_shared_emails(connection: Connection, report: DeliveryReport) -> None:
    connection.execute(text(_FIRST_EMAILS))
    shared = connection.execute(
        text(
            "SELECT s.file_row, s.email, f.file_row, s.number FROM staged s JOIN firsts f USING (email) "
            "WHERE s.file_row > f.file_row"
        )
    ).all()
    for file_row, email, first_row, number in shared:
        if number:
            report.problems.append(_email_taken(file_row, email, f"the customer of row {first_row}"))
        else:
            report.rows_repeated += 1
    _execute_each(connection, "UPDATE staged SET email = '' WHERE file_row = :file_row", [r[0] for r in shared if r[3]])
    _execute_each(connection, "DELETE FROM staged WHERE file_row = :file_row", [r[0] for r in shared if not r[3]])
    connection.execute(text("DROP TEMPORARY TABLE firsts"))


def _email_taken(file_row: int, email: str, owner: str) -> Problem:
    return Problem(
        file_row,
        "e-mail",
        email,
        f"This e-mail belongs to {owner} already and stays there.",
        "If both are one person, give both the same number.",
        rejected=False,
    )


def _execute_each(connection: Connection, statement: str, file_rows: list[int]) -> None:
    if file_rows:
        connection.execute(text(statement), [{"file_row": row} for row in file_rows])


_FIND = """
UPDATE staged s
LEFT JOIN customer_keys n ON n.book_id = :book AND n.kind = 'number' AND n.value = s.number
LEFT JOIN customer_keys e ON e.book_id = :book AND e.kind = 'email' AND e.value = s.email
SET s.by_number = n.customer_id, s.by_email = e.customer_id
"""
_TAKEN = """
SELECT s.file_row, s.email, k.value FROM staged s
JOIN customer_keys k ON k.customer_id = s.by_email AND k.kind = 'number'
WHERE s.number <> '' AND k.value <> s.number
"""
_JOIN_KEYS = """
UPDATE customer_keys k JOIN staged s ON k.customer_id = s.by_email
SET k.customer_id = s.by_number WHERE s.by_number <> s.by_email
"""
_DROP_JOINED = "DELETE c FROM customers c JOIN staged s ON c.id = s.by_email WHERE s.by_number <> s.by_email"
_NEW_KEYS = """
INSERT INTO customer_keys (book_id, kind, value, customer_id)
SELECT :book, '{kind}', s.{kind}, COALESCE(s.customer, 0) FROM staged s
LEFT JOIN customer_keys k ON k.book_id = :book AND k.kind = '{kind}' AND k.value = s.{kind}
WHERE s.{kind} <> '' AND k.id IS NULL
"""
_OWN = """
UPDATE staged s JOIN customer_keys k ON k.book_id = :book AND k.kind = '{kind}' AND k.value = s.{kind}
SET s.customer = k.customer_id WHERE s.customer IS NULL AND s.{kind} <> ''
"""
_COUNT = """
SELECT COUNT(*), COALESCE(SUM(c.name = IF(s.name = '', c.name, s.name) AND JSON_EQUALS(c.attributes, s.attributes)), 0)
FROM staged s JOIN customers c ON c.id = s.customer
"""
_UPDATE = """
UPDATE customers c JOIN staged s ON c.id = s.customer
SET c.name = IF(s.name = '', c.name, s.name), c.attributes = s.attributes
"""


def write(connection: Connection, book_id: int, report: DeliveryReport) -> None:
    """Join keys that are found to be one customer, add those that are new, and write names and attributes."""
    values = {"book": book_id}
    connection.execute(text(_FIND), values)
    taken = connection.execute(text(_TAKEN)).all()
    for file_row, email, number in taken:
        report.problems.append(_email_taken(file_row, email, f"customer {number}"))
    _execute_each(
        connection, "UPDATE staged SET email = '', by_email = NULL WHERE file_row = :file_row", [r[0] for r in taken]
    )
    connection.execute(text(_JOIN_KEYS))
    connection.execute(text(_DROP_JOINED))
    connection.execute(text("UPDATE staged SET customer = COALESCE(by_number, by_email)"))
    known, same = connection.execute(text(_COUNT)).one()
    total = connection.execute(text("SELECT COUNT(*) FROM staged")).scalar_one()
    for kind in ("number", "email"):
        connection.execute(text(_NEW_KEYS.format(kind=kind)), values)
        found_customers(connection, book_id)
        connection.execute(text(_OWN.format(kind=kind)), values)
    connection.execute(text(_UPDATE))
    report.added = report.customers_added = int(total - known)
    report.same, report.changed = int(same), int(known - same)
