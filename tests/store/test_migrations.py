"""A record of the first version is brought forward with everything it holds."""

from __future__ import annotations

import unittest

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, text

from goldthread.actions import books
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.store.server.bulk import Record
from goldthread.store.server.engine import MIGRATIONS, migrate, newest_revision, open_engine
from goldthread.workspace import Workspace
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
        withdraw_delivery(self.workspace, book, 2)
        parted = state_of(self.workspace, book)
        self.assertIn(("('email a@x.example', 'a@x.example', '', 0, 0)", "{}"), parted["customers"])
        withdraw_delivery(self.workspace, book, 1)
        self.assertEqual(state_of(self.workspace, book)["customers"], [])
        command.downgrade(self.config, "0001")
        command.upgrade(self.config, "head")

    def test_opening_a_record_of_the_version_before_brings_it_forward(self) -> None:
        versions = sorted(file.name.partition("_")[0] for file in (MIGRATIONS / "versions").glob("0*.py"))
        command.upgrade(self.config, versions[-2])
        migrate(self.engine)
        with self.engine.connect() as connection:
            found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one()
        self.assertEqual((found, newest_revision()), (versions[-1], versions[-1]))
        self.assertEqual(ScriptDirectory.from_config(self.config).get_current_head(), newest_revision())

    def test_what_was_held_becomes_lists_and_saved_questions_use_them(self) -> None:
        command.upgrade(self.config, "0005")
        members = [(2).to_bytes(8, "little"), (2).to_bytes(8, "little") + (3).to_bytes(8, "little")]
        queries = (
            ("cohorts", "period=year&held=1&held_as=others"),
            ("threads", "view=orders&which=latest&held=2&held_as=against"),
            ("newness", "held=99&held_as=alone&period=week"),
            ("cohorts", "where=name+%3D+%27a%26b%27"),
        )
        with self.engine.begin() as connection:
            connection.execute(
                text("INSERT INTO books VALUES (1, 'Kiln Yard', 'EUR', 'UTC', 0, 1, '2024-01-01 00:00:00', 0)")
            )
            for number, (words, ids) in enumerate(
                (("came & back", members[0]), ("Came & back", members[1]), ("", members[0])), start=1
            ):
                connection.execute(
                    text("INSERT INTO holds VALUES (:id, 1, :words, :count, :ids, '2024-05-06 07:08:09')"),
                    {"id": number, "words": words, "count": len(ids) // 8, "ids": ids},
                )
            for number, (stop, query) in enumerate(queries, start=1):
                connection.execute(
                    text("INSERT INTO saved_questions VALUES (:id, 1, :name, 1, :stop, :query, '?', '2024-05-06')"),
                    {"id": number, "name": f"q{number}", "stop": stop, "query": query},
                )
        command.upgrade(self.config, "head")
        with self.engine.connect() as connection:
            found = connection.execute(
                text("SELECT name, rule, customer_count, customer_ids, as_of FROM customer_lists ORDER BY id")
            ).all()
            kept = list(connection.execute(text("SELECT query FROM saved_views ORDER BY id")).scalars())
        self.assertEqual([row.name for row in found], ["came & back", "Came & back (2)", "(3)"])
        self.assertEqual([row.rule for row in found], ["came & back", "Came & back", ""])
        self.assertEqual([row.customer_ids for row in found], [members[0], members[1], members[0]])
        self.assertEqual({str(row.as_of) for row in found}, {"2024-05-06"})
        self.assertEqual(
            kept,
            [
                "period=year&list=came+%26+back&list_as=without",
                "view=nth&rank=latest&list=Came+%26+back+%282%29&list_as=against",
                "period=week",
                queries[3][1],
            ],
        )
        command.downgrade(self.config, "0005")
        with self.engine.connect() as connection:
            back = list(connection.execute(text("SELECT query FROM saved_questions ORDER BY id")).scalars())
            held = connection.execute(text("SELECT id, customer_ids FROM holds ORDER BY id")).all()
        self.assertEqual(back[:2], [queries[0][1], queries[1][1]])
        self.assertEqual([row.customer_ids for row in held], [members[0], members[1], members[0]])


if __name__ == "__main__":
    unittest.main()
