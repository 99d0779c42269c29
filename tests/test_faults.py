"""What may go wrong around a server that runs: nothing is lost, nothing is done twice, and a clear word each time."""

from __future__ import annotations

import getpass
import http.client
import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from contextlib import closing
from pathlib import Path
from typing import Any
from unittest import mock
from urllib.parse import urlsplit

import psutil

from goldthread.actions import books, deliveries, upkeep
from goldthread.actions.jobs import Arguments, JobBoard, Kind
from goldthread.actions.worker import Worker
from goldthread.api.work import tell_error, tell_result
from goldthread.core.choices import JobState
from goldthread.core.records import Progress
from goldthread.errors import DiskFull, Unavailable
from goldthread.store import jobs as record
from goldthread.store.revisions import present_revision
from goldthread.store.snapshot import is_old, reading_whole
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace
from tests.support.place import PlaceCase
from tests.support.running import ROOT, Place, server
from tests.support.sharing import deliver, new_book, shared_workspace, tiny_book, write_csv
from tests.support.state import state_of

LIMIT_SECONDS = 60
HEADER = ("order", "customer_no", "date", "amount")
SMALL_DISK = "TESTS_SMALL_DISK"


class FaultCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class AServer(PlaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = tiny_book(self.workspace, self.folder)

    def asked(self, address: str, path: str) -> tuple[int, Any]:
        with closing(http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)) as connection:
            connection.request("GET", path)
            reply = connection.getresponse()
            return reply.status, json.loads(reply.read())

    def answering(self, connection: http.client.HTTPConnection) -> psutil.Process:
        """The process that has taken a connection up."""
        port = connection.sock.getsockname()[1]
        found: list[psutil.Process] = []

        def has_it() -> bool:
            for each in psutil.Process().children(recursive=True):
                held = [one.raddr.port for one in each.net_connections("tcp") if one.raddr]
                if each.name().startswith("python") and port in held:
                    found.append(each)
            return bool(found)

        self.until(has_it)
        return found[0]

    def test_a_process_that_is_killed_during_a_question_is_replaced_and_the_question_asked_again(self) -> None:
        path = f"/api/books/{self.book.id}/ask/cohorts?as_of=2025-08-31"
        with server(self.place, {"GOLDTHREAD_PROCESSES": "2"}) as address:
            # the question waits, since somebody else reads the book
            with reading_whole(self.place.settings.snapshots, self.book.id):
                connection = http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)
                self.addCleanup(connection.close)
                connection.request("GET", path)
                self.answering(connection).kill()
                with self.assertRaises((http.client.RemoteDisconnected, ConnectionResetError)):
                    connection.getresponse()
            status, told = self.asked(address, path)
            self.assertEqual((status, told["customers"]), (200, 11))

    def test_a_database_that_is_killed_is_told_of_and_asked_again_when_it_is_back(self) -> None:
        with server(self.place, {"GOLDTHREAD_PROCESSES": "2"}) as address:
            self.assertEqual(self.asked(address, "/api/books")[0], 200)
            pid = self.place.database.pid
            assert pid is not None
            os.kill(pid, signal.SIGKILL)
            self.until(lambda: not psutil.pid_exists(pid) or psutil.Process(pid).status() == psutil.STATUS_ZOMBIE)
            for path in ("/api/books", f"/api/books/{self.book.id}/ask/cohorts", "/api/health/ready"):
                status, told = self.asked(address, path)
                self.assertEqual(status, 503)
                self.assertIn("database", told["detail"])
                self.assertTrue(told["remedy"])
            self.assertEqual(self.asked(address, "/api/health/live")[0], 200)
            # the server starts it again
            self.until(lambda: self.asked(address, "/api/health/ready")[0] == 200)
            # it answers a moment before it is put down which process it is
            self.until(lambda: self.place.database.pid not in (None, pid))
            for _ in range(8):
                self.assertEqual(self.asked(address, f"/api/books/{self.book.id}/ask/cohorts")[0], 200)

    def test_what_came_of_work_waits_for_a_database_that_is_away(self) -> None:
        goes_on = threading.Event()
        done: list[int] = []

        def work(_workspace: Workspace, _given: Arguments, progress: Progress) -> DeliveryReport:
            progress("looking", 1, 2)
            goes_on.wait(LIMIT_SECONDS)
            done.append(1)
            return DeliveryReport()

        kinds = {"test": Kind(work)}
        worker = Worker(self.workspace, kinds, tell_result, tell_error)
        worker.start()
        self.addCleanup(worker.end)
        job = JobBoard(self.workspace, kinds).start("test")
        engine = self.workspace.record.engine
        self.until(lambda: record.find(engine, job.id).phase == "looking")
        with self.assertLogs("goldthread.actions.worker") as said:
            self.place.database.stop()
            goes_on.set()
            self.until(lambda: len(said.output) > 1)
            self.place.database.start()
            self.until(lambda: record.find(engine, job.id).state is JobState.DONE)
        self.assertIn("The database does not answer", said.output[0])
        self.assertEqual(done, [1])


