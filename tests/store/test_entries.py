"""Payments, spend and events; and who is who when records contradict each other."""

from __future__ import annotations

import unittest
from decimal import Decimal

from goldthread.actions import books, by_hand
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.core.records import FileKind, KeyKind, Verdict
from goldthread.store.books import Holdings
from goldthread.store.write.delivery import DeliveryReport
from tests.support import tiny
from tests.support.sharing import deliver, write_csv
from tests.support.state import state_of
from tests.support.store import StoreCase

PAYMENTS = ("payment_no", "customer_no", "order", "paid_on", "amount")
PEOPLE = ("customer_no", "email", "name", "town", "standing", "region")


class Entries(StoreCase):
    def bring(
        self, kind: FileKind, header: tuple[str, ...], *rows: tuple[object, ...], source: str = "office"
    ) -> DeliveryReport:
        return deliver(self.workspace, self.book, write_csv(self.folder / "f.csv", [header, *rows]), source, kind)

    def held(self) -> Holdings:
        return books.summarise(self.workspace, self.book).further

    def test_payments_alike_are_told_apart_by_their_place_and_never_doubled(self) -> None:
        alike = ("", "C1", "", "2024-02-01", "10")
        first = self.bring(FileKind.PAYMENTS, PAYMENTS, alike, alike, ("", "C1", "A-7", "2024-02-02", "5"))
        self.assertEqual((first.added, first.rows_repeated, first.customers_added), (3, 0, 1))
        again = self.bring(FileKind.PAYMENTS, PAYMENTS, alike, alike, alike)
        self.assertEqual((again.added, again.same), (1, 2))
        self.assertEqual((self.held().payments, again.amount_added), (4, Decimal(10)))

    def test_a_payment_is_known_by_its_own_reference(self) -> None:
        self.bring(FileKind.PAYMENTS, PAYMENTS, ("Z1", "C1", "", "2024-02-01", "10"))
        row = ("Z1", "C1", "", "2024-02-01", "12")
        report = self.bring(FileKind.PAYMENTS, PAYMENTS, row, row, ("Z1", "C1", "", "2024-02-01", "13"))
        self.assertEqual((report.changed, report.rows_repeated, report.rows_rejected), (1, 1, 1))
        self.assertEqual(report.amount_changed, Decimal(2))
        self.assertEqual(
            [(change.was, change.becomes) for change in report.changes],
            [("2024-02-01 10.0000 ", "2024-02-01 12.0000 ")],
        )
        other = self.bring(FileKind.PAYMENTS, PAYMENTS, ("Z1", "C1", "", "2024-02-01", "10"), source="bank")
        self.assertEqual((other.added, self.held().payments), (1, 2))

    def test_spend_and_events_belong_to_the_book_whoever_delivers_them(self) -> None:
        self.bring(FileKind.SPEND, ("month", "channel", "amount"), ("2024-01", "Web", "60"), ("Feb 2024", "web", "20"))
        later = self.bring(FileKind.SPEND, ("month", "channel", "amount"), ("2024-01", "web", "70"), source="agency")
        self.assertEqual((later.changed, later.amount_changed), (1, Decimal(10)))
        events = ("from", "until", "label")
        self.bring(FileKind.EVENTS, events, ("2024-03-01", "2024-03-09", "kiln sale"), ("2024-05-01", "", "prices"))
        longer = self.bring(FileKind.EVENTS, events, ("2024-03-01", "2024-03-12", "Kiln sale"))
        self.assertEqual((longer.changed, self.held()), (1, Holdings(payments=0, spend=2, events=2)))
        assert longer.delivery_id is not None
        withdraw_delivery(self.workspace, self.book, longer.delivery_id)
        self.assertIn("2024, 3, 9", state_of(self.workspace, self.book)["events"][0])

    def test_the_payments_and_the_spend_of_the_small_history(self) -> None:
        payments = deliver(self.workspace, self.book, tiny.FOLDER / "payments.csv", "office")
        spend = deliver(self.workspace, self.book, tiny.FOLDER / "spend.csv", "office")
        self.assertEqual((payments.added, payments.amount_added, payments.customers_added), (4, Decimal("654.15"), 4))
        self.assertEqual((spend.added, spend.amount_added), (4, Decimal(215)))


class Matches(StoreCase):
    def bring(self, *rows: tuple[object, ...]) -> int:
        report = deliver(self.workspace, self.book, write_csv(self.folder / "c.csv", [PEOPLE, *rows]), "office")
        assert report.delivery_id is not None
        return report.delivery_id

    def customers(self) -> dict[str, str]:
        """Keys of each customer, and its name, town and marks."""
        return {name.split("'")[1]: name for name, _ in state_of(self.workspace, self.book)["customers"]}

    def test_the_first_claim_holds_and_passes_on_when_it_is_withdrawn(self) -> None:
        first = self.bring(("C1", "a@x.example", "Ada", "", "", ""))
        self.bring(("C2", "a@x.example", "Bo", "", "", ""))
        self.assertEqual(set(self.customers()), {"number C1|email a@x.example", "number C2"})
        withdraw_delivery(self.workspace, self.book, first)
        self.assertEqual(set(self.customers()), {"number C2|email a@x.example"})

    def test_each_field_is_the_newest_that_was_told(self) -> None:
        self.bring(("C1", "", "Ada", "Kilnford", "open", "Coast"))
        second = self.bring(("C1", "a@x.example", "", "Saltby", "closed", ""))
        self.bring(("", "a@x.example", "Ada Orme", "", "", "Hills"))
        [(known, attributes)] = state_of(self.workspace, self.book)["customers"]
        self.assertIn("'Ada Orme', 'Saltby', 1, 0", known)
        self.assertEqual(attributes, '{"region": "Hills"}')
        withdraw_delivery(self.workspace, self.book, second)
        told = self.customers()
        self.assertIn("'Ada', 'Kilnford', 0", told["number C1"])
        self.assertIn("'Ada Orme', ''", told["email a@x.example"])

    def test_words_join_across_several_customers_and_part_again(self) -> None:
        self.bring(*((f"C{at}", "", f"P{at}", "", "", "") for at in range(4)))
        ids = self.workspace.orders(self.book.id).orders.customer_id.tolist()
        first = by_hand.match_customers(self.workspace, self.book, ids[:2], Verdict.ONE)
        second = by_hand.match_customers(self.workspace, self.book, [ids[2], ids[3]], Verdict.ONE)
        by_hand.match_customers(self.workspace, self.book, [ids[0], ids[2]], Verdict.ONE)
        self.assertEqual(set(self.customers()), {"number C0|number C1|number C2|number C3"})
        for said in (first, second):
            assert said.delivery_id is not None
            withdraw_delivery(self.workspace, self.book, said.delivery_id)
        self.assertEqual(set(self.customers()), {"number C0|number C2", "number C1", "number C3"})

    def test_orders_by_email_follow_the_number_that_claims_it(self) -> None:
        orders = [("order", "email", "date", "amount"), ("W-1", " A@X.EXAMPLE", "2024-01-05", "5")]
        deliver(self.workspace, self.book, write_csv(self.folder / "o.csv", orders), "web", key=KeyKind.EMAIL)
        self.assertEqual(set(self.customers()), {"email a@x.example"})
        claimed = self.bring(("C1", "a@x.example", "Ada", "", "", ""))
        whole = self.workspace.orders(self.book.id).orders
        self.assertEqual((whole.customer_count, whole.counts.tolist()), (1, [1]))
        withdraw_delivery(self.workspace, self.book, claimed)
        self.assertEqual(set(self.customers()), {"email a@x.example"})


if __name__ == "__main__":
    unittest.main()
