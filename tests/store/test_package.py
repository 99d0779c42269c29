"""A whole book taken out as a data package, and brought back."""

from __future__ import annotations

import json
import tempfile
import unittest
import zipfile
from dataclasses import replace
from functools import partial
from pathlib import Path
from unittest import mock

from goldthread.actions import attributes, books, briefs, by_hand, lists, notes, usual
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.actions.package import export_book, import_book
from goldthread.actions.saved_views import list_saved, save_view
from goldthread.core.choices import NoteOn
from goldthread.core.records import Verdict
from goldthread.errors import Conflict, GoldThreadError, Stopped, UnreadableFile
from goldthread.stops.findings import keep as keep_finding
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from tests.support import tiny
from tests.support.asking import keep
from tests.support.sharing import RAW_TINY, deliver, new_book, shared_workspace, write_csv
from tests.support.state import state_of


def quiet(_phase: str, _done: int, _total: int) -> None:
    """Nobody watches."""


class Packages(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.workspace = shared_workspace()

    def full(self) -> BookRow:
        """A book with every kind of record, problems, changes by hand, odd texts and a withdrawn delivery."""
        book = new_book(self.workspace)
        further = (("office", "payments.csv"), ("office", "spend.csv"), ("till", "bad_rows.csv"))
        for source, name in (*RAW_TINY, *further):
            deliver(self.workspace, book, tiny.FOLDER / name, source)
        events = write_csv(self.folder / "e.csv", [("from", "until", "label"), ("2024-02-01", "", '\'=sale\\ "new"')])
        deliver(self.workspace, book, events, "office")
        odd = [("receipt", "customer_no", "date", "total"), ("-x'1", "@7", "2024-01-01 08:05:09", "-3.5")]
        deliver(self.workspace, book, write_csv(self.folder / "o.csv", odd), "till")
        flat = [
            ("order", "customer_no", "date", "total", "ship mode", "weight kg", "wanted by"),
            ("F-1", "C01", "2024-03-01", "5", "=van", "1.5", "2024-04-01"),
            ("F-2", "C01", "2024-03-09", "5", "by \\ foot", "12", ""),
            ("F-3", "C02", "2024-03-09", "5", "", "", "2024-05-01"),
        ]
        deliver(self.workspace, book, write_csv(self.folder / "f.csv", flat), "market")
        attributes.describe_attribute(self.workspace, book, "ship mode", "how it left", hidden=True)
        gone = by_hand.put_order(self.workspace, book, by_hand.OrderByHand("counter", "K1", "C01", "2024-05-05", "1"))
        by_hand.cancel_order(self.workspace, book, "counter", "K0001")
        ids = self.workspace.orders(book.id).orders.customer_id.tolist()
        by_hand.match_customers(self.workspace, book, ids[:2], Verdict.ONE)
        assert gone.delivery_id is not None
        withdraw_delivery(self.workspace, book, gone.delivery_id)
        read = read_book(self.workspace, book, ReadingLine(), books.today_of(book))
        keep(self.workspace, read, [0, 2, 5], "-a list, with “odd” text", "who came back")
        keep(self.workspace, read, [1], "one")
        # what is deleted does not come along, though it can still be brought back
        lists.delete_list(self.workspace, book, keep(self.workspace, read, [2], "deleted").id)
        for words in ("first", "second"):
            save_view(self.workspace, book, "=A view", "cohorts", "period=year&list=one", words)
        list_id, customer = lists.find_list(self.workspace, book, "one").id, ids[0]
        on = (("customer", customer), ("delivery", gone.delivery_id), ("list", list_id), ("cell", "2024-01/1"))
        for about, key in on:
            notes.add_note(self.workspace, book, notes.thing_of(NoteOn(about), str(key)), f"=on a {about}, “odd”")
        brief = briefs.add_brief(self.workspace, book, "=Monday")
        keeping = partial(keep_finding, self.workspace, book, books.today_of(book))
        pinned = {"stop": "newness", "query": "period=month", "figure": ""}
        for heading, of in (("=A view, “odd”", pinned), ("Words", None)):
            briefs.add_finding(self.workspace, book, brief, heading, "- a\n- b", of, keeping, live=False)
        for said in ({"lapse": "6m"}, {"margin": "42,2024-03=40", "status": ["paid"]}):
            usual.say_usual(self.workspace, book, said, ())
        return books.find_book(self.workspace, book.id)

    def out(self, book: BookRow, name: str = "book.zip") -> Path:
        export_book(self.workspace, book, self.folder / name, quiet)
        return self.folder / name

    def test_a_book_comes_back_identical_and_can_be_withdrawn_from(self) -> None:
        book = self.full()
        package = self.out(book)
        back = import_book(self.workspace, package, f"{book.name} back", quiet)
        self.assertEqual(state_of(self.workspace, back), state_of(self.workspace, book))
        self.assertEqual((back.revision, back.currency, back.time_zone), (book.revision, "EUR", "Europe/Lisbon"))
        again = self.out(back, "again.zip")
        with zipfile.ZipFile(package) as first, zipfile.ZipFile(again) as second:
            self.assertEqual(first.namelist(), second.namelist())
            for name in first.namelist():
                one, other = first.read(name), second.read(name)
                self.assertEqual(one.replace(f'"{book.name}"'.encode(), f'"{back.name}"'.encode()), other, name)
        for one, other in zip(*(books.list_deliveries(self.workspace, each) for each in (book, back)), strict=True):
            self.assertEqual(
                (one.file_name, one.delivered_at, one.counts), (other.file_name, other.delivered_at, other.counts)
            )
            if one.withdrawn_at is None:
                withdraw_delivery(self.workspace, book, one.id)
                withdraw_delivery(self.workspace, back, other.id)
            with self.subTest(withdrawn=one.file_name):
                self.assertEqual(state_of(self.workspace, back), state_of(self.workspace, book))

    def test_others_change_the_book_while_it_is_taken_out_and_it_is_taken_out_as_it_was(self) -> None:
        book = self.full()
        before, meanwhile = self.folder / "before.zip", self.folder / "meanwhile.zip"
        export_book(self.workspace, book, before, quiet)
        put: list[int | None] = []

        def change(_phase: str, _done: int, _total: int) -> None:
            if not put:
                order = by_hand.OrderByHand("counter", "MW-1", "MW-1", "2025-05-05", "1")
                put.append(by_hand.put_order(self.workspace, book, order).delivery_id)

        with mock.patch("goldthread.store.server.faults.TRIES", 1):
            export_book(self.workspace, book, meanwhile, change)
        self.assertIsNotNone(put[0])
        self.assertEqual(meanwhile.read_bytes(), before.read_bytes())

    def test_views_and_lists_come_along(self) -> None:
        book = self.full()
        back = import_book(self.workspace, self.out(book), f"{book.name} back", quiet)
        views = [
            [
                (row.name, row.version, row.stop, row.query, row.words, row.saved_at)
                for row in list_saved(self.workspace, of)
            ]
            for of in (book, back)
        ]
        self.assertEqual(views[0], views[1])
        self.assertEqual([row[1] for row in views[0]], [2, 1])
        rows = [[replace(row, id=0) for row in lists.list_lists(self.workspace, of)] for of in (book, back)]
        self.assertEqual(rows[0], rows[1])
        for row in rows[0]:
            line = ReadingLine(list=row.name)
            reads = [read_book(self.workspace, of, line, books.today_of(of)) for of in (book, back)]
            keys = [[read.orders.customers.key(place) for place in read.history.customers.tolist()] for read in reads]
            with self.subTest(list=row.name):
                self.assertEqual(len(keys[0]), row.customer_count)
                self.assertEqual(keys[0], keys[1])

    def test_notes_come_along_with_what_they_are_on(self) -> None:
        book = self.full()
        back = import_book(self.workspace, self.out(book), f"{book.name} back", quiet)
        told = []
        for of in (book, back):
            total, rows = notes.list_notes(self.workspace, of, None, "", 0, 9)
            on = notes.things_words(self.workspace, of, rows)
            told.append([(row.text, row.version, row.made_at, where) for row, where in zip(rows, on, strict=True)])
            self.assertEqual(total, 4)
        self.assertEqual(told[0], told[1])
        self.assertEqual([row[3] for row in told[0]][:2], ["the cohort Jan 2024 at age 1", "the list one"])

    def test_briefs_come_along_as_they_were(self) -> None:
        book = self.full()
        back = import_book(self.workspace, self.out(book), f"{book.name} back", quiet)
        told = [
            [
                [replace(each, id=0) for each in briefs.list_findings(self.workspace, row)]
                for row in briefs.list_briefs(self.workspace, of)
            ]
            for of in (book, back)
        ]
        self.assertEqual(told[0], told[1])
        self.assertTrue(told[0][0][0].kept and told[0][0][0].kept["picture"])

    def test_usual_settings_come_along_with_who_said_them(self) -> None:
        book = self.full()
        back = import_book(self.workspace, self.out(book), f"{book.name} back", quiet)
        self.assertEqual(json.loads(back.usual), {"margin": "42,2024-03=40", "status": ["paid"]})
        told = [usual.usual_changes(self.workspace, of) for of in (book, back)]
        self.assertEqual((told[0], len(told[0])), (told[1], 2))
        older = import_book(self.workspace, self.older(book, 5, {"usual_changes.csv"}), f"{book.name} fifth", quiet)
        self.assertEqual((older.usual, usual.usual_changes(self.workspace, older)), ("", []))

    def older(self, book: BookRow, version: int, without: set[str]) -> Path:
        """A package of a book as an earlier version made it."""
        path = self.folder / f"older-{version}.zip"
        with zipfile.ZipFile(self.out(book)) as whole, zipfile.ZipFile(path, "w") as made:
            told = json.loads(whole.read("datapackage.json"))
            told["version"] = version
            told["resources"] = [each for each in told["resources"] if each["path"] not in without]
            for name in set(whole.namelist()) - without - {"datapackage.json"}:
                made.writestr(name, whole.read(name))
            made.writestr("datapackage.json", json.dumps(told))
        return path

    def test_packages_of_earlier_versions_come_back_without_what_they_had_not(self) -> None:
        book = self.full()
        of_orders = {f"own_{name}.csv" for name in ("attributes", "columns", "values", "codes")}
        of_lists = {
            "saved_views.csv",
            "customer_lists.csv",
            "list_members.csv",
            "notes.csv",
            "briefs.csv",
            "findings.csv",
            "usual_changes.csv",
        }
        wanted = state_of(self.workspace, book) | {"attributes": []}
        older = import_book(self.workspace, self.older(book, 2, of_orders), f"{book.name} second", quiet)
        self.assertEqual(state_of(self.workspace, older), wanted)
        self.assertEqual(len(lists.list_lists(self.workspace, older)), 2)
        back = import_book(self.workspace, self.older(book, 1, of_orders | of_lists), f"{book.name} first", quiet)
        self.assertEqual(state_of(self.workspace, back), wanted)
        self.assertEqual((lists.list_lists(self.workspace, back), list_saved(self.workspace, back)), ([], []))

    def test_the_descriptor_is_a_data_package(self) -> None:
        with zipfile.ZipFile(self.out(self.full())) as package:
            told = json.loads(package.read("datapackage.json"))
            names = package.namelist()
            lines = {name: package.read(name).decode().count("\r\n") for name in names if name.endswith(".csv")}
        self.assertEqual(told["profile"], "tabular-data-package")
        self.assertRegex(told["name"], r"^[a-z0-9._-]+$")
        resources = {resource["name"]: resource for resource in told["resources"]}
        for resource in told["resources"]:
            with self.subTest(resource=resource["name"]):
                self.assertIn(resource["path"], names)
                fields = [field["name"] for field in resource["schema"]["fields"]]
                self.assertLessEqual(set(resource["schema"]["primaryKey"]), set(fields))
                self.assertEqual(lines[resource["path"]], resource["rows"] + 1)
                for key in resource["schema"].get("foreignKeys", []):
                    theirs = resources[key["reference"]["resource"]]["schema"]["fields"]
                    self.assertIn(key["reference"]["fields"][0], [field["name"] for field in theirs])
                    self.assertIn(key["fields"][0], fields)

    def test_what_is_no_whole_package_leaves_no_book(self) -> None:
        package = self.out(self.full())
        before = [book.name for book in books.list_books(self.workspace)]

        def tampered(name: str, old: bytes, new: bytes) -> Path:
            target = self.folder / "tampered.zip"
            with zipfile.ZipFile(package) as whole, zipfile.ZipFile(target, "w") as made:
                for each in whole.namelist():
                    content = whole.read(each)
                    made.writestr(each, content.replace(old, new) if each == name else content)
            return target

        (self.folder / "no.zip").write_bytes(b"PK\x03\x04")
        wrong = (
            (self.folder / "no.zip", UnreadableFile),
            (tampered("orders.csv", b"240.0000", b"241.0000"), UnreadableFile),
            (tampered("datapackage.json", b"tabular-data-package", b"data-package"), UnreadableFile),
            (package, Conflict),
        )
        for path, kind in wrong:
            with self.subTest(path=path.name, kind=kind), self.assertRaises(kind) as told:
                import_book(self.workspace, path, None, quiet)
            assert isinstance(told.exception, GoldThreadError)
            self.assertTrue(told.exception.remedy)

        def stop(_phase: str, _done: int, _total: int) -> None:
            raise Stopped("stopped")

        with self.assertRaises(Stopped):
            import_book(self.workspace, package, "never", stop)
        self.assertEqual([book.name for book in books.list_books(self.workspace)], before)


if __name__ == "__main__":
    unittest.main()
