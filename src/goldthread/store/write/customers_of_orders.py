"""What rows of orders say of their customers becomes records of customers, one for each customer of the delivery.

A customer comes with every order. What one says is therefore gathered while the rows are read, and goes to the database
once for each different set of values; there the value of the customer's latest order that has one counts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import Connection, text

from goldthread.core.records import ABOUT_CUSTOMER, AttributeType, KeyKind, Progress, Rows
from goldthread.store.write import staged_customers
from goldthread.store.write.delivery import DeliveryReport, Place
from goldthread.store.write.loading import load

_GATHERED_MOST = 100_000
_MOMENT = 20
"""Characters of a date and a row's number before a value."""
_STAGED = """
CREATE TEMPORARY TABLE staged_about (customer VARCHAR(191) COLLATE utf8mb4_bin NOT NULL, ordered_on DATE NOT NULL,
  file_row INT NOT NULL, {columns}, KEY (customer)) ENGINE=Aria TRANSACTIONAL=0
"""
_ABOUT = """
CREATE TEMPORARY TABLE about_customers (file_row INT NOT NULL PRIMARY KEY,
  number VARCHAR(191) COLLATE utf8mb4_bin NOT NULL, email VARCHAR(191) COLLATE utf8mb4_bin NOT NULL,
  name VARCHAR(255) NOT NULL, town VARCHAR(120) NOT NULL, closed TINYINT NULL, do_not_contact TINYINT NULL,
  attributes LONGTEXT NOT NULL, key_id BIGINT NULL, email_key_id BIGINT NULL) ENGINE=Aria TRANSACTIONAL=0
"""
_FILL = """
INSERT INTO about_customers SELECT file_row, {number}, {email}, name, town, NULLIF(closed, ''),
  NULLIF(do_not_contact, ''), {attributes}, NULL, NULL
FROM (SELECT MAX(file_row) AS file_row, customer, {newest} FROM staged_about GROUP BY customer) one
"""


class CustomersOfOrders:
    """What the rows of a delivery say of customers: ``fields`` of a customer's columns, and names of further ones."""

    def __init__(self, fields: Sequence[str], attributes: Mapping[str, AttributeType]) -> None:
        self._fields, self._attributes = tuple(fields), dict(attributes)
        self._gathered: dict[tuple[str, ...], tuple[str, int]] = {}

    def __bool__(self) -> bool:
        return bool(self._fields or self._attributes)

    @property
    def _columns(self) -> list[str]:
        return [*self._fields, *(f"own_{place}" for place in range(1, len(self._attributes) + 1))]

    def create(self, connection: Connection) -> None:
        """Make the staging table."""
        columns = ", ".join(f"{name} VARCHAR(255) COLLATE utf8mb4_bin NOT NULL" for name in self._columns)
        connection.execute(text(_STAGED.format(columns=columns)))

    def take(self, connection: Connection, rows: Rows) -> None:
        """Take in what some rows say; memory is bounded."""
        gathered = self._gathered
        values = [rows.about_customer[name] for name in self._fields]
        values += [rows.customer_attributes[name] for name in self._attributes]
        keys = zip(rows.columns["customer"], *values, strict=True)
        for key, date, row in zip(keys, rows.columns["date"], rows.row, strict=True):
            known = gathered.get(key)
            if known is None or known < (date, row):
                gathered[key] = (date, row)
        if len(gathered) > _GATHERED_MOST:
            self.load(connection)

    def load(self, connection: Connection) -> None:
        """Put what was gathered beside the staged rows."""
        names = ["customer", *self._columns, "ordered_on", "file_row"]
        rows = [(*key, date, str(row)) for key, (date, row) in self._gathered.items() if any(key[1:])]
        load(connection, "staged_about", names, rows, len(rows))
        self._gathered.clear()

    def compare(self, connection: Connection, place: Place, report: DeliveryReport) -> None:
        """Make ``about_customers``, a record of each customer, and report e-mails that belong to somebody else."""
        by_email = place.customer_key is KeyKind.EMAIL
        newest = [f"{_newest(name)} AS {name}" for name in self._columns]
        newest += [f"'' AS {name}" for name in ABOUT_CUSTOMER if name not in self._fields]
        statement = _FILL.format(
            number="''" if by_email else "customer",
            email="customer" if by_email else "email",
            attributes=self._json(),
            newest=", ".join(newest),
        )
        connection.execute(text(_ABOUT))
        names = {f"name_{at}": name for at, name in enumerate(self._attributes)}
        connection.execute(text(statement), names)
        staged_customers.tell_claims(connection, place, report, "about_customers")

    def _json(self) -> str:
        """SQL of the object that holds the further columns which are filled in."""
        if not self._attributes:
            return "'{}'"
        pairs = []
        for at, kind in enumerate(self._attributes.values()):
            value = f"own_{at + 1}" if kind is AttributeType.NUMBER else f"JSON_QUOTE(own_{at + 1})"
            pairs.append(f"IF(own_{at + 1} = '', NULL, CONCAT(JSON_QUOTE(:name_{at}), ': ', {value}))")
        return f"CONCAT('{{', CONCAT_WS(', ', {', '.join(pairs)}), '}}')"

    def write(self, connection: Connection, place: Place, progress: Progress) -> None:
        """Keep the records as this delivery's, and work out the customers that they touch."""
        staged_customers.write(connection, place, progress, "about_customers")


def _newest(name: str) -> str:
    moment = f"CONCAT(ordered_on, LPAD(file_row, {_MOMENT - 10}, '0'), {name})"
    return f"COALESCE(SUBSTRING(MAX(IF({name} = '', NULL, {moment})), {_MOMENT + 1}), '')"
