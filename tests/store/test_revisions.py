"""A revision and what was made of it: nothing of one record is taken for another's, and nothing shifts."""

from __future__ import annotations

import shutil
import unittest
from collections.abc import Callable
from unittest import mock

from sqlalchemy import text

from goldthread import workspace as shelves
from goldthread.actions.books import today_of
from goldthread.actions.by_hand import OrderByHand, put_order
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.api.app import create_app
from goldthread.errors import Outdated
from goldthread.stops.customer.answer import ask_thread
from goldthread.stops.customer.question import ThreadQuestion
from goldthread.stops.events import events_of
from goldthread.stops.reading import Read, read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.revisions import present_revision
from goldthread.workspace import asked_anew, open_workspace
from tests.support.asking import sheet_of
from tests.support.running import Place
from tests.support.sharing import deliver, new_book, write_csv
from tests.support.store import HEADER, StoreCase


class RestoredFromACopy(unittest.TestCase):
    def test_nothing_that_was_kept_of_the_other_record_is_told(self) -> None:
        place = Place()
        self.addCleanup(place.close)
        workspace = place.workspace()
        book = new_book(workspace)
        at = f"/api/books/{book.id}/ask/cohorts"

        def put(number: str, amount: str) -> None:
            rows = [HEADER, (number, "C1", "2024-01-05", amount, "paid")]
            deliver(workspace, book, write_csv(place.folder / f"{number}.csv", rows))

        def asked(tag: str = "") -> tuple[int, str, str]:
            reply = create_app(workspace).test_client().get(at, headers={"If-None-Match": tag} if tag else {})
            return reply.status_code, reply.headers["ETag"], (reply.json or {}).get("revenue", "")

        put("A-1", "1")
        workspace.record.engine.dispose()
        place.database.stop()
        copy = place.folder / "copy"
        shutil.copytree(place.settings.database / "data", copy)
        place.database.start()
        workspace = open_workspace(place.settings)
        put("A-2", "10")
        _, tag, revenue = asked()
        self.assertEqual(revenue, "11.00")
        workspace.record.engine.dispose()
        place.database.stop()
        shutil.rmtree(place.settings.database / "data")
        copy.rename(place.settings.database / "data")
        place.database.start()
        known = workspace
        workspace = open_workspace(place.settings)
        self.addCleanup(workspace.record.engine.dispose)
        put("A-3", "100")
        # the number of the revision is the same again, and the snapshot of the other one is still there
        self.assertEqual(asked(tag)[::2], (200, "101.00"))
        # nor does a server that ran through it all bring its book forward from what never was
        put_order(workspace, book, OrderByHand("counter", "A-4", "C1", "2024-01-06", "1000"))
        self.assertEqual(int(known.orders(book.id).orders.amount_minor.sum()), 11_010_000)
        known.record.engine.dispose()


class ChangedMeanwhile(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        for place, rows in enumerate((("A-1", "A-3", "A-5"), ("B-2", "B-4"), ("C-6", "C-7"))):
            told = [(number, f"C{place}", "2024-01-05", "1", "paid") for number in rows]
            report = deliver(self.workspace, self.book, self.write(*told), f"shop {place}")
            if place == 1:
                self.second = report.delivery_id or 0

    def read(self) -> Read:
        return read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))

    def test_every_read_of_details_notices_a_withdrawal(self) -> None:
        read = self.read()
        place = [read.orders.customers.key(row) for row in range(read.orders.customer_count)].index("C1")
        customer = int(read.orders.customer_id[place])
        withdraw_delivery(self.workspace, self.book, self.second)
        asks: dict[str, Callable[[], object]] = {
            "every order": lambda: sheet_of(self.workspace, read, "orders"),
            "first orders": lambda: sheet_of(self.workspace, read, "nth"),
            "figures": lambda: sheet_of(self.workspace, read, "figures", group="source"),
            "a customer": lambda: ask_thread(self.workspace, read, ThreadQuestion(customer=customer)),
            "events": lambda: events_of(self.workspace, read.shelved),
        }
        for name, ask in asks.items():
            with self.subTest(ask=name), self.assertRaises(Outdated):
                ask()
        sheet_of(self.workspace, read, "customers")
        numbers = sheet_of(self.workspace, self.read(), "orders").table.column("order").to_pylist()
        self.assertEqual(numbers, ["A-1", "A-3", "A-5", "C-6", "C-7"])

    def test_a_version_that_was_superseded_keeps_its_number(self) -> None:
        read = self.read()
        put_order(self.workspace, self.book, OrderByHand("shop 0", "A-3", "C0", "2024-01-07", "5"))
        numbers = sheet_of(self.workspace, read, "orders").table.column("order").to_pylist()
        self.assertEqual(numbers, ["A-1", "A-3", "A-5", "B-2", "B-4", "C-6", "C-7"])

    def test_who_asks_is_answered_from_the_book_as_it_is_by_then(self) -> None:
        client = create_app(self.workspace).test_client()
        whole = shelves.Workspace.orders
        waiting = [self.second]

        def meanwhile(workspace: shelves.Workspace, book_id: int) -> shelves.Shelved:
            found = whole(workspace, book_id)
            if waiting:
                withdraw_delivery(workspace, self.book, waiting.pop())
            return found

        for path in ("ask/orders/file", "ask/nth?show=source", "ask/cohorts/behind?cohort=2024-01&age=0"):
            with self.subTest(path=path), mock.patch.object(shelves.Workspace, "orders", meanwhile):
                reply = client.get(f"/api/books/{self.book.id}/{path}")
                self.assertEqual((reply.status_code, waiting), (200, []))
                self.assertNotIn(b"B-2", reply.data)
                reply.close()
            rows = [HEADER, ("B-2", "C1", "2024-01-05", "1", "paid"), ("B-4", "C1", "2024-01-05", "1", "paid")]
            again = deliver(self.workspace, self.book, write_csv(self.folder / "again.csv", rows), "shop 1")
            waiting.append(again.delivery_id or 0)

    def test_a_book_that_never_rests_is_told(self) -> None:
        def never() -> None:
            raise Outdated("moved")

        with self.assertRaises(Outdated):
            asked_anew(never)

    def test_each_revision_has_a_stamp_of_its_own(self) -> None:
        engine = self.workspace.record.engine
        with engine.connect() as connection:
            found = connection.execute(
                text("SELECT number, stamp FROM revisions WHERE book_id = :book"), {"book": self.book.id}
            ).all()
        self.assertEqual(sorted(row[0] for row in found), [0, 1, 2, 3])
        self.assertEqual(len({row[1] for row in found}), 4)
        self.assertEqual(present_revision(engine, self.book.id).number, 3)


if __name__ == "__main__":
    unittest.main()
