"""Deliveries: all or nothing, once, in the right order of authority."""

from __future__ import annotations

import random
import unittest
from unittest import mock

from sqlalchemy import text

from goldthread.actions import books
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.records import FileKind, KeyKind, OrderStatus
from goldthread.errors import Conflict, InvalidInput, NotFound
from goldthread.intake.meanings import Meaning
from goldthread.store.recount.cohorts import recount_cohorts
from goldthread.store.write import first_rows
from goldthread.store.write.first_rows import FirstRows
from tests.support import tiny
from tests.support.sharing import RAW_TINY, deliver, new_book, tiny_book
from tests.support.store import StoreCase
from tests.support.tiny_cells import cells

LINES = ("order", "line", "customer_no", "date", "product", "qty", "amount")


class Headers(StoreCase):
    def test_counts_add_up_and_the_orders_are_there(self) -> None:
        path = self.write(
            ("A-1", "C1", "2024-01-05", "10.5", "paid"),
            ("A-1", "C1", "2024-01-05", "10.50", "paid"),
            ("A-2", "C2", "2024-01-06", "7", "open"),
            ("A-2", "C2", "2024-01-06", "8", "open"),
            ("A-3", "", "2024-01-06", "8", "open"),
        )
        report = deliver(self.workspace, self.book, path)
        self.assertEqual(
            report.counts(),
            {
                "rows_read": 5,
                "rows_in": 2,
                "rows_repeated": 1,
                "rows_rejected": 2,
                "added": 2,
                "changed": 0,
                "same": 0,
                "customers_added": 2,
            },
        )
        self.assertEqual([(problem.row, problem.value) for problem in report.problems], [(5, "A-2"), (6, "")])
        self.assertIn("An earlier row says otherwise about this order", report.problems[0].reason)
        self.assertIn("row 4", report.problems[0].remedy)
        self.assertEqual(self.orders(), {"A-1": ("C1", "2024-01-05", "10.5000"), "A-2": ("C2", "2024-01-06", "7.0000")})

    def test_the_same_file_again_changes_nothing(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "paid"))
        deliver(self.workspace, self.book, path)
        before = self.revision()
        again = deliver(self.workspace, self.book, path)
        self.assertIsNotNone(again.earlier_delivered_at)
        self.assertIsNone(again.delivery_id)
        self.assertEqual(self.revision(), before)
        self.assertEqual(len(books.list_deliveries(self.workspace, self.book)), 1)

    def test_an_overlapping_export_never_doubles_an_order(self) -> None:
        deliver(
            self.workspace,
            self.book,
            self.write(("A-1", "C1", "2024-01-05", "10", "paid"), ("A-2", "C1", "2024-01-06", "5", "paid")),
        )
        report = deliver(
            self.workspace,
            self.book,
            self.write(
                ("A-1", "C1", "2024-01-05", "10.00", "paid"),
                ("A-2", "C1", "2024-01-06", "6", "paid"),
                ("A-3", "C1", "2024-01-07", "1", "paid"),
            ),
        )
        self.assertEqual((report.added, report.changed, report.same), (1, 1, 1))
        self.assertEqual(
            {number: order[2] for number, order in self.orders().items()},
            {"A-1": "10.0000", "A-2": "6.0000", "A-3": "1.0000"},
        )
        self.assertEqual(self.workspace.orders(self.book.id).orders.order_count, 3)

    def test_a_dry_run_tells_what_would_happen_and_changes_nothing(self) -> None:
        deliver(self.workspace, self.book, self.write(("A-1", "C1", "2024-01-05", "10", "paid")))
        before = (self.orders(), self.revision(), self.scalar("SELECT COUNT(*) FROM customers WHERE book_id = :book"))
        path = self.write(
            ("A-1", "C1", "2024-01-05", "11", "paid"),
            ("A-2", "C2", "2024-01-06", "5", "paid"),
            ("A-3", "", "2024-01-06", "5", "paid"),
        )
        tried = deliver(self.workspace, self.book, path, dry_run=True)
        self.assertEqual((tried.dry_run, tried.delivery_id, len(tried.problems)), (True, None, 1))
        after = (self.orders(), self.revision(), self.scalar("SELECT COUNT(*) FROM customers WHERE book_id = :book"))
        self.assertEqual(after, before)
        done = deliver(self.workspace, self.book, path)
        self.assertEqual(tried.counts(), done.counts())
        self.assertEqual((done.added, done.changed, done.customers_added), (1, 1, 1))

    def test_one_number_in_two_sources_is_two_orders(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "paid"))
        deliver(self.workspace, self.book, path, "counter")
        deliver(self.workspace, self.book, path, "web")
        shelved = self.workspace.orders(self.book.id).orders
        self.assertEqual((shelved.order_count, shelved.customer_count), (2, 1))
        self.assertEqual(shelved.attributes["source"].labels, ("counter", "web"))

    def test_a_file_of_which_nothing_can_come_in_changes_nothing(self) -> None:
        report = deliver(self.workspace, self.book, self.write(("A-1", "", "2024-01-05", "10", "paid")))
        self.assertIsNone(report.delivery_id)
        self.assertEqual(
            (report.rows_rejected, self.revision(), self.scalar("SELECT COUNT(*) FROM sources WHERE book_id = :book")),
            (1, 0, 0),
        )

    def test_problems_are_kept_with_the_delivery(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "paid"), ("A-2", "C1", "2024-02-30", "10", "paid"))
        delivery = deliver(self.workspace, self.book, path).delivery_id
        assert delivery is not None
        total, [problem] = books.list_problems(self.workspace, self.book, delivery, 0, 10)
        self.assertEqual((total, problem.row, problem.column, problem.value), (1, 3, "date", "2024-02-30"))
        with self.assertRaises(NotFound):
            books.list_problems(self.workspace, new_book(self.workspace), delivery, 0, 10)

    def test_columns_can_be_told_and_left_out(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "bezahlt"))
        told = deliver(self.workspace, self.book, path, columns={Meaning.STATUS: None})
        self.assertEqual(told.rows_in, 1)

    def test_a_status_word_is_explained_before_its_row_comes_in(self) -> None:
        path = self.write(("A-1", "C1", "2024-01-05", "10", "Stage 4"), ("A-2", "C1", "2024-01-06", "1", "storniert"))
        with self.assertRaisesRegex(InvalidInput, "“Stage 4”.*open, paid, cancelled, refunded"):
            deliver(self.workspace, self.book, path)
        deliver(self.workspace, self.book, path, statuses={"stage 4": OrderStatus.OPEN})
        labels = self.workspace.orders(self.book.id).orders.attributes["status"]
        self.assertEqual([labels.labels[code] for code in labels.codes], ["open", "cancelled"])


