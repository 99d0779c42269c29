"""The record's surroundings: migrations, snapshots, the private database, and what survives a killing."""

from __future__ import annotations

import gc
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import unittest.mock
import weakref
from pathlib import Path
from typing import Any

import numpy as np
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text

from goldthread.actions import books
from goldthread.actions.deliveries import deliver_file
from goldthread.core.choices import Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.errors import NotFound, Unavailable
from goldthread.installation import private_database
from goldthread.processes import POLL_SECONDS, end, is_alive, read_known, write_known, write_private
from goldthread.settings import Settings
from goldthread.store.revisions import Stamped, present_revision
from goldthread.store.schema.models import Base
from goldthread.store.server import engine
from goldthread.store.server.engine import migrate
from goldthread.store.server.instance import PrivateDatabase
from goldthread.store.snapshot import open_snapshot, save_snapshot, snapshots_of
from goldthread.workspace import Workspace, open_workspace
from tests.support import tiny
from tests.support.running import Place
from tests.support.sharing import deliver, errand_for, new_book, shared_workspace, tiny_book, write_csv

LIMIT_SECONDS = 60
AT = Stamped(3, "a")


class Migrations(unittest.TestCase):
    def test_the_migrations_make_exactly_the_tables_of_the_models(self) -> None:
        engine = shared_workspace().record.engine
        migrate(engine)
        with engine.connect() as connection:
            differences = compare_metadata(MigrationContext.configure(connection), Base.metadata)
        self.assertEqual(differences, [])


