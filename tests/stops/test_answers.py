"""Every question of every stop: its words, its JSON, its files and what can be kept of it say the same."""

from __future__ import annotations

import csv
import io
import json
import unittest
import unittest.mock
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import python_calamine

from goldthread.core.book.days import to_date
from goldthread.errors import TooLarge
from goldthread.stops.reading import read_book
from goldthread.stops.registry import questions
from goldthread.stops.sentences.reading_line import ListAs, ReadingLine
from goldthread.stops.sentences.sentence import Words, plain, reading_line, sentences
from goldthread.stops.sheet import CONTENT_TYPES, Form, Sheet, limit_size, takes_a_while, write_sheet
from goldthread.stops.stop import Answering, QuestionKind, Window
from tests.support import tiny
from tests.support.asking import keep
from tests.support.sharing import tiny_book
from tests.support.store import StoreCase

CHOICES: dict[str, tuple[dict[str, Any], ...]] = {
    "cohorts": (
        {},
        {"period": "quarter", "figure": "revenue", "split": "first_source", "layout": "grid"},
        {"ages": "elapsed", "figure": "profit_per_customer", "cac": "12.50", "margin": "40"},
        {"view": "bars", "figure": "churn", "first_column": "shown", "columns": "periods"},
    ),
    "newness": ({}, {"period": "year", "measure": "revenue", "split": "source", "view": "table"}),
    "counts": ({}, {"from": "2025-01-01", "to": "2025-06-30", "groups": 3, "zero": "shown", "unit": "purchase-day"}),
    "gaps": ({}, *({"by": by} for by in ("all", "customer", "order", "quarter", "first_source"))),
    "next-order": ({}, {"step": 3, "split": "region"}, {"after": "amount > 20", "then": "lines:category:clay >= 1"}),
    "due": ({}, {"within": "91d", "overdue": "hidden"}),
    "follow-up": ({}, {"who": ("never_ordered", "one_order"), "contactable": "all", "by": "name", "once_ago": "45d"}),
    "standing": ({}, {"by": "region", "and_by": "segment", "lapse": "2x"}, {"over": "quarter", "lapse_by": "activity"}),
    "lapse-curve": ({}, {"lapse": "45d"}),
    "worked": ({"list": "calls"}, {"list": "calls", "within": "45d", "shown": "to_do", "by": "name"}),
    "outcomes": ({}, {"within": "10d"}),
    "loom": ({}, {"by": "usual_gap", "tone": "region", "align": "first"}),
    "customers": ({}, {"by": "revenue", "direction": "up", "show": ("name", "region")}, {"show": ("",)}),
    "nth": ({}, {"rank": "latest", "by": "amount"}, {"rank": "3"}),
    "orders": ({}, {"where": "source = 'web'"}),
    "figures": ({}, {"group": "source"}, {"group": "standing", "lapse": "6m"}),
    "pairs": ({"columns": "source"}, {"rows": "region", "columns": "source", "extreme": "latest"}),
    "backdated": ({},),
    "thread": ({"find": "ofallon"},),
    "worth": ({}, {"margin": "40,2025-01=30", "split": "region", "if_cac": "-5"}, {"ages": "elapsed", "cac": "12"}),
    "payback": (
        {},
        {"period": "quarter", "split": "first_source", "margin": "40"},
        {"cac": "5", "ages": "elapsed", "figure": "revenue"},
    ),
    "forecast": ({}, {"period": "month", "few": "shown", "small": 1}, {"figure": "profit", "margin": "40"}),
    "difference": (
        {},
        {"measure": "average_order_value", "by": "region", "against": "before", "from": "2025-03-01"},
        {"measure": "returning_share", "by": "source"},
        {"measure": "customers", "against": "2024-01-01/2024-03-31", "by": "first_source"},
    ),
    "spend": ({}, {"shown": "problems"}),
    "compare": ({}, {"one": "first_source:web", "other": "2024-Q1", "margin": "40"}, {"one": "list:calls"}),
    "top-customers": ({}, {"top": "half"}),
    "bought": ({}, {"by": "product"}),
    "leads-to": ({},),
    "summary": ({}, {"margin": "40", "cac": "3"}),
}


