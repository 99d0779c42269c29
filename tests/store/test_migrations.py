"""A record of the first version is brought forward with everything it holds."""

from __future__ import annotations

import unittest

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, text

from goldthread.actions import books
from goldthread.actions.workspace import Workspace
from goldthread.store.bulk import Record
from goldthread.store.engine import MIGRATIONS, open_engine
from tests.support.running import Place
from tests.support.state import state_of

OLD = (
    "INSERT INTO books VALUES (1, 'Kiln Yard', 'EUR', 'UTC', 2, 3, '2024-01-01 00:00:00')",
    "INSERT INTO sources VALUES (1, 1, 'till')",
    "INSERT INTO deliveries (id, book_id, source_id, kind, file_name, fingerprint, columns, delivered_at, "
    "book_revision, counts) VALUES (1, 1, 1, 'orders', 'a.csv', 'f1', '{}', '2024-01-01 00:00:00', 1, '{}'), "
    "(2, 1, 1, 'customers', 'c.csv', 'f2', '{}', '2024-01-02 00:00:00', 2, '{}')",
    # the e-mail was met first, so that the customer had its id
    "INSERT INTO customer_keys VALUES (1, 1, 'email', 'a@x.example', 1), (2, 1, 'number', 'C1', 1), "
    "(3, 1, 'number', 'C2', 3)",
    """INSERT INTO customers VALUES (1, 1, 'Ada', '{"region": "Coast"}'), (3, 1, 'C2', '{}')""",
    "INSERT INTO orders VALUES (1, 1, 1, 1, 'A-1', 1, '2024-01-05', NULL, 5, 'paid', 0, 1), "
    "(1, 2, 1, 1, 'A-2', 3, '2024-01-06', '08:00:00', 7, 'open', 0, 1)",
)


class FromTheFirstVersion(unittest.TestCase):
    def setUp(self) -> None:
        self.place = Place()
        self.addCleanup(self.place.close)
        address = self.place.database.start()
        self.engine: Engine = open_engine(address)
        self.addCleanup(self.engine.dispose)
        self.workspace = Workspace(self.place.settings, Record(self.engine, address))
        self.config = Config()
        self.config.set_main_option("script_location", str(MIGRATIONS))
        self.config.attributes["engine"] = self.engine

    def test_nothing_is_lost_and_deliveries_can_be_withdrawn(self) -> None:
        from goldthread.actions.deliver import take_back

        command.upgrade(self.config, "0001")
        with self.engine.begin() as connection:
            for statement in OLD:
                connection.execute(text(statement))
        command.upgrade(self.config, "head")
        book = books.find_book(self.workspace, 1)
        state = state_of(self.workspace, book)
        self.assertEqual(len(state["orders"]), 2)
        self.assertEqual(
            state["customers"],
            [
                ("('number C1|email a@x.example', 'Ada', '', 0, 0)", '{"region": "Coast"}'),
                ("('number C2', 'C2', '', 0, 0)", "{}"),
            ],
        )
        self.assertEqual(self.workspace.orders(1).orders.counts.tolist(), [1, 1])
        take_back(self.workspace, book, 2)
        parted = state_of(self.workspace, book)
        self.assertIn(("('email a@x.example', 'a@x.example', '', 0, 0)", "{}"), parted["customers"])
        take_back(self.workspace, book, 1)
        self.assertEqual(state_of(self.workspace, book)["customers"], [])
        command.downgrade(self.config, "0001")
        command.upgrade(self.config, "head")


if __name__ == "__main__":
    unittest.main()
