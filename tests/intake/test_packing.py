"""Files inside files and tables inside files: workbooks, JSON, Parquet, gzip, zip; and files made to do harm."""

from __future__ import annotations

import datetime as dt
import gzip
import io
import json
import tempfile
import unittest
import zipfile
from decimal import Decimal
from pathlib import Path

import pyarrow as pa
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import parquet

from goldthread.errors import GoldThreadError, TooLarge, UnreadableFile
from goldthread.intake.delimited import DelimitedFile, look, rows_of
from goldthread.intake.packing import Packed, tables_of, unpack
from tests.support.files import LIMIT, ods, unreported, workbook, zipped

HEADER = ["order", "customer_no", "date", "amount"]


class PackedCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "sent"

    def sent(self, content: bytes, name: str = "sent") -> Packed:
        self.path.write_bytes(content)
        return Packed(name, self.path)

    def rows(self, content: bytes, name: str = "sent") -> dict[str, list[list[str]]]:
        """Every table of a file by its sheet, header first."""
        found = {}
        for file in unpack(self.sent(content, name), self.folder, LIMIT, unreported):
            for table in tables_of(file, self.folder, LIMIT, unreported):
                whole = look(table.path, table.typed)
                found[table.name or file.name] = [list(whole.header), *self.cells(whole)]
        return found

    def cells(self, file: DelimitedFile) -> list[list[str]]:
        return [row for piece in rows_of(file, 1000, lambda _rows: None) for row in piece.cells]


class Workbooks(PackedCase):
    def test_real_dates_numbers_and_texts_of_every_sheet(self) -> None:
        rows: list[list[object]] = [
            [*HEADER],
            ["A-1", 1001, dt.date(2024, 2, 29), 12.5],
            [],
            [1002, "C2", dt.datetime(2024, 3, 1, 9, 30), 1234.567],  # noqa: DTZ001 - a workbook knows no zone
            ["A-3", True, "3 March 2024", 0.1 + 0.2],
        ]
        found = self.rows(workbook({"Notes": [], "Orders": rows, "Old": [["x"], ["=1+1 as text"]]}), "till.xlsx")
        self.assertEqual(list(found), ["Orders", "Old"])
        self.assertEqual(
            found["Orders"][1:],
            [
                ["A-1", "1001", "2024-02-29", "12.5"],
                ["1002", "C2", "2024-03-01 09:30:00", "1234.5670"],
                ["A-3", "yes", "3 March 2024", "0.3"],
            ],
        )

    def test_a_formula_into_another_workbook_gives_the_value_it_was_saved_with(self) -> None:
        out = io.BytesIO()
        with xlsxwriter.Workbook(out) as book:
            sheet = book.add_worksheet("S")
            sheet.write_row(0, 0, ["order", "amount"])
            sheet.write(1, 0, "A-1")
            sheet.write_formula(1, 1, "='[prices.xlsx]May'!$B$2", None, 12.5)
        self.assertEqual(self.rows(out.getvalue())["S"][1], ["A-1", "12.5"])

    def test_a_sheet_with_more_columns_than_any_export_is_refused(self) -> None:
        [table] = tables_of(
            self.sent(workbook({"S": [[f"c{at}" for at in range(16_000)], [1]]})), self.folder, LIMIT, unreported
        )
        with self.assertRaisesRegex(UnreadableFile, "16000 columns; 500 are the most"):
            look(table.path, table.typed)

    def test_rows_keep_the_numbers_they_have_in_the_sheet(self) -> None:
        rows: list[list[object]] = [[], ["Till of March"], [], [*HEADER], ["A-1", "C1", "2024-03-01", 5]]
        [table] = tables_of(self.sent(workbook({"S": rows})), self.folder, LIMIT, unreported)
        file = look(table.path, table.typed)
        [piece] = rows_of(file, 100, lambda _rows: None)
        self.assertEqual((file.header_row, list(file.header), piece.numbers), (4, HEADER, [5]))

    def test_ods(self) -> None:
        def cell(kind: str, value: str, text: str) -> str:
            return f'<table:table-cell office:value-type="{kind}" {value}><text:p>{text}</text:p></table:table-cell>'

        rows = [
            [cell("string", "", name) for name in HEADER],
            [
                cell("string", "", "A-1"),
                cell("float", 'office:value="7"', "7"),
                cell("date", 'office:date-value="2024-02-29"', "29/02/24"),
                cell("float", 'office:value="9.9"', "9,90"),
            ],
        ]
        self.assertEqual(self.rows(ods(rows))["Till"][1], ["A-1", "7", "2024-02-29", "9.9"])


