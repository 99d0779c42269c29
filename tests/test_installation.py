"""Copies of an installation: whole, checked before they are put back, made by the clock, and few."""

from __future__ import annotations

import datetime as dt
import json
import threading
import time
import unittest
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from click.testing import CliRunner
from sqlalchemy import text

from goldthread import installation
from goldthread.actions import books
from goldthread.actions.deliveries import deliver_file
from goldthread.cli.main import main
from goldthread.errors import Conflict, DiskFull, Stopped, Unavailable, UnreadableFile
from goldthread.installation import back_up, back_up_daily, backup_is_due, backup_is_old, private_database, restore
from goldthread.processes import POLL_SECONDS
from goldthread.settings import FILE, Settings
from goldthread.stops.checking import check_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.server.engine import newest_revision
from goldthread.workspace import Workspace, open_workspace
from tests.support.place import PlaceCase
from tests.support.sharing import deliver, errand_for, new_book, tiny_book, write_csv
from tests.support.state import state_of

LIMIT_SECONDS = 120
HEADER = ("order", "customer_no", "date", "amount")


class InstallationCase(PlaceCase):
    def opened(self, settings: Settings) -> Workspace:
        workspace = open_workspace(settings)
        self.addCleanup(workspace.record.engine.dispose)
        return workspace

    def empty(self, name: str = "restored", **further: Any) -> Settings:
        """The settings of an installation that is not there yet, as short-lived as the test."""
        return self.place.settings.model_copy(update={"var": self.folder / name, **further})

    def started(self, settings: Settings) -> Workspace:
        database = private_database(settings)
        database.start()
        self.addCleanup(database.stop)
        return self.opened(settings)


