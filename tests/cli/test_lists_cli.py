"""Lists from the command line: worked, taken back, written to, and a scheduled job that hears that nobody is new."""

from __future__ import annotations

import csv
import io
import json
import unittest

from goldthread.cli.asking import NOTHING_NEW
from goldthread.core.book.days import to_date
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from tests.support import tiny
from tests.support.asking import keep
from tests.support.cli import CliCase
from tests.support.sharing import shared_workspace, tiny_book

AS_OF = ("--as-of", "2025-08-31")


class ListCase(CliCase):
    def setUp(self) -> None:
        super().setUp()
        workspace = shared_workspace()
        self.book = tiny_book(workspace, self.folder)
        read = read_book(workspace, self.book, ReadingLine(), to_date(tiny.AS_OF_DAY))
        keep(workspace, read, list(range(read.orders.customer_count)), "everybody", "All of them")

    def list_(self, *arguments: str, code: int = 0) -> str:
        return self.run_("list", *arguments, "--book", self.book.name, code=code).output

    def ask(self, *arguments: str, code: int = 0) -> str:
        return self.run_("ask", *arguments, "--book", self.book.name, *AS_OF, code=code).output


class Lists(ListCase):
    def test_a_list_is_worked_from_the_command_line(self) -> None:
        self.assertIn("everybody\t15\t", self.list_("show"))
        done = (
            "--state",
            "contacted",
            "--on",
            "2025-08-01",
            "--channel",
            "phone",
            "--note",
            "call again",
            "--by",
            "Mo",
        )
        self.assertIn("contacted (action 1)", self.list_("mark", "everybody", "C02", *done))
        self.list_("mark", "everybody", "ada@ofallon.example", "--state", "left_out", "--by", "Ann")
        worked = csv.DictReader(io.StringIO(self.ask("worked", "--list", "everybody", "--format", "csv")))
        rows = {row["customer"]: row for row in worked}
        row = rows["C02"]
        said = (row["state"], row["contacted_on"], row["channel"], row["contacted_by"], row["note"])
        self.assertEqual(said, ("contacted", "2025-08-01", "phone", "Mo", "call again"))
        self.assertEqual(rows["C01"]["state"], "left_out")
        self.assertIn("Taken back: Ada O'Fallon.", self.list_("undo", "everybody", "--by", "Mo"))
        history = self.list_("history", "everybody")
        self.assertIn("state: left_out, taken back", history)
        self.assertIn("\tMo\t", history)
        outcomes = json.loads(self.ask("outcomes", "--format", "json"))["lists"]
        self.assertEqual([(each["name"], each["contacted"]) for each in outcomes], [("everybody", 1)])

    def test_what_cannot_be_is_said_with_what_to_do(self) -> None:
        self.assertIn("Give the number", self.list_("mark", "everybody", "C99", "--note", "x", code=1))
        self.assertIn("Lists: everybody", self.list_("undo", "nobody", code=1))
        self.assertIn("nothing to take back", self.list_("undo", "everybody", code=1))
        self.assertIn("No list is chosen", self.ask("worked", code=1))

    def test_messages_are_shown_and_nothing_is_sent_without_a_server(self) -> None:
        text = self.folder / "text.txt"
        text.write_text("Dear {name}, from {region}.", encoding="utf-8")
        mail = ("mail", "everybody", "--subject", "Hello {name}", "--text", str(text))
        shown = self.list_(*mail, "--preview", "1")
        self.assertIn("Subject: Hello ", shown)
        self.assertRegex(shown, r"\d+ of \d+ messages can be sent")
        self.assertIn("No mail server is set up", self.list_(*mail, "--dry-run", code=1))
        self.assertIn("No mail server is set up", self.list_(*mail, code=1))

    def test_a_scheduled_job_hears_that_nobody_is_new(self) -> None:
        whom = ("follow-up", "--who", "lapsed", "--who", "never_ordered", "--format", "csv")
        whole = self.ask(*whom)
        self.assertGreater(len(whole.splitlines()), 5)
        nobody = self.ask(*whom, "--since-list", "everybody", code=NOTHING_NEW)
        self.assertEqual(nobody.splitlines(), whole.splitlines()[:1])

    def test_cards_and_a_sheet_are_formats_too(self) -> None:
        self.assertIn("VERSION:4.0", self.ask("follow-up", "--format", "vcf"))
        self.assertIn("<!DOCTYPE html>", self.ask("worked", "--list", "everybody", "--format", "html"))
        self.assertIn("cannot be taken as ics", self.ask("standing", "--format", "ics", code=1))


if __name__ == "__main__":
    unittest.main()
