"""Customer lists: kept, named, renamed, deleted; alone, compared with everybody else, left out; carried along."""

from __future__ import annotations

import threading
from typing import Any
from unittest import main, mock

from sqlalchemy import Connection, event

from goldthread.actions import lists
from goldthread.actions.by_hand import OrderByHand, match_customers, put_order
from goldthread.actions.saved_views import delete_view, list_saved, save_view, undelete_view
from goldthread.core.book.days import to_date
from goldthread.core.records import Verdict
from goldthread.errors import Conflict, InvalidInput, NotFound, TooLarge
from goldthread.stops.reading import Read, read_book
from goldthread.stops.sentences.reading_line import ListAs, ReadingLine
from goldthread.store import lists as records
from goldthread.store import mails
from goldthread.store.revisions import lock_book
from tests.support import tiny
from tests.support.asking import keep
from tests.support.sharing import tiny_book
from tests.support.store import StoreCase


class Lists(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = tiny_book(self.workspace, self.folder)

    def read(self, **choices: object) -> Read:
        line = ReadingLine.model_validate(choices)
        return read_book(self.workspace, self.book, line, to_date(tiny.AS_OF_DAY))

    def names(self) -> list[str]:
        return [row.name for row in lists.list_lists(self.workspace, self.book)]

    def test_a_list_is_kept_with_what_made_it(self) -> None:
        row = keep(self.workspace, self.read(), [3, 1, 3], "Two of them", "customers of the counter.")
        self.assertEqual((row.name, row.customer_count, row.rule), ("Two of them", 2, "customers of the counter."))
        self.assertEqual((row.as_of, row.question), (to_date(tiny.AS_OF_DAY), "customers"))
        long = keep(self.workspace, self.read(), [0], "", "w" * 900)
        self.assertEqual((len(long.rule), len(long.name)), (records.WORDS_LENGTH, records.NAME_LENGTH))
        self.assertEqual(self.names(), [long.name, "Two of them"])

    def test_a_list_is_used_alone_compared_and_left_out(self) -> None:
        keep(self.workspace, self.read(), [3, 1], "Pair")
        alone, without = self.read(list="pair"), self.read(list="Pair", list_as=ListAs.WITHOUT)
        self.assertEqual(alone.history.customers.tolist(), [1, 3])
        self.assertEqual(without.history.customers.size, 13)
        against = self.read(list="Pair", list_as=ListAs.AGAINST)
        assert against.rest is not None
        self.assertEqual(against.history.customers.tolist(), [1, 3])
        self.assertEqual(against.rest.customers.tolist(), without.history.customers.tolist())

    def test_a_name_is_proposed_and_numbered_and_a_chosen_one_is_not(self) -> None:
        read = self.read()
        proposed = [keep(self.workspace, read, [0], "", "customers who came back").name for _ in range(3)]
        self.assertEqual(
            proposed, ["Customers who came back", "Customers who came back (2)", "Customers who came back (3)"]
        )
        for taken in ("Customers who came back", "CUSTOMERS  who came  back"):
            with self.subTest(name=taken), self.assertRaises(Conflict):
                keep(self.workspace, read, [0], taken)
        for name in ("x" * 121, "a\u202eb"):
            with self.subTest(name=name), self.assertRaises(InvalidInput):
                keep(self.workspace, read, [0], name)

    def test_nobody_is_no_list_and_there_are_only_so_many(self) -> None:
        with self.assertRaises(InvalidInput):
            keep(self.workspace, self.read(), [])
        keep(self.workspace, self.read(), [0], "one")
        with mock.patch("goldthread.store.lists.LISTS_MOST", 1), self.assertRaises(TooLarge):
            keep(self.workspace, self.read(), [0], "two")

    def test_saved_views_follow_a_list_that_is_renamed(self) -> None:
        row = keep(self.workspace, self.read(), [0, 1], "fairs & markets")
        other = keep(self.workspace, self.read(), [2], "others")
        query = "period=year&list=fairs+%26+markets&list_as=against"
        save_view(self.workspace, self.book, "Fairs", "cohorts", query, "?")
        save_view(self.workspace, self.book, "Others", "cohorts", "list=others", "?")
        lists.rename_list(self.workspace, self.book, row.id, "fairs 2025")
        kept = {view.name: view.query for view in list_saved(self.workspace, self.book)}
        self.assertEqual(kept["Fairs"], "period=year&list=fairs+2025&list_as=against")
        self.assertEqual(kept["Others"], "list=others")
        self.assertEqual(self.read(list="fairs 2025").history.customers.size, 2)
        with self.assertRaises(Conflict):
            lists.rename_list(self.workspace, self.book, other.id, "Fairs 2025")
        lists.rename_list(self.workspace, self.book, row.id, "FAIRS 2025")
        self.assertEqual(self.names(), ["others", "FAIRS 2025"])

    def test_two_who_rename_a_list_at_once_leave_no_view_without_it(self) -> None:
        kept = keep(self.workspace, self.read(), [0, 1], "Pair")
        save_view(self.workspace, self.book, "Of the pair", "cohorts", "list=Pair", "words")

        def after_another(connection: Connection, book_id: int) -> None:
            with mock.patch.object(records, "lock_book", lock_book):
                lists.rename_list(self.workspace, self.book, kept.id, "A pair")
            lock_book(connection, book_id)

        with mock.patch.object(records, "lock_book", after_another):
            lists.rename_list(self.workspace, self.book, kept.id, "Two")
        self.assertEqual(self.names(), ["Two"])
        [view] = list_saved(self.workspace, self.book)
        self.assertEqual(view.query, "list=Two")

    def test_a_deleted_view_names_a_list_as_it_is_called_when_it_is_brought_back(self) -> None:
        kept = keep(self.workspace, self.read(), [0, 1], "Pair")
        view = save_view(self.workspace, self.book, "Of the pair", "cohorts", "list=Pair", "words")
        delete_view(self.workspace, self.book, view.id)
        lists.rename_list(self.workspace, self.book, kept.id, "Two")
        undelete_view(self.workspace, self.book, view.id)
        self.assertEqual([each.query for each in list_saved(self.workspace, self.book)], ["list=Two"])

    def test_nothing_is_put_down_of_a_list_while_it_is_deleted(self) -> None:
        kept, engine, told = (
            keep(self.workspace, self.read(), [0, 1], "Pair"),
            self.workspace.record.engine,
            list[Any](),
        )

        def claim() -> None:
            try:
                told.append(mails.claim(engine, self.book.id, kept.id, 1, "a@x.example", "<1@x>", "Mo"))
            except NotFound as error:
                told.append(error)

        claiming = threading.Thread(target=claim)

        def begin(_connection: Any, _cursor: Any, statement: str, *_more: Any) -> None:
            if statement.startswith("UPDATE customer_lists") and not claiming.ident:
                claiming.start()
                claiming.join(0.5)

        event.listen(engine, "before_cursor_execute", begin)
        self.addCleanup(event.remove, engine, "before_cursor_execute", begin)
        lists.delete_list(self.workspace, self.book, kept.id)
        claiming.join()
        self.assertIsInstance(told[0], NotFound)
        self.assertEqual(self.names(), [])

    def test_a_deleted_list_is_gone_and_its_customers_stay(self) -> None:
        row = keep(self.workspace, self.read(), [0, 1], "gone")
        lists.delete_list(self.workspace, self.book, row.id)
        with self.assertRaises(NotFound) as told:
            self.read(list="gone")
        self.assertEqual(told.exception.field, "list")
        with self.assertRaises(NotFound):
            lists.delete_list(self.workspace, self.book, row.id)
        self.assertEqual(self.read().history.customers.size, 15)

    def test_a_customer_who_turns_out_to_be_another_one_is_on_the_list_as_that_one(self) -> None:
        read = self.read()
        ids = read.orders.customer_id
        kept = [keep(self.workspace, read, [place], f"one {place}") for place in (0, 1)]
        match_customers(self.workspace, self.book, ids[:2].tolist(), Verdict.ONE)
        found = [self.read(list=row.name).history.customers.tolist() for row in kept]
        self.assertEqual(found[0], found[1])
        self.assertEqual(len(found[0]), 1)

    def test_members_are_those_of_its_day_whatever_comes_in_later(self) -> None:
        often = {"where": "orders >= 4"}
        before = self.read(**often).history.customers.tolist()
        keep(self.workspace, self.read(), before, "often")
        for number in ("K71", "K72", "K73", "K74"):
            put_order(self.workspace, self.book, OrderByHand("counter", number, "C03", "2025-08-30", "5"))
        self.assertEqual(self.read(**often).history.customers.size, len(before) + 1)
        self.assertEqual(self.read(list="often").history.customers.tolist(), before)


if __name__ == "__main__":
    main()
