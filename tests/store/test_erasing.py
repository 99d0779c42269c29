"""A person who is erased is nowhere on record any more, and no later file brings them back; their orders stay."""

from __future__ import annotations

import json
import tempfile
import unittest
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from sqlalchemy import inspect, text

from goldthread.actions import briefs, by_hand, lists, notes, persons, saved_views, shared_links, working
from goldthread.actions.books import today_of
from goldthread.actions.by_hand import CustomerByHand, OrderByHand
from goldthread.actions.log import read_log
from goldthread.actions.working import Done
from goldthread.core.choices import MemberState, NoteOn
from goldthread.core.records import FileKind, KeyKind, Verdict
from goldthread.errors import Conflict
from goldthread.stops.findings import keep as keep_finding
from goldthread.stops.outside import SharedView
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from goldthread.store.log import LogChoice
from goldthread.store.write.erasing import Erasure
from goldthread.workspace import Workspace
from tests.support.asking import keep
from tests.support.sharing import deliver, new_book, shared_workspace, write_csv

NAME, EMAIL, NUMBER = "Orla Quimby-Marsh", "orla.quimby@kiln.example", "K-90210"
TRACES = ("quimby", "90210", "07700 900123", "Kiln Lane")
"""What nothing on record may hold afterwards, whatever case it is written in."""
CUSTOMERS = (
    ("customer_no", "email", "name", "town", "phone", "street"),
    (NUMBER, EMAIL, NAME, "Marlow", "07700 900123", "4 Kiln Lane"),
    ("K-1", "bo@kiln.example", "Bo Tarn", "Marlow", "1", "2 Clay Road"),
)
ORDERS = (
    ("order", "customer_no", "date", "amount", "deliver to"),
    ("A-1", NUMBER, "2024-01-05", "10", f"{NAME}, 4 Kiln Lane"),
    ("A-2", NUMBER, "2024-03-05", "20", "the studio"),
    ("A-3", "K-1", "2024-02-01", "30", "2 Clay Road"),
    ("A-4", NUMBER, "not a date", "5", NAME),
)
BY_EMAIL = (("order", "email", "date", "amount"), ("W-1", EMAIL, "2024-05-01", "7.50"))
PAYMENTS = (("customer_no", "date", "amount"), (NUMBER, "2024-01-09", "10"))