class Structured(PackedCase):
    RECORDS = (
        {"order": "A-1", "customer": {"email": "a@x.example"}, "amount": 12.345, "items": [{"sku": "x"}, {"sku": "y"}]},
        {"order": "A-2", "customer": {"email": "b@x.example"}, "amount": 7, "paid": True, "note": None},
    )
    WANTED = (
        ["A-1", "a@x.example", "12.3450", "x", ""],
        ["A-1", "a@x.example", "12.3450", "y", ""],
        ["A-2", "b@x.example", "7", "", "yes"],
    )

    def test_json_in_its_usual_shapes(self) -> None:
        shapes = {
            "array": json.dumps(self.RECORDS),
            "inside": json.dumps({"made": "2024", "orders": self.RECORDS}),
            "lines": "\n".join(map(json.dumps, self.RECORDS)),
        }
        for name, content in shapes.items():
            with self.subTest(shape=name):
                [(header, *rows)] = self.rows(content.encode(), "x.json").values()
                self.assertEqual(header[:5], ["order", "customer.email", "amount", "items.sku", "paid"])
                self.assertEqual([row[:5] for row in rows], list(self.WANTED))

    def test_parquet_keeps_exact_amounts_and_moments(self) -> None:
        moment = dt.datetime(2024, 12, 31, 23, 30, tzinfo=dt.timezone(dt.timedelta(hours=-5)))
        table = pa.table(
            {
                "order": ["A-1", "A-2"],
                "amount": pa.array([Decimal("12.3400"), Decimal("1.234")], pa.decimal128(12, 4)),
                "date": pa.array([dt.date(2024, 2, 29), None]),
                "at": pa.array([moment, moment], pa.timestamp("s", "UTC")),
            }
        )
        out = io.BytesIO()
        parquet.write_table(table, out)
        [(_header, *rows)] = self.rows(out.getvalue()).values()
        self.assertEqual(
            rows,
            [
                ["A-1", "12.34", "2024-02-29", "2025-01-01T04:30:00+00:00"],
                ["A-2", "1.2340", "", "2025-01-01T04:30:00+00:00"],
            ],
        )

    def test_packed_files_keep_their_names(self) -> None:
        csv = b"order,customer_no,date,amount\nA-1,C1,2024-01-05,5\n"
        self.assertEqual(list(self.rows(gzip.compress(csv), "web.csv.gz")), ["web.csv"])
        packed = zipped({"a/web.csv": csv, "__MACOSX/._web.csv": b"x", "b/": b"", "till.csv": csv})
        self.assertEqual(list(self.rows(packed, "all.zip")), ["web.csv", "till.csv"])


class MadeToDoHarm(PackedCase):
    def refused(
        self, content: bytes, words: str, name: str = "sent", kind: type[GoldThreadError] = UnreadableFile
    ) -> None:
        with self.subTest(words=words), self.assertRaisesRegex(kind, words) as told:
            for file in unpack(self.sent(content, name), self.folder, LIMIT, unreported):
                tables_of(file, self.folder, LIMIT, unreported)
        self.assertTrue(told.exception.remedy)

    def test_bombs(self) -> None:
        zeros = b"0" * (LIMIT + 1)
        self.refused(zipped({"a.csv": zeros}), "unpacks to more than 64 MiB", kind=TooLarge)
        self.refused(gzip.compress(zeros), "unpacks to more than 64 MiB", kind=TooLarge)
        self.refused(zipped({"[Content_Types].xml": zeros}), "more than 64 MiB")
        self.refused(zipped({f"{at}.csv": b"x" for at in range(201)}), "201 files", kind=TooLarge)
        self.refused(zipped({"a.zip": zipped({"b.csv": b"x"})}), "packed once more")

    def test_a_sheet_that_claims_a_far_corner_ends_its_own_process_only(self) -> None:
        book = workbook({"S": [[1]]})
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(book)) as known, zipfile.ZipFile(out, "w") as made:
            for name in known.namelist():
                content = known.read(name)
                if name == "xl/worksheets/sheet1.xml":
                    far = b'<row r="1048576"><c r="XFD1048576"><v>2</v></c></row></sheetData>'
                    content = content.replace(b"</sheetData>", far)
                made.writestr(name, content)
        self.refused(out.getvalue(), "asks for more memory|too much memory|could not be unpacked")

    def test_entities_are_not_expanded(self) -> None:
        book = workbook({"S": [["order", "name"], ["A-1", "x"]]})
        bomb = b'<!DOCTYPE sst [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><sst '
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(book)) as known, zipfile.ZipFile(out, "w") as made:
            for name in known.namelist():
                content = known.read(name)
                if name == "xl/sharedStrings.xml":
                    content = content.replace(b"<sst ", bomb).replace(b"<t>x</t>", b"<t>&b;</t>")
                made.writestr(name, content)
        try:
            found = self.rows(out.getvalue())
        except UnreadableFile as told:
            self.assertTrue(told.remedy)
        else:
            self.assertNotIn("aaaa", str(found))

    def test_damaged_locked_and_lying_files(self) -> None:
        self.refused(b"PK\x03\x04rest", "damaged or locked zip", "orders.csv")
        self.refused(b"\x1f\x8b\x08rest", "damaged gzip")
        self.refused(b"PAR1....PAR1", "not a readable Parquet")
        self.refused(b'{"orders": [1, 2]}', "values where objects should stand")
        self.refused(b'{"orders": [', "breaks off in line 1|holds no list")
        self.refused(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 old", "damaged")
        self.refused(b"%PDF-1.7", "PDF")
        self.refused(workbook({"S": []}), "No sheet")
        self.refused(json.dumps([{f"f{at}": 1 for at in range(16_000)}]).encode(), "more than 2000 fields")
        whole = workbook({"S": [["order"], ["A-1"]]})
        self.refused(whole[:200] + bytes(200) + whole[400:], "damaged")

    @settings(max_examples=12)
    @given(
        st.sampled_from([b"PK\x03\x04", b"PAR1", b"\x1f\x8b", b"[", b"{", b"\xd0\xcf\x11\xe0"]), st.binary(max_size=200)
    )
    def test_whatever_follows_a_signature_the_answer_is_tables_or_a_reason(self, start: bytes, rest: bytes) -> None:
        try:
            found = self.rows(start + rest)
        except GoldThreadError as told:
            self.assertTrue(told.detail and told.remedy)
        else:
            self.assertTrue(found)


if __name__ == "__main__":
    unittest.main()
