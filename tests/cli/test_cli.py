"""The command line: the same figures as over HTTP, exit codes for scripts, errors with a remedy."""

from __future__ import annotations

import csv
import io
import json
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from goldthread.actions import books
from goldthread.api.app import create_app
from goldthread.cli.delivered import EXIT_HELD_BACK, EXIT_PROBLEMS
from goldthread.core.choices import CohortFigure
from goldthread.processes import KnownProcess, is_alive
from tests.support import tiny
from tests.support.cli import CliCase
from tests.support.files import workbook
from tests.support.sharing import RAW_TINY, shared_place, shared_workspace, tiny_book, write_csv

HEADER = ("order", "customer_no", "date", "amount")


class Deliver(CliCase):
    def test_a_whole_history_goes_in_and_gives_its_figures(self) -> None:
        name = self.new_book()
        self.assertIn(f"{name}\tEUR", self.run_("book", "list").output)
        for source, file in (*RAW_TINY, ("office", "payments.csv"), ("office", "spend.csv")):
            self.run_("deliver", str(tiny.FOLDER / file), "--book", name, "--source", source)
        told = self.run_("ask", "cohorts", "--book", name, "--as-of", "2025-08-31", "--format", "csv").output
        found: dict[str, dict[str, dict[str, int]]] = {}
        for row in csv.DictReader(io.StringIO(told)):
            if row["orders"] != "0":
                found.setdefault(row["cohort"], {})[row["age"]] = {
                    "customers": int(row["customers"]),
                    "orders": int(row["orders"]),
                    "revenue": round(float(row["revenue"]) * 10_000),
                }
        self.assertEqual(found, tiny.expected()["cohorts_calendar_month"])
        self.assertEqual(len(self.run_("deliveries", "--book", name).output.splitlines()), 6)
        self.assertNotIn("FAILS", self.run_("check", "--book", name, "--as-of", "2025-08-31").output)

    def test_rejected_rows_are_listed_and_told_by_the_exit_code(self) -> None:
        path = write_csv(
            self.folder / "f.csv", [HEADER, ("A-1", "C1", "2024-01-05", "1"), ("A-2", "C1", "2024-02-30", "1")]
        )
        name = self.new_book()
        call = ("deliver", str(path), "--book", name, "--source", "web", "--accept-rejected")
        tried = self.run_(*call, "--dry-run", code=EXIT_PROBLEMS)
        self.assertIn("This was a dry run. Nothing was changed.", tried.output)
        self.assertEqual(self.run_("deliveries", "--book", name).output, "")
        told = self.run_(*call, code=EXIT_PROBLEMS).output
        self.assertIn("2 rows read, 1 in, 0 repeated, 1 rejected", told)
        self.assertIn("1 row, date: There is no such date.", told)
        self.assertIn("row 3, date “2024-02-30”: There is no such date.", told)
        again = self.run_("deliver", str(path), "--book", name, "--source", "web").output
        self.assertIn("Nothing was changed", again)

    def test_nothing_is_imported_in_part_without_a_yes(self) -> None:
        rows = [("A-1", "C1", "05/01/2024", "1"), ("A-2", "C1", "29/01/2024", "3")]
        path, name, out = write_csv(self.folder / "f.csv", [HEADER, *rows]), self.new_book(), self.folder / "left.csv"
        call = ("deliver", str(path), "--book", name, "--source", "web", "--dates", "mdy", "--rejected", str(out))
        for flags in (("--dry-run",), ()):
            told = self.run_(*call, *flags, code=EXIT_HELD_BACK).output
            self.assertIn("stopped before importing. 1 of 2 rows (75% of the amount) would be left out.", told)
            self.assertIn("1 row, date: There is no such date.", told)
            self.assertIn("row 3, date “29/01/2024”", told)
            self.assertIn("Read with dates as day/month/year, none would be left out.", told)
            self.assertIn("give --accept-rejected to import the other row", told)
            self.assertIn("29/01/2024", out.read_text(encoding="utf-8"))
        self.assertEqual(self.run_("deliveries", "--book", name).output, "")
        report = json.loads(self.run_(*call, "--report", "json", code=EXIT_HELD_BACK).output)
        self.assertEqual((report["held_back"], report["amount_rejected"], report["delivery_id"]), (True, "3.00", None))
        lines = [("A-1", "C1", "2024-01-05", "1"), ("A-1", "C1", "2024-01-05", "3")]
        path = write_csv(self.folder / "g.csv", [HEADER, *lines])
        told = self.run_("deliver", str(path), *call[2:6], "--kind", "orders", code=EXIT_HELD_BACK).output
        self.assertIn("Read with one row per order line, none would be left out.", told)
        self.assertIn("75% of the amount", told)

    def test_the_report_as_json_is_that_of_the_api(self) -> None:
        path = write_csv(
            self.folder / "f.csv", [HEADER, ("A-1", "C1", "2024-01-05", "1"), ("A-2", "", "2024-02-03", "1")]
        )
        call = ("deliver", str(path), "--book", self.new_book(), "--source", "web", "--accept-rejected")
        told = self.run_(*call, "--report", "json", code=EXIT_PROBLEMS)
        report = json.loads(told.output)
        self.assertEqual((report["counts"]["rows_in"], report["problems"][0]["row"]), (1, 3))

    def test_what_a_file_leaves_open_is_answered_and_its_sheets_are_named(self) -> None:
        from tests.support.files import workbook

        orders: list[list[object]] = [
            ["order", "customer", "date", "total_cents"],
            ["K1", "003401", "2024-01-05", 1250],
            ["K2", "17", "2024-01-06", 99],
        ]
        people: list[list[object]] = [["customer no", "name"], ["003401", "Ada Kiln"]]
        path, name = self.folder / "office.xlsx", self.new_book()
        path.write_bytes(workbook({"About": [["by the office"]], "Orders": orders, "People": people}))
        call = ("deliver", str(path), "--book", name, "--source", "office")
        asked = self.run_(*call, code=1).output
        self.assertIn("is 1250 meant as 12.50", asked)
        self.assertIn("--say cents=ANSWER, one of yes, no", asked)
        self.assertIn("cents=yes|no", self.run_(*call, "--say", "cents=maybe", code=1).output)
        told = self.run_(*call, "--say", "cents=yes").output
        self.assertIn("sheet “Orders”", told)
        self.assertIn("13.49 EUR added", told)
        self.assertIn("Sheet “People” reads as customers: import it too with --sheet “People”.", told)
        self.assertIn("Sheet “About” was passed over", told)
        both = self.run_(*call[:-1], "other", "--sheet", "Orders", "--sheet", "People", "--say", "cents=yes").output
        self.assertEqual(both.count("rows read") + both.count("row read"), 2)

    def test_columns_can_be_told(self) -> None:
        path = write_csv(self.folder / "f.csv", [("a", "b", "c", "d"), ("A-1", "C1", "2024-01-05", "1")])
        name = self.new_book()
        failed = self.run_("deliver", str(path), "--book", name, "--source", "web", code=1).output
        self.assertIn("No column is chosen for", failed)
        told = ("order=a", "customer=b", "date=c", "amount=d")
        flags = [flag for column in told for flag in ("--column", column)]
        delivered = self.run_("deliver", str(path), "--book", name, "--source", "web", *flags).output
        self.assertIn(
            "f.csv: orders in UTF-8, read: order number from “a”, customer from “b”, date from “c”, amount from “d”.",
            delivered,
        )
        self.assertIn("1 in", delivered)
        wrong = self.run_("deliver", str(path), "--book", name, "--source", "web", "--column", "moon=a", code=1)
        self.assertIn("nothing that a column can mean", wrong.output)

    def test_how_dates_and_amounts_are_written_is_found_out_or_told(self) -> None:
        name = self.new_book()
        told = self.run_("deliver", str(tiny.FOLDER / "counter.csv"), "--book", name, "--source", "counter").output
        self.assertIn("Dates dmy, decimal comma.", told)
        path = write_csv(self.folder / "open.csv", [HEADER, ("A-1", "C1", "03/04/2025", "1")])
        asked = self.run_("deliver", str(path), "--book", name, "--source", "web", code=1).output
        self.assertIn("03/04/2025 is 3 Apr 2025 or 4 Mar 2025", asked)
        self.assertIn(
            "1 in", self.run_("deliver", str(path), "--book", name, "--source", "web", "--dates", "dmy").output
        )

    def test_rejected_rows_are_written_mended_and_the_delivery_withdrawn(self) -> None:
        header = ("order", "customer", "date", "amount", "status")
        rows = [header, ("A-1", "C1", "2024-01-05", "1", "stage 4"), ("A-2", "C1", "2024-02-30", "1", "paid")]
        path, name = write_csv(self.folder / "f.csv", rows), self.new_book()
        call = ("--book", name, "--source", "web")
        self.assertIn("“stage 4”", self.run_("deliver", str(path), *call, code=1).output)
        self.assertIn("WORD=STATUS", self.run_("deliver", str(path), *call, "--status", "x=moon", code=1).output)
        out = self.folder / "mend.csv"
        told = ("--status", "stage 4=open", "--rejected", str(out), "--accept-rejected")
        delivered = self.run_("deliver", str(path), *call, *told, code=EXIT_PROBLEMS).output
        self.assertIn("stage 4 (1) is open", delivered)
        self.assertIn("2024-01-05 to 2024-01-05; 1.00 EUR added.", delivered)
        out.write_text(out.read_text(encoding="utf-8").replace("2024-02-30", "2024-02-29"), encoding="utf-8")
        again = self.run_("deliver", str(out), *call).output
        self.assertIn("read as the last file of the source", again)
        log = json.loads(self.run_("deliveries", "--book", name, "--report", "json").output)
        self.assertEqual([line["file_name"] for line in log], ["mend.csv", "f.csv"])
        undone = self.run_("withdraw", str(log[1]["id"]), "--book", name).output
        self.assertIn("f.csv is withdrawn: 1 record gone, 0 read again as before, 0 customers fewer.", undone)
        self.assertIn("withdrawn", self.run_("deliveries", "--book", name).output)
        self.assertIn("already", self.run_("withdraw", str(log[1]["id"]), "--book", name, code=1).output)

    def test_a_file_unlike_the_last_of_its_source_stops_until_somebody_says_more(self) -> None:
        name, columns = self.new_book(), ("order", "customer", "date")
        first = write_csv(self.folder / "a.csv", [(*columns, "total"), ("A-1", "C1", "2024-01-05", "1")])
        second = write_csv(self.folder / "b.csv", [(*columns, "net"), ("A-2", "C1", "2024-01-06", "1")])
        call = ("--book", name, "--source", "web")
        self.run_("deliver", str(first), *call)
        self.assertIn("was read from “total”", self.run_("deliver", str(second), *call, code=1).output)
        self.assertIn("1 in", self.run_("deliver", str(second), *call, "--guess-anew").output)

    def test_a_sheet_is_chosen_and_a_book_goes_out_and_comes_back(self) -> None:
        two: list[list[object]] = [["order", "customer", "date", "amount"], ["A-1", "C1", "2024-01-05", 2.5]]
        (self.folder / "till.xlsx").write_bytes(workbook({"Notes": [["x"], ["y"]], "Till": two}))
        name, out = self.new_book(), str(self.folder / "book.zip")
        call = ("deliver", str(self.folder / "till.xlsx"), "--book", name, "--source", "till")
        self.assertIn("Its sheets are: Notes, Till.", self.run_(*call, "--sheet", "May", code=1).output)
        self.assertIn("till.xlsx, sheet “Till”: orders, read:", self.run_(*call, "--sheet", "Till").output)
        self.assertIn(out, self.run_("export", "--book", name, "--out", out).output)
        self.assertIn("already", self.run_("import", out, code=1).output)
        self.run_("import", out, "--name", f"{name} back")
        asked = [
            self.run_("ask", "cohorts", "--format", "csv", "--book", each).output for each in (name, f"{name} back")
        ]
        self.assertEqual(asked[0], asked[1])

    def test_a_wrong_call_says_what_is_right(self) -> None:
        self.assertIn("There is no such book", self.run_("ask", "cohorts", "--book", "nowhere", code=1).output)
        self.assertIn(
            "'fortnight' is not one of",
            self.run_("ask", "cohorts", "--book", "x", "--period", "fortnight", code=2).output,
        )


