"""Events that are typed on the time axis: edited and taken back; imported ones stay as they are."""

from __future__ import annotations

import datetime as dt
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from goldthread.actions import books, by_hand
from goldthread.actions.by_hand import EventByHand
from goldthread.errors import Conflict, InvalidInput, NotFound
from goldthread.stops.events import events_of
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv


class Events(unittest.TestCase):
    def setUp(self) -> None:
        self.workspace = shared_workspace()
        self.book = new_book(self.workspace)
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        rows = [("from", "until", "label"), ("2024-02-01", "2024-02-09", "Kiln sale")]
        deliver(self.workspace, self.book, write_csv(Path(folder.name) / "e.csv", rows), "office")

    def put(self, label: str, begins: str, until: str = "", instead: int | None = None) -> int:
        report = by_hand.put_event(self.workspace, self.book, EventByHand(label, begins, until), instead)
        return report.delivery_id or 0

    def there(self) -> list[tuple[str, str, str, bool]]:
        """The events as questions read them."""
        rows = events_of(self.workspace, self.workspace.orders(self.book.id))
        return [(row.label, str(row.begins), str(row.ends), row.by_hand is not None) for row in rows]

    def test_one_is_typed_edited_and_taken_back(self) -> None:
        imported = ("Kiln sale", "2024-02-01", "2024-02-09", False)
        number = self.put("Closed for snow", "2024-01-15")
        self.assertEqual(self.there(), [("Closed for snow", "2024-01-15", "2024-01-15", True), imported])
        longer = self.put("Closed for snow", "2024-01-15", "2024-01-17", number)
        self.assertEqual(self.there(), [("Closed for snow", "2024-01-15", "2024-01-17", True), imported])
        moved = self.put("Prices up 4 %", "2024-03-01", "", longer)
        self.assertEqual(self.there(), [imported, ("Prices up 4 %", "2024-03-01", "2024-03-01", True)])
        with self.assertRaisesRegex(NotFound, "taken back or changed meanwhile"):
            self.put("Mine", "2024-03-01", "", number)
        by_hand.remove_event(self.workspace, self.book, moved)
        self.assertEqual(self.there(), [imported])
        with self.assertRaises(NotFound):
            by_hand.remove_event(self.workspace, self.book, moved)

    def test_imported_ones_stay_as_they_are(self) -> None:
        for label in ("Kiln sale", "KILN SALE"):
            with self.assertRaisesRegex(Conflict, "from 1 Feb 2024 on already"):
                self.put(label, "2024-02-01", "2024-03-01")
        imported = books.list_deliveries(self.workspace, self.book)[0].id
        with self.assertRaisesRegex(NotFound, "No event was typed"):
            by_hand.remove_event(self.workspace, self.book, imported)
        with self.assertRaises(Conflict):
            self.put("Kiln sale", "2024-02-01", "", self.put("Another", "2024-02-01"))
        self.assertEqual(
            self.there(),
            [("Another", "2024-02-01", "2024-02-01", True), ("Kiln sale", "2024-02-01", "2024-02-09", False)],
        )

    def test_what_is_no_event_is_refused_with_its_field(self) -> None:
        today = dt.datetime.now(dt.UTC).date().isoformat()
        cases = (
            ("", today, "", "label"),
            ("x" * 300, today, "", "label"),
            ("Sale", "2024-02-30", "", "begins"),
            ("Sale", "2024-02-03", "soon", "until"),
            ("Sale", "2024-02-03", "2024-02-02", "until"),
        )
        for label, begins, until, field in cases:
            with self.subTest(field=field, begins=begins), self.assertRaises(InvalidInput) as refused:
                self.put(label, begins, until)
            self.assertEqual(refused.exception.field, field)
        self.assertEqual(len(self.there()), 1)


if __name__ == "__main__":
    unittest.main()
