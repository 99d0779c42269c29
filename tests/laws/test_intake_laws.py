"""Laws of intake: however the same records are written, cut and sent, the book comes out the same."""

from __future__ import annotations

import csv
import datetime as dt
import gzip
import io
import json
import random
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
from pyarrow import parquet

from goldthread.actions.package import export_book, import_book
from goldthread.core.records import OrderStatus
from goldthread.store.books import BookRow
from tests.support.files import workbook, zipped
from tests.support.planning import HEADERS, planned
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv
from tests.support.state import state_of

COLUMNS = ("order_no", "customer_no", "date", "amount", "status")
Record = tuple[str, str, dt.date, str, str]


def history(seed: int, count: int = 60) -> list[Record]:
    """Orders of a few customers, one number each, some below 0 and some with four decimals."""
    draw = random.Random(seed)
    first = dt.date(2023, 1, 1)
    return [
        (
            f"A-{at}",
            f"C{draw.randrange(12)}",
            first + dt.timedelta(draw.randrange(700)),
            draw.choice(
                (f"{draw.randrange(5_000)}.{draw.randrange(100):02d}", f"-{draw.randrange(1, 90)}.5", "1.2345")
            ),
            draw.choice(("paid", "open", "cancelled", "refunded")),
        )
        for at in range(count)
    ]


def delimited(separator: str, date: str, comma: bool, encoding: str) -> Callable[[list[Record]], bytes]:
    """A writer of text in the habits of some country."""

    def write(records: list[Record]) -> bytes:
        out = io.StringIO(newline="")
        rows = csv.writer(out, delimiter=separator)
        rows.writerow(COLUMNS)
        for number, customer, day, amount, status in records:
            told = amount.replace(".", ",") if comma else amount
            rows.writerow((number, customer, f"{day:{date}}", told, status))
        return out.getvalue().encode(encoding)

    return write


def as_objects(records: list[Record]) -> list[dict[str, str]]:
    return [
        dict(zip(COLUMNS, (number, customer, day.isoformat(), amount, status), strict=True))
        for number, customer, day, amount, status in records
    ]


def as_workbook(records: list[Record]) -> bytes:
    rows: list[list[object]] = [list(COLUMNS)]
    rows += [[number, customer, day, float(amount), status] for number, customer, day, amount, status in records]
    return workbook({"Orders": rows})


def as_parquet(records: list[Record]) -> bytes:
    columns = list(zip(*records, strict=True))
    table = pa.table({name: pa.array(values) for name, values in zip(COLUMNS, columns, strict=True)})
    out = io.BytesIO()
    parquet.write_table(table, out)
    return out.getvalue()


FORMS: dict[str, Callable[[list[Record]], bytes]] = {
    "day first, decimal comma.csv": delimited(";", "%d/%m/%Y", True, "cp1252"),
    "month first.tsv": delimited("\t", "%m/%d/%Y", False, "utf-16"),
    "months in words.csv": delimited("|", "%d %b %Y", False, "utf-8-sig"),
    "array.json": lambda records: json.dumps(as_objects(records)).encode(),
    "lines.jsonl": lambda records: "\n".join(map(json.dumps, as_objects(records))).encode(),
    "real dates.xlsx": as_workbook,
    "columns.parquet": as_parquet,
    "packed.csv.gz": lambda records: gzip.compress(delimited(",", "%Y-%m-%d", False, "utf-8")(records)),
    "packed.zip": lambda records: zipped({"a.csv": delimited(",", "%Y-%m-%d", False, "utf-8")(records)}),
}


class LawCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.workspace = shared_workspace()

    def book_of(self, *deliveries: tuple[str, bytes]) -> BookRow:
        """A new book with files of one source in it."""
        book = new_book(self.workspace)
        for name, content in deliveries:
            path = self.folder / name
            path.write_bytes(content)
            self.assertEqual(deliver(self.workspace, book, path, "till").rows_rejected, 0, name)
        return book


