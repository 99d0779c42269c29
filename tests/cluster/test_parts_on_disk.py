"""Parts of a book where they lie: what a new revision writes, what stands beside them, folders and addresses."""

from __future__ import annotations

import gc
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any
from weakref import ref

import fsspec
import numpy as np
from distributed import Worker
from fsspec.implementations.local import LocalFileSystem

from goldthread.actor import RIGHTS, Actor, Role, acting_as
from goldthread.cluster import worker
from goldthread.cluster.cluster import Cluster
from goldthread.core.choices import Firsts, Period, Span
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.conditions import Compare, Comparison
from goldthread.core.history.history import History, HistoryRule
from goldthread.core.history.labels import OfOrders
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.of_parts import HistoryOfParts, extent
from goldthread.core.holding import Held
from goldthread.core.newness.table import NewnessTable, newness_table
from goldthread.core.standing.tally import standing_table
from goldthread.core.threads.groups import grouped
from goldthread.core.threads.windows import ListedBy, window_of
from goldthread.core.worth.bought import bought_counts
from goldthread.errors import Unavailable
from goldthread.intake.meanings import KeptAt
from goldthread.settings import Settings
from goldthread.store.parts import Parted, copies_of, open_part, remove_old_copies, save_parts, saved_parts
from goldthread.store.revisions import Stamped
from goldthread.workspace import Workspace, open_cluster
from tests.support.api import ApiCase
from tests.support.cluster import in_parts, put_in_parts
from tests.support.random_books import book_of, random_rows
from tests.support.running import ROOT
from tests.support.sharing import deliver, new_book, write_csv

HEADER = ("order", "customer_no", "date", "amount", "status", "code", "size")
PARTS_OF = 12
"""Orders of a part, in these tests."""


class Shelf(LocalFileSystem):  # type: ignore[misc]
    """A store that is not a folder of this machine, as far as anybody can tell."""

    protocol = "shelf"


def _by_month(history: History) -> NewnessTable:
    return newness_table(history, Span.MONTH)


def copies_here(dask_worker: Worker) -> int:
    """How many parts a worker has copied."""
    return len(list(Path(dask_worker.local_directory, "parts").rglob("book.json")))


def know_shelves() -> None:
    """Have addresses that begin with shelf:// understood in this process."""
    fsspec.register_implementation("shelf", Shelf, clobber=True)