class Lines(StoreCase):
    def test_lines_are_rolled_up_before_anything_is_counted(self) -> None:
        path = self.write(
            ("W-1", 1, "C1", "2024-01-06", "Clay", 2, "10.0001"),
            ("W-1", 2, "C1", "2024-01-05T18:00:00", "Tool", 1, "5"),
            ("W-1", 2, "C1", "2024-01-05T18:00:00", "Tool", 1, "5.00"),
            ("W-1", 2, "C1", "2024-01-05T18:00:00", "Tool", 1, "6"),
            ("W-1", 3, "C9", "2024-01-05T18:00:00", "Rib", 1, "1"),
            ("W-2", 1, "C2", "2024-01-07", "Rib", "", "1"),
            header=LINES,
        )
        report = deliver(self.workspace, self.book, path, "web")
        self.assertEqual((report.added, report.rows_in, report.rows_repeated, report.rows_rejected), (2, 3, 1, 2))
        self.assertEqual(self.orders()["W-1"], ("C1", "2024-01-05", "15.0001"))
        told = {problem.row: problem.reason for problem in report.problems}
        self.assertIn("different dates; the earliest counts", told[2])
        self.assertIn("otherwise about this line of the order", told[5])
        self.assertIn("another customer", told[6])
        self.assertEqual([problem.rejected for problem in report.problems], [False, True, True])
        self.assertEqual(self.scalar("SELECT COUNT(*) FROM order_lines WHERE book_id = :book"), 3)
        self.assertEqual(self.scalar("SELECT COUNT(*) FROM customers WHERE book_id = :book"), 2)

    def test_an_order_takes_the_earliest_moment_and_what_its_first_line_says_wherever_its_lines_stand(self) -> None:
        path = self.write(
            ("W-1", "C1", "2024-01-05T18:00:00", "2", "open", "ANN", "shop"),
            ("W-2", "C2", "2024-01-05T09:30:00", "2", "paid", "Bo", "shop"),
            ("W-3", "C3", "2024-01-05", "2", "paid", "Bo", "shop"),
            ("W-1", "C1", "2024-01-05T08:15:00", "3", "paid", "Ann", "web"),
            ("W-2", "C2", "2024-01-05", "3", "paid", "Bo", "shop"),
            ("W-3", "C3", "2024-01-05", "-1", "paid", "Bo", "shop"),
            header=("order", "customer_no", "date", "amount", "status", "rep", "channel"),
        )
        deliver(self.workspace, self.book, path, "web", kind=FileKind.LINES)
        query = text(
            "SELECT order_number, CAST(ordered_on AS CHAR), CAST(ordered_at AS CHAR), amount, status, rep, channel "
            "FROM orders WHERE book_id = :book ORDER BY order_number"
        )
        with self.workspace.record.engine.connect() as connection:
            found = [tuple(map(str, row)) for row in connection.execute(query, {"book": self.book.id})]
        expected = [
            ("W-1", "2024-01-05", "08:15:00", "5.0000", "open", "ANN", "shop"),
            ("W-2", "2024-01-05", "None", "5.0000", "paid", "Bo", "shop"),
            ("W-3", "2024-01-05", "None", "1.0000", "paid", "Bo", "shop"),
        ]
        self.assertEqual(found, expected)

    def test_the_header_wins_over_its_lines_whichever_comes_first(self) -> None:
        lines = [("W-1", 1, "C1", "2024-01-05", "Clay", 1, "9"), ("W-2", 1, "C1", "2024-01-05", "Clay", 1, "4")]
        headers = [("W-1", "C1", "2024-01-05", "10", "paid")]
        sequences: list[list[str]] = [["lines", "headers"], ["headers", "lines"]]
        for sequence in sequences:
            self.book = new_book(self.workspace)
            reports = {}
            for name in sequence:
                path = self.write(*lines, header=LINES) if name == "lines" else self.write(*headers)
                reports[name] = deliver(self.workspace, self.book, path, "web")
            with self.subTest(sequence=sequence):
                self.assertEqual({n: o[2] for n, o in self.orders().items()}, {"W-1": "10.0000", "W-2": "4.0000"})
                if sequence[0] == "headers":
                    [told] = reports["lines"].problems
                    self.assertIn("do not add up to its own amount", told.reason)
                    self.assertFalse(told.rejected)


