"""Staged customer records and matches: what they say of customers is kept, and customers are worked out from it."""

from __future__ import annotations

from sqlalchemy import Connection, text

from goldthread.core.records import Problem, Progress
from goldthread.store.write import identity
from goldthread.store.write.delivery import DeliveryReport, Place
from goldthread.store.write.staged_orders import found_customers
from goldthread.store.write.staging import take_out_repeats

_SAME = """BINARY s.name = BINARY f.name AND BINARY s.town = BINARY f.town AND s.closed <=> f.closed
  AND s.do_not_contact <=> f.do_not_contact AND JSON_EQUALS(s.attributes, f.attributes)"""
_AGAIN_BY_NUMBER = f"""
SELECT s.file_row, s.number, f.file_row, s.email = f.email AND {_SAME} FROM staged s
JOIN (SELECT MIN(file_row) AS first_row, number FROM staged WHERE number <> '' GROUP BY number HAVING COUNT(*) > 1) g
  ON g.number = s.number AND s.file_row > g.first_row
JOIN staged f ON f.file_row = g.first_row
"""
_AGAIN_BY_EMAIL = f"""
SELECT s.file_row, s.email, f.file_row, {_SAME} FROM staged s
JOIN (SELECT MIN(file_row) AS first_row, email FROM staged WHERE email <> '' GROUP BY email HAVING COUNT(*) > 1) g
  ON g.email = s.email AND s.file_row > g.first_row AND s.number = ''
JOIN staged f ON f.file_row = g.first_row
"""
_CLAIMED_AGAIN = """
SELECT s.file_row, s.email, g.first_row FROM {table} s
JOIN (SELECT MIN(file_row) AS first_row, email FROM {table} WHERE email <> '' AND number <> '' GROUP BY email
  HAVING COUNT(*) > 1) g ON g.email = s.email AND s.file_row > g.first_row AND s.number <> ''
"""


def settle(connection: Connection, report: DeliveryReport) -> None:
    """Take out second records of one customer, by number or by an e-mail alone: those that say the same are repeats,
    the others are reported. An e-mail that two numbers claim is reported, and both records are imported."""
    for query, column in ((_AGAIN_BY_NUMBER, "customer number"), (_AGAIN_BY_EMAIL, "e-mail")):
        take_out_repeats(
            connection,
            report,
            connection.execute(text(query)).all(),
            column,
            "An earlier row says otherwise about this customer.",
            "Compare it with row {row}, keep the one that is right, and import the file again.",
        )
    _tell_claimed_again(connection, report, "staged")
    report.rows_in = report.rows_read - report.rows_rejected - report.rows_repeated


def _tell_claimed_again(connection: Connection, report: DeliveryReport, table: str) -> None:
    for file_row, email, first_row in connection.execute(text(_CLAIMED_AGAIN.format(table=table))).all():
        report.note(_email_taken(file_row, email, f"the customer of row {first_row}"))


def tell_claims(connection: Connection, place: Place, report: DeliveryReport, table: str) -> None:
    """Report e-mails of a table of records that belong to another customer, in the file or in the book."""
    _tell_claimed_again(connection, report, table)
    connection.execute(text(_FIND.format(table=table)), place.values)
    _tell_taken(connection, place, report, table)


def _tell_taken(connection: Connection, place: Place, report: DeliveryReport, table: str) -> None:
    for file_row, email, number in connection.execute(text(_TAKEN.format(table=table)), place.values).all():
        report.note(_email_taken(file_row, email, f"customer {number}"))


def _email_taken(file_row: int, email: str, owner: str) -> Problem:
    return Problem(
        file_row,
        "e-mail",
        email,
        "This e-mail belongs to another customer already and stays there.",
        f"It is that of {owner}. If both are one person, say so under “Who is who”.",
        rejected=False,
    )