class AClockSetBack(FaultCase):
    def test_what_seems_to_be_of_later_is_taken_for_old(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        shelved = workspace.orders(book.id)
        workspace.finish()
        self.assertFalse(is_old(workspace.settings.snapshots, book.id, shelved.at))
        for moved in (-3_600.0, 3_600.0):
            with mock.patch("goldthread.store.snapshot.time.time", return_value=time.time() + moved):
                self.assertTrue(is_old(workspace.settings.snapshots, book.id, shelved.at))


class AFullDisk(FaultCase):
    def test_a_delivery_that_finds_no_room_has_never_happened(self) -> None:
        """In a process of its own, which has a small disk to itself."""
        disk = self.folder / "disk"
        disk.mkdir()
        is_root = getpass.getuser() == "root"
        command = f"mount -t tmpfs -o size=1g tmpfs {disk} && exec {sys.executable} -W error -m unittest {SMALL}"
        done = subprocess.run(
            ["unshare", "--mount", *([] if is_root else ["--map-root-user"]), "bash", "-c", command],
            cwd=ROOT,
            env=os.environ | {"TMPDIR": str(disk), SMALL_DISK: str(disk), "LOGNAME": "root"},
            capture_output=True,
            text=True,
            timeout=4 * LIMIT_SECONDS,
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("Ran 1 test", done.stderr)


@unittest.skipUnless(SMALL_DISK in os.environ, "begun by AFullDisk")
class OnASmallDisk(FaultCase):
    def test_a_delivery(self) -> None:
        place = Place()
        self.addCleanup(place.close)
        workspace = place.workspace()
        self.addCleanup(workspace.record.engine.dispose)
        book = new_book(workspace)
        deliver(workspace, book, write_csv(self.folder / "a.csv", [HEADER, ("A-1", "C1", "2024-01-05", "1")]))
        before = (state_of(workspace, book), present_revision(workspace.record.engine, book.id))
        rows = ((f"B-{at}", f"C{at % 9000}", "2024-02-05", "2") for at in range(150_000))
        large = write_csv(self.folder / "large.csv", [HEADER, *rows])
        ballast = Path(os.environ[SMALL_DISK]) / "ballast"
        cases = ((12, 0, 0, (DiskFull, Unavailable)), (120, 64, 600, DiskFull), (180, 170, 0, DiskFull))
        for left_mib, keeps_mib, row_bytes, told in cases:
            free = psutil.disk_usage(os.environ[SMALL_DISK]).free
            with ballast.open("wb") as file:
                os.posix_fallocate(file.fileno(), 0, free - (left_mib << 20))
            with (
                self.subTest(left_mib=left_mib),
                mock.patch.object(upkeep, "LEAST_FREE_BYTES", keeps_mib << 20),
                mock.patch.object(deliveries, "_BYTES_PER_ROW", row_bytes),
                # where it does come to the end, the database may be gone
                self.assertRaises(told),
            ):
                deliver(workspace, book, large, "web")
            ballast.unlink()
            if place.database.has_died:
                place.database.start()
            self.assertEqual((state_of(workspace, book), present_revision(workspace.record.engine, book.id)), before)
        self.assertEqual(deliver(workspace, book, large, "web").added, 150_000)
        self.assertEqual(books.find_book(workspace, book.id).revision, 2)


SMALL = f"tests.test_faults.{OnASmallDisk.__name__}"

if __name__ == "__main__":
    unittest.main()