class Erasing(unittest.TestCase):
    workspace: Workspace

    def setUp(self) -> None:
        self.workspace = shared_workspace()
        self.book: BookRow = new_book(self.workspace)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self._deliver("customers", CUSTOMERS, kind=FileKind.CUSTOMERS)
        self._deliver("counter", ORDERS)
        self._deliver("web", BY_EMAIL, key=KeyKind.EMAIL)
        self._deliver("bank", PAYMENTS, kind=FileKind.PAYMENTS)
        self.customer = working.customer_by_key(self.workspace, self.book, NUMBER)
        other = working.customer_by_key(self.workspace, self.book, "K-1")
        by_hand.put_customer(self.workspace, self.book, CustomerByHand(number=NUMBER, name=NAME, town="Henley"))
        by_hand.match_customers(self.workspace, self.book, [self.customer, other], Verdict.APART)
        read = read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))
        self.list = keep(self.workspace, read, [0, 1], f"call {NAME}")
        done = Done(MemberState.CONTACTED, note=f"{NAME} wants clay, 07700 900123")
        working.work_member(self.workspace, self.book, self.list.id, self.customer, done, "ben")
        for about, key in ((NoteOn.CUSTOMER, str(self.customer)), (NoteOn.COHORT, "2024-01")):
            notes.add_note(self.workspace, self.book, notes.thing_of(about, key), f"{NAME} asked for the long clay")
        brief = briefs.add_brief(self.workspace, self.book, f"for {NAME}")
        pinned = {"stop": "threads", "query": "", "figure": ""}
        keeping = partial(keep_finding, self.workspace, self.book, today_of(self.book))
        for live in (True, False):
            told = (NAME, f"**{NAME}** wants clay", pinned, keeping)
            briefs.add_finding(self.workspace, self.book, brief, *told, live=live)
        where = urlencode({"where": f"name = '{NAME}'"})
        saved_views.save_view(self.workspace, self.book, f"thread of {NAME}", "threads", where, f"Only {NAME}.")
        for query, people in ((where, True), ("", True), ("", False)):
            self._share(query, people=people)

    def _deliver(self, source: str, rows: object, name: str = "f", **how: object) -> object:
        path = write_csv(self.folder / f"{source} {name}.csv", rows)  # type: ignore[arg-type]
        return deliver(self.workspace, self.book, path, source, **how)  # type: ignore[arg-type]

    def _share(self, query: str, *, people: bool, stop: str = "threads") -> None:
        """Links for somebody outside, one that shows the answer as it is now and one that does not."""
        view, today = SharedView(self.workspace, stop, query), today_of(self.book)
        for frozen in (None, view.frozen(view.told(self.book, today, people=people))):
            how: dict[str, Any] = {"frozen": frozen, "shows_people": people}
            shared_links.add_link(self.workspace, self.book, f"for {NAME}", stop, query, today, **how)

    def _record(self) -> str:
        """Every row of the record that is of this book, and every row that does not say of which it is."""
        found = []
        engine = self.workspace.record.engine
        for table in inspect(engine).get_table_names():
            columns = {each["name"] for each in inspect(engine).get_columns(table)}
            where = f"WHERE book_id = {self.book.id}" if "book_id" in columns else ""
            with engine.connect() as connection:
                rows = connection.execute(text(f"SELECT * FROM {table} {where}")).all()
            found += [f"{table}: {row}" for row in rows]
        return "\n".join(found).casefold()

    def _left(self) -> list[str]:
        return [line for line in self._record().splitlines() if any(trace.casefold() in line for trace in TRACES)]

    def _erase(self) -> Erasure:
        return persons.erase_person(self.workspace, self.book, self.customer)

    def test_what_is_on_record_of_a_person_is_told_whole(self) -> None:
        told = persons.export_person(self.workspace, self.book, self.customer)
        self.assertEqual([each["value"] for each in told["known_as"]], [NUMBER, EMAIL])
        self.assertEqual([row["order_number"] for row in told["orders"]], ["A-1", "A-2", "W-1"])
        self.assertEqual([row["name"] for row in told["records"]], [NAME, NAME])
        self.assertEqual(len(told["payments"]), 1)
        self.assertIn(f"{NAME} wants clay, 07700 900123", [row["value"] for row in told["work_on_lists"]])
        self.assertEqual([row["text"] for row in told["notes"]], [f"{NAME} asked for the long clay"])
        self.assertIn(f"{NAME}, 4 Kiln Lane", [row["value"] for row in told["attributes_of_orders"]])
        json.dumps(told)
        page = persons.person_page(told)
        self.assertIn(f"<h1>On record of {NAME}</h1>", page)
        self.assertIn("A-2", page)

    def test_nothing_on_record_names_them_any_more_and_their_orders_stay(self) -> None:
        self.assertGreater(len(self._left()), 8)
        erased = self._erase()
        self.assertEqual((erased.orders, erased.payments), (3, 1))
        self.assertEqual(self._left(), [])
        brief = briefs.list_briefs(self.workspace, self.book)[0]
        findings = briefs.list_findings(self.workspace, brief)
        told = [(each.heading, each.live, each.kept is None) for each in findings]
        self.assertEqual((brief.name, told), ("for (erased)", [("(erased)", True, False), ("(erased)", True, True)]))
        orders = self.workspace.orders(self.book.id).orders
        self.assertEqual((orders.order_count, orders.customer_count), (4, 2))
        place = orders.customer_id.tolist().index(self.customer)
        self.assertEqual(orders.customers.name(place), erased.label)
        self.assertEqual(orders.customers.texts["email"].at(place).partition("@")[1], "")
        marks = orders.customers.attributes["do_not_contact"]
        self.assertEqual(marks.labels[marks.codes[place]], "yes")
        self.assertIn("Bo Tarn", [orders.customers.name(row) for row in range(2)])
        self.assertEqual(lists.list_lists(self.workspace, self.book)[0].name, "call (erased)")
        _, left = notes.list_notes(self.workspace, self.book, None, "", 0, 9)
        self.assertEqual([(row.thing.key, row.text) for row in left], [("2024-01", "(erased) asked for the long clay")])

    def test_links_that_show_them_as_they_were_end(self) -> None:
        self._share("", people=True, stop="cohorts")
        self._erase()
        left = shared_links.list_links(self.workspace, self.book)
        self.assertEqual(
            [(each.stop, each.is_frozen) for each in left],
            [("cohorts", True), ("cohorts", False), *[("threads", False)] * 3],
        )
        self.assertEqual({each.name for each in left}, {"for (erased)"})

    def test_a_later_file_does_not_bring_them_back(self) -> None:
        label = self._erase().label
        later = [*CUSTOMERS, ("K-2", "", "Cy Lark", "Marlow", "2", "9 Clay Road")]
        self._deliver("customers", later, "later", kind=FileKind.CUSTOMERS)
        further = [ORDERS[0], ("A-9", NUMBER, "2024-06-05", "40", NAME), ("A-8", NUMBER, "never", "1", NAME)]
        self._deliver("counter", further, "later")
        self._deliver("web", [BY_EMAIL[0], ("W-2", EMAIL, "2024-07-01", "8")], "later", key=KeyKind.EMAIL)
        self._deliver("bank", [*PAYMENTS, (NUMBER, "2024-06-09", "40")], "later", kind=FileKind.PAYMENTS)
        order = OrderByHand("counter", "A-10", NUMBER, "2024-08-01", "3")
        by_hand.put_order(self.workspace, self.book, order)
        self.assertEqual(self._left(), [])
        orders = self.workspace.orders(self.book.id).orders
        self.assertEqual(orders.customer_count, 3)
        place = orders.customer_id.tolist().index(self.customer)
        self.assertEqual(orders.customers.name(place), label)
        self.assertEqual(int(orders.counts[place]), 6)
        with self.workspace.record.engine.connect() as connection:
            query = text("SELECT COUNT(*) FROM payments WHERE book_id = :book AND current")
            self.assertEqual(connection.execute(query, {"book": self.book.id}).scalar_one(), 2)

    def test_the_log_says_that_somebody_was_erased_and_not_whom(self) -> None:
        self._erase()
        _, rows = read_log(self.workspace, LogChoice(self.book.id), 0, 1)
        self.assertEqual((rows[0].deed, rows[0].subject, rows[0].details), ("person erased", "", {}))
        with self.assertRaises(Conflict):
            self._erase()


if __name__ == "__main__":
    unittest.main()
