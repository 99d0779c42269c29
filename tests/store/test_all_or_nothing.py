"""A delivery that is stopped, broken or met by its twin leaves the book, and the machine, as they were."""

from __future__ import annotations

import unittest
from pathlib import Path

from goldthread.actions.deliveries import deliver_file
from goldthread.core.records import FileKind
from goldthread.errors import Conflict, GoldThreadError, Stopped, UnreadableFile
from goldthread.intake.apart import APART_FROM_ROWS
from goldthread.store.write import staging
from tests.support.sharing import deliver, errand_for, new_book
from tests.support.store import HEADER, StoreCase


class AllOrNothing(StoreCase):
    def test_stopping_at_any_moment_changes_nothing(self) -> None:
        path = self.write(*((f"A-{at}", f"C{at % 9}", "2024-01-05", at, "paid") for at in range(200)))
        errand = errand_for(path)
        moments: list[tuple[str, int]] = []

        def note(phase: str, done: int, _total: int) -> None:
            moments.append((phase, done))

        deliver_file(self.workspace, new_book(self.workspace), errand, note)
        self.assertEqual({phase for phase, _ in moments}, {"reading", "writing", "committing"})
        for stop_at in range(len(moments)):
            calls = 0

            def stop(_phase: str, _done: int, _total: int, last: int = stop_at) -> None:
                nonlocal calls
                calls += 1
                if calls > last:
                    raise Stopped("stopped")

            with self.subTest(moment=moments[stop_at]), self.assertRaises(Stopped):
                deliver_file(self.workspace, self.book, errand, stop)
            self.assertEqual((self.orders(), self.revision()), ({}, 0))

    def test_a_large_file_that_is_stopped_leaves_no_process_behind(self) -> None:
        rows = ((f"A-{at}", f"C{at % 9}", "2024-01-05", at, "paid") for at in range(APART_FROM_ROWS + 1))
        errand = errand_for(self.write(*rows))

        def readers() -> int:
            ours = [Path(f"/proc/{child}/cmdline") for child in children()]
            return sum(b"goldthread.intake.apart" in line.read_bytes() for line in ours if line.exists())

        def children() -> list[str]:
            tasks = Path("/proc/self/task").glob("*/children")
            return [child for task in tasks for child in task.read_text(encoding="ascii").split()]

        seen: list[int] = []

        def stop(_phase: str, _done: int, _total: int) -> None:
            seen.append(readers())
            # the first word comes from the reading itself, the second from between two pieces
            if len(seen) == 2:
                raise Stopped("stopped")

        kept: Stopped | None = None
        try:
            deliver_file(self.workspace, self.book, errand, stop)
        except Stopped as error:
            # kept with all its frames, as a job keeps it
            kept = error
        assert kept is not None
        self.assertEqual((seen, readers(), kept.detail), ([1, 1], 0, "stopped"))
        self.assertEqual((self.orders(), self.revision()), ({}, 0))

    def test_a_file_that_breaks_halfway_changes_nothing(self) -> None:
        path = self.folder / "broken.csv"
        body = "".join(f"A-{at},C1,2024-01-05,1,paid\n" for at in range(30_000))
        path.write_bytes(f"{','.join(HEADER)}\n{body}".encode() + b"A-x,\xff\x81,2024-01-05,1,paid\n")
        with self.assertRaisesRegex(UnreadableFile, "Line 30002"):
            deliver(self.workspace, self.book, path)
        self.assertEqual((self.orders(), self.revision()), ({}, 0))

    def test_values_that_the_database_would_bend_stop_the_delivery(self) -> None:
        """LOAD DATA cuts and zeroes silently; a row that slips past the checks must not."""
        path = self.write(("A-1", "C1", "2024-01-05", "10", "paid"))
        loaded, further = staging._TABLES[FileKind.ORDERS]
        narrow = tuple(column.replace("VARCHAR(64)", "VARCHAR(2)") for column in loaded)
        self.addCleanup(staging._TABLES.__setitem__, FileKind.ORDERS, (loaded, further))
        staging._TABLES[FileKind.ORDERS] = (narrow, further)
        with self.assertRaisesRegex(GoldThreadError, "The database took 1 of 1 rows"):
            deliver(self.workspace, self.book, path)
        self.assertEqual(self.revision(), 0)

    def test_two_identical_deliveries_at_one_moment_become_one(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "paid"))
        errand = errand_for(path)

        def deliver_the_twin(phase: str, _done: int, _total: int) -> None:
            if phase == "reading" and self.revision() == 0:
                deliver(self.workspace, self.book, path)

        with self.assertRaises(Conflict):
            deliver_file(self.workspace, self.book, errand, deliver_the_twin)
        self.assertEqual((len(self.orders()), self.revision()), (1, 1))


if __name__ == "__main__":
    unittest.main()
