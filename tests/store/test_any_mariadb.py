"""The record in a database that a company looks after, which is set up otherwise than ours and reached by TLS alone."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

from click.testing import CliRunner

from goldthread.actions import books
from goldthread.actions.upkeep import slow_with, wrong_with
from goldthread.cli.main import main
from goldthread.errors import Conflict, InvalidInput, Unavailable
from goldthread.installation import back_up, restore
from goldthread.settings import Settings
from goldthread.store.server.address import address_of
from goldthread.workspace import Workspace, open_workspace
from tests.support.mariadb import CompanyMariaDB, Named
from tests.support.running import ROOT
from tests.support.sharing import tiny_book
from tests.support.state import state_of

SUITES = (
    "test_all_or_nothing",
    "test_columns",
    "test_deliveries",
    "test_entries",
    "test_own_attributes",
    "test_package",
    "test_withdrawing",
)
LIMIT_SECONDS = 600


class CompanyCase(unittest.TestCase):
    company: ClassVar[CompanyMariaDB]

    @classmethod
    def setUpClass(cls) -> None:
        cls.company = CompanyMariaDB()
        cls.addClassCleanup(cls.company.close)

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def settings(self, named: Named, var: str = "var", **further: str) -> Settings:
        return Settings(var=self.folder / var, web=ROOT / "web" / "dist", **{**named.settings, **further})

    def opened(self, settings: Settings) -> Workspace:
        workspace = open_workspace(settings)
        self.addCleanup(workspace.record.engine.dispose)
        return workspace


class TheStore(CompanyCase):
    def test_what_is_tested_of_the_store_holds_there_too(self) -> None:
        named = self.company.database()
        command = [sys.executable, "-W", "error", "-m", "unittest", *(f"tests.store.{suite}" for suite in SUITES)]
        done = subprocess.run(
            command, cwd=ROOT, env=os.environ | named.environment, capture_output=True, text=True, timeout=LIMIT_SECONDS
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        name = named.url.rsplit("/", 1)[1]
        counted = self.company.say(f"SELECT COUNT(*) > 100 FROM {name}.orders")
        self.assertEqual(counted.strip(), "1", "they did run there")


class Suiting(CompanyCase):
    def test_an_empty_database_takes_our_collation_and_a_used_one_is_left_alone(self) -> None:
        named = self.company.database()
        settings = self.settings(named)
        self.opened(settings)
        self.assertEqual(wrong_with(settings), [])
        self.assertIn("local_infile", slow_with(settings)[0])
        used = self.company.database()
        name = used.url.rsplit("/", 1)[1]
        self.company.say(f"CREATE TABLE {name}.theirs (id INT)")
        with self.assertRaisesRegex(
            Unavailable, f"collation of the database {name} is latin1_.*ALTER DATABASE `{name}`"
        ):
            open_workspace(self.settings(used, "other"))

    def test_what_is_missing_is_said_with_what_to_do(self) -> None:
        named = self.company.database("SELECT, INSERT, UPDATE, DELETE, ALTER, CREATE TEMPORARY TABLES")
        with self.assertRaisesRegex(Unavailable, "The database refuses: CREATE command denied.*Grant it"):
            open_workspace(self.settings(named))
        with self.assertRaisesRegex(Unavailable, "The database refuses: Access denied"):
            open_workspace(self.settings(named, database_password="wrong"))
        plain = self.settings(named, database_ca_file="")
        with self.assertRaisesRegex(Unavailable, "refuses"):
            open_workspace(plain)
        self.assertEqual([each.field for each in wrong_with(plain)], ["database_url"])
        stranger = CompanyMariaDB()
        self.addCleanup(stranger.close)
        with self.assertRaisesRegex(Unavailable, "certificate"):
            open_workspace(self.settings(named, database_ca_file=str(stranger.folder / "ca.pem")))

    def test_an_address_that_is_none_shows_no_password(self) -> None:
        for url in ("postgresql://a:hush@h/n", "mysql+pymysql://h/n", "hush", "mysql+pymysql://a:hush@h/n?x=1"):
            with self.subTest(url), self.assertRaisesRegex(InvalidInput, "mysql\\+pymysql://user@host") as told:
                address_of(url)
            self.assertNotIn("hush", str(told.exception))
        self.assertNotIn("hush", repr(address_of("mysql+pymysql://a:hush@h/n")))


class Backup(CompanyCase):
    def test_the_record_is_copied_as_statements_and_made_again_of_them(self) -> None:
        settings = self.settings(self.company.database())
        workspace = self.opened(settings)
        book = tiny_book(workspace, self.folder)
        file = back_up(settings, self.folder / "copies")
        with self.assertRaisesRegex(Conflict, "a record here already"):
            restore(settings, file)
        private = Settings(var=self.folder / "private", web=settings.web)
        with self.assertRaisesRegex(Unavailable, "of a database that database_url names"):
            restore(private, file)
        again = self.settings(self.company.database(), "again")
        restore(again, file)
        self.assertEqual(state_of(self.opened(again), book), state_of(workspace, book))


class OneInstallation(CompanyCase):
    def test_another_installation_is_refused_until_it_takes_the_record(self) -> None:
        named = self.company.database()
        first = self.settings(named, "first")
        book = tiny_book(self.opened(first), self.folder)
        second = self.settings(named, "second")
        with self.assertRaisesRegex(Unavailable, "another installation.*goldthread database take"):
            open_workspace(second)
        own = {f"GOLDTHREAD_{key.upper()}": value for key, value in named.settings.items()}
        done = CliRunner().invoke(main, ["database", "take"], env={**own, "GOLDTHREAD_VAR": str(second.var)})
        self.assertEqual(done.exit_code, 0, done.output)
        self.assertEqual([each.name for each in books.list_books(self.opened(second))], [book.name])
        with self.assertRaisesRegex(Unavailable, "another installation"):
            open_workspace(first)
        shutil.copy(second.var / "installation", first.var / "installation")
        self.opened(first)


if __name__ == "__main__":
    unittest.main()