class Ask(CliCase):
    def test_every_form_gives_the_figures_of_the_api(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        flags = (
            "--as-of",
            "2025-08-31",
            "--period",
            "quarter",
            "--source",
            "web",
            "--source",
            "counter",
            "--status",
            "paid",
        )
        asked = ("ask", "cohorts", "--book", book.name, *flags)
        query = "as_of=2025-08-31&period=quarter&source=web&source=counter&status=paid"
        client = create_app(workspace).test_client()
        over_http = client.get(f"/api/books/{book.id}/ask/cohorts?{query}").json
        self.assertEqual(json.loads(self.run_(*asked, "--format", "json").output), over_http)
        as_csv = client.get(f"/api/books/{book.id}/ask/cohorts?{query}", headers={"Accept": "text/csv"})
        out = self.folder / "table.csv"
        self.run_(*asked, "--format", "csv", "--out", str(out))
        self.assertEqual(out.read_bytes(), as_csv.data)

    def test_the_table_for_reading_marks_what_is_odd_small_and_running(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)
        told = self.run_("ask", "cohorts", "--book", book.name, "--as-of", "2025-08-15").output
        self.assertIn("as of 15 Aug 2025, no filter; 2 later orders left out.", told)
        self.assertIn("2024-01         2~", told)
        self.assertRegex(told, r"2025-01 .*0\*")
        for figure in CohortFigure:
            self.assertIn("2024-05", self.run_("ask", "cohorts", "--book", book.name, "--figure", figure).output)
        common = ("ask", "cohorts", "--book", book.name, "--as-of", "2025-08-31", "--split", "first_source")
        told = self.run_(*common).output
        self.assertIn("counter: 6 customers, 0 of them with one order", told)
        out = self.folder / "split.xlsx"
        self.run_(*common, "--format", "xlsx", "--layout", "grid", "--out", str(out))
        self.assertEqual(out.read_bytes()[:2], b"PK")
        grouped = self.run_("ask", "newness", "--book", book.name, "--split", "source", "--format", "csv").output
        self.assertTrue(grouped.startswith("group,period,state,"))

    def test_threads_are_asked_in_every_form(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)
        common = ("--book", book.name, "--as-of", "2025-08-31")
        told = self.run_("ask", "latest", *common, "--where", "orders = 4").output
        self.assertIn("The latest order of each customer", told)
        self.assertIn("2 rows", told)
        self.assertRegex(told, r"C01 .*W-20 .*2025-08-31 ")
        wanted = {
            ("first",): 11,
            ("nth", "--rank", "3"): 5,
            ("customers", "--by", "orders", "--show", "first_date"): 15,
            ("orders", "--source", "phone"): 5,
            ("thread", "ofallon"): 4,
            ("figures", "--group", "source"): 3,
            ("pairs", "--columns", "source"): 16,
            ("newness", "--period", "year"): 2,
        }
        for question, rows in wanted.items():
            with self.subTest(question=question):
                lines = self.run_("ask", *question, *common, "--format", "csv").output.splitlines()
                self.assertEqual(len(lines), rows + 1)
        checked = self.run_("check", *common, "--where", "source = 'counter'").output
        self.assertNotIn("FAILS", checked)
        self.assertNotIn("8.", checked)
        out = self.folder / "backdated.parquet"
        self.run_("ask", "backdated", *common, "--format", "parquet", "--out", str(out))
        self.assertEqual(out.read_bytes()[:4], b"PAR1")
        for wrong, words in (
            (("thread", "zzz"), "No customer is found by zzz."),
            (("first", "--where", "mood = 1"), "There is no field mood."),
            (("first", "--lapse", "soon"), "soon is not a span"),
        ):
            self.assertIn(words, self.run_("ask", *wrong, *common, code=1).output)

    def test_rhythm_is_asked_with_the_agreed_flags_and_who_is_due_is_taken_as_calendar_entries(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)

        def asked(*words: str, form: str = "csv") -> str:
            history = ("--book", book.name, "--as-of", "2025-08-31", "--format", form)
            return self.run_("ask", *words, *history).output

        window = ("--from", "2025-01-01", "--to", "2025-08-31", "--zero", "shown", "--groups", "3")
        rows = list(csv.DictReader(io.StringIO(asked("counts", *window))))
        self.assertEqual(
            [(row["orders"], row["customers"]) for row in rows], [("0", "4"), ("1", "10"), ("2", "1"), ("3+", "0")]
        )
        self.assertIn("step,count,mean,median", asked("gaps"))
        days = list(csv.DictReader(io.StringIO(asked("gaps", "--by", "all", "--unit", "purchase-day"))))
        self.assertEqual([row["count"] for row in days], ["16"])
        self.assertTrue(asked("next-order", "--step", "2").startswith("group,days,at_risk"))
        entries = asked("due", "--within", "366d", form="ics")
        self.assertTrue(entries.startswith("BEGIN:VCALENDAR"))
        self.assertIn("next order expected", entries)
        refused = self.run_("ask", "gaps", "--book", book.name, "--format", "ics", code=1)
        self.assertIn("cannot be taken as ics", refused.output)
        refused = self.run_("ask", "counts", "--book", book.name, "--from", "soon", code=1)
        self.assertIn("soon is not a date", refused.output)

    def test_no_name_becomes_a_formula(self) -> None:
        workspace = shared_workspace()
        name = self.new_book()
        rows = [HEADER, ("=1+1", "@cmd", "2024-01-05", "-5")]
        self.run_("deliver", str(write_csv(self.folder / "f.csv", rows)), "--book", name, "--source", "+web")
        book = books.find_book(workspace, name)
        client = create_app(workspace).test_client()
        path = f"/api/books/{book.id}/ask/cohorts/behind?cohort=2024-01&age=0"
        line = client.get(path, headers={"Accept": "text/csv"}).text.split("\r\n")[1]
        self.assertEqual(line, "'@cmd,'@cmd,'+web,'=1+1,2024-01-05,-5.00,paid")


class Serving(CliCase):
    def test_up_and_down_start_and_stop_everything_and_take_a_free_port(self) -> None:
        taken = socket.socket()
        self.addCleanup(taken.close)
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with tempfile.TemporaryDirectory(prefix="gt-") as folder:
            own = {
                **shared_place().environment,
                "GOLDTHREAD_VAR": folder,
                "GOLDTHREAD_PORT": str(port),
            }

            def told(*arguments: str) -> str:
                command = [sys.executable, "-m", "goldthread", *arguments]
                return subprocess.run(command, env=own, capture_output=True, text=True, check=True).stdout

            up = told("up")
            self.assertIn(f"Port {port} is taken, so another one is used.", up)
            first = KnownProcess.of(int((Path(folder) / "server.pid").read_text().split()[0]))
            self.assertIn("Gold Thread is at http://127.0.0.1:", told("up"))
            self.assertFalse(first.is_alive)
            self.assertIn("answers on 127.0.0.1", told("database", "up"))
            pids = [int((Path(folder) / name).read_text().split()[0]) for name in ("server.pid", "database/run/pid")]
            self.assertIn("Stopped.", told("down"))
            self.assertEqual([is_alive(pid) for pid in pids], [False, False])
            self.assertIn("Nothing was running.", told("down"))
            self.assertIn("was not running", told("database", "down"))


if __name__ == "__main__":
    unittest.main()
