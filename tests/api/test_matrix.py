"""Every question of the description, asked of books in every state: an answer or a problem, never a fault of ours."""

from __future__ import annotations

import json
import re
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlencode

from sqlalchemy import update

from goldthread.actions.books import today_of
from goldthread.intake.meanings import KeptAt
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from goldthread.store.schema.models import CustomerList
from tests.support.api import ApiCase
from tests.support.asking import keep
from tests.support.every_question import every_question
from tests.support.running import ROOT
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status")
EVERY_VALUE_OF = ("empty", "one order", "as of before everything", "a condition that nobody meets")
IN_EVERY_FORM = ("one order with a blank attribute", "a condition that nobody meets")


class Matrix(ApiCase):
    def test_every_question_is_answered_whatever_the_book_holds(self) -> None:
        asked, terms = 0, set[tuple[int, str]]()
        for name, book, more in self._books():
            for path in every_question(book, every_value=name in EVERY_VALUE_OF, in_every_form=name in IN_EVERY_FORM):
                address = f"{path}{'&' if '?' in path else '?'}{urlencode(more, doseq=True)}"
                reply = self.client.get(address)
                data = reply.data
                reply.close()
                asked += 1
                with self.subTest(book=name, path=address):
                    self.assertLess(reply.status_code, 500, data[:300])
                    if reply.status_code >= 400:
                        self.assertEqual(reply.content_type, "application/problem+json")
                    elif b'"manner"' in data:
                        terms |= {(part["term"], part["text"]) for part in json.loads(data)["manner"] if part["term"]}
        self.assertGreater(asked, 1_000)
        self.assertGreater(len(terms), 30)
        for section, term in sorted(terms):
            with self.subTest(section=section, term=term):
                self.assertIn(term.lower(), self._meaning(section))

    def _meaning(self, section: int) -> str:
        """What a section of the definitions says, in plain words."""
        text = (ROOT / "docs" / "definitions.md").read_text(encoding="utf-8")
        found = re.search(rf"^## {section}\. .*?(?=^## |\Z)", text, re.DOTALL | re.MULTILINE)
        assert found is not None
        return " ".join(found[0].replace("*", "").lower().split())

    def _books(self) -> Iterator[tuple[str, BookRow, dict[str, str]]]:
        workspace = self.workspace
        empty = new_book(workspace)
        yield "empty", empty, {}
        with tempfile.TemporaryDirectory() as folder:

            def with_orders(*rows: tuple[str, ...]) -> BookRow:
                book = new_book(workspace)
                deliver(workspace, book, write_csv(Path(folder) / "f.csv", [HEADER, *rows]))
                return book

            cancelled = with_orders(("A-1", "C1", "2024-01-05", "1", "cancelled"))
            one = with_orders(("A-1", "C1", "2024-01-05", "1", "paid"), ("A-2", "C1", "2024-03-05", "2", "paid"))
            single = with_orders(("A-1", "C1", "2024-01-05", "1.50", "paid"))
            further = new_book(workspace)
            path = write_csv(
                Path(folder) / "g.csv", [(*HEADER, "code"), ("A-1", "C1", "2024-01-05", "1.50", "paid", "")]
            )
            deliver(workspace, further, path, further={"code": KeptAt.ORDER})
        yield "all cancelled", cancelled, {}
        yield "one customer", one, {}
        yield "one order", single, {}
        yield "one order with a blank attribute", further, {}
        yield "as of before everything", self.book, {"as_of": "1950-01-01"}
        yield "as of far ahead", self.book, {"as_of": "2199-12-31"}
        yield "a condition that nobody meets", self.book, {"where": "orders > 1000"}
        yield "a list without members", self.book, {"list": self._nobody()}

    def _nobody(self) -> str:
        """A list whose members have all left the book since."""
        read = read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))
        row = keep(self.workspace, read, [0], "nobody")
        with self.workspace.record.engine.begin() as connection:
            gone = (2**40).to_bytes(8, "little")
            connection.execute(update(CustomerList).where(CustomerList.id == row.id).values(customer_ids=gone))
        return row.name


if __name__ == "__main__":
    unittest.main()
