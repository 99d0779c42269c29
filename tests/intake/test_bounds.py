"""Files made to do harm, or far larger than they look: refused at once, and read by nobody but a bounded process."""

from __future__ import annotations

import io
import json
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import psutil
import pyarrow as pa
import pyarrow.parquet as pq
from hypothesis import given
from hypothesis import strategies as st

from goldthread.core.records import FileKind, Progress, guarded, unguarded
from goldthread.errors import Stopped, UnreadableFile
from goldthread.intake import bounds, delimited
from goldthread.intake.apart import survey_apart
from goldthread.intake.delimited import CELLS_LIMIT, look, rows_of
from goldthread.intake.lines import LINE_LIMIT
from goldthread.intake.meanings import Meaning
from goldthread.intake.packing import Packed, tables_of, unpack
from goldthread.intake.surveying import evidence_of, survey
from tests.support.files import LIMIT, unreported


def stop(_phase: str, _done: int, _total: int) -> None:
    raise Stopped("stopped")


def working() -> list[str]:
    """What processes of ours read files at this moment."""
    ours = [child.cmdline() for child in psutil.Process().children(recursive=True)]
    return [line[-1] for line in ours if any("goldthread.intake" in part for part in line)]


class Lines(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "f.csv"

    def refused(self, content: str) -> str:
        self.path.write_text(content, encoding="utf-8")
        with self.assertRaises(UnreadableFile) as told:
            look(self.path)
        self.assertTrue(told.exception.remedy)
        return told.exception.detail

    def test_a_header_of_separators_alone_is_refused_before_it_is_read(self) -> None:
        self.assertIn(f"{CELLS_LIMIT} are the most", self.refused("," * 60_000 + "\na,b\n"))
        self.assertIn(f"more than {LINE_LIMIT} characters", self.refused("a," * (LINE_LIMIT // 2 + 1)))
        self.assertIn("no filled row", self.refused("," * (CELLS_LIMIT - 1) + "\n"))

    def test_empty_columns_behind_the_last_name_are_passed_over(self) -> None:
        self.path.write_text("order,customer,date,amount" + "," * 16_000 + "\nA-1,C1,2024-01-05,1\n")
        self.assertEqual(look(self.path).header, ("order", "customer", "date", "amount"))

    def test_wide_rows_come_in_pieces_that_fit_into_memory(self) -> None:
        wide = "x," * 9_000 + "\n"
        self.path.write_text("a,b\n" + wide * 60)
        file = look(self.path)
        with (
            mock.patch.object(delimited, "_PIECE_CHARACTERS", 10 * len(wide)),
            mock.patch.object(delimited, "_ROWS_AT_ONCE", 5),
        ):
            pieces = [len(piece.problems) for piece in rows_of(file, 20_000, lambda _rows: None)]
        self.assertEqual(sum(pieces), 60)
        self.assertLessEqual(max(pieces), 15)

    def test_a_long_line_further_down_is_told_with_its_place(self) -> None:
        self.path.write_text("a,b\n1,2\n" + "x" * (LINE_LIMIT + 5) + "\n")
        with self.assertRaisesRegex(UnreadableFile, "Line 3"):
            look(self.path)


class Apart(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def sent(self, content: bytes) -> Packed:
        path = self.folder / "sent"
        path.write_bytes(content)
        return Packed("sent", path)

    def test_a_look_apart_is_the_look(self) -> None:
        path = self.folder / "f.csv"
        path.write_text("order;customer;date;amount\nA-1;C1;03/04/2025;1,5\n")
        found = survey_apart(path, False, unreported)
        self.assertEqual(found.file, survey(path, False, lambda _rows: None).file)
        columns = {Meaning.DATE: "date", Meaning.AMOUNT: "amount"}
        evidence = evidence_of(found.file, found.profile, FileKind.ORDERS, columns)
        self.assertEqual((evidence.dates.open, str(evidence.amounts.mark)), ("03/04/2025", "comma"))
        path.write_text("")
        with self.assertRaisesRegex(UnreadableFile, "empty"):
            survey_apart(path, False, unreported)

    def test_it_ends_with_the_one_who_waits_for_it(self) -> None:
        path = self.folder / "f.csv"
        path.write_text("order,customer,date,amount\n" + "A-1,C1,2025-04-03,1\n" * 200_000)
        with self.assertRaises(Stopped):
            survey_apart(path, False, stop)
        self.assertEqual(working(), [])

    def test_a_converter_ends_with_the_one_who_waits_for_it(self) -> None:
        rows = [{"order": f"A-{at}", "date": "2024-01-05"} for at in range(200_000)]
        sent = self.sent(json.dumps(rows).encode())
        with self.assertRaises(Stopped):
            tables_of(sent, self.folder, LIMIT, stop)
        self.assertEqual(working(), [])

    def test_a_few_bytes_that_unfold_to_millions_of_rows_are_refused(self) -> None:
        out = io.BytesIO()
        pq.write_table(pa.table({"nothing": pa.nulls(50_000_000, pa.int8())}), out)
        self.assertLess(len(out.getvalue()), 1 << 20)
        with self.assertRaisesRegex(UnreadableFile, "Its 50000000 rows take more than"):
            tables_of(self.sent(out.getvalue()), self.folder, LIMIT, unreported)

    def test_json_of_many_levels_is_refused(self) -> None:
        deep = b'[{"a":' + b"[" * 20_000 + b"]" * 20_000 + b"}]"
        with self.assertRaises(UnreadableFile):
            tables_of(self.sent(deep), self.folder, LIMIT, unreported)

    def test_an_archive_that_lists_millions_of_files_is_refused_before_its_list_is_read(self) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("a.csv", "order,customer,date,amount\n")
        content = bytearray(out.getvalue())
        place = content.rfind(b"PK\x05\x06")
        content[place + 12 : place + 16] = (900 << 20).to_bytes(4, "little")
        with self.assertRaisesRegex(UnreadableFile, "too many files"):
            unpack(self.sent(bytes(content)), self.folder, LIMIT, unreported)

    def test_only_two_are_at_it_and_who_waits_can_stop(self) -> None:
        told: list[str] = []

        def waiting(phase: str, _done: int, _total: int) -> None:
            told.append(phase)
            raise Stopped("stopped")

        progress: Progress = waiting
        with bounds.turn(unreported), bounds.turn(unreported), self.assertRaises(Stopped), bounds.turn(progress):
            self.fail("a third turn")
        self.assertEqual(told, ["waiting"])


class Formulas(unittest.TestCase):
    def test_what_a_spreadsheet_would_take_for_a_formula_is_guarded(self) -> None:
        cases = {
            "=1+1": "'=1+1",
            "x;=1+1": "x;'=1+1",
            " =1": " '=1",
            "\uff1dcmd": "'\uff1dcmd",
            "a;\uff0b1;@b": "a;'\uff0b1;'@b",
            "-5.00": "-5.00",
            "it's = that": "it's = that",
        }
        for text, wanted in cases.items():
            with self.subTest(text=text):
                self.assertEqual(guarded(text), wanted)

    @given(st.text(st.sampled_from("=+-@\uff1d'; a1\u00a0\t"), max_size=12))
    def test_a_guard_is_taken_away_again(self, text: str) -> None:
        self.assertEqual(unguarded(guarded(text)), text)


if __name__ == "__main__":
    unittest.main()