class Matches(StoreCase):
    CUSTOMERS = ("customer_no", "name", "email", "region")

    def people(self) -> dict[str, str]:
        """Name of the customer that each key leads to."""
        query = "SELECT k.value, c.name FROM customer_keys k JOIN customers c ON c.id = k.customer_id "
        query += "WHERE k.book_id = :book"
        with self.workspace.record.engine.connect() as connection:
            return {row[0]: row[1] for row in connection.execute(text(query), {"book": self.book.id})}

    def test_a_number_and_an_email_found_to_be_one_person_become_one_customer(self) -> None:
        deliver(self.workspace, self.book, self.write(("K1", "C1", "2024-01-05", "10", "paid")), "counter")
        deliver(
            self.workspace,
            self.book,
            self.write(("W1", "ADA@x.example", "2023-12-05", "3", "paid")),
            "web",
            key=KeyKind.EMAIL,
        )
        self.assertEqual(self.workspace.orders(self.book.id).orders.ordering.size, 2)
        path = self.write(("C1", "Ada", "ada@x.example", "Coast"), ("C2", "Bo", "", "Hills"), header=self.CUSTOMERS)
        report = deliver(self.workspace, self.book, path, "customers")
        self.assertEqual((report.added, report.changed), (1, 1))
        self.assertEqual(self.people(), {"C1": "Ada", "ada@x.example": "Ada", "C2": "Bo"})
        book = self.workspace.orders(self.book.id).orders
        self.assertEqual((book.customer_count, book.ordering.size, book.order_count), (2, 1, 2))

    def test_an_email_stays_with_whom_it_belongs_to_and_the_clash_is_told(self) -> None:
        path = self.write(
            ("C1", "Ada", "shared@x.example", "Coast"),
            ("C2", "Bo", "shared@x.example", "Hills"),
            ("C2", "Bo again", "", "Hills"),
            ("", "", "only@x.example", ""),
            ("", "", "only@x.example", ""),
            ("", "", "", ""),
            header=self.CUSTOMERS,
        )
        report = deliver(self.workspace, self.book, path, "customers")
        self.assertEqual((report.rows_read, report.rows_in, report.rows_repeated, report.rows_rejected), (5, 3, 1, 1))
        self.assertEqual(
            self.people(),
            {"C1": "Ada", "shared@x.example": "Ada", "C2": "Bo", "only@x.example": "only@x.example"},
        )
        later = deliver(
            self.workspace,
            self.book,
            self.write(("C3", "Cy", "shared@x.example", ""), header=self.CUSTOMERS),
            "customers",
        )
        self.assertIn("that of customer C1", later.problems[0].remedy)
        self.assertEqual(self.people()["C3"], "Cy")

    def test_a_row_without_any_key_is_told(self) -> None:
        path = self.write(("", "Nobody", "", "Coast"), ("C1", "Ada", "", ""), header=self.CUSTOMERS)
        [told] = deliver(self.workspace, self.book, path, "customers").problems
        self.assertIn("neither a customer number nor an e-mail", told.reason)

    def test_what_two_rows_say_of_one_customer_is_counted_as_what_it_is(self) -> None:
        rows = (
            ("C1", "Ada", "ada@x.example", "Coast"),
            ("C1", "Ada", "ada@x.example", "Coast"),
            ("C1", "Ada O.", "ada@x.example", "Coast"),
            ("", "Bo", "bo@x.example", ""),
            ("", "Bo", "bo@x.example", ""),
            ("", "Beau", "bo@x.example", ""),
            ("C9", "Bo", "bo@x.example", ""),
        )
        report = deliver(self.workspace, self.book, self.write(*rows, header=self.CUSTOMERS), "customers")
        self.assertEqual((report.rows_in, report.rows_repeated, report.rows_rejected), (3, 2, 2))
        told = [(problem.row, problem.column, problem.value, problem.rejected) for problem in report.problems]
        self.assertEqual(
            told, [(4, "customer number", "C1", True), (7, "e-mail", "bo@x.example", True)], "the others claim nothing"
        )
        self.assertEqual(report.rows_read, report.rows_in + report.rows_repeated + report.rows_rejected)

    def test_the_same_record_again_is_the_same(self) -> None:
        rows = [("C1", "Ada", "ada@x.example", "Coast"), ("C2", "Bo", "", "Hills")]
        deliver(self.workspace, self.book, self.write(*rows, header=self.CUSTOMERS), "customers")
        rows[1] = ("C2", "Bo", "", "Plain")
        report = deliver(self.workspace, self.book, self.write(*rows, header=self.CUSTOMERS), "customers")
        self.assertEqual((report.added, report.changed, report.same), (0, 1, 1))


