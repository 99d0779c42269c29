"""Condition texts: read back as they were written, as an independent reader reads them, and as SQL judges them."""

from __future__ import annotations

import datetime as dt
import json
import random
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path
from typing import Any, ClassVar

from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.strategies import SearchStrategy
from sqlalchemy import text

import cql2
from goldthread.core.book.days import to_day
from goldthread.core.history.conditions import Level, evaluate
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.cql2.completing import complete
from goldthread.cql2.meaning import chooses_orders, in_words, meaning_of
from goldthread.cql2.nodes import Node, Property, Value, as_json, as_json_text, as_text
from goldthread.cql2.reading import LONGEST, read_condition
from goldthread.errors import ConditionInvalid
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace
from tests.support.condition_sql import FACTS, as_sql
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv

AS_OF = dt.date(2025, 6, 30)
REPS = ("", "Mo", "O'Hara", "100%", "a_b")
TOWNS = ("", "Tern Haven", "Ås", "tern haven")
REGIONS = ("", "Coast", "Hills")

_WORDS = {
    "source": ("counter", "web", "fair"),
    "rep": REPS[1:],
    "status": ("open", "paid", "refunded"),
    "name": ("Ada O'Fallon", "Brae 2", "nobody"),
    "town": TOWNS[1:],
    "region": REGIONS[1:],
    "first_source": ("counter", "web"),
    "first_rep": REPS[1:],
}
_NUMBERS = {
    "amount": ("0", "10.5", "-2.25", "200", "99.99995"),
    "rank": ("1", "2.5", "4"),
    "gap": ("0", "30", "365"),
    "orders": ("1", "3"),
    "revenue": ("100", "512.25"),
    "revenue_to_date": ("100",),
    "first_amount": ("50",),
    "days_since": ("30", "200"),
}
_DATES = ("date", "first_date", "latest_date")
_NO_SEQUENCE = ("name",)


def _leaves() -> SearchStrategy[Node]:
    texts = st.sampled_from(sorted(_WORDS)).flatmap(_text_leaf)
    numbers = st.sampled_from(sorted(_NUMBERS)).flatmap(_number_leaf)
    dates = st.sampled_from(_DATES).flatmap(_date_leaf)
    return st.one_of(texts, numbers, dates)


def _text_leaf(name: str) -> SearchStrategy[Node]:
    value = st.sampled_from(_WORDS[name]).map(Value)
    signs = ("=", "<>") if name in _NO_SEQUENCE else ("=", "<>", "<", ">", "<=", ">=")
    patterns = st.sampled_from(("%a%", "O'%", "%n", "_o", "100\\%", "a\\_b", "%", "%ern h_ven")).map(Value)
    return st.one_of(
        st.builds(lambda op, v: Node(op, (Property(name), v)), st.sampled_from(signs), value),
        st.builds(lambda v: Node("like", (Property(name), v)), patterns),
        st.builds(lambda vs: Node("in", (Property(name), *vs)), st.lists(value, min_size=1, max_size=3)),
        st.just(Node("isNull", (Property(name),))),
    )


def _number_leaf(name: str) -> SearchStrategy[Node]:
    return _ordered(name, st.sampled_from(_NUMBERS[name]).map(lambda told: Value(Decimal(told))))


def _date_leaf(name: str) -> SearchStrategy[Node]:
    return _ordered(name, st.dates(dt.date(2023, 1, 1), dt.date(2025, 8, 1)).map(Value))


def _ordered(name: str, value: SearchStrategy[Value]) -> SearchStrategy[Node]:
    signs = st.sampled_from(("=", "<>", "<", ">", "<=", ">="))
    return st.one_of(
        st.builds(lambda op, v: Node(op, (Property(name), v)), signs, value),
        st.builds(lambda low, high: Node("between", (Property(name), low, high)), value, value),
        st.builds(lambda vs: Node("in", (Property(name), *vs)), st.lists(value, min_size=1, max_size=3)),
        st.just(Node("isNull", (Property(name),))),
    )


