"""Files that are sent and kept until they are imported."""

from __future__ import annotations

import datetime as dt
import io
import os
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import numpy as np

from goldthread.actions.upkeep import clean_up
from goldthread.actions.uploads import KEPT_SECONDS, SentFile, find_file, forget, keep_files, receive
from goldthread.errors import NotFound, TooLarge
from goldthread.processes import KnownProcess
from goldthread.settings import Settings
from goldthread.store.write.delivery import DeliveryReport

TODAY = dt.date(2025, 9, 1)


GONE = KnownProcess(999_999_999, 1.0)


class Uploads(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.settings = Settings(var=Path(folder.name))

    def keep(self, name: str, content: bytes) -> list[SentFile]:
        arrival = receive(self.settings, 1, name, io.BytesIO(content))
        return keep_files(self.settings, arrival, lambda *_progress: None)

    def test_the_senders_name_is_shown_and_never_a_path(self) -> None:
        for name, shown in {"..\\..\\a.csv": "a.csv", "/etc/passwd": "passwd", "plain.csv": "plain.csv"}.items():
            [kept] = self.keep(name, b"x")
            found = find_file(self.settings, 1, kept.token)
            with self.subTest(name=name):
                self.assertEqual((found.name, found.table().path.read_bytes()), (shown, b"x"))
                self.assertTrue(found.folder.is_relative_to(self.settings.uploads))
                forget(found)
                with self.assertRaises(NotFound):
                    find_file(self.settings, 1, kept.token)
                self.assertEqual(list(self.settings.uploads.iterdir()), [])

    def test_old_ones_are_removed_and_strange_names_never_found(self) -> None:
        [old] = self.keep("old.csv", b"x")
        long_ago = time.time() - KEPT_SECONDS - 1
        os.utime(old.folder, (long_ago, long_ago))
        [new] = self.keep("new.csv", b"y")
        for token in (old.token, "..", "../uploads", "x" * 32):
            with self.subTest(token=token), self.assertRaises(NotFound):
                find_file(self.settings, 1, token)
        with self.assertRaises(NotFound):
            find_file(self.settings, 2, new.token)

    def test_what_waits_has_an_end_and_what_broke_off_is_removed(self) -> None:
        small = self.settings.model_copy(update={"uploads_limit_mib": 1})
        receive(small, 1, "first.csv", io.BytesIO(b"x" * 700_000))
        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            receive(small, 1, "second.csv", io.BytesIO(b"x" * 700_000))
        self.assertEqual(len(list(self.settings.uploads.iterdir())), 1)
        [kept] = self.keep("whole.csv", b"x")
        [ours] = [each for each in self.settings.uploads.iterdir() if each.name != kept.token]
        theirs = ours.rename(ours.with_name(f"arriving-x.{GONE.pid}-{GONE.started:.2f}"))
        (self.settings.uploads / "arriving-nobody").mkdir()
        clean_up(self.settings)
        self.assertFalse(theirs.exists())
        self.assertEqual([each.name for each in self.settings.uploads.iterdir()], [kept.token])

    def test_what_another_process_has_under_way_stays(self) -> None:
        arrival = receive(self.settings, 1, "first.csv", io.BytesIO(b"x"))
        other = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        known = KnownProcess.of(other.pid)
        theirs = arrival.folder.rename(self.settings.uploads / f"arriving-x.{known.pid}-{known.started:.2f}")
        unfinished = self.settings.snapshots / f"7-a-x.{known.pid}-{known.started:.2f}.new"
        beside = self.settings.snapshots / "7-3-a" / f"lines.{known.pid}-{known.started:.2f}.new"
        unfinished.mkdir(parents=True)
        beside.mkdir(parents=True)
        clean_up(self.settings)
        self.assertTrue(theirs.exists() and unfinished.exists() and beside.exists())
        other.communicate(b"\n")
        clean_up(self.settings)
        self.assertFalse(theirs.exists() or unfinished.exists() or beside.exists())

    def test_files_that_arrive_at_the_same_moment_share_the_room(self) -> None:
        small = self.settings.model_copy(update={"uploads_limit_mib": 2})

        class Meanwhile(io.BytesIO):
            def read(self, size: int | None = -1, /) -> bytes:
                if self.tell() == 0:
                    receive(small, 1, "second.csv", io.BytesIO(b"y" * (1 << 20)))
                return super().read(size)

        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            receive(small, 1, "first.csv", Meanwhile(b"x" * (3 << 19)))
        self.assertEqual(len(list(self.settings.uploads.iterdir())), 1)

    def test_what_a_file_unpacks_to_counts_too(self) -> None:
        small = self.settings.model_copy(update={"uploads_limit_mib": 1})
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("orders.csv", b"order,customer,date\n" + b"1,2,2024-01-01\n" * 100_000)
        arrival = receive(small, 1, "orders.zip", io.BytesIO(packed.getvalue()))
        with self.assertRaisesRegex(TooLarge, "wait to be imported"):
            keep_files(small, arrival, lambda *_progress: None)
        self.assertEqual(list(self.settings.uploads.iterdir()), [])


class Settled(unittest.TestCase):
    def test_reports_add_up_by_name(self) -> None:
        report = DeliveryReport(rows_read=5, rows_in=3, rows_repeated=1, rows_rejected=1)
        counts = report.counts()
        self.assertEqual(counts["rows_read"], counts["rows_in"] + counts["rows_repeated"] + counts["rows_rejected"])
        self.assertTrue(all(isinstance(value, int | np.integer) for value in counts.values()))


if __name__ == "__main__":
    unittest.main()