class TheSameRecords(LawCase):
    plain = staticmethod(delimited(",", "%Y-%m-%d", False, "utf-8"))

    def test_in_whatever_format(self) -> None:
        records = history(1)
        wanted = state_of(self.workspace, self.book_of(("plain.csv", self.plain(records))))
        self.assertEqual(len(wanted["orders"]), len(records))
        for name, write in FORMS.items():
            with self.subTest(form=name):
                self.assertEqual(state_of(self.workspace, self.book_of((name, write(records)))), wanted)

    def test_in_whatever_sequence(self) -> None:
        records = history(2)
        wanted = state_of(self.workspace, self.book_of(("a.csv", self.plain(records))))
        for seed in range(3):
            shuffled = random.Random(seed).sample(records, len(records))
            self.assertEqual(state_of(self.workspace, self.book_of(("b.csv", self.plain(shuffled)))), wanted)

    def test_in_whatever_pieces_that_overlap_as_they_may(self) -> None:
        records = history(3)
        wanted = state_of(self.workspace, self.book_of(("a.csv", self.plain(records))))
        for seed in range(3):
            draw = random.Random(seed)
            low, high = sorted(draw.sample(range(5, len(records) - 5), 2))
            pieces = [records[:high], records[low:], draw.sample(records, 9)]
            draw.shuffle(pieces)
            files = [(f"{place}.csv", self.plain(piece)) for place, piece in enumerate(pieces)]
            self.assertEqual(state_of(self.workspace, self.book_of(*files)), wanted)

    def test_with_rows_that_could_not_come_in_until_they_were_mended(self) -> None:
        records = history(4)
        wanted = state_of(self.workspace, self.book_of(("a.csv", self.plain(records))))
        text = self.plain(records).decode()
        spoilt = text.replace(",2023-", ",2023-13-", 5).encode()
        book = new_book(self.workspace)
        (self.folder / "spoilt.csv").write_bytes(spoilt)
        report = deliver(self.workspace, book, self.folder / "spoilt.csv", "till")
        self.assertEqual(report.rows_rejected, min(5, sum(day.year == 2023 for _, _, day, _, _ in records)))
        (self.folder / "whole.csv").write_text(text, encoding="utf-8")
        again = deliver(self.workspace, book, self.folder / "whole.csv", "till")
        self.assertEqual((again.added, again.changed), (report.rows_rejected, 0))
        self.assertEqual(state_of(self.workspace, book), wanted)

    def test_under_other_status_words(self) -> None:
        records = history(5)
        words = {"paid": "stage 9", "open": "stage 1", "cancelled": "stage 0", "refunded": "stage 7"}
        wanted = state_of(self.workspace, self.book_of(("a.csv", self.plain(records))))
        book = new_book(self.workspace)
        path = self.folder / "words.csv"
        path.write_bytes(self.plain([(*record[:4], words[record[4]]) for record in records]))
        deliver(self.workspace, book, path, "till", statuses={word: OrderStatus(s) for s, word in words.items()})
        self.assertEqual(state_of(self.workspace, book), wanted)


class OutAndIn(LawCase):
    def test_any_book_comes_back_as_it_was(self) -> None:
        """Random deliveries of every kind, contradicting each other, out as a package and in again."""
        for seed in range(40, 44):
            draw = random.Random(seed)
            book = new_book(self.workspace)
            for place in range(7):
                plan = planned(draw)
                path = write_csv(self.folder / f"{place}.csv", [HEADERS[plan.kind], *plan.rows])
                deliver(self.workspace, book, path, plan.source, plan.kind)
            package = self.folder / f"{seed}.zip"
            export_book(self.workspace, book, package, lambda *_progress: None)
            back = import_book(self.workspace, package, f"{book.name} back", lambda *_progress: None)
            with self.subTest(seed=seed):
                self.assertEqual(state_of(self.workspace, back), state_of(self.workspace, book))


if __name__ == "__main__":
    unittest.main()
