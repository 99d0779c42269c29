"""A number comes by every road the same: figures that a filter, a list, a unit or another book must not change."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

from goldthread.actions.books import find_book
from goldthread.core.records import FileKind, KeyKind
from goldthread.errors import InvalidInput
from goldthread.intake.meanings import KeptAt
from goldthread.stops.registry import question_called
from goldthread.stops.sentences.sentence import condition_words
from goldthread.store.books import BookRow
from tests.support.asking import keep
from tests.support.sharing import deliver, new_book, write_csv
from tests.support.store import StoreCase

HEAD = ("order number", "customer number", "order date", "amount")
TODAY = dt.date(2024, 12, 31)
H = (("1", "K1", "2024-01-01", "1"), ("2", "K1", "2024-01-11", "1"), ("3", "K2", "2024-01-01", "1"))
"""Two customers: who came back after ten days, and who has not."""
Row = dict[str, Any]


class ReadingCase(StoreCase):
    def put(
        self,
        *rows: tuple[str, ...],
        head: tuple[str, ...] = HEAD,
        book: BookRow | None = None,
        source: str = "shop",
        **further: KeptAt,
    ) -> None:
        path = write_csv(self.folder / "file.csv", [head, *rows])
        deliver(self.workspace, book or self.book, path, source, FileKind.ORDERS, KeyKind.NUMBER, further=further)

    def put_lines(self, book: BookRow, *rows: tuple[str, ...]) -> None:
        head = ("order number", "customer number", "date", "amount", "line number", "product", "category")
        deliver(
            self.workspace,
            book,
            write_csv(self.folder / "lines.csv", [head, *rows]),
            "web",
            FileKind.LINES,
            KeyKind.NUMBER,
        )

    def answer(self, question: str, **choices: Any) -> tuple[Any, Any]:
        stop, kind = question_called(question)
        answering = stop.answering(kind)
        book = find_book(self.workspace, self.book.id)
        given = kind.fields(**{"as_of": "2024-03-01", **choices})
        return answering, answering.asked(self.workspace, book, given, TODAY)

    def rows(self, question: str, **choices: Any) -> list[Row]:
        answering, answer = self.answer(question, **choices)
        found: list[Row] = answering.sheet(self.workspace, answer).table.to_pylist()
        return found

    def behind(self, question: str, figure: Row, **choices: Any) -> tuple[int, int]:
        """How many customers and orders stand behind a figure."""
        answering, answer = self.answer(question, **choices)
        counted = answering.evidence.counted(answer, answering.evidence.figure(**figure)).behind
        return counted.customers.size, counted.orders.size

    def recounted(self, question: str, figure: Row, **choices: Any) -> bool | None:
        answering, answer = self.answer(question, **choices)
        agrees: bool | None = answering.evidence.recount(
            self.workspace, answer, answering.evidence.figure(**figure)
        ).agrees
        return agrees

    def test_when_somebody_is_expected_is_what_everybody_shows(self) -> None:
        self.put(*H)
        _, read = self.answer("customers")
        keep(self.workspace, read.read, [1], "second")
        wanted = {"next_due": dt.date(2024, 1, 11), "overdue": 6.0}
        for choices in ({}, {"where": "number = 'K2'"}, {"where": "overdue > 5"}, {"list": "second"}):
            rows = self.rows("customers", show=tuple(wanted), **choices)
            mine = next(row for row in rows if row["customer"] == "K2")
            self.assertEqual({name: mine[name] for name in wanted}, wanted, choices)
            contact = next(
                row for row in self.rows("follow-up", who=("overdue",), **choices) if row["customer"] == "K2"
            )
            self.assertEqual((contact["next_due"], contact["expected_gap"]), (wanted["next_due"], 10.0))
            stands = self.rows("standing", lapse="2x", **choices)
            self.assertEqual(next(row["customers"] for row in stands if row["standing"] == "lapsed"), 1)
            last = self.rows("standing", lapse="2x", over="month", **choices)[-4:]
            self.assertEqual([row["customers"] for row in last], [row["customers"] for row in stands])
            self.assertTrue(self.recounted("due", {"at": "late"}, **choices))

    def test_customers_without_a_matching_order_stay_where_figures_are_per_customer(self) -> None:
        rows = (("1", "K1", "2024-01-01", "100", "web"), ("2", "K1", "2024-02-01", "100", "fair"))
        self.put(*rows, ("3", "K2", "2024-01-05", "50", "fair"), head=(*HEAD, "channel"))
        where = {"where": "channel = 'web'"}
        found = {row["measure"]: row["value"] for row in self.rows("worth", **where)}
        self.assertEqual((found["customers"], found["orders"], found["orders_per_customer"]), (2.0, 1.0, 0.5))
        self.assertEqual(self.behind("worth", {"measure": "customers"}, **where), (2, 1))
        self.assertEqual(self.behind("worth", {"measure": "orders"}, **where), (1, 1))
        self.assertEqual(self.behind("payback", {"age": 0}, **where), (2, 1))
        self.assertEqual([row["size"] for row in self.rows("cohorts", **where)][:1], [2])
        self.assertEqual(self.rows("counts", **where)[0]["went_on"], 0.5)
        _, answer = self.answer("worth", **where)
        self.assertIn(
            "Customers without a matching order count as customers", "".join(p.text for p in answer.words.manner)
        )

    def test_brackets_change_nothing(self) -> None:
        rows = (("1", "K1", "2024-01-01", "5", "web"), ("2", "K1", "2024-02-01", "5", "fair"))
        self.put(*rows, ("3", "K2", "2024-01-05", "5", "web"), head=(*HEAD, "channel"))
        plain = self.rows("cohorts", where="number = 'K1' AND channel = 'web' AND amount > 1")
        self.assertEqual([row["size"] for row in plain][:1], [1])
        for where in (
            "(number = 'K1' AND channel = 'web') AND amount > 1",
            "number = 'K1' AND (channel = 'web' AND (amount > 1))",
            "NOT (number <> 'K1' OR channel <> 'web') AND amount > 1",
        ):
            self.assertEqual(self.rows("cohorts", where=where), plain, where)
            self.assertEqual(len(self.rows("thread", find="K1", where=where)), 1)

    def test_a_column_with_the_name_of_a_field_of_ours_takes_no_place(self) -> None:
        self.put(("1", "K1", "2024-01-01", "5", "B2B"), head=(*HEAD, "category"), category=KeptAt.ORDER)
        self.put_lines(self.book, ("9", "K2", "2024-01-02", "4", "1", "kiln", "clay"))
        rows = {row["customer"]: row for row in self.rows("orders")}
        self.assertEqual((rows["K2"]["category"], rows["K2"]["first_category"]), ("clay", "clay"))
        self.assertEqual((rows["K1"]["category"], rows["K1"]["first_category"]), (None, None))
        self.assertEqual(rows["K1"]["order.category"], "B2B")
        fields = self.answer("orders")[1].read.fields.by_name
        self.assertEqual(fields["order.category"].title, "category (shop)")

    def test_a_book_beside_it_changes_no_recount_of_products(self) -> None:
        for book in (new_book(self.workspace), self.book, new_book(self.workspace)):
            of_one = "kiln" if book is self.book else "loop"
            self.put_lines(
                book,
                ("9", "K1", "2024-01-02", "4", "1", of_one, "clay"),
                ("10", "K1", "2024-01-03", "5", "1", "slab", "clay"),
            )
            self.put(("9", "K1", "2024-01-02", "9"), ("11", "K1", "2024-01-09", "9"), book=book, source="web")
        for label in ("kiln", "slab"):
            self.assertTrue(self.recounted("bought", {"label": label}, by="product"), label)
        self.assertTrue(self.recounted("leads-to", {"first": "clay", "later": "clay"}))

    def test_purchase_days_bear_their_names_in_files(self) -> None:
        self.put(("A-1", "K1", "2024-01-01", "1"), ("A-2", "K1", "2024-01-01", "100"), ("A-3", "K1", "2024-01-09", "2"))
        found = [(row["order"], row["amount"]) for row in self.rows("orders", unit="purchase-day")]
        self.assertEqual(found, [("A-1 and 1 more", Decimal(101)), ("A-3", Decimal(2))])
        self.assertEqual(self.rows("figures", unit="purchase-day")[0]["largest_order"], "A-1 and 1 more")
        self.assertEqual([row["order"] for row in self.rows("orders")], ["A-1", "A-2", "A-3"])

    def test_backdated_is_a_fact_of_the_record(self) -> None:
        head = (*HEAD, "status")
        self.put(("2", "K1", "2024-01-01", "1", "paid"), ("1", "K1", "2024-02-01", "9", "cancelled"), head=head)
        for choices in (
            {},
            {"where": "amount < 5"},
            {"where": "amount < 5", "firsts": "matching"},
            {"status": ("paid",)},
        ):
            self.assertEqual([row["order"] for row in self.rows("backdated", **choices)], ["2"], choices)
        self.assertEqual(self.rows("backdated", as_of="2024-01-31"), [])

    def test_a_window_begins_with_the_whole_history(self) -> None:
        self.put(*H, ("0", "K3", "2023-06-01", "1"))
        _, answer = self.answer("customers")
        keep(self.workspace, answer.read, [0], "one")
        for choices in ({}, {"list": "one", "list_as": "against"}, {"where": "number = 'K2'"}):
            _, counted = self.answer("counts", **choices)
            self.assertEqual(str(counted.counts.first_day), str(19_509), choices)
            if counted.rest is not None:
                self.assertEqual(counted.rest.first_day, counted.counts.first_day)

    def test_revenue_from_a_category_is_0_before_the_first_such_line(self) -> None:
        self.put(*H)
        self.put_lines(self.book, ("9", "K1", "2024-02-02", "4", "1", "kiln", "clay"))
        name = "revenue:category:clay"
        early = self.rows("customers", show=(name,), as_of="2024-01-31")
        self.assertEqual([row[name] for row in early], [Decimal(0), Decimal(0)])
        self.assertEqual(len(self.rows("customers", where=f'"{name}" = 0', as_of="2024-01-31")), 2)
        with self.assertRaises(InvalidInput):
            self.rows("customers", show=("revenue:category:nothing",))

    def test_orders_and_revenue_of_a_range_of_dates_are_fields_of_customers(self) -> None:
        self.put(*H, ("4", "K2", "2024-02-29", "5"), ("5", "K3", "2024-03-01", "7"))
        orders, revenue = "orders:dated:2024-01-11/2024-02-29", "revenue:dated:2024-01-11/2024-02-29"
        found = self.rows("customers", by="first_date", show=(orders, revenue))
        self.assertEqual(
            {row["name"]: (row[orders], row[revenue]) for row in found},
            {"K1": (1, Decimal(1)), "K2": (1, Decimal(5)), "K3": (0, Decimal(0))},
        )

        def numbers(where: str, **choices: Any) -> list[str]:
            return sorted(row["name"] for row in self.rows("customers", where=where, **choices))

        self.assertEqual(numbers(f'"{orders}" >= 1'), ["K1", "K2"])
        self.assertEqual(numbers(f'"{orders}" = 0'), ["K3"])
        self.assertEqual(numbers(f'"{orders}" = 0', as_of="2024-02-28"), ["K2", "K3"])
        for way, words in ((">= 1", "ordered"), ("= 0", "no order"), (">= 2", "orders")):
            _, answer = self.answer("customers", where=f'"{orders}" {way}')
            said = condition_words(answer.read)
            self.assertTrue(said.startswith(f"{words} from 11 Jan 2024 to 29 Feb 2024"), said)
        for wrong in ("2024-02-30/2024-03-01", "2024-02-02/2024-02-01"):
            with self.subTest(wrong), self.assertRaises(InvalidInput) as told:
                numbers(f'"orders:dated:{wrong}" = 0')
            self.assertIn("no range of dates", told.exception.detail)

    def test_how_late_somebody_is_stands_in_the_lower_group(self) -> None:
        # everybody's first gap is ten days; whoever came first ten, twenty, forty days ago is late by 0, 1 and 3 gaps
        days = [dt.date(2024, 3, 1) - dt.timedelta(days=10 * gaps) for gaps in (2, 3, 5, 6)]
        self.put(("1", "A", "2024-02-10", "1"), ("2", "A", "2024-02-20", "1"))
        for place, day in enumerate(days):
            self.put((f"9{place}", f"K{place}", day.isoformat(), "1"))
        _, answer = self.answer("due")
        self.assertEqual(answer.due.per_lateness.tolist(), [1, 1, 1, 1, 0])

    def test_who_was_expected_on_the_same_day_is_a_group_of_their_own(self) -> None:
        self.put(("1", "A", "2024-02-10", "1"), ("2", "A", "2024-02-10", "1"), ("3", "B", "2024-02-10", "1"))
        _, answer = self.answer("due")
        self.assertEqual(answer.due.per_lateness.tolist(), [0, 0, 0, 0, 1])
        self.assertEqual(self.behind("due", {"at": "late-5"}), (1, 1))
        self.assertTrue(self.recounted("due", {"at": "late-5"}))

    def test_a_customer_is_counted_once_in_the_last_group_of_steps(self) -> None:
        days = [dt.date(2024, 1, 1) + dt.timedelta(days=3 * place) for place in range(13)]
        reps = ["Mo" if place in (1, 11, 12) else "" for place in range(13)]
        rows = [(day.isoformat(), "K1", day.isoformat(), "1", rep) for day, rep in zip(days, reps, strict=True)]
        self.put(*rows, head=(*HEAD, "rep"))
        found = [(row["step"], row["count"], row["customers"]) for row in self.rows("gaps", where="rep = 'Mo'")]
        self.assertEqual(found, [("1", 1, 1), ("10+", 2, 1)])

    def test_a_first_period_of_nothing_gives_no_revenue_retention(self) -> None:
        self.put(("1", "A", "2024-01-10", "-5"), ("2", "A", "2024-02-10", "3"), ("3", "B", "2024-02-01", "4"))
        rows = self.rows("cohorts", figure="revenue_retention")
        self.assertEqual([row["revenue_retention"] for row in rows if row["cohort"] == "2024-01"], [None] * 3)
        grid = self.rows("cohorts", figure="revenue_retention", layout="grid")
        self.assertEqual((grid[0]["1"], grid[0]["2"]), (None, None))

    def test_what_a_file_of_customers_says_is_typed(self) -> None:
        self.put(*H)
        path = write_csv(
            self.folder / "about.csv",
            [("customer number", "score", "since", "phone", "tier"), ("K1", "9,5", "23.01.2024", "0351", "gold")],
        )
        deliver(self.workspace, self.book, path, "about", FileKind.CUSTOMERS, KeyKind.NUMBER)
        self.assertEqual([row["customer"] for row in self.rows("customers", where="score < 10")], ["K1"])
        self.assertEqual(len(self.rows("customers", where="since < DATE('2024-02-01') AND tier = 'gold'")), 1)
        self.assertEqual(len(self.rows("customers", where="score = '9.5' AND phone = '0351'")), 1)
        row = self.rows("customers", show=("score", "since", "phone"))[-1]
        self.assertEqual((row["score"], row["since"], row["phone"]), (9.5, dt.date(2024, 1, 23), "0351"))
        self.assertEqual({row["group"] for row in self.rows("standing", by="score")}, {"9.5", None})

    def test_a_blank_group_is_an_empty_cell_in_every_file(self) -> None:
        self.put(("1", "A", "2024-01-10", "5", ""), ("2", "A", "2024-02-10", "3", "blank"), head=(*HEAD, "channel"))
        asked: tuple[tuple[str, Row], ...] = (
            ("figures", {"group": "channel"}),
            ("gaps", {"by": "first_channel"}),
            ("next-order", {"split": "channel"}),
            ("standing", {"by": "first_channel"}),
            ("cohorts", {"split": "first_channel"}),
            ("newness", {"split": "channel"}),
            ("worth", {"split": "first_channel"}),
            ("payback", {"split": "first_channel"}),
        )
        for question, choices in asked:
            groups = {row["group"] for row in self.rows(question, **choices)} - {"all"}
            self.assertEqual(groups, {None, "blank"} & groups | {None}, question)
        self.assertEqual({row["channel"] for row in self.rows("pairs", columns="channel")}, {None, "blank"})

    def test_an_attribute_of_customers_groups_by_its_own_values_beside_one_of_orders(self) -> None:
        self.put(*((*row, str(at)) for at, row in enumerate(H)), head=(*HEAD, "score"), score=KeptAt.ORDER)
        path = write_csv(self.folder / "about.csv", [("customer number", "score"), ("K1", "70"), ("K2", "80")])
        deliver(self.workspace, self.book, path, "about", FileKind.CUSTOMERS, KeyKind.NUMBER)
        of_orders = {row["group"] for row in self.rows("figures", group="order.score")}
        of_customers = {row["group"] for row in self.rows("figures", group="score")}
        self.assertEqual((of_orders, of_customers), ({"0", "1", "2"}, {"70", "80"}))

    def test_an_own_attribute_without_a_value_is_blank(self) -> None:
        self.put(*((*row, "") for row in H), head=(*HEAD, "code"), code=KeptAt.ORDER)
        self.assertEqual([row["code"] for row in self.rows("orders")], [None] * 3)
        self.assertEqual([row["first_code"] for row in self.rows("nth")], [None] * 2)
        self.assertEqual([row["group"] for row in self.rows("figures", group="code")], [None])
        self.assertEqual([row["group"] for row in self.rows("gaps", by="code")], [None])

    def test_nobody_is_no_fault(self) -> None:
        self.put(*H)
        nobody = {"where": "orders > 100"}
        self.assertEqual(self.rows("standing", by="first_source", **nobody), [])
        for question in ("worth", "payback", "cohorts"):
            choices = {"margin": "40,2024-01=50", "split": "first_source", **nobody}
            self.rows(question, **choices)

    def test_a_month_with_spend_and_nobody_new_opens_as_nobody(self) -> None:
        self.put(*H)
        path = write_csv(self.folder / "s.csv", [("month", "channel", "amount"), ("2024-02", "ads", "5")])
        deliver(self.workspace, self.book, path, "spend", FileKind.SPEND)
        self.assertEqual(self.behind("spend", {"month": "2024-02"}), (0, 0))
        with self.assertRaises(InvalidInput):
            self.behind("spend", {"month": "2031-02"})

    def test_matching_orders_are_a_history_in_which_nobody_vanishes(self) -> None:
        rows = (("1", "K1", "2024-01-01", "5", "web"), ("2", "K2", "2024-01-05", "5", "fair"))
        self.put(*rows, head=(*HEAD, "channel"))
        matching = {"where": "channel = 'web'", "firsts": "matching"}
        stands = {row["standing"]: row["customers"] for row in self.rows("standing", **matching)}
        self.assertEqual((stands["active"], stands["none_counted"]), (1, 1))
        self.assertEqual(len(self.rows("customers", **matching)), 2)
        found = {row["measure"]: row["value"] for row in self.rows("worth", cac="2", **matching)}
        self.assertEqual(found["customers"], 1.0)
        path = write_csv(self.folder / "s.csv", [("month", "channel", "amount"), ("2024-01", "web", "6")])
        deliver(self.workspace, self.book, path, "spend", FileKind.SPEND)
        found = {row["measure"]: row["value"] for row in self.rows("worth", **matching)}
        self.assertEqual((found["new_customers"], found["cac"]), (1.0, 6.0))
