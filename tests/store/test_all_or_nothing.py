"""A delivery that is stopped, broken or met by its twin leaves the book, and the machine, as they were."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any
from unittest import mock

from sqlalchemy import event, text

from goldthread.actions import deliveries
from goldthread.actions.books import today_of
from goldthread.actions.deliveries import deliver_file
from goldthread.core.records import FileKind, unreported
from goldthread.errors import Busy, Conflict, GoldThreadError, Stopped, UnreadableFile
from goldthread.intake.apart import APART_FROM_ROWS
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store import revisions
from goldthread.store.saved_views import add_version
from goldthread.store.server import engine
from goldthread.store.write import orders_in, staged_orders, staging
from goldthread.store.write.delivery import RejectedRow
from tests.support.asking import keep
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
        with self.assertRaisesRegex(GoldThreadError, "The database took . of 1 rows"):
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


class Meanwhile(StoreCase):
    """What others can do while a file is on its way."""

    def test_views_and_lists_are_saved_while_a_delivery_writes(self) -> None:
        deliver(self.workspace, self.book, self.write(("A-1", "C1", "2024-01-05", "1", "paid")))
        read = read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))
        saved: list[str] = []

        def save(phase: str, _done: int, _total: int) -> None:
            if phase in ("reading", "writing"):
                add_version(self.workspace.record.engine, self.book.id, "mine", "cohorts", "", phase)
                saved.append(keep(self.workspace, read, [0], f"those {len(saved)}").name)

        rows = ((f"B-{at}", f"C{at}", "2024-01-05", at, "paid") for at in range(100))
        deliver_file(self.workspace, self.book, errand_for(self.write(*rows)), save)
        self.assertGreater(len(saved), 1)
        self.assertEqual(len(self.orders()), 101)

    def test_what_a_file_says_by_itself_is_settled_while_others_may_change_the_book(self) -> None:
        free = text("SELECT IS_FREE_LOCK(CONCAT(DATABASE(), '.book.', :book))")
        found: dict[str, bool] = {}

        def noting(name: str, work: Callable[..., Any]) -> Callable[..., Any]:
            def noted(*arguments: Any, **more: Any) -> Any:
                with self.workspace.record.engine.connect() as connection:
                    found[name] = bool(connection.execute(free, {"book": self.book.id}).scalar())
                return work(*arguments, **more)

            return noted

        header = ("order", "line", "customer_no", "date", "amount")
        rows = [
            ("A-1", "1", "C1", "2024-01-05", "4"),
            ("A-1", "2", "C1", "2024-01-05", "x"),
            ("A-2", "1", "C2", "2024-01-05", "4"),
        ]
        with ExitStack() as patched:
            for module, name in ((staged_orders, "settle"), (orders_in, "_find_cells"), (staged_orders, "write")):
                patched.enter_context(mock.patch.object(module, name, noting(name, getattr(module, name))))
            deliver(self.workspace, self.book, self.write(*rows, header=header))
        self.assertEqual(found, {"settle": True, "_find_cells": True, "write": False})

    def test_two_files_of_one_book_follow_each_other(self) -> None:
        """The second one waits, and is told when it has waited long enough."""
        errand = errand_for(self.write(("A-1", "C1", "2024-01-05", "1", "paid")))
        with (
            engine.transaction(self.workspace.record.engine) as connection,
            mock.patch.object(revisions, "_PATIENT_SECONDS", 0),
            mock.patch("goldthread.store.server.faults._WAIT_SECONDS", 0),
        ):
            revisions.keep_others_out(connection, self.book.id)
            with self.assertRaisesRegex(Busy, "changing this book"):
                deliver_file(self.workspace, self.book, errand, unreported)
        self.assertEqual(deliver_file(self.workspace, self.book, errand, unreported).added, 1)


class Twice(StoreCase):
    def test_two_tries_of_a_file_leave_the_rejected_rows_of_one_of_them_whole(self) -> None:
        file, target = (
            errand_for(self.write(("A-1", "C1", "2024-01-05", "1", "paid"))).file,
            self.folder / "rejected.csv",
        )
        first, second, third = (deliveries._Rejected(file, target) for _ in range(3))

        def rows(reason: str) -> Iterator[RejectedRow]:
            for row in range(2, 2_000):
                yield RejectedRow(row, ["A-1", "C1", "", "1", "paid"], reason)
                if reason == "first" and row == 1_000:
                    second.take(rows("second"))
                    second.put_in_place()

        first.take(rows("first"))
        self.assertEqual(target.read_text().count(",second"), 1_998)
        first.put_in_place()
        self.assertEqual((target.read_text().count(",first"), target.read_text().count("second")), (1_998, 0))
        for each in (first, second, third):
            each.close()
        third.put_in_place()
        self.assertEqual([path.name for path in self.folder.glob("rejected*")], [], "a try without any removes them")

    def test_rows_that_repeat_are_taken_out_together(self) -> None:
        rows = [(f"A-{at}", f"C{at % 50}", "2024-01-05", at, "paid") for at in range(1, 1_001)]
        other = [(number, key, day, amount + 1, status) for number, key, day, amount, status in rows[:300]]
        said: list[str] = []

        def note(_connection: Any, _cursor: Any, statement: str, *_more: Any) -> None:
            said.append(statement)

        event.listen(self.workspace.record.engine, "before_cursor_execute", note)
        self.addCleanup(event.remove, self.workspace.record.engine, "before_cursor_execute", note)
        report = deliver(self.workspace, self.book, self.write(*rows, *rows, *other), kind=FileKind.ORDERS)
        self.assertEqual((report.rows_in, report.rows_repeated, report.rows_rejected), (1_000, 1_000, 300))
        self.assertEqual(report.amount_rejected, sum(row[3] for row in other))
        self.assertLess(len(said), 100)


if __name__ == "__main__":
    unittest.main()
