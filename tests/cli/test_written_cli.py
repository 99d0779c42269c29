"""What people write beside the figures, from the command line: notes, and events on the time axis."""

from __future__ import annotations

import datetime as dt
import unittest

from goldthread.core.book.days import to_date
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from tests.support import tiny
from tests.support.asking import keep
from tests.support.cli import CliCase
from tests.support.sharing import shared_workspace, tiny_book


class Written(CliCase):
    def setUp(self) -> None:
        super().setUp()
        workspace = shared_workspace()
        self.book = tiny_book(workspace, self.folder)
        read = read_book(workspace, self.book, ReadingLine(), to_date(tiny.AS_OF_DAY))
        keep(workspace, read, [0, 1], "quiet ones")

    def call(self, *arguments: str, code: int = 0) -> str:
        return self.run_(*arguments, "--book", self.book.name, code=code).output

    def test_notes(self) -> None:
        number = self.call("note", "add", "--on", "customer:ada@ofallon.example", "Call in the morning.").split("\t")[0]
        for on in ("list:quiet ones", "cell:2024-01/1", "cohort:2024-01", "period:2024"):
            self.call("note", "add", "--on", on, f"on {on}")
        lines = [line.split("\t") for line in self.call("note", "list").splitlines()]
        self.assertEqual(
            [line[3] for line in lines],
            [
                "2024",
                "the cohort Jan 2024",
                "the cohort Jan 2024 at age 1",
                "the list quiet ones",
                "Ada O'Fallon",
            ],
        )
        self.assertEqual(self.call("note", "list", "--find", "morning").split("\t")[0], number)
        self.call("note", "edit", number, "Call in the evening.")
        self.assertIn("in the evening", self.call("note", "list", "--on", "customer:ada@ofallon.example"))
        self.assertIn("is removed", self.call("note", "remove", number))
        self.assertEqual(len(self.call("note", "list").splitlines()), 4)
        self.assertIn("Look at the notes", self.call("note", "edit", number, "x", code=1))
        self.assertIn("names nothing", self.call("note", "add", "--on", "kiln:1", "x", code=2))
        self.assertIn("Such as 2026-03", self.call("note", "add", "--on", "cohort:soon", "x", code=1))

    def test_briefs(self) -> None:
        self.call("brief", "add", "Monday")
        self.call("brief", "pin", "Monday", "--heading", "Words", "--words", "Look *here*.")
        figure = ("--stop", "cohorts", "--query", "period=month", "--figure", "cohort=2024-01&age=1")
        pinned = self.call("brief", "pin", "monday", *figure, "--heading", "A cell", "--as-it-was")
        self.assertRegex(self.call("brief", "list"), r"^\d+\tMonday\t2\t")
        text = self.call("brief", "show", "Monday")
        self.assertRegex(text, r"A cell\n\d+ % \d+ of \d+ customers\nAs it was on ")
        html = self.call("brief", "show", "Monday", "--format", "html")
        self.assertIn("<em>here</em>", html)
        self.assertIn("data:image/png;base64,", html)
        until = (dt.datetime.now(dt.UTC).date() + dt.timedelta(9)).isoformat()
        self.assertRegex(self.call("share", "add", "--brief", "Monday", "--until", until), r"/shared/\d+#[\w-]{43}\n$")
        both = ("--brief", "Monday", "--view", "Monday", "--until", until)
        self.assertIn("Give one of --view and --brief", self.call("share", "add", *both, code=2))
        self.call("brief", "remove", "Monday", "--finding", pinned.split()[1])
        self.assertNotIn("A cell", self.call("brief", "show", "Monday"))
        self.call("brief", "remove", "Monday")
        self.assertIn("no such brief", self.call("brief", "show", "Monday", code=1))

    def test_events(self) -> None:
        self.call("event", "add", "Closed for snow", "--from", "2024-01-15", "--until", "2024-01-17")
        number, begins, ends, label = self.call("event", "list").strip().split("\t")
        self.assertEqual((begins, ends, label), ("2024-01-15", "2024-01-17", "Closed for snow"))
        self.call("event", "edit", number, "Closed", "--from", "2024-01-15")
        number, *told = self.call("event", "list").strip().split("\t")
        self.assertEqual(told, ["2024-01-15", "2024-01-15", "Closed"])
        self.assertIn("There is no such date", self.call("event", "add", "x", "--from", "2024-02-30", code=1))
        self.assertIn("taken back", self.call("event", "remove", number))
        self.assertEqual(self.call("event", "list"), "")

    def test_usual_settings(self) -> None:
        def usual(*flags: str, code: int = 0) -> str:
            return self.run_("book", "usual", self.book.name, *flags, code=code).output

        self.assertEqual(usual(), "No usual settings.\n")
        self.assertEqual(usual("--margin", "42", "--lapse", "6m").splitlines()[0], "gross margin 42 %")
        told = usual("--status", "paid", "--take-back", "lapse")
        self.assertEqual(told.splitlines(), ["gross margin 42 %", "orders: paid ones only"])
        self.assertIn("2 years", usual("--lapse", "2 years", code=1))
        self.assertIn("at a gross margin of 42 % (usual)", self.call("ask", "worth"))
        self.assertEqual(usual("--take-back", "margin", "--take-back", "status"), "No usual settings.\n")


if __name__ == "__main__":
    unittest.main()
