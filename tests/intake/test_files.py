"""Files as they come: looked at, guessed, read row by row; bad ones reported."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from goldthread.core.records import FileKind, KeyKind, Piece
from goldthread.errors import InvalidInput, UnreadableFile
from goldthread.intake.apart import read_pieces_apart
from goldthread.intake.delimited import look, rows_of
from goldthread.intake.guessing import guess
from goldthread.intake.meanings import KINDS, Meaning, OrdersBy
from goldthread.intake.reading import Reading, read_pieces
from goldthread.intake.surveying import survey
from tests.support import tiny

ZONE = ZoneInfo("Europe/Lisbon")

_FLAT = "order no,cust_ref,placed_on,Sales\n"


class FileCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "export.csv"

    def write(self, content: str | bytes) -> Path:
        self.path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return self.path

    def read(self, content: str | bytes) -> list[Piece]:
        file = look(self.write(content))
        seen = guess(file.header, file.sample)
        reading = Reading(seen.kind, seen.columns, seen.customer_key).validated(file)
        return list(read_pieces(file, reading, "EUR", ZONE, lambda _rows: None))


class Refused(FileCase):
    def test_what_cannot_be_read_says_what_it_is_and_what_to_do(self) -> None:
        cases: dict[str | bytes, str] = {
            b"": "empty",
            b"  \n\n": "empty",
            b"order,customer,date,amount\n": "no rows",
            b"a,b\n\x00\x01,2\n": "not a text file",
            "order,name\n1,Pärn\n".encode() + b"2,P\xe4rn\n": "Line 3 is not UTF-8",
            b"order,name\n1,P\x81rn\n": "Line 2 is not UTF-8",
            ",,\n , \n": "no filled row",
            ",".join(f"c{at}" for at in range(501)) + "\n1\n": "500 are the most",
            'order,name\n1,"never closed\n2,x\n': "never closed",
            'order,name\n1,"' + "x" * 1_000_000 + '"\n': "more than 100000 characters",
        }
        for content, words in cases.items():
            with self.subTest(words=words), self.assertRaisesRegex(UnreadableFile, words) as told:
                list(rows_of(look(self.write(content)), 10, lambda _rows: None))
            self.assertTrue(told.exception.remedy)

    def test_a_reading_that_does_not_fit_the_file_is_refused(self) -> None:
        file = look(self.write("order,customer,date,amount\n1,C1,2024-01-01,5\n"))
        whole = dict(guess(file.header, file.sample).columns)
        wrong: list[tuple[FileKind, dict[Meaning, str], str]] = [
            (FileKind.ORDERS, {Meaning.DATE: "date"}, "order number, customer, amount"),
            (FileKind.ORDERS, whole | {Meaning.AMOUNT: "sum"}, "no column called sum"),
            (FileKind.ORDERS, whole | {Meaning.PRODUCT: "order"}, "has no product"),
            (FileKind.CUSTOMERS, {Meaning.NAME: "customer"}, "customer number or an e-mail"),
        ]
        for kind, columns, words in wrong:
            with self.subTest(words=words), self.assertRaisesRegex(InvalidInput, words):
                Reading(kind, columns, KeyKind.NUMBER).validated(file)


class Guessed(FileCase):
    def test_the_files_of_the_small_history_are_told_apart(self) -> None:
        wanted = {
            "counter.csv": (FileKind.ORDERS, KeyKind.NUMBER, {"order_number": "receipt", "amount": "total"}),
            "phone.tsv": (FileKind.ORDERS, KeyKind.NUMBER, {"order_number": "order", "status": "status"}),
            "web_lines.csv": (FileKind.LINES, KeyKind.EMAIL, {"date": "ordered_at", "quantity": "qty"}),
            "customers.csv": (FileKind.CUSTOMERS, KeyKind.NUMBER, {"customer_number": "customer_no", "name": "name"}),
        }
        for name, (kind, key, columns) in wanted.items():
            file = look(tiny.FOLDER / name)
            found = guess(file.header, file.sample)
            with self.subTest(file=name):
                self.assertEqual((found.kind, found.customer_key, found.missing), (kind, key, []))
                self.assertLessEqual(columns.items(), {m.value: c for m, c in found.columns.items()}.items())

    def test_columns_may_stand_in_any_sequence_under_everyday_names(self) -> None:
        headers = {
            "placed at;Order Value;Client ID;Invoice No": "2024-01-05;12.50;77;A-1",
            "Amount,Date,CustomerNumber,orderNumber": "12.50,2024-01-05,77,A-1",
            "receipt no|cust no|sold on|total": "A-1|77|2024-01-05|12.50",
        }
        for header, row in headers.items():
            [piece] = self.read(f"{header}\n{row}\n")
            with self.subTest(header=header):
                self.assertEqual([*piece.rows.columns["order_number"], *piece.rows.columns["customer"]], ["A-1", "77"])
                self.assertEqual([*piece.rows.columns["date"], *piece.rows.columns["amount"]], ["2024-01-05", "12.5"])

    def test_a_column_of_dates_is_found_by_its_content(self) -> None:
        file = look(self.write("order,customer,fecha,amount\n1,C1,2024-01-01,5\n2,C1,2024-01-02,6\n"))
        self.assertEqual(guess(file.header, file.sample).columns[Meaning.DATE], "fecha")


class Read(FileCase):
    def test_rows_that_cannot_come_in_are_told_and_the_rest_is_read(self) -> None:
        [piece] = self.read(
            "receipt;customer_no;date;total;currency\n"
            "K1;C1;2025-02-31;10.00;EUR\n"
            "K2;;2025-03-01;10.00;EUR\n"
            "K3;C2;2025-03-02;ten;EUR\n"
            ";C2;2025-03-02;11.00;EUR\n"
            "\n"
            "K4;C2;2025-03-02;11.00;USD\n"
            "K5;C3;2025-03-03\n"
            "K6;C3;2025-03-03;12.00;EUR;;\n"
            ";;;;\n"
            "K7;C3;2025-03-04;=1+1;EUR\n"
        )
        told = [(problem.row, problem.column, problem.value) for problem in piece.problems]
        self.assertEqual(
            told,
            [
                (2, "date", "2025-02-31"),
                (3, "customer_no", ""),
                (4, "total", "ten"),
                (5, "receipt", ""),
                (7, "currency", "USD"),
                (8, "", "K5 · C3 · 2025-03-03"),
                (11, "total", "=1+1"),
            ],
        )
        self.assertEqual(piece.rows.columns["order_number"], ["K6"])
        self.assertEqual(piece.read, len(told) + 1)

    def test_a_quotation_mark_inside_a_cell_costs_that_row_only(self) -> None:
        pieces = self.read('order,customer,date,amount\n1,C1,2024-01-01,5\n2,"C"2,2024-01-01,5\n3,C3,2024-01-01,5\n')
        orders = [number for piece in pieces for number in piece.rows.columns["order_number"]]
        problems = [problem for piece in pieces for problem in piece.problems]
        self.assertEqual((orders, [problem.row for problem in problems]), (["1", "3"], [3]))

    def test_cells_may_hold_separators_quotes_and_line_breaks(self) -> None:
        [piece] = self.read(
            'order,customer,date,amount,product,qty\r\n"W-1",C1,2024-01-01,5,"Bowl, ""wide""\nand deep",2\r\n'
        )
        self.assertEqual(list(piece.rows.columns["product"]), ['Bowl, "wide" and deep'])

    def test_a_byte_order_mark_and_old_line_ends_are_read(self) -> None:
        [piece] = self.read(b"\xef\xbb\xbforder,customer,date,amount\r1,C1,2024-01-01,5\r2,C2,2024-01-02,6\r")
        self.assertEqual(list(piece.rows.columns["order_number"]), ["1", "2"])

    def test_files_are_read_in_the_encoding_they_are_written_in(self) -> None:
        text = "order;customer;date;amount\r\n1;Pärn ’n’ Café €;2024-01-01;5\r\n"
        for encoding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
            [piece] = self.read(text.encode(encoding))
            with self.subTest(encoding=encoding):
                self.assertEqual(list(piece.rows.columns["customer"]), ["Pärn ’n’ Café €"])

    def test_customers_keep_every_further_column(self) -> None:
        file = look(tiny.FOLDER / "customers.csv")
        seen = guess(file.header, file.sample)
        [piece] = read_pieces(
            file, Reading(seen.kind, seen.columns, seen.customer_key), "EUR", ZONE, lambda _rows: None
        )
        columns = piece.rows.columns
        self.assertIn('Eskil "Kit" Orme', columns["name"])
        self.assertIn('"region": "Coast"', columns["attributes"][0])
        self.assertNotIn("customer_no", columns["attributes"][0])
        self.assertEqual((columns["closed"][5], columns["do_not_contact"][6]), ("1", "1"))

    def test_large_files_come_in_pieces_that_add_up(self) -> None:
        body = "".join(f"A-{at},C{at % 7},2024-01-01,{at}.5\n" for at in range(45_000))
        seen: list[int] = []
        file = look(self.write(f"order,customer,date,amount\n{body}"))
        found = guess(file.header, file.sample)
        reading = Reading(found.kind, found.columns, found.customer_key)
        pieces = list(read_pieces(file, reading, "EUR", ZONE, seen.append))
        self.assertGreater(len(pieces), 2)
        self.assertEqual(sum(piece.read for piece in pieces), 45_000)
        self.assertEqual(seen[-1], 45_000)
        self.assertEqual(survey(self.path, False, seen.append).file.row_estimate, 45_000)

    def test_an_encoding_is_found_by_content(self) -> None:
        texts = {
            "cp1250": "order;customer\r\n1;Łucja Żółć\r\n2;Świętosława\r\n",
            "cp1252": "order;customer\r\n1;Käufer\r\n2;Señor Garçon\r\n",
            "utf-16-le": "order;customer\r\n1;Pärn\r\n",
            "utf-16-be": "order;customer\r\n1;Pärn\r\n",
        }
        for encoding, text in texts.items():
            with self.subTest(encoding=encoding):
                file = look(self.write(text.encode(encoding)))
                self.assertEqual((file.encoding, file.first_rows[0][1]), (encoding, text.split("\r\n")[1][2:]))
        late = "order;customer\n" + "1;Ada\n" * 30_000
        found = survey(self.write(late.encode() + "2;Pärn\n".encode("cp1252")), False, lambda _rows: None)
        self.assertEqual((found.file.encoding, found.file.row_estimate), ("cp1252", 30_001))
        mixed = late.encode() + "2;Pärn\n".encode() + "3;Pärn\n".encode("cp1252")
        with self.assertRaisesRegex(UnreadableFile, "Line 30003 is not UTF-8"):
            survey(self.write(mixed), False, lambda _rows: None)

    def test_a_name_that_comes_again_is_numbered(self) -> None:
        self.assertEqual(look(self.write("a,b,a,a\n1,2,3,4\n")).header, ("a", "b", "a (2)", "a (3)"))


class Titles(FileCase):
    def test_titles_above_the_table_are_passed_over_and_rows_keep_their_numbers(self) -> None:
        rows = "order,customer,date,amount\n\nA-1,C1,2024-01-05,x\nA-2,C1,2024-01-05,5\n"
        file = look(self.write(f"Till of March\n\nprinted,1 April\n{rows}"))
        self.assertEqual((file.header_row, file.header[0], file.first_numbers), (4, "order", (6, 7)))
        pieces = self.read(self.path.read_bytes())
        self.assertEqual([problem.row for piece in pieces for problem in piece.problems], [6])

    def test_the_header_again_is_no_order_and_another_one_is_a_problem(self) -> None:
        header = "order,customer,date,amount\n"
        [piece] = self.read(f"{header}{header}A-1,C1,2024-01-05,5\norder,client,date,amount\n")
        self.assertEqual(({problem.row for problem in piece.problems}, piece.rows.row), ({4}, [3]))


class Kinds(FileCase):
    def test_the_kind_of_a_file_is_guessed(self) -> None:
        headers = {
            "order,line,customer,date,amount,product\n1,1,C1,2024-01-05,5,Clay": FileKind.LINES,
            "customer_no,order,paid_on,amount\nC1,1,2024-01-05,5": FileKind.PAYMENTS,
            "payment_id,client,date,sum\nZ1,C1,2024-01-05,5": FileKind.PAYMENTS,
            "month,channel,amount\n2024-01,web,5": FileKind.SPEND,
            "from,until,event\n2024-01-05,2024-01-09,kiln sale": FileKind.EVENTS,
            "E-mail,Full name,Town\na@x.example,Ada,Kilnford": FileKind.CUSTOMERS,
            "beleg,kd_nr,datum,summe,wer,stand\n1,C1,2024-01-05,5,Mo,bezahlt": FileKind.ORDERS,
        }
        for content, wanted in headers.items():
            file = look(self.write(content + "\n"))
            with self.subTest(header=file.header):
                self.assertEqual(guess(file.header, file.sample).kind, wanted)

    def test_what_a_row_is_shows_in_what_repeats_and_is_said(self) -> None:
        cases = {
            "order no,cust_ref,placed_on,Item,Sales\n1,C1,2024-01-05,a,5\n1,C1,2024-01-05,b,6\n": (
                "lines",
                "share an order number",
            ),
            _FLAT + "".join(f"{at // 2},C{at // 4},2024-01-05,{at}\n" for at in range(14)): ("lines", "share an order"),
            _FLAT + "".join(f"{max(at, 1)},C1,2024-01-05,{at}\n" for at in range(14)): ("orders", "hardly any"),
            "order no,cust_ref,placed_on,Sales\n1,C1,2024-01-05,5\n2,C1,2024-01-05,6\n": ("orders", "comes twice"),
            "order no,cust_ref,placed_on,Item,Sales\n1,C1,2024-01-05,a,5\n1,C2,2024-01-05,a,6\n": ("orders", ""),
            "order no,client,order date,total,payment date\n1,C1,2024-01-05,5,2024-01-09\n": ("orders", "comes twice"),
            "payment no,order no,client,date,total\n9,1,C1,2024-01-05,5\n": ("payments", "“payment no” speaks"),
            "order no,client,paid on,total\n1,C1,2024-01-05,5\n": ("payments", "“paid on” speaks"),
            "paid by,order no,client,date,total\ncard,1,C1,2024-01-05,5\n": ("orders", "comes twice"),
            "Order #,Placed On,Customer Name,Qty,Unit Price\nT1,2024-01-05,Ada,2,1\nT1,2024-01-05,Ada,1,2\n": (
                "lines",
                "share an order number",
            ),
            "Kundennr;Firma;Ort\n1;Marl;Sal\n": ("customers", "no date with an amount"),
        }
        for content, (kind, why) in cases.items():
            file = look(self.write(content))
            found = guess(file.header, file.sample)
            with self.subTest(header=file.header):
                self.assertEqual(found.kind, kind)
                self.assertIn(why, found.why)
                self.assertEqual(set(found.others), set(KINDS) - {found.kind})
        file = look(self.write(next(iter(cases))))
        self.assertEqual(guess(file.header, file.sample).others[FileKind.ORDERS], "2 orders")
        self.assertEqual(guess(file.header, file.sample).others[FileKind.SPEND], "no month")

    def test_customers_of_whom_only_the_name_is_there_are_known_by_it(self) -> None:
        file = look(self.write("Order No.,Placed On,Client Name,Order Value\n1,2024-01-05,Ada,5\n"))
        found = guess(file.header, file.sample)
        self.assertEqual((found.columns[Meaning.CUSTOMER], found.names_only), ("Client Name", "Client Name"))
        file = look(self.write("Order No.,Placed On,Client No,Client Name,Order Value\n1,2024-01-05,7,Ada,5\n"))
        found = guess(file.header, file.sample)
        self.assertEqual((found.columns[Meaning.CUSTOMER], found.names_only), ("Client No", ""))

    def test_without_an_amount_it_is_quantity_times_unit_price(self) -> None:
        header = "Order No,Client,Date,Item,Qty,Unit Price\n"
        [piece] = self.read(
            header + "1,C1,2024-01-05,Clay,3,1.25\n1,C1,2024-01-05,Tile,,2\n1,C1,2024-01-05,Tile,1.5,0.0325\n"
        )
        self.assertEqual(piece.rows.columns["amount"], ["3.75", "0.0488"])
        self.assertEqual(
            [(p.row, p.reason) for p in piece.problems], [(3, "Quantity times unit price gives no amount.")]
        )
        file = look(self.write("Order No,Client,Date,Item,Qty,Price\n1,C1,2024-01-05,Clay,3,1.25\n"))
        self.assertEqual(guess(file.header, file.sample).missing, [Meaning.AMOUNT])

    def test_lines_without_a_number_are_one_order_for_a_customer_at_a_time_or_on_a_day(self) -> None:
        long = "x" * 80
        rows = [
            *("2024-01-05 10:00,C1,Clay,2,5", "2024-01-05 10:00,C1,Tile,1,6", "2024-01-05 11:00,C1,Tile,1,7"),
            *(f"2024-01-05 10:00,{long}a,Tile,1,7", f"2024-01-05 10:00,{long}b,Tile,1,7", "2024-01-05,C2,Tile,1,1"),
        ]
        file = look(self.write("Date,Client,Item,Qty,Total\n" + "\n".join(rows) + "\n"))
        found = guess(file.header, file.sample)
        self.assertEqual((found.kind, found.missing), (FileKind.LINES, []))
        orders = {}
        for by in OrdersBy:
            reading = Reading(found.kind, found.columns, found.customer_key, orders_by=by).validated(file)
            self.assertTrue(reading.makes_orders)
            [piece] = read_pieces(file, reading, "EUR", ZONE, lambda _rows: None)
            orders[by] = list(piece.rows.columns["order_number"])
            self.assertEqual(piece.problems, [])
            self.assertLessEqual(max(map(len, orders[by])), 64)
        self.assertEqual(orders[OrdersBy.TIME][:3], ["2024-01-05 10:00:00 C1"] * 2 + ["2024-01-05 11:00:00 C1"])
        self.assertEqual(orders[OrdersBy.DAY][:3], ["2024-01-05 C1"] * 3)
        self.assertEqual([len(set(orders[by])) for by in OrdersBy], [5, 4])

    def test_a_header_far_down_is_found_and_one_that_comes_again_is_passed_over(self) -> None:
        titles = "".join(f"Report of the yard {at},,,\n" for at in range(25))
        rows = "1,C1,2024-01-05,5\nOrder No,Client,Date,Total\n2,C2,2024-01-06,6\n"
        [piece] = self.read(f"{titles}Order No,Client,Date,Total\n{rows}")
        self.assertEqual((list(piece.rows.columns["order_number"]), piece.rows.row), (["1", "2"], [27, 29]))
        self.assertEqual(piece.problems, [])

    def test_events_end_when_they_begin_unless_told_and_never_before(self) -> None:
        [piece] = self.read("from,until,event\n2024-01-05,,sale\n2024-01-05,2024-01-04,stock-out\n")
        self.assertEqual((piece.rows.columns["until"], [p.row for p in piece.problems]), (["2024-01-05"], [3]))

    def test_a_large_file_read_apart_gives_the_same_pieces(self) -> None:
        body = "".join(f"A-{at},C{at % 7},2024-01-{at % 33:02d},{at}\n" for at in range(25_000))
        file = look(self.write(f"order,customer,date,amount\n{body}"))
        seen = guess(file.header, file.sample)
        reading = Reading(seen.kind, seen.columns, seen.customer_key)
        here = list(read_pieces(file, reading, "EUR", ZONE, lambda _rows: None))
        rows: list[int] = []
        self.assertEqual(list(read_pieces_apart(file, reading, "EUR", ZONE, rows.append)), here)
        self.assertEqual(rows[-1], 25_000)
        self.path.write_bytes(self.path.read_bytes() + b'A-x,"never closed')
        with self.assertRaisesRegex(UnreadableFile, "never closed") as told:
            list(read_pieces_apart(file, reading, "EUR", ZONE, rows.append))
        self.assertEqual((told.exception.row, bool(told.exception.remedy)), (25_002, True))


class AnyBytes(FileCase):
    @given(st.binary(max_size=300))
    def test_whatever_the_bytes_the_answer_is_rows_or_a_reason(self, content: bytes) -> None:
        try:
            file = look(self.write(b"order,customer,date,amount\n" + content))
            pieces = list(rows_of(file, 3, lambda _rows: None))
        except UnreadableFile as told:
            self.assertTrue(told.detail and told.remedy)
        else:
            for piece in pieces:
                self.assertEqual(len(piece.numbers), len(piece.cells))
                self.assertEqual({len(row) for row in piece.cells} - {len(file.header)}, set())

    @given(st.lists(st.lists(st.text(alphabet="ab 1;,\"'\n=@é-.", max_size=6), min_size=4, max_size=4), max_size=8))
    def test_every_row_is_read_or_told(self, rows: list[list[str]]) -> None:
        """Rows written by the standard library's writer: none vanishes, however odd its cells."""
        import csv
        import io

        out = io.StringIO(newline="")
        csv.writer(out).writerows([["order", "customer", "date", "amount"], ["1", "C", "2024-01-01", "5"], *rows])
        pieces = self.read(out.getvalue())
        solid = [row for row in rows if any(cell.strip() for cell in row)]
        passed_over = {problem.row for piece in pieces for problem in piece.problems if not problem.rejected}
        self.assertEqual(sum(piece.read for piece in pieces) + len(passed_over), 1 + len(solid))
        for piece in pieces:
            rejected = {problem.row for problem in piece.problems if problem.rejected}
            self.assertEqual(piece.read, len(piece.rows.row) + len(rejected))


if __name__ == "__main__":
    unittest.main()