class Answers(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = tiny_book(self.workspace, self.folder)
        read = read_book(self.workspace, self.book, ReadingLine(), to_date(tiny.AS_OF_DAY))
        keep(self.workspace, read, [0, 3, 5], "calls")

    def asked(self, kind: QuestionKind, answering: Answering[Any, Any], **choices: Any) -> Any:
        question = kind.fields.model_validate({"as_of": "2025-08-31", **choices})
        return answering.asked(self.workspace, self.book, question, to_date(tiny.AS_OF_DAY))

    def each(self) -> list[tuple[QuestionKind, Answering[Any, Any], Any]]:
        """Every question with every choice of the table above, answered."""
        found = [(kind, stop.answering(kind)) for stop, kind in questions()]
        self.assertEqual({kind.name for kind, _ in found}, set(CHOICES))
        return [
            (kind, answering, self.asked(kind, answering, **choices))
            for kind, answering in found
            for choices in CHOICES[kind.name]
        ]

    def test_every_word_that_is_a_control_states_what_is_chosen(self) -> None:
        for kind, _, answer in self.each():
            words: Words = answer.words
            controls = {control.name: control for control in words.controls}
            for part in (*words.sentence, *words.manner):
                if part.control is None or part.control not in controls:
                    continue
                control = controls[part.control]
                labels = [option.label for option in control.options if option.value in control.chosen]
                if part.control == "view" and kind.name not in ("cohorts", "newness"):
                    self.assertEqual(len(labels), 1)
                elif part.control == "show":
                    self.assertEqual(set(part.text.split(", ")), set(labels) or {"no more"})
                elif control.several and labels:
                    self.assertEqual(part.text, " or ".join(labels))
                elif labels:
                    with self.subTest(question=kind.name, control=part.control):
                        self.assertEqual(part.text.casefold(), labels[0].casefold())

    def test_a_sentence_can_be_read_aloud(self) -> None:
        for kind, _, answer in self.each():
            sentence = plain(answer.words.sentence)
            with self.subTest(question=kind.name, sentence=sentence):
                self.assertRegex(sentence, r"^[A-Z].*[.?]$")
                self.assertNotIn("  ", sentence)
                self.assertRegex(plain(reading_line(answer.read)), r"^Reading .*\.$")

    def test_json_carries_the_words_and_is_what_its_shape_says(self) -> None:
        for kind, answering, answer in self.each():
            shape = answering.as_json(self.workspace, answer, Window(limit=3))
            with self.subTest(question=kind.name):
                self.assertIsInstance(shape, answering.shape)
                loaded = json.loads(shape.model_dump_json())
                self.assertEqual(answering.shape.model_validate(loaded), shape)
                said = "".join(part["text"] for part in loaded["sentence"])
                self.assertEqual(said, plain(answer.words.sentence))
                self.assertEqual((loaded["currency"], loaded["as_of"]), ("EUR", "2025-08-31"))
                if "rows" in loaded:
                    self.assertLessEqual(len(loaded["rows"]), 3)

    def test_the_three_forms_hold_the_same_table_under_the_same_sentences(self) -> None:
        for kind, answering, answer in self.each():
            sheet = answering.sheet(self.workspace, answer)
            with self.subTest(question=kind.name):
                self.assertEqual(sheet.sentences, sentences(answer.read, answer.words))
                self.assertRegex(answering.called(answer.question), r"^[a-z0-9-]+$")
                names, count = sheet.table.column_names, sheet.table.num_rows
                rows = list(csv.reader(io.StringIO(self.written(sheet, Form.CSV).decode(), newline="")))
                if sheet.headed:
                    self.assertEqual(rows.pop(0), [" ".join(sheet.sentences)])
                self.assertEqual((rows[0], len(rows) - 1), (names, count))
                arrow = pq.read_table(io.BytesIO(self.written(sheet, Form.PARQUET)))
                self.assertEqual((arrow.column_names, arrow.num_rows), (names, count))
                path = self.folder / "sheet.xlsx"
                path.write_bytes(self.written(sheet, Form.XLSX))
                book = python_calamine.CalamineWorkbook.from_path(path)
                self.assertEqual(book.sheet_names, ["Table", "What it holds"])
                header, *cells = book.get_sheet_by_index(0).to_python()
                self.assertEqual((header, len(cells)), (names, count))

    def written(self, sheet: Sheet, form: Form) -> bytes:
        path = Path(self.folder / f"sheet.{form}")
        write_sheet(sheet, form, path)
        self.assertIn(form, CONTENT_TYPES)
        return path.read_bytes()

    def test_what_can_be_kept_are_customers_of_the_book(self) -> None:
        for kind, answering, answer in self.each():
            if answering.kept is None:
                continue
            kept = answering.kept(answer)
            with self.subTest(question=kind.name, words=kept.words):
                self.assertTrue(kept.words)
                self.assertLess(int(kept.customers.max()), answer.read.orders.customer_count)

    def test_every_question_can_be_asked_of_a_list_in_all_three_ways(self) -> None:
        read = read_book(self.workspace, self.book, questions_line(), to_date(tiny.AS_OF_DAY))
        keep(self.workspace, read, [0, 3, 4], "three")
        for stop, kind in questions():
            answering = stop.answering(kind)
            for used in ListAs:
                answer = self.asked(kind, answering, **{**CHOICES[kind.name][0], "list": "three", "list_as": used})
                with self.subTest(question=kind.name, used=used):
                    looked_at = answer.read.history.customers.size
                    everybody, alone = kind.name == "thread", kind.name == "worked"
                    without = used is ListAs.WITHOUT and not alone
                    self.assertEqual(looked_at, 15 if everybody else 12 if without else 3)
                    compared = used is ListAs.AGAINST and not (everybody or alone)
                    self.assertEqual(answer.read.rest is not None, compared)
                    answering.as_json(self.workspace, answer, Window())

    def test_a_workbook_has_an_end(self) -> None:
        sheet = next(answering.sheet(self.workspace, answer) for _, answering, answer in self.each())
        self.assertFalse(takes_a_while(sheet, Form.CSV))
        wide = Sheet((), sheet.table.slice(0, 0))
        limit_size(wide, Form.XLSX)
        with unittest.mock.patch("goldthread.stops.sheet.XLSX_ROWS", 1), self.assertRaises(TooLarge) as told:
            limit_size(sheet, Form.XLSX)
        self.assertIn("CSV or Parquet", told.exception.remedy)


def questions_line() -> Any:
    """The reading line as it usually is."""
    return next(kind.fields.model_validate({"as_of": "2025-08-31"}) for _, kind in questions())


if __name__ == "__main__":
    unittest.main()
