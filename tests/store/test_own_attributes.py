"""Own attributes of orders: kept as codes with their delivery, compared, withdrawn, and read back for the core."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from goldthread.actions import books, by_hand
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.limits import ATTRIBUTES_MOST
from goldthread.core.records import AttributeType
from goldthread.errors import InvalidInput, TooLarge
from goldthread.intake.meanings import KeptAt, Meaning
from goldthread.store.write.delivery import DeliveryReport
from tests.support.sharing import deliver, write_csv
from tests.support.store import StoreCase

HEAD = ("order", "customer_no", "date", "total", "Delivery", "Parcels", "Gift?", "Wanted by", "Segment")
FLAT = (
    ("A-1", "C1", "2025-01-05", "10", "post", "1", "ja", "2025-01-20", "studio"),
    ("A-2", "C1", "2025-03-05", "20", "collected", "12", "nein", "", "studio"),
    ("A-3", "C2", "2025-02-01", "30", "post", "2.5", "", "2025-03-02", "school"),
    ("A-4", "C2", "2025-02-09", "40", "", "2", "ja", "2025-03-09", "school"),
)


class OwnAttributes(StoreCase):
    def bring(self, *rows: tuple[object, ...], head: tuple[str, ...] = HEAD, **more: object) -> DeliveryReport:
        return deliver(self.workspace, self.book, self.write(*rows, header=head), remember=True, **more)  # type: ignore[arg-type]

    def labels(self, name: str) -> dict[str, str]:
        """What each order has for an attribute, by order number."""
        book = self.workspace.orders(self.book.id).orders
        found = book.own_attribute(name)
        number = dict(self._numbers())
        return {
            number[order]: found.labels[code]
            for order, code in zip(book.order_id.tolist(), found.codes.tolist(), strict=True)
        }

    def _numbers(self) -> list[tuple[int, str]]:
        with self.workspace.record.engine.connect() as connection:
            rows = connection.exec_driver_sql(f"SELECT id, order_number FROM orders WHERE book_id = {self.book.id}")
            return [(row[0], row[1]) for row in rows]

    def test_further_columns_are_kept_where_they_are_constant_and_as_what_they_are(self) -> None:
        self.bring(*FLAT)
        book = self.workspace.orders(self.book.id).orders
        types = {name: column.type for name, column in book.own.columns.items()}
        self.assertEqual(
            types,
            {
                "Delivery": AttributeType.TEXT,
                "Parcels": AttributeType.NUMBER,
                "Gift?": AttributeType.MARK,
                "Wanted by": AttributeType.DATE,
            },
        )
        self.assertEqual(self.labels("Delivery"), {"A-1": "post", "A-2": "collected", "A-3": "post", "A-4": ""})
        self.assertEqual(book.own_attribute("Parcels").labels, ("1", "2", "2.5", "12", ""))
        self.assertEqual(self.labels("Gift?"), {"A-1": "yes", "A-2": "no", "A-3": "", "A-4": "yes"})
        self.assertEqual(self.labels("Wanted by")["A-3"], "2025-03-02")
        segment = book.customers.attributes["Segment"]
        self.assertEqual([segment.labels[code] for code in segment.codes], ["studio", "school"])

    def test_a_later_delivery_has_a_dictionary_of_its_own_and_both_are_read_as_one(self) -> None:
        self.bring(*FLAT)
        self.bring(("A-5", "C1", "2025-05-05", "5", "courier", "7", "yes", "", "studio"), FLAT[2])
        self.assertEqual(
            self.labels("Delivery"),
            {"A-1": "post", "A-2": "collected", "A-3": "post", "A-4": "", "A-5": "courier"},
        )
        self.assertEqual(self.labels("Parcels")["A-5"], "7")

    def test_an_order_with_another_attribute_is_changed_and_one_with_the_same_is_not(self) -> None:
        self.bring(*FLAT)
        again = (*FLAT[0][:4], "courier", *FLAT[0][5:])
        report = self.bring(again, *FLAT[1:3])
        self.assertEqual((report.changed, report.same), (1, 2))
        self.assertEqual(report.changes[0].was, "time, line or attribute on record")
        report = self.bring(again[:4], FLAT[3][:4], head=HEAD[:4])
        self.assertEqual((report.changed, report.same), (2, 0))
        self.assertEqual(self.labels("Delivery")["A-1"], "")

    def test_a_repeat_inside_the_file_must_say_the_same_of_its_attributes(self) -> None:
        other = (*FLAT[0][:4], "courier", *FLAT[0][5:])
        report = self.bring(*FLAT, FLAT[1], other)
        self.assertEqual((report.rows_repeated, report.rows_rejected), (1, 1))

    def test_a_withdrawn_delivery_takes_its_attributes_with_it(self) -> None:
        self.bring(*FLAT[:2], head=HEAD)
        before = self.labels("Delivery")
        second = self.bring((*FLAT[0][:4], "courier", "3", "no", "", "museum"), *FLAT[2:])
        assert second.delivery_id is not None
        self.assertEqual(self.labels("Delivery")["A-1"], "courier")
        withdraw_delivery(self.workspace, self.book, second.delivery_id)
        self.assertEqual(self.labels("Delivery"), before)
        book = self.workspace.orders(self.book.id).orders
        self.assertEqual(book.customers.attributes["Segment"].labels, ("studio",))
        tables = ("own_codes", "own_values", "own_columns")
        kept = [self.scalar(f"SELECT COUNT(*) FROM {table} WHERE book_id = :book") for table in tables]
        self.assertEqual(kept, [2, 7, 4])

    def test_an_order_corrected_by_hand_keeps_what_nobody_writes_by_hand(self) -> None:
        self.bring(*FLAT)
        order = by_hand.OrderByHand("counter", "A-2", "C1", "2025-03-06", "21")
        by_hand.put_order(self.workspace, self.book, order)
        self.assertEqual(self.labels("Delivery")["A-2"], "collected")
        self.assertEqual(self.labels("Parcels")["A-2"], "12")
        by_hand.cancel_order(self.workspace, self.book, "counter", "A-2")
        self.assertEqual(self.labels("Gift?")["A-2"], "no")

    def test_a_column_that_is_a_number_here_and_a_text_there_is_a_text(self) -> None:
        self.bring(*FLAT)
        second = self.bring(("A-9", "C9", "2025-05-05", "5", "post", "a crate", "yes", "", "studio"))
        book = self.workspace.orders(self.book.id).orders
        self.assertIs(book.own.columns["Parcels"].type, AttributeType.TEXT)
        self.assertEqual(self.labels("Parcels")["A-9"], "a crate")
        assert second.delivery_id is not None
        withdraw_delivery(self.workspace, self.book, second.delivery_id)
        book = self.workspace.orders(self.book.id).orders
        self.assertIs(book.own.columns["Parcels"].type, AttributeType.NUMBER)

    def test_of_lines_an_order_takes_the_value_with_the_largest_amount(self) -> None:
        head = ("order no", "customer_no", "date", "product", "amount", "Collection")
        rows = [
            ("L-1", "C1", "2025-01-05", "a", "5", "classic"),
            ("L-1", "C1", "2025-01-05", "b", "4", "festive"),
            ("L-1", "C1", "2025-01-05", "c", "4", "festive"),
            ("L-2", "C1", "2025-01-06", "a", "5", "festive"),
            ("L-2", "C1", "2025-01-06", "b", "5", "classic"),
            ("L-3", "C2", "2025-01-07", "b", "5", ""),
        ]
        report = self.bring(*rows, head=head)
        self.assertEqual((report.added, report.rows_rejected), (3, 0))
        self.assertEqual(self.labels("Collection"), {"L-1": "festive", "L-2": "classic", "L-3": ""})

    def test_what_order_rows_say_of_customers_is_a_record_of_each_the_latest_order_first(self) -> None:
        head = ("order", "customer_no", "date", "total", "Customer name", "E-mail", "City", "Region")
        rows = [
            ("A-2", "C1", "2025-03-05", "1", "Ada Kiln", "ADA@kiln.example", "Saltby", "Coast"),
            ("A-1", "C1", "2025-01-05", "1", "Ada Quill", "ada@kiln.example", "Highfold", "Coast"),
            ("A-3", "C2", "2025-01-05", "1", "Bo", "not an e-mail", "", ""),
        ]
        report = self.bring(*rows, head=head, further={"Region": KeptAt.CUSTOMER})
        self.assertEqual((report.rows_in, report.rows_rejected), (3, 0))
        self.assertEqual([problem.value for problem in report.problems], ["not an e-mail"])
        customers = self.workspace.orders(self.book.id).orders.customers
        self.assertEqual([customers.name(row) for row in range(2)], ["Ada Kiln", "Bo"])
        self.assertEqual(customers.texts["email"].at(0), "ada@kiln.example")
        town, region = customers.attributes["town"], customers.attributes["Region"]
        self.assertEqual((town.labels[town.codes[0]], region.labels[region.codes[0]]), ("Saltby", "Coast"))

    def test_a_book_has_room_for_fifty_and_says_when_there_are_too_many(self) -> None:
        names = [f"Own {place}" for place in range(ATTRIBUTES_MOST + 1)]
        row = ("A-1", "C1", "2025-01-05", "1", *("some" for _ in names))
        path = write_csv(self.folder / "wide.csv", [(*HEAD[:4], *names), row])
        keep = dict.fromkeys(names, KeptAt.ORDER)
        with self.assertRaisesRegex(TooLarge, f"{ATTRIBUTES_MOST} attributes"):
            deliver(self.workspace, self.book, path, further=keep)
        self.assertEqual(self.revision(), 0)
        deliver(self.workspace, self.book, path, further=keep | {names[-1]: KeptAt.NOWHERE})
        book = self.workspace.orders(self.book.id).orders
        self.assertGreaterEqual(len(book.own.columns), 50)
        self.assertEqual(set(self.labels(names[49]).values()), {"some"})

    def test_nothing_is_read_of_an_attribute_until_it_is_asked_for_and_then_it_is_kept_on_disk(self) -> None:
        self.bring(*FLAT)
        snapshots: Path = self.workspace.settings.snapshots
        self.workspace.orders(self.book.id)
        self.assertEqual(list(snapshots.glob(f"{self.book.id}-*/own-*")), [])
        self.labels("Delivery")
        self.assertEqual(len(list(snapshots.glob(f"{self.book.id}-*/own-*"))), 1)
        present = self.workspace.orders(self.book.id).orders
        self.assertEqual(present.own_attribute("Delivery").codes.dtype, np.uint16)

    def test_a_column_that_is_not_there_cannot_be_kept(self) -> None:
        with self.assertRaisesRegex(InvalidInput, "Further columns are: Delivery, Parcels"):
            self.bring(*FLAT, further={"Colour": KeptAt.ORDER})
        with self.assertRaisesRegex(InvalidInput, "no lines"):
            self.bring(*FLAT, further={"Delivery": KeptAt.LINE})
        self.bring(*FLAT, columns={Meaning.CHANNEL: "Delivery"})
        self.assertNotIn("Delivery", self.workspace.orders(self.book.id).orders.own.columns)
        self.assertEqual(books.find_book(self.workspace, self.book.id).revision, 1)