class PartsOnDisk(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.scratch = self.folder / "tmp"
        self.scratch.mkdir()

    def saved(self, seed: int, at: Stamped, rows: int, address: str = "") -> Parted:
        book = book_of(random_rows(seed, 20, 120)[:rows], 23)
        return save_parts(address or str(self.folder / "parts"), self.scratch, 7, at, book, PARTS_OF)

    def test_parts_open_as_the_customers_of_the_whole(self) -> None:
        know_shelves()
        book = book_of(random_rows(3, 20, 120), 23)
        for address in (str(self.folder / "parts"), f"shelf://{self.folder}/there"):
            parted = self.saved(3, Stamped(1, "a"), 120, address)
            self.assertEqual(saved_parts(address, 7, Stamped(1, "a")), parted)
            self.assertGreater(len(parted.parts), 4)
            self.assertLess(max(each.orders for each in parted.parts), 2 * PARTS_OF)
            opened = [open_part(parted, place, {}, self.folder / "copies") for place in range(len(parted.parts))]
            with self.subTest(address=address):
                for name in ("day", "amount_minor", "order_id", "customer_id", "number_key"):
                    np.testing.assert_array_equal(
                        np.concatenate([getattr(each, name) for each in opened]), getattr(book, name)
                    )
                for name, whole in book.attributes.items():
                    self.assertTrue(all(each.attributes[name].labels == whole.labels for each in opened))
                    codes = np.concatenate([each.attributes[name].codes for each in opened])
                    np.testing.assert_array_equal(codes, whole.codes)
                self.assertEqual([each.first_customer for each in opened], parted.edges[:-1])

    def test_copies_of_other_revisions_go(self) -> None:
        know_shelves()
        address, copies = f"shelf://{self.folder}/there", self.folder / "copies"
        for stamp, rows in (("a", 118), ("b", 120)):
            parted = self.saved(1, Stamped(1, stamp), rows, address)
            remove_old_copies(copies, parted)
            for place in range(len(parted.parts)):
                open_part(parted, place, {}, copies)
            there = {each.name for each in copies_of(copies, parted.address).iterdir()}
            self.assertEqual(there, {each.name for each in parted.parts})

    def test_a_new_revision_writes_the_parts_that_it_touched_alone(self) -> None:
        first = self.saved(1, Stamped(1, "a"), 118)
        second = self.saved(1, Stamped(2, "b"), 120)
        before, after = ({part.name for part in each.parts} for each in (first, second))
        self.assertTrue(0 < len(after - before) <= 2, after - before)
        self.assertGreater(len(after & before), 3)
        there = {each.name for each in (self.folder / "parts" / "7").iterdir() if each.name.startswith("part-")}
        self.assertEqual(there, before | after)
        # the parts of the one before the last go
        third = self.saved(5, Stamped(3, "c"), 120)
        there = {each.name for each in (self.folder / "parts" / "7").iterdir() if each.name.startswith("part-")}
        self.assertEqual(there, after | {part.name for part in third.parts})
        self.assertIsNone(saved_parts(str(self.folder / "parts"), 7, Stamped(1, "a")))


class PartsOfABook(ApiCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def histories(self, own: Workspace, book_id: int) -> Any:
        rule = HistoryRule(30_000)
        own.account.clear()
        whole, parted = (each.history(each.orders(book_id), rule) for each in (self.workspace, own))
        self.assertIsInstance(parted, HistoryOfParts)
        return whole, parted

    def test_own_attributes_are_put_beside_the_parts_when_they_are_asked_for(self) -> None:
        book = new_book(self.workspace)
        rows = [
            (f"A-{n}", f"C{n % 9}", f"2024-0{n % 8 + 1}-11", str(n), "paid", "abc"[n % 3], str(n % 40))
            for n in range(90)
        ]
        path = write_csv(self.folder / "f.csv", [HEADER, *rows])
        deliver(self.workspace, book, path, further={"code": KeptAt.ORDER, "size": KeptAt.ORDER})
        own = in_parts(self.workspace)
        self.assertGreater(put_in_parts(own, book), 3)
        whole, parted = self.histories(own, book.id)
        for name in ("code", "size", "first_code"):
            of_parts, of_whole = (grouped(each, OfOrders.asked(each, name)) for each in (parted, whole))
            self.assertEqual(of_parts.labels, of_whole.labels)
            np.testing.assert_array_equal(of_parts.revenue_minor, of_whole.revenue_minor)
        self.assertFalse(parted.was_read_here)

    def test_whoever_may_not_see_people_asks_the_same_parts_and_leaves_them_as_they_are(self) -> None:
        own = in_parts(self.workspace, parts_at=str(self.folder / "parts"))
        put_in_parts(own, self.book)
        reader = Actor("rea", 7, role=Role.READER, rights=RIGHTS[Role.READER], sees_people=False)
        by = ListedBy("name", descending=False)

        def names() -> list[str]:
            own.account.clear()
            history = own.history(own.orders(self.book.id), HistoryRule(30_000))
            rows = window_of(history, by, history.whole.customer_count, 0, 20)
            return [history.whole.customers.name(place) for place in rows.tolist()]

        named = names()
        with acting_as(reader):
            numbered, (whole, parted) = names(), self.histories(own, self.book.id)
            for asked in (parted, whole):
                asked.whole.order_lines()
            self.assertEqual(
                bought_counts(parted, "product").revenue_minor.tolist(),
                bought_counts(whole, "product").revenue_minor.tolist(),
            )
            # somebody has no name but a number
            self.assertLess(len(set(numbered) & set(named)), 2, numbered)
            # what the parts lack is written for whoever asks: with names
            shutil.rmtree(next((self.folder / "parts" / str(self.book.id)).glob("part-*")))
            own.cluster._client.run(worker.forget, "")  # type: ignore[union-attr]
            names()
        self.assertEqual(names(), named)

    def test_firsts_of_matching_orders_go_by_the_usual_gaps_of_these_on_workers_too(self) -> None:
        own = in_parts(self.workspace)
        put_in_parts(own, self.book)
        label = self.workspace.orders(self.book.id).orders.attributes["source"].labels[0]
        rule = HistoryRule(
            20_300,
            where=Comparison("source", Compare.EQUAL, label),
            firsts=Firsts.MATCHING,
            lapse=LapseRule(usual_gaps=1.5),
        )
        whole, parted = (each.history(each.orders(self.book.id), rule) for each in (self.workspace, own))
        stand, new = ([ask(each) for each in (parted, whole)] for ask in (standing_table, _by_month))
        np.testing.assert_array_equal(stand[0].customers, stand[1].customers)
        np.testing.assert_array_equal(new[0].orders.won_back, new[1].orders.won_back)
        self.assertGreater(int(new[0].orders.won_back.sum()), 0)
        self.assertFalse(parted.was_read_here)

    def test_a_reading_elsewhere_is_let_go_at_once_and_weighs_little_until_it_is_read_here(self) -> None:
        own = in_parts(self.workspace)
        put_in_parts(own, self.book)
        _, parted = self.histories(own, self.book.id)
        table, listed = cohort_table(parted, Period.MONTH), parted.fields.fields
        self.assertTrue(table.labels and listed and parted.everybody.first_day)

        def weight(history: History) -> int:
            held = Held()
            held.leave_out(history.whole)
            return held.bytes_of(history)

        few = weight(parted)
        self.assertLess(few, 1 << 20, "but for what is known of it by now")
        self.assertGreater(parted.book.order_count, 0)
        self.assertGreater(weight(parted), few)
        held = ref(parted)
        gc.disable()
        try:
            del parted, table, listed
            own.account.clear()
            self.assertIsNone(held())
        finally:
            gc.enable()

    def test_parts_at_an_address_are_copied_once(self) -> None:
        know_shelves()
        own = in_parts(self.workspace, parts_at=f"shelf://{self.folder}/parts")
        cluster = own.cluster
        assert cluster is not None
        self.addCleanup(cluster.close)
        cluster.status()
        client = cluster._client
        assert client is not None
        self.assertGreater(put_in_parts(own, self.book), 3)
        # the same parts may be open from elsewhere
        client.run(worker.forget, "")
        with self.assertRaisesRegex(Unavailable, "Workers cannot read the parts of this book in shelf://"):
            extent(own.history(own.orders(self.book.id), HistoryRule(30_000)))
        client.run(know_shelves)
        copies = client.run(copies_here)
        self.assertTrue(all(count == 0 for count in copies.values()), copies)
        for _ in range(2):
            whole, parted = self.histories(own, self.book.id)
            of_whole, of_parts = (cohort_table(each, Period.MONTH) for each in (whole, parted))
            np.testing.assert_array_equal(of_whole.customers, of_parts.customers)
            self.assertGreater(min(client.run(copies_here).values()), 0)
            self.assertFalse(parted.was_read_here)
        cluster.remove(self.book.id)
        self.assertEqual(max(client.run(copies_here).values()), 0)

    def test_parts_of_a_book_that_is_deleted_go_with_it(self) -> None:
        own = in_parts(self.workspace, parts_at=str(self.folder / "parts"))
        put_in_parts(own, self.book)
        assert own.cluster is not None
        own.cluster.remove(self.book.id)
        self.assertEqual(list((self.folder / "parts").iterdir()), [])


class WithoutTheExtra(unittest.TestCase):
    def test_nothing_of_it_is_loaded_or_asked_for(self) -> None:
        told = (
            "import sys; import goldthread.server, goldthread.cli.main, goldthread.api.app, goldthread.cli.cluster; "
            "print([name for name in sys.modules if name.partition('.')[0] in ('dask', 'distributed', 'fsspec')"
            " or name.startswith('goldthread.cluster')])"
        )
        said = subprocess.run([sys.executable, "-c", told], cwd=ROOT, capture_output=True, text=True, check=True)
        self.assertEqual(said.stdout.strip(), "[]")
        self.assertIsNone(open_cluster(Settings()))

    def test_a_setting_that_needs_it_says_what_to_install(self) -> None:
        told = (
            "import sys; sys.modules['distributed'] = None; from goldthread.settings import Settings; "
            "from goldthread.workspace import open_cluster; open_cluster(Settings(compute='processes'))"
        )
        said = subprocess.run([sys.executable, "-c", told], cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertIn("Install goldthread[cluster]", said.stderr)
        self.assertIsInstance(open_cluster(Settings(compute="processes")), Cluster)
        with self.assertRaises(Unavailable):
            Cluster(Settings(compute="tcp://127.0.0.1:1")).status()


if __name__ == "__main__":
    unittest.main()
