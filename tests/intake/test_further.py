"""Further columns of orders and lines: of what they say something, and what their values are."""

from __future__ import annotations

import csv
import tempfile
import unittest
from pathlib import Path
from unittest import mock
from zoneinfo import ZoneInfo

from goldthread.actions.deciding import reading_of
from goldthread.actions.inspecting import FileView, Given, look_at_table
from goldthread.core.records import AttributeType, FileKind
from goldthread.errors import InvalidInput, UnreadableFile
from goldthread.intake import profiles
from goldthread.intake.meanings import KeptAt, Meaning
from goldthread.intake.packing import Table
from goldthread.intake.reading import read_pieces

_UTC = ZoneInfo("UTC")
HEAD = ("order no", "customer no", "date", "amount")


class Files(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "file.csv"

    def look(self, head: tuple[str, ...], *rows: tuple[object, ...], kind: FileKind | None = None) -> FileView:
        with self.path.open("w", encoding="utf-8", newline="") as file:
            csv.writer(file).writerows([head, *rows])
        return look_at_table(Table("", self.path, typed=False), kind)


class Levels(Files):
    def kept(self, *columns: list[object], lines: bool = False) -> dict[str, tuple[str, str, int, int, int]]:
        """Where columns are best kept: 10 customers with 4 orders each, of 2 lines where ``lines``."""
        per = 2 if lines else 1
        head = (*HEAD, *(["product"] if lines else []), *(f"own {at}" for at in range(len(columns))))
        rows = [
            (
                f"A-{at // per}",
                f"C{at // per % 10}",
                "2025-01-05",
                "5.00",
                *([f"p{at % 2}"] if lines else []),
                *(column[at] for column in columns),
            )
            for at in range(40 * per)
        ]
        view = self.look(head, *rows)
        return {
            each.name: (
                each.proposed.at.value,
                each.why,
                each.values,
                each.customers_several,
                each.orders_several,
            )
            for each in view.evidence.further
        }

    def test_a_column_is_the_customers_the_orders_or_not_kept(self) -> None:
        segment: list[object] = [("studio", "school")[at % 10 % 2] for at in range(40)]
        nearly: list[object] = [*segment[:39], "hobby"]
        delivery: list[object] = [("post", "van", "foot")[at % 3] for at in range(40)]
        remark: list[object] = [f"remark {at}" for at in range(40)]
        empty: list[object] = [""] * 40
        kept = self.kept(segment, nearly, delivery, remark, empty)
        self.assertEqual(kept["own 0"], ("customer", "", 2, 0, 0))
        self.assertEqual(kept["own 1"], ("order", "the same for most customers, but not for all", 3, 1, 0))
        self.assertEqual(kept["own 2"], ("order", "", 3, 10, 0))
        self.assertEqual(kept["own 3"], ("nowhere", "nearly every row has a value of its own", 40, 10, 0))
        self.assertEqual(kept["own 4"], ("nowhere", "every row is blank", 0, 0, 0))

    def test_what_differs_between_the_lines_of_an_order_is_the_lines(self) -> None:
        series: list[object] = [("classic", "festive")[at % 2] for at in range(80)]
        weights: list[object] = [f"{at % 7}.5" for at in range(80)]
        delivery: list[object] = [("post", "van", "foot")[at // 2 % 3] for at in range(80)]
        kept = self.kept(series, weights, delivery, lines=True)
        self.assertEqual(kept["own 0"], ("line", "", 2, 10, 40))
        self.assertEqual(kept["own 1"][:2], ("nowhere", "numbers of lines make none of the order"))
        self.assertEqual(kept["own 2"], ("order", "", 3, 10, 0))

    def test_of_a_very_large_file_some_customers_are_looked_at_each_with_all_orders(self) -> None:
        segment: list[object] = [("studio", "school")[at % 10 % 2] for at in range(40)]
        with mock.patch.object(profiles, "CELLS_COMPARED_MOST", 120):
            kept = self.kept(segment)
        self.assertEqual(kept["own 0"][0], "customer")

    def test_nothing_shows_whose_a_column_is_when_no_customer_comes_twice(self) -> None:
        rows = [(f"A-{at}", f"C{at}", "2025-01-05", "5", "studio") for at in range(9)]
        [segment] = self.look((*HEAD, "segment"), *rows).evidence.further
        self.assertEqual(
            (segment.proposed.at, segment.why),
            (KeptAt.ORDER, "no customer comes twice, so nothing shows that it is theirs"),
        )

    def test_what_a_book_has_no_room_for_is_not_kept_at_first(self) -> None:
        head = (*HEAD, "n" * 121, *(f"own {at}" for at in range(70)))
        rows = [(f"A-{at}", f"C{at % 3}", "2025-01-05", "5", *([f"v{at % 4}"] * 71)) for at in range(24)]
        view = self.look(head, *rows)
        found = [(each.proposed.at, each.why) for each in view.evidence.further]
        self.assertEqual(found[0], (KeptAt.NOWHERE, "its name is longer than 120 characters"))
        self.assertEqual(found[-1], (KeptAt.NOWHERE, "the orders of a book have 64 attributes at most"))
        self.assertEqual(sum(at is KeptAt.ORDER for at, _ in found), 63)
        with self.assertRaisesRegex(InvalidInput, "longer than 120"):
            reading_of(view, Given(further={head[4]: KeptAt.ORDER}))

    def test_values_are_numbers_dates_and_marks_where_all_of_them_are(self) -> None:
        columns = {
            "weight": ("1.5", "1,200.25", "-3", ""),
            "preis": ("1.234,50", "9,90", "3,00", "0"),
            "ready on": ("31/12/2025", "1/2/2026", "", "5/5/2025"),
            "gift": ("ja", "nein", "x", ""),
            "packed": ("1", "0", "1", "0"),
            "pieces left": ("1", "2", "1", "1"),
            "store no": ("12", "14", "12", "12"),
            "postal": ("01234", "10115", "20095", "20095"),
            "note": ("1", "two", "3", "4"),
            "seen": ("3/4/25", "4/5/25", "5/6/25", "6/7/25"),
        }
        rows = [(f"A-{at}", "C1", "2025-01-05", "5", *(c[at] for c in columns.values())) for at in range(4)]
        found = {each.name: each.proposed.type for each in self.look((*HEAD, *columns), *rows).evidence.further}
        number, date, mark, plain = AttributeType.NUMBER, AttributeType.DATE, AttributeType.MARK, AttributeType.TEXT
        wanted = (number, number, date, mark, mark, number, plain, plain, plain, plain)
        self.assertEqual(found, dict(zip(columns, wanted, strict=True)))


class Reports(Files):
    def test_totals_and_repeated_headers_between_rows_are_passed_over_and_said(self) -> None:
        head = ("order", "customer", "date", "amount")
        rows = [("A-1", "C1", "2025-01-05", "5"), ("Subtotal:", "", "", "5"), head, ("A-2", "C1", "2025-02-05", "6")]
        view = self.look(head, *rows, ("", "", "GRAND TOTAL", "11"))
        pieces = list(read_pieces(view.file, reading_of(view), "EUR", _UTC, lambda _rows: None))
        self.assertEqual([piece.read for piece in pieces], [2])
        self.assertEqual(list(pieces[0].rows.columns["order_number"]), ["A-1", "A-2"])
        self.assertEqual([(p.row, p.rejected) for p in pieces[0].problems], [(3, False), (6, False)])

    def test_a_note_is_passed_over_and_somebody_of_whom_only_the_name_is_there_is_none(self) -> None:
        head, note = ("order", "customer", "date", "amount"), ("Printed by the office", "", "", "")
        rows = [(f"A-{at}", f"C{at}", "2025-01-05", "5") for at in range(4)]
        view = self.look(head, *rows, note)
        [piece] = read_pieces(view.file, reading_of(view), "EUR", _UTC, lambda _rows: None)
        self.assertEqual([(p.row, p.rejected) for p in piece.problems], [(6, False)])
        people = [(f"Ada Kiln {at}", f"a{at}@x.example", "Saltby") for at in range(4)]
        view = self.look(("name", "e-mail", "town"), *people, ("Bram Marl", "", ""))
        [piece] = read_pieces(view.file, reading_of(view), "EUR", _UTC, lambda _rows: None)
        self.assertEqual([(p.row, p.rejected) for p in piece.problems], [(6, True)])

    def test_a_second_table_below_the_first_is_refused_with_its_line(self) -> None:
        first = ("order", "customer", "date", "amount")
        second = ("Payment date", "Customer", "Amount", "")
        with self.assertRaisesRegex(UnreadableFile, r"Another table begins in row 4, with the columns Payment date"):
            self.look(first, ("A-1", "C1", "2025-01-05", "5"), (), second, ("2025-01-09", "C1", "5", ""))

    def test_blank_cells_below_a_filled_one_are_asked_about_and_then_filled(self) -> None:
        head = ("order no", "customer no", "date", "product", "amount", "remark")
        rows = [
            (*((f"A-{at}", f"C{at}", "2025-01-05") if at % 3 == 0 else ("",) * 3), f"p{at}", "2", "") for at in range(9)
        ]
        view = self.look(head, *rows)
        self.assertEqual((view.merged, view.guess.kind), (head[:3], FileKind.LINES))
        with self.assertRaisesRegex(InvalidInput, "order no, customer no, date may repeat it"):
            reading_of(view)
        self.assertEqual(reading_of(view, Given(fill_down=False)).fill_down, ())
        reading = reading_of(view, Given(fill_down=True))
        [piece] = read_pieces(view.file, reading, "EUR", _UTC, lambda _rows: None)
        self.assertEqual(list(piece.rows.columns["order_number"]), [f"A-{at // 3 * 3}" for at in range(9)])
        self.assertEqual(list(piece.rows.columns["customer"]), [f"C{at // 3 * 3}" for at in range(9)])
        self.assertEqual(piece.problems, [])

    def test_a_status_that_is_blank_now_and_then_is_no_merged_cell(self) -> None:
        blanks = [("paid" if at % 2 else "", "x" if at % 3 else "") for at in range(9)]
        rows = [(f"A-{at}", "C1", "2025-01-05", "5", *blanks[at]) for at in range(9)]
        self.assertEqual(self.look((*HEAD, "status", "note"), *rows).merged, ())
        phones = [(f"A-{at}", "C1", "2025-01-05", "5", "", "12" if at == 0 else "") for at in range(9)]
        self.assertEqual(self.look((*HEAD, "note", "Customer phone"), *phones).merged, ())
        people = [("7" if at == 0 else "", f"c{at}@kiln.example", "Ada") for at in range(9)]
        view = self.look(("customer no", "e-mail", "name"), *people)
        self.assertEqual((view.guess.kind, view.merged), (FileKind.CUSTOMERS, ()))
        rare = [(f"A-{at}", "C1", "2025-01-05", "5", "x" if at == 0 else "", "y" if at == 0 else "") for at in range(9)]
        self.assertEqual(self.look((*HEAD, "note", "title"), *rare).merged, ())


class Content(Files):
    def test_customer_and_amount_are_found_by_what_stands_in_them_and_it_is_said(self) -> None:
        rows = [(f"B{at}", "2025-01-05", f"K{at * 7 % 10} {at * 7 % 10}", f"{at}.90", at % 3) for at in range(30)]
        view = self.look(("Invoice no", "Date", "Ordering party", "To pay", "Shelf"), *rows)
        self.assertEqual(view.guess.columns[Meaning.AMOUNT], "To pay")
        self.assertIn(Meaning.AMOUNT, view.guess.by_content)
        view = self.look(("Invoice no", "Date", "Whose", "To pay", "Shelf"), *rows)
        self.assertEqual(view.guess.columns[Meaning.CUSTOMER], "Whose")
        self.assertEqual(view.guess.by_content, (Meaning.CUSTOMER, Meaning.AMOUNT))

    def test_where_two_columns_could_be_it_somebody_is_asked(self) -> None:
        rows = [(f"B{at}", "2025-01-05", f"K{at % 9}", f"{at}.90", f"{at}.10") for at in range(30)]
        view = self.look(("Invoice no", "Date", "Whose", "To pay", "To get"), *rows)
        self.assertNotIn(Meaning.AMOUNT, view.guess.columns)
        self.assertEqual(view.guess.missing, [Meaning.AMOUNT])


if __name__ == "__main__":
    unittest.main()