class Books(StoreCase):
    def test_names_currencies_and_zones_are_checked(self) -> None:
        wrong = [("", "EUR", "UTC"), ("x" * 121, "EUR", "UTC"), ("b", "euro", "UTC"), ("b", "EUR", "Mars/Base")]
        for name, currency, zone in wrong:
            with self.subTest(name=name[:5], currency=currency, zone=zone), self.assertRaises(InvalidInput):
                books.add_book(self.workspace, name, currency, zone)
        with self.assertRaises(Conflict):
            books.add_book(self.workspace, self.book.name, "EUR", "UTC")
        with self.assertRaisesRegex(NotFound, "There is no such book"):
            books.find_book(self.workspace, "no such book")

    def test_the_small_history_gives_its_figures_from_the_record(self) -> None:
        book = tiny_book(self.workspace, self.folder)
        whole = self.workspace.orders(book.id).orders
        history = read_history(whole, HistoryRule(tiny.AS_OF_DAY))
        wanted = tiny.expected()
        self.assertEqual(cells(cohort_table(history, Period.MONTH)), wanted["cohorts_calendar_month"])
        self.assertEqual(cells(cohort_table(history, Period.MONTH, AgeKind.ELAPSED)), wanted["cohorts_elapsed_30_days"])
        self.assertEqual(whole.customer_count, 15)
        in_order = [whole.customers.name(customer) for customer in range(3)]
        self.assertEqual(in_order, ["Ada O'Fallon", "Brae Road School", "C13"])

    def test_the_small_history_goes_in_as_its_files_are(self) -> None:
        """Day first, decimal comma and thousands point, months in words, offsets, semicolons and tabs."""
        for source, name in RAW_TINY:
            report = deliver(self.workspace, self.book, tiny.FOLDER / name, source)
            self.assertEqual(report.rows_rejected, 0, report.problems)
        whole = self.workspace.orders(self.book.id).orders
        history = read_history(whole, HistoryRule(tiny.AS_OF_DAY))
        self.assertEqual(cells(cohort_table(history, Period.MONTH)), tiny.expected()["cohorts_calendar_month"])
        self.assertEqual(history.left_out_after_as_of_count, tiny.expected()["left_out_after_as_of"])

    def test_each_bad_row_of_the_small_history_has_one_problem(self) -> None:
        report = deliver(self.workspace, self.book, tiny.FOLDER / "bad_rows.csv")
        self.assertEqual((report.rows_read, report.rows_in, report.rows_rejected), (9, 1, 8))
        told = [(problem.row, problem.column, problem.value) for problem in report.problems]
        self.assertEqual(
            told,
            [
                (2, "date", "31/02/2025"),
                (3, "customer_no", ""),
                (4, "total", "ten"),
                (5, "receipt", ""),
                (6, "currency", "USD"),
                (8, "order number", "K0905"),
                (9, "total", "=1+1"),
                (10, "date", "04/03/25"),
            ],
        )
        self.assertEqual(self.orders(), {"K0905": ("C03", "2025-03-03", "12.0000")})

    def test_the_database_counts_the_same_by_a_road_of_its_own(self) -> None:
        book = tiny_book(self.workspace, self.folder)
        whole = self.workspace.orders(book.id).orders
        rules = [HistoryRule(tiny.AS_OF_DAY), HistoryRule(tiny.AS_OF_DAY - 200, sources=frozenset({"web", "phone"}))]
        for rule in rules:
            for period in (*CALENDAR_PERIODS, *map(Period, ("week-sunday", "fiscal-quarter-11", "fiscal-year-4"))):
                for ages in AgeKind:
                    table = cohort_table(read_history(whole, rule), period, ages)
                    found = recount_cohorts(self.workspace.record.engine, book.id, table)
                    with self.subTest(rule=rule.as_of_day, period=period, ages=ages):
                        self.assertEqual(found.differing_count, 0)
                        self.assertEqual(found.orders.tolist(), table.orders.tolist())

    def test_a_recount_notices_a_table_that_is_wrong(self) -> None:
        book = tiny_book(self.workspace, self.folder)
        table = cohort_table(
            read_history(self.workspace.orders(book.id).orders, HistoryRule(tiny.AS_OF_DAY)), Period.MONTH
        )
        table.orders[0, 0] += 1
        self.assertEqual(recount_cohorts(self.workspace.record.engine, book.id, table).differing_count, 1)