def _joined(parts: SearchStrategy[Node]) -> SearchStrategy[Node]:
    several = st.lists(parts, min_size=2, max_size=3)
    return st.one_of(
        st.builds(lambda op, ps: Node(op, tuple(ps)), st.sampled_from(("and", "or")), several),
        st.builds(lambda p: Node("not", (p,)), parts),
    )


CONDITIONS = st.recursive(_leaves(), _joined, max_leaves=5)


def _plain(node: Node) -> Any:
    """The JSON with nested and-s and or-s of one kind joined, as readers may join them."""
    return _flat(json.loads(as_json_text(node)))


def _flat(told: Any) -> Any:
    if not isinstance(told, dict) or "args" not in told:
        return float(told) if isinstance(told, int | float) and not isinstance(told, bool) else told
    args = [[_flat(each) for each in arg] if isinstance(arg, list) else _flat(arg) for arg in told["args"]]
    if told["op"] in ("and", "or"):
        nested = [a["args"] if isinstance(a, dict) and a.get("op") == told["op"] else [a] for a in args]
        args = [each for some in nested for each in some]
    return {"op": told["op"], "args": args}


class Texts(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(CONDITIONS)
    def test_a_condition_is_read_as_it_was_written(self, node: Node) -> None:
        again = read_condition(as_text(node))
        self.assertEqual(_plain(again), _plain(node))
        self.assertEqual(as_json(again), as_json(read_condition(as_text(again))))

    @settings(max_examples=150, deadline=None)
    @given(CONDITIONS)
    def test_an_independent_reader_of_cql2_reads_the_same(self, node: Node) -> None:
        theirs = json.loads(json.dumps(cql2.parse_text(as_text(node)).to_json()))
        self.assertEqual(_flat(theirs), _plain(node))

    @settings(max_examples=200, deadline=None)
    @given(st.text(st.sampled_from("ab='\"()<> ,.%1\\né;NOTANDIN"), max_size=60))
    def test_any_text_is_read_or_told_at_a_place_within_it(self, typed: str) -> None:
        try:
            read_condition(typed)
        except ConditionInvalid as told:
            self.assertTrue(0 <= told.at <= len(typed))
            self.assertTrue(told.detail and told.remedy)
        complete(typed, len(typed), {}, lambda _field: [])

    def test_errors_point_at_the_character(self) -> None:
        cases = {
            "": (0, "ends too soon"),
            "region = ": (9, "ends too soon"),
            "region == 'x'": (8, "= makes no sense here"),
            "region = 'Co": (9, "A quote is not closed"),
            "(amount = 1": (11, "ends too soon"),
            "amount = 1)": (10, "Expected is the end"),
            "amount = 1 rank = 2": (11, "Expected is AND, or OR"),
            "date > DATE('2025-02-30')": (12, "2025-02-30 is not a date"),
            "NOT " * 60 + "rank = 1": (236, "nested too deeply"),
            "a" * (LONGEST + 1): (LONGEST, "characters"),
        }
        for typed, (at, words) in cases.items():
            with self.subTest(typed=typed[:30]), self.assertRaises(ConditionInvalid) as told:
                read_condition(typed)
            with self.subTest(typed=typed[:30]):
                self.assertIn(words, str(told.exception))
                self.assertLessEqual(abs(told.exception.at - at), 4 if "NOT" in typed else 0)


class OnRecords(unittest.TestCase):
    workspace: ClassVar[Workspace]
    book: ClassVar[BookRow]
    history: ClassVar[History]

    @classmethod
    def setUpClass(cls) -> None:
        cls.workspace = shared_workspace()
        cls.book = new_book(cls.workspace)
        draw = random.Random(11)
        names = ["Ada O'Fallon", *(f"Brae {place}" for place in range(2, 25))]
        with tempfile.TemporaryDirectory() as folder:
            people = [
                (f"C{place:02d}", name, draw.choice(TOWNS), draw.choice(REGIONS)) for place, name in enumerate(names)
            ]
            header = ("customer_no", "name", "town", "region")
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "people.csv", [header, *people]), "office")
            for source in ("counter", "web"):
                rows = [
                    (
                        f"{source[0]}{number:05d}",
                        f"C{draw.randrange(24):02d}",
                        dt.date(2023, 1, 1) + dt.timedelta(draw.randrange(950)),
                        draw.choice(("0", "10.50", "-2.25", "200", f"{draw.randrange(1, 40_000) / 100:.2f}")),
                        draw.choice(("paid", "paid", "paid", "open", "refunded", "cancelled")),
                        draw.choice(REPS),
                    )
                    for number in range(120)
                ]
                header = ("order", "customer_no", "date", "amount", "status", "rep")  # type: ignore[assignment]
                deliver(cls.workspace, cls.book, write_csv(Path(folder) / f"{source}.csv", [header, *rows]), source)
        whole = cls.workspace.orders(cls.book.id).orders
        cls.history = read_history(whole, HistoryRule(to_day(AS_OF)))

    @settings(max_examples=120, deadline=None)
    @given(CONDITIONS)
    def test_masks_are_what_the_database_makes_of_the_same_condition(self, node: Node) -> None:
        fields = self.history.fields
        known = {field.name: field for field in fields.fields}
        truth = evaluate(meaning_of(node, known), fields)
        true, false = truth.true, truth.false
        if truth.level is Level.CUSTOMER:
            true, false = fields.to_orders(true), fields.to_orders(false)
        self.assertFalse((true & false).any())
        ids = self.history.book.order_id
        for mask, judged in ((true, as_sql(node)), (false, f"NOT {as_sql(node)}")):
            asked = FACTS.replace(":as_of", f"DATE '{AS_OF}'").replace(":book", str(self.book.id))
            statement = text(f"{asked} SELECT order_id FROM counted WHERE {judged}".replace(":", "\\:"))
            with self.workspace.record.engine.connect() as connection:
                found = connection.execute(statement).scalars()
                self.assertEqual(sorted(ids[mask].tolist()), sorted(found))

    def test_it_speaks_of_orders_where_any_part_does(self) -> None:
        known = {field.name: field for field in self.history.fields.fields}
        cases = {"region = 'Coast'": False, "NOT (rank = 1)": True, "orders > 1 OR amount > 1": True}
        for typed, wanted in cases.items():
            self.assertEqual(chooses_orders(read_condition(typed), known), wanted)

    def test_what_does_not_fit_its_field_is_told_where(self) -> None:
        known = {field.name: field for field in self.history.fields.fields}
        cases = {
            "regoin = 'Coast'": (0, "Did you mean region"),
            "amount = 'much'": (9, "is a number"),
            "region = 4": (9, "is a text"),
            "date = 4": (7, "is a date"),
            "date = 'soon'": (7, "is not a date"),
            "name > 'A'": (0, "has no sequence"),
            "amount LIKE '1%'": (12, "not a text"),
            "region LIKE 4": (12, "needs a pattern"),
            "region BETWEEN 'A' AND 'B'": (0, "does not fit"),
            "rank IN (" + "1," * 250 + "1)": (0, "too many comparisons"),
        }
        for typed, (at, words) in cases.items():
            with self.subTest(typed=typed[:30]), self.assertRaises(ConditionInvalid) as told:
                meaning_of(read_condition(typed), known)
            self.assertEqual((told.exception.at, words in str(told.exception)), (at, True), str(told.exception))

    def test_words(self) -> None:
        known = {field.name: field for field in self.history.fields.fields}
        cases = {
            "first_date >= DATE('2025-01-31')": "first order is not before 31 Jan 2025",
            "amount BETWEEN 5 AND 20.50": "amount is 5 to 20.50",
            "rep IN ('Mo', 'O''Hara')": "sales rep is Mo or O'Hara",
            "NOT (rep IS NULL)": "sales rep is filled in",
            "rep IS NULL": "sales rep is blank",
            "name LIKE '%Fallon%' AND NOT region = 'Coast'": "name has Fallon and not (region is Coast)",
            "name LIKE 'Ada%' OR name LIKE '%n' OR name LIKE 'A_a'": (
                "name begins with Ada or name ends with n or name looks like A_a"
            ),
            "closed = TRUE": "closed is yes",
        }
        for typed, words in cases.items():
            self.assertEqual(in_words(read_condition(typed), known), words)


if __name__ == "__main__":
    unittest.main()
