"""Whether a database that somebody else looks after suits, and is this installation's alone."""

from __future__ import annotations

import re
import secrets

from sqlalchemy import Connection, Engine, text

from goldthread.errors import Unavailable
from goldthread.store.server.address import COLLATION
from goldthread.store.server.engine import transaction

_OLDEST = (10, 6)
_LEAST_PACKET_MIB = 16
_ID_LETTERS = 32
_ABOUT = """
SELECT VERSION() AS version, @@max_allowed_packet >> 20 AS packet_mib, DATABASE() AS name,
  (SELECT DEFAULT_COLLATION_NAME FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = DATABASE()) AS collation,
  (SELECT COUNT(*) FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()) AS tables
"""


def must_suit(engine: Engine) -> None:
    """Raises `Unavailable` where a database cannot hold a record."""
    with transaction(engine) as connection:
        about = connection.execute(text(_ABOUT)).one()
        found = re.match(r"(\d+)\.(\d+)", about.version.removeprefix("5.5.5-"))
        if "MariaDB" not in about.version or found is None or tuple(map(int, found.groups())) < _OLDEST:
            raise Unavailable(f"The database is {about.version}.", remedy="Use MariaDB 10.6 or newer.")
        if about.packet_mib < _LEAST_PACKET_MIB:
            raise Unavailable(
                f"The database takes no more than {about.packet_mib} MiB in one statement.",
                remedy=f"Set its max_allowed_packet to {_LEAST_PACKET_MIB}M or more.",
            )
        if about.collation != COLLATION:
            _set_collation(connection, about.name, about.collation, is_empty=about.tables == 0)
        connection.execute(text("CREATE TEMPORARY TABLE suits (id INT NOT NULL) ENGINE=Aria TRANSACTIONAL=0"))


def _set_collation(connection: Connection, name: str, collation: str, *, is_empty: bool) -> None:
    """An empty database takes ours; one that holds tables already is left alone."""
    quoted = name.replace("`", "``")
    statement = f"ALTER DATABASE `{quoted}` CHARACTER SET utf8mb4 COLLATE {COLLATION}"
    if not is_empty:
        raise Unavailable(f"The collation of the database {name} is {collation}.", remedy=f"Give it ours: {statement};")
    connection.execute(text(statement))


def slow_with(engine: Engine) -> list[str]:
    """What makes a database slower than it could be, and what to do about it."""
    with transaction(engine) as connection:
        if connection.execute(text("SELECT @@local_infile")).scalar_one():
            return []
    return ["The database does not allow LOAD DATA LOCAL, so imports take longer: set its local_infile to ON."]


def must_have_rights(engine: Engine) -> None:
    """Raises `Unavailable` where the user of a database may not make, change and remove tables; makes one and removes
    it again."""
    name = f"rights_{secrets.token_hex(8)}"
    with transaction(engine) as connection:
        connection.execute(text(f"CREATE TABLE {name} (id INT NOT NULL PRIMARY KEY)"))
        try:
            for each in (
                f"ALTER TABLE {name} ADD COLUMN n INT NOT NULL",
                f"CREATE INDEX ix ON {name} (n)",
                f"INSERT INTO {name} VALUES (1, 1)",
                f"UPDATE {name} SET n = 2",
                f"SELECT n FROM {name}",
                f"DELETE FROM {name}",
                f"ALTER TABLE {name} ADD FOREIGN KEY (n) REFERENCES {name} (id)",
            ):
                connection.execute(text(each))
        finally:
            connection.execute(text(f"DROP TABLE {name}"))


def must_be_own(engine: Engine, own: str) -> None:
    """Raises `Unavailable` where the record is not that of an installation, but of another one."""
    with transaction(engine) as connection:
        statement = "INSERT IGNORE INTO installation (place, id) VALUES (1, :own)"
        connection.execute(text(statement), {"own": own[:_ID_LETTERS]})
        connection.commit()
        known = connection.execute(text("SELECT id FROM installation")).scalar_one()
    if known != own[:_ID_LETTERS]:
        raise Unavailable(
            "This database holds the record of another installation.",
            remedy="Name a database of its own in database_url; if the other runs no more: goldthread database take.",
        )


def take(engine: Engine, own: str) -> None:
    """Make the record that of an installation; from then on the one that had it is refused."""
    with transaction(engine) as connection:
        connection.execute(text("REPLACE INTO installation (place, id) VALUES (1, :own)"), {"own": own[:_ID_LETTERS]})
        connection.commit()