_FIND = """
UPDATE {table} s
LEFT JOIN customer_keys n ON n.book_id = :book AND n.kind = 'number' AND n.value = s.number AND s.number <> ''
LEFT JOIN customer_keys e ON e.book_id = :book AND e.kind = 'email' AND e.value = s.email AND s.email <> ''
SET s.key_id = IF(s.number <> '', n.id, e.id), s.email_key_id = IF(s.number <> '', e.id, NULL)
"""
_NOT_FOUND = "WHERE s.key_id IS NULL OR (s.number <> '' AND s.email <> '' AND s.email_key_id IS NULL)"
_TAKEN = """
SELECT s.file_row, s.email, n.value FROM {table} s
JOIN (SELECT email_key_id, key_id, ROW_NUMBER() OVER (PARTITION BY email_key_id ORDER BY delivery_id, file_row) AS nth
  FROM customer_records WHERE book_id = :book AND email_key_id IS NOT NULL) r ON r.email_key_id = s.email_key_id
  AND r.nth = 1 AND r.key_id <> COALESCE(s.key_id, 0)
JOIN customer_keys n ON n.id = r.key_id
"""
_COUNT = """
SELECT COUNT(*), COALESCE(SUM(
  (s.name = '' OR BINARY s.name = BINARY c.name) AND (s.town = '' OR BINARY s.town = BINARY c.town)
  AND COALESCE(s.closed, c.closed) = c.closed AND COALESCE(s.do_not_contact, c.do_not_contact) = c.do_not_contact
  AND JSON_EQUALS(JSON_MERGE_PATCH(c.attributes, s.attributes), c.attributes)
  AND (s.email = '' OR s.number = '' OR e.id IS NOT NULL)), 0)
FROM staged s JOIN customer_keys k ON k.id = s.key_id JOIN customers c ON c.id = k.customer_id
LEFT JOIN customer_keys e ON e.id = s.email_key_id
"""
_UNKNOWN = "SELECT COUNT(*) FROM staged WHERE key_id IS NULL AND email_key_id IS NULL"


def compare(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Count the records that are new, change a customer, or say nothing new."""
    connection.execute(text(_FIND.format(table="staged")), place.values)
    _tell_taken(connection, place, report, "staged")
    total = connection.execute(text("SELECT COUNT(*) FROM staged")).scalar_one()
    known, same = connection.execute(text(_COUNT)).one()
    report.customers_added = int(connection.execute(text(_UNKNOWN)).scalar_one())
    report.customers_known = int(total) - report.customers_added
    report.added, report.same, report.changed = int(total - known), int(same), int(known - same)


_NEW_KEYS = """
INSERT INTO customer_keys (book_id, kind, value, customer_id)
SELECT DISTINCT :book, '{kind}', s.{kind}, 0 FROM {table} s
LEFT JOIN customer_keys k ON k.book_id = :book AND k.kind = '{kind}' AND k.value = s.{kind}
WHERE s.{kind} <> '' AND k.id IS NULL
"""
_RECORDS = """
INSERT INTO customer_records (book_id, delivery_id, file_row, key_id, email_key_id, name, town, closed, do_not_contact,
  attributes)
SELECT :book, :delivery, file_row, key_id, email_key_id, name, town, closed, do_not_contact, attributes FROM {table}
"""


def write(connection: Connection, place: Place, progress: Progress, table: str = "staged") -> None:
    """Keep the records of a table as this delivery's, and work out the customers that they touch."""
    for kind in ("number", "email"):
        connection.execute(text(_NEW_KEYS.format(kind=kind, table=table)), place.values)
    found_customers(connection, place.book_id)
    connection.execute(text(f"{_FIND.format(table=table)} {_NOT_FOUND}"), place.values)
    identity.gather(
        connection,
        f"SELECT key_id FROM {table} UNION SELECT email_key_id FROM {table} WHERE email_key_id IS NOT NULL",
        {},
    )
    connection.execute(text(_RECORDS.format(table=table)), place.values)
    identity.settle(connection, progress)


_PAIRS = """
SELECT s.file_row, a.id AS key_id, b.id AS other_key_id, s.verdict FROM staged s
JOIN customer_keys a ON a.book_id = :book AND a.kind = s.kind AND a.value = s.customer
JOIN customer_keys b ON b.book_id = :book AND b.kind = s.other_kind AND b.value = s.other
"""


def compare_matches(connection: Connection, place: Place, report: DeliveryReport) -> None:
    """Matches name customers of the book; one that is not there is reported."""
    found = set(connection.execute(text(f"SELECT file_row FROM ({_PAIRS}) pairs"), place.values).scalars())
    rows = connection.execute(text("SELECT file_row, customer, other FROM staged")).all()
    for file_row, customer, other in rows:
        if file_row not in found:
            problem = Problem(file_row, "", f"{customer}, {other}", "One of the two is not in the book.", "Look it up.")
            report.reject(problem)
    report.added = report.rows_in = len(found)


def write_matches(connection: Connection, place: Place) -> None:
    """Keep the words as this delivery's, and work out the customers that they touch."""
    identity.gather(
        connection,
        f"SELECT key_id FROM ({_PAIRS}) p UNION SELECT other_key_id FROM ({_PAIRS}) q",
        dict(place.values),
    )
    connection.execute(
        text(
            "INSERT INTO matches (book_id, delivery_id, file_row, key_id, other_key_id, verdict) "
            f"SELECT :book, :delivery, file_row, key_id, other_key_id, verdict FROM ({_PAIRS}) pairs"
        ),
        place.values,
    )
    identity.settle(connection)
