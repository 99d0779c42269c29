"""What a book does by itself: files that come into a folder, rows of a query, runs that are missed, tried again and
never doubled."""

from __future__ import annotations

import datetime as dt
import shutil
import sqlite3
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

from goldthread.actions import importing, schedules, waiting
from goldthread.actions.inspecting import NOTHING_GIVEN, Given
from goldthread.core.choices import JobState, Lane, RunState
from goldthread.core.records import OrderStatus, unreported
from goldthread.errors import Conflict, InvalidInput, NotFound
from goldthread.intake.database import Since, take_rows
from goldthread.store import jobs
from tests.support.rounds import HEADER, RoundCase, utc
from tests.support.sharing import deliver, write_csv

FIRST = tuple(
    (f"F-{n}", f"C{n % 7}", f"2026-{month:02d}-{1 + n % 28:02d}", 10 + n, "paid")
    for month in (8, 9, 10, 11)
    for n in range(month * 20, month * 20 + 12)
)


class Folders(RoundCase):
    def setUp(self) -> None:
        super().setUp()
        deliver(self.workspace, self.book, self.write(*FIRST), "shop")
        self.row = self.watched()

    def test_a_file_is_imported_and_put_away_with_its_report(self) -> None:
        self.put("week 49.csv", ("N-1", "C1", "2026-12-01", 20, "paid"), ("N-2", "C9", "2026-12-02", 30, "paid"))
        self.assertEqual(self.after(hours=1), 1)
        self.assertEqual(self.last(self.row), (RunState.DONE, "week 49.csv: 2 added."))
        self.assertEqual((self.names(), self.waits()), ([], []))
        self.assertEqual(self.names("done"), ["week 49.csv", "week 49.csv.report.json"])
        self.assertEqual(self.report_of("week 49.csv")[0]["delivery_id"], self.scalar("SELECT MAX(id) FROM deliveries"))
        self.assertEqual(self.orders()["N-2"], ("C9", "2026-12-02", "30.0000"))

    def test_rejected_rows_lie_beside_the_report(self) -> None:
        rows = [(f"N-{n}", "C1", f"2026-{8 + n % 5:02d}-03", 20, "paid") for n in range(60)]
        self.put("week.csv", *rows, ("N-99", "C1", "no day", 1, "paid"))
        self.after(hours=1)
        self.assertEqual(self.names("done"), ["week.csv", "week.csv.rejected.csv", "week.csv.report.json"])
        self.assertIn("N-99", (self.inbox / "done" / "week.csv.rejected.csv").read_text("utf-8"))

    def test_a_file_that_is_still_written_is_left_and_looked_at_again_soon(self) -> None:
        path = self.put("week.csv", ("N-1", "C1", "2026-12-01", 20, "paid"))
        self.until(utc("2026-12-04T12:59"))
        self.touch(path, -65)
        self.put("half.csv.part", ("N-1", "C1", "2026-12-01", 20, "paid"))
        self.until(utc("2026-12-04T13:00"))
        self.assertEqual(self.last(self.row), (RunState.NOTHING, "2 files are still being written."))
        (self.inbox / "half.csv.part").unlink()
        self.until(utc("2026-12-04T13:01"))
        self.assertEqual(self.last(self.row)[1], "week.csv: 1 added.")

    def test_a_file_that_changes_while_it_is_copied_is_left(self) -> None:
        path = self.put("week.csv", ("N-1", "C1", "2026-12-01", 20, "paid"))
        copy = shutil.copyfile

        def copied(source: Path, target: Path) -> None:
            copy(source, target)
            with path.open("a", encoding="utf-8") as more:
                more.write("N-2,C1,2026-12-01,20,paid\n")

        with mock.patch.object(shutil, "copyfile", copied):
            self.until(utc("2026-12-04T13:00"))
        self.assertNotIn("N-1", self.orders())
        self.assertEqual(self.names(), ["week.csv"])

    def test_the_same_file_twice_is_imported_once(self) -> None:
        for name in ("a.csv", "b.csv"):
            self.put(name, ("N-1", "C1", "2026-12-01", 20, "paid"))
        self.after(hours=1)
        self.assertEqual(self.last(self.row)[1], "a.csv: 1 added. b.csv was imported before.")
        self.assertEqual(self.names(), [])

    def test_what_a_person_would_be_asked_keeps_a_file_waiting_and_nothing_is_imported(self) -> None:
        many = [(f"N-{n}", "C1", "2026-12-01", 20, "paid") for n in range(10)]
        twice = [(f"D-{n}", f"C{n % 7}", "2026-10-05", 20, "paid") for n in range(30)]
        for name, header, rows, why in (
            (
                "another column.csv",
                (*HEADER, "coupon"),
                [(*row, "x") for row in many],
                "had the column “coupon” before",
            ),
            (
                "no amount.csv",
                ("order", "customer_no", "date", "total", "status"),
                many,
                "“amount”, which this file does",
            ),
            ("a status.csv", HEADER, [(*row[:4], "beglichen?") for row in many], "beglichen"),
            ("rejected.csv", HEADER, [*many, ("N-10", "C1", "no day", 1, "paid")], "1 of 11 rows"),
            ("twice.csv", HEADER, twice, "Oct 2026 would have twice the usual orders of shop"),
            ("gap.csv", HEADER, [("L-1", "C1", "2027-01-05", 1, "paid")], "Dec 2026 would have no order of shop"),
            ("people.csv", ("customer_no", "name", "town"), [("C1", "Ash", "Bay")], "It reads as customers"),
        ):
            with self.subTest(name):
                before = (self.orders(), self.revision())
                self.put(name, *rows, header=header)
                self.after(hours=1)
                (waits,) = self.waits()
                self.assertIn(why, waits.why)
                self.assertEqual((self.orders(), self.revision()), before)
                self.assertEqual(self.names(), [])
                self.assertEqual(Path(waits.path).read_text("utf-8").splitlines()[0], ",".join(header))
                state, said = self.last(self.row)
                self.assertEqual(state, RunState.WAITS)
                self.assertIn(f"{name} waits: ", said)
                waiting.leave_out(self.workspace, self.book, waits.id)
                self.assertIn(name, self.names("failed"))

    def test_the_first_file_of_a_source_waits(self) -> None:
        schedules.remove(self.workspace, self.book, self.row)
        row = self.watched(source="new desk")
        self.put("first.csv", ("N-1", "C1", "2026-12-01", 20, "paid"))
        self.after(hours=1)
        self.assertEqual(self.last(row)[0], RunState.WAITS)
        self.assertIn("No file of new desk was imported before", self.waits()[0].why)

    def test_later_files_wait_behind_one_that_does_until_a_person_has_imported_it(self) -> None:
        self.put("1.csv", ("N-1", "C1", "2026-12-01", 20, "beglichen?"), ago=7200)
        self.put("2.csv", ("N-1", "C1", "2026-12-01", 21, "paid"))
        self.after(hours=1)
        self.assertIn("1 file is behind it", self.last(self.row)[1])
        self.after(hours=1)
        self.assertEqual(self.last(self.row), (RunState.WAITS, "1.csv waits for an answer; 1 file is behind it."))
        (waits,) = self.waits()
        (looked,) = importing.look_at_waiting(self.workspace, self.book, waits.id, unreported)
        self.assertEqual((looked.view.source, looked.sent.waiting, len(self.waits())), ("shop", waits.id, 1))
        said = Given(statuses={"beglichen?": OrderStatus.OPEN})
        how = {"dry_run": False, "accept_rejected": False}
        importing.import_sent(self.workspace, self.book, looked.sent, "shop", None, None, said, unreported, **how)
        self.assertEqual((self.waits(), self.names("waiting")), ([], []))
        self.assertIn("1.csv.report.json", self.names("done"))
        self.after(hours=1)
        self.assertEqual(self.orders()["N-1"][2], "21.0000")

    def test_a_file_that_cannot_be_read_is_put_away_and_the_next_one_comes(self) -> None:
        (self.inbox / "broken.xlsx").write_bytes(b"PK\x03\x04 not a workbook")
        self.touch(self.inbox / "broken.xlsx", 7200)
        self.put("good.csv", ("N-1", "C1", "2026-12-01", 20, "paid"))
        self.after(hours=1)
        state, said = self.last(self.row)
        self.assertEqual(state, RunState.FAILED)
        self.assertIn("broken.xlsx could not be imported", said)
        self.assertIn("good.csv: 1 added.", said)
        self.assertEqual(self.names("failed"), ["broken.xlsx", "broken.xlsx.report.txt"])

    def test_a_move_that_was_broken_off_is_made_up(self) -> None:
        self.put("week.csv", ("N-1", "C1", "2026-12-01", 20, "beglichen?"))
        with mock.patch.object(shutil, "move", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            self.after(hours=1)
        self.assertEqual((self.names(), len(self.waits())), (["week.csv"], 1))
        self.after(hours=2)
        self.assertEqual((self.names(), len(self.names("waiting"))), ([], 1))
        self.assertEqual(self.last(self.row)[0], RunState.WAITS)

    def test_links_and_hidden_files_are_never_followed(self) -> None:
        outside = write_csv(self.folder / "outside.csv", [HEADER, ("N-1", "C1", "2026-12-01", 20, "paid")])
        (self.inbox / "link.csv").symlink_to(outside)
        self.put(".hidden.csv", ("N-2", "C1", "2026-12-01", 20, "paid"))
        self.after(hours=1)
        self.assertEqual(self.last(self.row), (RunState.NOTHING, "No file was there."))

    def test_a_folder_that_is_gone_is_tried_again_and_then_told(self) -> None:
        away = self.inbox.with_name("away")
        self.inbox.rename(away)
        self.addCleanup(away.rename, self.inbox)
        self.until(utc("2026-12-04T13:59"))
        runs = [(each.state, each.due_at.minute) for each in schedules.list_runs(self.workspace, self.row, 0, 9)[1]]
        self.assertEqual(runs, [(RunState.FAILED, 20), (RunState.FAILED, 5), (RunState.FAILED, 0)])
        self.assertIn("cannot be read", self.last(self.row)[1])

    def test_only_folders_that_are_allowed_are_watched_and_each_once(self) -> None:
        with self.assertRaisesRegex(InvalidInput, "may not be taken out of"):
            schedules.add_folder(self.workspace, self.book, "every hour", "shop", "../..")
        with self.assertRaisesRegex(InvalidInput, "may not be taken out of"):
            schedules.add_folder(self.workspace, self.book, "every hour", "shop", str(self.folder))
        with self.assertRaisesRegex(InvalidInput, "already"):
            self.watched()
        row = schedules.add_folder(
            self.workspace, self.book, "every hour", "shop", str(self.folder), any_of_machine=True
        )
        self.assertEqual(row.about["folder"], str(self.folder.resolve()))


class Runs(RoundCase):
    def test_missed_runs_are_made_up_once_and_said(self) -> None:
        row = self.watched("every day at 7")
        self.now += dt.timedelta(days=4)
        self.assertEqual(schedules.take_due(self.workspace), 1)
        self.assertEqual(schedules.take_due(self.workspace), 0)
        self.work()
        (run,) = schedules.list_runs(self.workspace, row, 0, 9)[1]
        self.assertEqual((run.due_at, run.skipped), (utc("2026-12-05T07:00"), 3))
        self.assertEqual(schedules.find_schedule(self.workspace, self.book, row.id).due_at, utc("2026-12-09T07:00"))

    def test_workers_that_look_at_once_begin_a_run_once(self) -> None:
        row = self.watched()
        self.now += dt.timedelta(hours=2)
        with ThreadPoolExecutor(8) as pool:
            begun = list(pool.map(lambda _: schedules.take_due(self.workspace, self.now), range(8)))
        self.assertEqual(sum(begun), 1)
        self.assertEqual(self.work(), 1)
        self.assertEqual(schedules.list_runs(self.workspace, row, 0, 9)[0], 1)

    def test_a_run_waits_for_the_one_before_and_one_that_was_broken_off_has_failed(self) -> None:
        row = self.watched()
        self.now += dt.timedelta(hours=1)
        schedules.take_due(self.workspace)
        self.now += dt.timedelta(hours=1)
        self.assertEqual(schedules.take_due(self.workspace), 0)
        with self.assertRaises(Conflict):
            schedules.run_now(self.workspace, self.book, row)
        engine = self.workspace.record.engine
        job = jobs.take_up(engine, Lane.WORK, ("run schedule",), "test.0")
        assert job is not None
        jobs.end(engine, "test.0", job.id, JobState.FAILED, {}, "", "")
        self.assertEqual(schedules.take_due(self.workspace), 1)
        self.work()
        said = [(each.state, each.said) for each in schedules.list_runs(self.workspace, row, 0, 9)[1]]
        self.assertEqual(said[1], (RunState.FAILED, "It was broken off."))

    def test_a_paused_schedule_rests_and_goes_on_from_its_next_time(self) -> None:
        row = self.watched()
        schedules.pause(self.workspace, self.book, row, paused=True)
        self.assertEqual(self.after(hours=5), 0)
        schedules.pause(self.workspace, self.book, row, paused=False)
        self.assertEqual(self.after(hours=1), 1)

    def test_a_run_that_is_asked_for_says_by_whom_and_changes_no_time(self) -> None:
        row = self.watched()
        schedules.run_now(self.workspace, self.book, row)
        self.work()
        (run,) = schedules.list_runs(self.workspace, row, 0, 9)[1]
        self.assertEqual((run.asked_by, run.state, run.begun_at), ("", RunState.NOTHING, self.now))
        self.assertTrue(run.ended_at is not None and run.ended_at > run.begun_at)
        self.assertEqual(schedules.find_schedule(self.workspace, self.book, row.id).due_at, row.due_at)

    def test_a_removed_schedule_runs_no_more_also_where_its_run_had_begun(self) -> None:
        row = self.watched()
        self.now += dt.timedelta(hours=1)
        schedules.take_due(self.workspace)
        schedules.remove(self.workspace, self.book, row)
        self.work()
        with self.assertRaises(NotFound):
            schedules.find_schedule(self.workspace, self.book, row.id)

    def test_other_times_hold_from_now_on(self) -> None:
        row = self.watched()
        schedules.change_when(self.workspace, self.book, row, "every monday at 6")
        self.assertEqual(schedules.find_schedule(self.workspace, self.book, row.id).due_at, utc("2026-12-07T06:00"))


QUERY = (
    "SELECT number AS 'order', customer AS customer_no, day AS date, total AS amount, changed FROM sales "
    "WHERE changed > :since ORDER BY changed"
)


class Queries(RoundCase):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.till = Path(folder.name) / "till.sqlite"
        with sqlite3.connect(self.till) as shop:
            shop.execute("CREATE TABLE sales (number TEXT, customer TEXT, day TEXT, total NUMERIC, changed INTEGER)")
        self.sell(1, 2, 3)
        databases = {"till": f"sqlite:///{self.till}"}
        settings = self.workspace.settings.model_copy(update={"databases": databases})
        patched = mock.patch.object(self.workspace, "settings", settings)
        patched.start()
        self.addCleanup(patched.stop)
        rows = [(f"S-{n}", f"C{n}", "2026-12-01", 10, n) for n in (1, 2)]
        deliver(self.workspace, self.book, self.write(*rows, header=(*HEADER[:4], "changed")), "till")
        self.row = schedules.add_query(self.workspace, self.book, "every hour", "till", "till", QUERY, "changed", "0")

    def sell(self, *numbers: int) -> None:
        rows = [(f"S-{n}", f"C{n}", "2026-12-01", n, n) for n in numbers]
        with sqlite3.connect(self.till) as shop:
            shop.executemany("INSERT INTO sales (number, customer, day, total, changed) VALUES (?, ?, ?, ?, ?)", rows)

    def since(self) -> str | None:
        kept = schedules.find_schedule(self.workspace, self.book, self.row.id).kept
        return kept["since"]["value"] if "since" in kept else None

    def test_each_run_takes_what_came_since_the_last_one(self) -> None:
        self.after(hours=1)
        self.assertEqual(self.last(self.row)[1], "rows of till, 2026-12-04 13:00: 1 added, 2 changed.")
        self.assertEqual(self.since(), "3")
        self.after(hours=1)
        self.assertEqual(self.last(self.row), (RunState.NOTHING, "No row has come since."))
        self.sell(4, 10)
        self.after(hours=1)
        self.assertEqual((self.last(self.row)[1][-8:], self.since()), ("2 added.", "10"))

    def test_rows_that_wait_are_imported_by_a_person_and_only_then_it_goes_on(self) -> None:
        with sqlite3.connect(self.till) as shop:
            shop.execute("ALTER TABLE sales ADD coupon TEXT")
        schedules.remove(self.workspace, self.book, self.row)
        query = QUERY.replace("changed FROM", "changed, coupon FROM")
        self.row = schedules.add_query(self.workspace, self.book, "every hour", "till", "till", query, "changed", "0")
        self.after(hours=1)
        (waits,) = self.waits()
        self.assertIn("“coupon”", waits.why)
        self.sell(5)
        self.after(hours=1)
        self.assertEqual((self.last(self.row)[0], self.since()), (RunState.WAITS, None))
        (looked,) = importing.look_at_waiting(self.workspace, self.book, waits.id, unreported)
        how = {"dry_run": False, "accept_rejected": False}
        importing.import_sent(
            self.workspace, self.book, looked.sent, "till", None, None, NOTHING_GIVEN, unreported, **how
        )
        self.assertEqual((self.waits(), self.since(), Path(waits.path).exists()), ([], "3", False))
        self.after(hours=1)
        self.assertIn("S-5", self.orders())

    def test_a_database_that_is_gone_is_tried_again(self) -> None:
        self.till.rename(self.till.with_name("away"))
        self.after(hours=1)
        self.assertIn("tried again in 5 minutes", self.last(self.row)[1])
        self.till.with_name("away").rename(self.till)
        self.after(minutes=5)
        self.assertEqual(self.last(self.row)[0], RunState.DONE)

    def test_what_a_query_needs_to_go_on_is_asked_for(self) -> None:
        for query, column, since in (
            (QUERY, "", ""),
            (QUERY, "changed", ""),
            ("SELECT 1", "changed", "0"),
            ("", "", ""),
        ):
            with self.subTest(query, column=column), self.assertRaises(InvalidInput):
                schedules.add_query(self.workspace, self.book, "every hour", "till", "till", query, column, since)
        with self.assertRaises(NotFound):
            schedules.add_query(self.workspace, self.book, "every hour", "till", "nowhere", "SELECT 1")

    def test_a_column_that_is_not_there_is_an_error_that_names_the_others(self) -> None:
        with self.assertRaisesRegex(InvalidInput, "gives no column nothing"):
            take_rows(f"sqlite:///{self.till}", QUERY, self.folder / "rows", 1 << 20, unreported, Since("nothing", 0))

    def test_colons_and_backslashes_of_a_query_are_themselves(self) -> None:
        query = "SELECT '10:30 :x \\' AS text, changed FROM sales WHERE changed > :since"
        target = self.folder / "rows"
        taken = take_rows(f"sqlite:///{self.till}", query, target, 1 << 20, unreported, Since("changed", 2))
        self.assertEqual(target.read_text("utf-8").splitlines()[1], "10:30 :x \\,3")
        self.assertEqual((taken.count, taken.since), (1, Since("changed", 3)))

    def test_values_come_back_from_the_record_as_they_were(self) -> None:
        for value in (3, 2.5, "b", dt.date(2026, 1, 2), utc("2026-01-02T03:04:05")):
            with self.subTest(value):
                again = Since.of("x", Since("x", value).told()).value
                self.assertEqual((again, type(again)), (value, type(value)))


class Waiting(RoundCase):
    def test_a_file_that_is_gone_says_so_and_can_be_left_out(self) -> None:
        deliver(self.workspace, self.book, self.write(*FIRST), "shop")
        self.watched()
        self.put("week.csv", ("N-1", "C1", "2026-12-01", 20, "beglichen?"))
        self.after(hours=1)
        (waits,) = self.waits()
        Path(waits.path).unlink()
        with self.assertRaisesRegex(NotFound, "not there any more"):
            importing.look_at_waiting(self.workspace, self.book, waits.id, unreported)
        waiting.leave_out(self.workspace, self.book, waits.id)
        self.assertEqual(self.waits(), [])