class Snapshots(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.book = tiny.book()
        save_snapshot(self.folder, 7, AT, self.book)

    def test_a_snapshot_gives_the_same_book_and_the_same_answers(self) -> None:
        opened = open_snapshot(self.folder, 7, AT)
        assert opened is not None
        for name in ("starts", "day", "amount_minor", "order_id", "customer_id"):
            np.testing.assert_array_equal(getattr(opened, name), getattr(self.book, name))
        rule = HistoryRule(tiny.AS_OF_DAY)
        mapped, built = (cohort_table(read_history(book, rule), Period.MONTH) for book in (opened, self.book))
        np.testing.assert_array_equal(mapped.revenue_minor, built.revenue_minor)

    def test_a_new_revision_replaces_the_old_one(self) -> None:
        save_snapshot(self.folder, 71, Stamped(1, "c"), self.book)
        save_snapshot(self.folder, 7, Stamped(4, "b"), self.book, snapshots_of(self.folder, 7))
        self.assertIsNone(open_snapshot(self.folder, 7, AT))
        self.assertEqual({place.name for place in self.folder.iterdir()}, {"7-4-b", "71-1-c"})

    def test_a_slow_reader_does_not_remove_what_a_later_one_wrote(self) -> None:
        older = snapshots_of(self.folder, 7)
        save_snapshot(self.folder, 7, Stamped(6, "d"), self.book, snapshots_of(self.folder, 7))
        save_snapshot(self.folder, 7, Stamped(5, "c"), self.book, older)
        self.assertIsNotNone(open_snapshot(self.folder, 7, Stamped(6, "d")))
        self.assertEqual({place.name for place in self.folder.iterdir()}, {"7-5-c", "7-6-d"})

    def test_one_that_another_process_wrote_meanwhile_stays_as_it_is(self) -> None:
        before = (self.folder / "7-3-a" / "day.npy").stat().st_ino
        save_snapshot(self.folder, 7, AT, self.book, snapshots_of(self.folder, 7))
        self.assertEqual((self.folder / "7-3-a" / "day.npy").stat().st_ino, before)
        self.assertEqual([place.name for place in self.folder.iterdir()], ["7-3-a"])

    def test_one_that_is_damaged_is_not_read(self) -> None:
        place = self.folder / "7-3-a"
        whole = {file.name: file.read_bytes() for file in place.iterdir()}
        damages = {
            "cut": ("day.npy", whole["day.npy"][:-4]),
            "flipped": ("amount_minor.npy", whole["amount_minor.npy"][:-1] + b"\x7f"),
            "no description": ("book.json", b"{"),
            "another format": ("book.json", whole["book.json"].replace(b'"format": ', b'"format": 9')),
        }
        for name, (file, content) in damages.items():
            (place / file).write_bytes(content)
            with self.subTest(damage=name):
                self.assertIsNone(open_snapshot(self.folder, 7, AT))
            (place / file).write_bytes(whole[file])
        (place / "starts.npy").unlink()
        self.assertIsNone(open_snapshot(self.folder, 7, AT))

    def test_a_book_whose_snapshot_was_damaged_is_read_from_the_record(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        wanted = workspace.orders(book.id).orders.order_id.tolist()
        at = present_revision(workspace.record.engine, book.id)
        place = workspace.settings.snapshots / f"{book.id}-{at.number}-{at.stamp}"
        (place / "day.npy").write_bytes(b"")
        fresh = open_workspace(workspace.settings)
        self.addCleanup(fresh.record.engine.dispose)
        self.assertEqual(fresh.orders(book.id).orders.order_id.tolist(), wanted)
        self.assertIsNotNone(open_snapshot(workspace.settings.snapshots, book.id, fresh.orders(book.id).at))

    def test_a_book_is_read_once_for_many_askers(self) -> None:
        workspace = open_workspace(shared_workspace().settings)
        self.addCleanup(workspace.record.engine.dispose)
        book = tiny_book(workspace, self.folder)
        found: list[object] = []
        askers = [threading.Thread(target=lambda: found.append(workspace.orders(book.id))) for _ in range(8)]
        for asker in askers:
            asker.start()
        for asker in askers:
            asker.join()
        self.assertEqual(len({id(each) for each in found}), 1)

    def test_a_new_revision_lets_the_old_book_go(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        old = weakref.ref(workspace.orders(book.id).orders)
        header = ("order", "customer_no", "date", "amount")
        deliver(workspace, book, write_csv(self.folder / "one.csv", [header, ("N-1", "C1", "2025-01-05", "1")]))
        self.assertEqual(workspace.orders(book.id).orders.order_count, 33)
        gc.collect()
        self.assertIsNone(old())

    def test_a_book_that_is_not_there_is_told(self) -> None:
        with self.assertRaises(NotFound):
            shared_workspace().orders(999_999)


class PrivateDatabases(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.mkdtemp(prefix="gt-")
        self.addCleanup(shutil.rmtree, folder)
        self.settings = Settings(var=Path(folder), database_memory_mib=128)

    def database(self) -> PrivateDatabase:
        """One more door to the database of the folder, which is stopped at the end."""
        database = private_database(self.settings)
        self.addCleanup(database.stop)
        return database

    def test_it_starts_stops_and_finds_itself_running(self) -> None:
        database = self.database()
        self.assertIsNone(database.running())
        with self.assertRaisesRegex(Unavailable, "not running"):
            open_workspace(self.settings)
        address = database.start()
        self.assertEqual(self.database().start(), address)
        pid = database.pid
        assert pid is not None
        self.assertTrue(is_alive(pid))
        for name in ("password", "init.sql"):
            self.assertEqual((self.settings.database / "run" / name).stat().st_mode & 0o077, 0)
        self.assertTrue(database.stop())
        self.assertFalse(is_alive(pid))
        self.assertFalse(database.stop())

    def test_a_machine_without_it_is_told_what_to_install(self) -> None:
        with (
            unittest.mock.patch("goldthread.store.server.instance.shutil.which", return_value=None),
            self.assertRaisesRegex(Unavailable, "mariadb-server-core"),
        ):
            self.database().start()

    def test_a_process_file_of_nobody_is_taken_away(self) -> None:
        gone = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        file = self.settings.var / "pid"
        write_known(file, gone.pid)
        gone.communicate(b"\n")
        self.assertFalse(end(file))
        self.assertFalse(file.exists())

    def test_a_stranger_with_the_number_of_a_process_of_ours_is_left_alone(self) -> None:
        stranger = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        try:
            file = self.settings.var / "pid"
            write_known(file, stranger.pid)
            # as after a restart of the machine: the number is given out again, to a process that started later
            known = read_known(file)
            assert known is not None
            write_private(file, f"{known.pid} {known.started - 3600!r}")
            self.assertFalse(end(file))
            self.assertFalse(file.exists())
            self.assertIsNone(stranger.poll())
            for half in ("", "12", "x y"):
                file.write_text(half)
                with self.subTest(half=half):
                    self.assertIsNone(read_known(file))
        finally:
            stranger.communicate(b"\n")

    def test_it_starts_however_deep_its_folder_is(self) -> None:
        self.settings = Settings(var=self.settings.var / ("a" * 60) / ("b" * 60) / "c", database_memory_mib=128)
        address = self.database().start()
        self.assertEqual(self.database().running(), address)
        self.assertTrue((self.settings.database / "run" / "db.sock").is_socket())

    def test_of_several_that_open_a_new_record_one_makes_its_tables(self) -> None:
        self.database().start()
        opened: list[Workspace] = []
        openers = [threading.Thread(target=lambda: opened.append(open_workspace(self.settings))) for _ in range(4)]
        for opener in openers:
            opener.start()
        for opener in openers:
            opener.join()
        self.assertEqual(len(opened), 4)
        for each in opened:
            self.addCleanup(each.record.engine.dispose)
        with opened[0].record.engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '0001'"))
        with opened[0].record.engine.connect() as connection:
            connection.execute(text(f"SELECT GET_LOCK({engine._LOCK}, 0)"))
            with (
                unittest.mock.patch.object(engine, "_LOCK_SECONDS", 0),
                self.assertRaisesRegex(Unavailable, "up to date"),
            ):
                open_workspace(self.settings)

    def test_two_starts_at_once_are_one(self) -> None:
        found: list[int] = []
        starters = [threading.Thread(target=lambda: found.append(self.database().start().port)) for _ in range(3)]
        for starter in starters:
            starter.start()
        for starter in starters:
            starter.join()
        self.assertEqual(len(set(found)), 1)
        self.assertEqual(len(found), 3)

    def test_a_database_whose_starter_was_killed_is_found_and_its_port_stays(self) -> None:
        database = self.database()
        port = database.start().port
        pid = database.pid
        assert pid is not None
        (self.settings.database / "run" / "pid").unlink()
        again = self.database()
        self.assertEqual((again.start().port, again.pid), (port, pid))
        (self.settings.database / "run" / "pid").unlink()
        self.assertTrue(again.stop())
        self.assertFalse(is_alive(pid))
        self.assertEqual(self.database().start().port, port)
        self.assertTrue(self.database().stop())

    def test_a_server_finds_its_database_on_another_port(self) -> None:
        database = self.database()
        first = database.start().port
        workspace = open_workspace(self.settings)
        self.addCleanup(workspace.record.engine.dispose)
        database.stop()
        with socket.socket() as taken:
            taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            taken.bind(("127.0.0.1", first))
            taken.listen()
            second = self.database()
            self.assertNotEqual(second.start().port, first)
            self.assertEqual(books.list_books(workspace), [])


class Killed(unittest.TestCase):
    """A process or a database killed in the middle of a delivery leaves the book as it was."""

    def setUp(self) -> None:
        self.place = Place()
        self.addCleanup(self.place.close)
        self.workspace = self.place.workspace()
        self.addCleanup(self.workspace.record.engine.dispose)
        self.book = new_book(self.workspace)
        header = ("order", "customer_no", "date", "amount")
        deliver(
            self.workspace,
            self.book,
            write_csv(self.place.folder / "first.csv", [header, ("A-1", "C1", "2024-01-05", "1")]),
        )
        rows = ((f"B-{at}", f"C{at % 9000}", "2024-02-05", "2") for at in range(150_000))
        self.large = write_csv(self.place.folder / "large.csv", [header, *rows])
        self.before = self.state()

    def state(self) -> tuple[Any, ...]:
        """Everything that a reader of the book can see."""
        counts = "SELECT (SELECT COUNT(*) FROM orders), (SELECT COUNT(*) FROM customer_keys), "
        counts += "(SELECT COUNT(*) FROM customers), (SELECT COUNT(*) FROM deliveries), (SELECT revision FROM books)"
        with self.workspace.record.engine.connect() as connection:
            row = connection.execute(text(counts)).one()
        orders = open_workspace(self.place.settings)
        try:
            return (*row, orders.orders(self.book.id).orders.order_count)
        finally:
            orders.record.engine.dispose()

    def wait_until_writing(self) -> None:
        """Until the delivery's own INSERT into the orders is running in the database."""
        query = text("SELECT COUNT(*) FROM information_schema.processlist WHERE info LIKE 'INSERT INTO orders%'")
        deadline = time.monotonic() + LIMIT_SECONDS
        while time.monotonic() < deadline:
            with self.workspace.record.engine.connect() as connection:
                if connection.execute(query).scalar():
                    return
            time.sleep(POLL_SECONDS)
        self.fail("The delivery never came to writing.")

    def test_the_process_that_delivers(self) -> None:
        command = [sys.executable, "-m", "goldthread", "deliver", str(self.large), "--book", self.book.name]
        with subprocess.Popen(
            [*command, "--source", "web"],
            env=self.place.environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        ) as process:
            self.wait_until_writing()
            process.kill()
        self.assertEqual(self.state(), self.before)

    def test_the_database(self) -> None:
        errand = errand_for(self.large, "web")
        told: list[Exception] = []

        def bring_in() -> None:
            try:
                deliver_file(self.workspace, self.book, errand, lambda *_progress: None)
            except Exception as error:
                told.append(error)

        delivering = threading.Thread(target=bring_in)
        delivering.start()
        self.wait_until_writing()
        pid = self.place.database.pid
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        delivering.join()
        self.assertIsInstance(told[0], Unavailable)
        self.place.database.stop()
        self.workspace.record.engine.dispose()
        self.place.database.start()
        self.workspace = self.place.workspace()
        self.addCleanup(self.workspace.record.engine.dispose)
        self.assertEqual(self.state(), self.before)
        again = deliver(self.workspace, self.book, self.large, "web")
        self.assertEqual((again.added, books.find_book(self.workspace, self.book.id).revision), (150_000, 2))


if __name__ == "__main__":
    unittest.main()