class FirstOfEach(unittest.TestCase):
    def test_the_first_row_of_each_number_is_found_over_pieces_of_a_file(self) -> None:
        draw = random.Random(5)
        numbers = [f"N{draw.randrange(30_000)}" for _ in range(60_000)]
        rows = sorted(draw.sample(range(2, 200_000), len(numbers)))
        known: dict[str, int] = {}
        expected = [known.setdefault(number, row) for number, row in zip(numbers, rows, strict=True)]
        firsts, found = FirstRows(), []
        for start in range(0, len(numbers), 7_000):
            found += firsts.of(numbers[start : start + 7_000], rows[start : start + 7_000])
        self.assertEqual(found, expected)
        self.assertTrue(firsts.repeats)

    def test_numbers_of_one_hash_are_told_apart(self) -> None:
        def alike(number: str) -> int:
            return hash(number) if number.endswith(" ") else 7

        with mock.patch.object(first_rows, "hash", alike, create=True):
            firsts = FirstRows()
            self.assertEqual(firsts.of(["a", "b"], [2, 3]), [2, 3])
            self.assertFalse(firsts.repeats)
            self.assertEqual(firsts.of(["c", "b"], [4, 5]), [4, 3])
            self.assertTrue(firsts.repeats)


if __name__ == "__main__":
    unittest.main()