class ThereAndBack(InstallationCase):
    def test_everything_is_as_it_was_and_every_check_holds(self) -> None:
        book = tiny_book(self.workspace, self.folder)
        (self.place.folder / FILE).write_text("mails_per_minute = 7 # für alle\n", encoding="utf-8")
        self.addCleanup((self.place.folder / FILE).unlink)
        own, secret = self.place.settings.installation, self.place.settings.session_secret
        env = {**self.place.environment, "GOLDTHREAD_BACKUP_PASSPHRASE": "a horse & a battery"}
        told = CliRunner().invoke(main, ["backup", "--to", str(self.folder / "copies")], env=env)
        file = Path(told.stdout.splitlines()[-1])
        self.assertEqual((told.exit_code, file.stat().st_mode & 0o777, file.parent.name), (0, 0o600, "copies"))
        self.assertNotIn(b"Kiln", file.read_bytes())

        target = self.empty()
        env = {"GOLDTHREAD_VAR": str(target.var), "GOLDTHREAD_BACKUP_PASSPHRASE": "another"}
        told = CliRunner().invoke(main, ["restore", str(file)], env=env)
        self.assertIn("another passphrase", told.output)
        env["GOLDTHREAD_BACKUP_PASSPHRASE"] = ""
        self.assertIn("is encrypted", CliRunner().invoke(main, ["restore", str(file)], env=env).output)
        self.assertFalse(target.database.exists())
        env["GOLDTHREAD_BACKUP_PASSPHRASE"] = "a horse & a battery"
        told = CliRunner().invoke(main, ["restore", str(file)], env=env)
        self.assertEqual(told.exit_code, 0, told.output)

        again = self.started(target)
        self.assertEqual(state_of(again, book), state_of(self.workspace, book))
        checks = check_book(again, book, ReadingLine(), dt.date(2026, 7, 1), lambda *_: None)
        self.assertTrue(checks and all(check.holds for check in checks))
        self.assertEqual((target.installation, target.session_secret), (own, secret))
        self.assertEqual((target.var / FILE).read_text(encoding="utf-8"), "mails_per_minute = 7 # für alle\n")
        self.assertEqual((target.var / FILE).stat().st_mode & 0o777, 0o600)
        self.assertTrue(back_up(target, self.folder / "of the copy").exists(), "the copy can be copied")

    def test_what_is_there_is_never_replaced(self) -> None:
        new_book(self.workspace)
        file = back_up(self.place.settings, self.folder)
        with self.assertRaisesRegex(Conflict, "a record here already"):
            restore(self.place.settings, file)
        target = self.empty()
        target.var.mkdir()
        (target.var / FILE).write_text("port = 9000\n")
        self.assertEqual(restore(target, file), [])
        (self.place.folder / FILE).write_text("port = 8000\n")
        self.addCleanup((self.place.folder / FILE).unlink)
        other = self.empty("other")
        other.var.mkdir()
        (other.var / FILE).write_text("port = 9000\n")
        self.assertEqual(restore(other, back_up(self.place.settings, self.folder / "second")), [FILE])
        self.assertEqual((other.var / FILE).read_text(), "port = 9000\n")

    def test_a_file_that_is_no_backup_of_ours_is_refused_before_anything_is_put_anywhere(self) -> None:
        file = back_up(self.place.settings, self.folder)
        target = self.empty()

        def rewritten(**changes: Any) -> Path:
            """The same backup with another manifest."""
            changed = self.folder / f"changed {len(list(self.folder.iterdir()))}.zip"
            with zipfile.ZipFile(file) as old, zipfile.ZipFile(changed, "w") as new:
                for name in old.namelist():
                    content = old.read(name)
                    if name == "manifest.json":
                        content = json.dumps({**json.loads(content), **changes}).encode()
                    new.writestr(name, content)
            return changed

        def damaged() -> Path:
            content = bytearray(file.read_bytes())
            content[len(content) // 2] ^= 1
            (self.folder / "damaged.zip").write_bytes(content)
            return self.folder / "damaged.zip"

        (self.folder / "text.zip").write_text("nothing")
        files = json.loads(zipfile.ZipFile(file).read("manifest.json"))["files"]
        for source, error, words in (
            (self.folder / "text.zip", UnreadableFile, "no backup, or was damaged"),
            (damaged(), UnreadableFile, "damaged"),
            (rewritten(files=[{**each, "sha256": "0"} for each in files]), UnreadableFile, "damaged or changed"),
            (rewritten(schema="9999"), Unavailable, "a newer version of the program"),
            (rewritten(server="11.8.2-MariaDB"), Unavailable, "same series"),
        ):
            with self.subTest(words), self.assertRaisesRegex(error, words):
                restore(target, source)
        with (
            mock.patch("goldthread.store.backup.psutil.disk_usage", return_value=mock.Mock(free=1 << 20)),
            self.assertRaisesRegex(DiskFull, "MiB"),
        ):
            restore(target, file)
        self.assertFalse(target.database.exists())

    def test_one_that_is_stopped_or_fails_leaves_nothing(self) -> None:
        def stop(*_progress: object) -> None:
            raise Stopped("No.")

        last = installation.last_backup(self.place.settings)
        with self.assertRaises(Stopped):
            back_up(self.place.settings, self.folder / "copies", stop)
        with (
            mock.patch("goldthread.store.backup.getpass.getuser", return_value="nobody"),
            self.assertRaisesRegex(Unavailable, "(?s)mariadb-backup ended with 1.*Access denied"),
        ):
            back_up(self.place.settings, self.folder / "copies")
        self.assertEqual(list((self.folder / "copies").iterdir()), [])
        self.assertEqual(installation.last_backup(self.place.settings), last)

    def test_a_copy_made_during_a_delivery_is_of_before_or_after_it(self) -> None:
        book = new_book(self.workspace)
        first = write_csv(self.folder / "first.csv", [HEADER, ("A-1", "C1", "2024-01-05", "1")])
        deliver(self.workspace, book, first)
        rows = ((f"B-{at}", f"C{at % 9000}", "2024-02-05", "2") for at in range(80_000))
        large = write_csv(self.folder / "large.csv", [HEADER, *rows])
        errand = errand_for(large, "web")
        delivering = threading.Thread(target=deliver_file, args=(self.workspace, book, errand, lambda *_progress: None))
        delivering.start()
        query = text("SELECT COUNT(*) FROM information_schema.processlist WHERE info LIKE 'INSERT INTO orders%'")
        deadline = time.monotonic() + LIMIT_SECONDS
        with self.workspace.record.engine.connect() as connection:
            while not connection.execute(query).scalar() and time.monotonic() < deadline:
                time.sleep(POLL_SECONDS)
        file = back_up(self.place.settings, self.folder)
        delivering.join()
        target = self.empty()
        restore(target, file)
        again = self.started(target)
        orders = again.orders(book.id).orders.order_count
        revision = books.find_book(again, book.id).revision
        self.assertIn((orders, revision), ((1, 1), (80_001, 2)))
        self.assertEqual(deliver(again, book, large, "web").added + orders, 80_001)


class ByTheClock(InstallationCase):
    def test_it_is_due_once_a_day_and_a_clock_set_back_puts_off_nothing(self) -> None:
        settings = self.empty(backup_daily_at="03:15")
        settings.var.mkdir()
        zone = dt.timezone(dt.timedelta(hours=2))
        noon = dt.datetime(2026, 5, 4, 12, 0, tzinfo=zone)
        self.assertFalse(backup_is_due(self.place.settings, noon), "unless it is wanted")
        self.assertTrue(backup_is_due(settings, noon), "there is none")
        for made, due, old in (
            ("2026-05-04T01:15:00+00:00", False, False),
            ("2026-05-04T01:14:59+00:00", True, False),
            ("2026-05-02T09:59:59+00:00", True, True),
            ("2027-05-04T01:15:00+00:00", True, False),
        ):
            with self.subTest(made):
                (settings.var / "last-backup.json").write_text(json.dumps({"made_at": made}))
                self.assertEqual((backup_is_due(settings, noon), backup_is_old(settings, noon)), (due, old))
        early = dt.datetime(2026, 5, 4, 3, 14, tzinfo=zone)
        (settings.var / "last-backup.json").write_text(json.dumps({"made_at": "2026-05-03T01:15:00+00:00"}))
        self.assertFalse(backup_is_due(settings, early), "its time has not come")
        (settings.var / "last-backup.json").write_text("{")
        self.assertTrue(backup_is_due(settings, noon))

    def test_the_days_backup_is_made_once_and_the_oldest_go(self) -> None:
        settings = self.place.settings.model_copy(
            update={"backup_daily_at": "00:00", "backup_keep": 2, "backup_folder": str(self.folder / "copies")}
        )
        settings.backups.mkdir()
        for day in (1, 2, 3):
            (settings.backups / f"goldthread-2026010{day}T000000Z.backup.zip").touch()
        (settings.backups / "mine.zip").touch()
        several = [threading.Thread(target=back_up_daily, args=(settings,)) for _ in range(3)]
        for each in several:
            each.start()
        for each in several:
            each.join()
        found = sorted(each.name for each in settings.backups.iterdir())
        self.assertEqual([found[0], found[2]], ["goldthread-20260103T000000Z.backup.zip", "mine.zip"])
        self.assertEqual(len(found), 3)
        back_up_daily(settings)
        self.assertEqual(sorted(each.name for each in settings.backups.iterdir()), found)


class BeforeTablesChange(InstallationCase):
    def test_a_record_of_an_earlier_version_is_copied_before_it_is_brought_up_to_date(self) -> None:
        from alembic import command
        from alembic.config import Config

        from goldthread.store.server.engine import MIGRATIONS

        self.assertFalse(self.place.settings.backups.exists(), "a new record needs none")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["engine"] = self.workspace.record.engine
        command.downgrade(config, "0012")
        self.opened(self.place.settings)
        files = list(self.place.settings.backups.iterdir())
        manifest = json.loads(zipfile.ZipFile(files[0]).read("manifest.json"))
        self.assertEqual((len(files), manifest["schema"]), (1, "0012"))
        with self.workspace.record.engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
        with self.assertRaisesRegex(Unavailable, f"of version 9999, and this program's of {newest_revision()}"):
            open_workspace(self.place.settings)


if __name__ == "__main__":
    unittest.main()
