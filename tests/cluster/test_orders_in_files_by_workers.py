"""Files in which orders stay are checked by the workers of a cluster that reach where these go."""

from __future__ import annotations

import unittest
from unittest import mock

from goldthread.actions.refreshing import refresh_book
from goldthread.cluster.cluster import Cluster
from goldthread.core.records import unreported
from goldthread.errors import Stopped, UnreadableFile
from tests.support.cluster import in_parts
from tests.support.orders_in_files import FilesCase, rows_of


class ByWorkers(FilesCase):
    def setUp(self) -> None:
        super().setUp()
        self.workspace = in_parts(self.workspace)

    def test_what_workers_make_of_files_is_what_is_made_here(self) -> None:
        with mock.patch.object(Cluster, "each", autospec=True, side_effect=Cluster.each) as each:
            book, report = self.begin()
        self.assertEqual((each.call_count, report.rows_in), (1, 150))
        self.assert_same(book, self.delivered())

    def test_a_file_that_cannot_be_read_and_somebody_who_stops_end_the_work(self) -> None:
        book, _ = self.begin()
        count = self.workspace.orders(book.id).orders.order_count
        for place in range(3):
            self.write(f"channel=post/n{place}.parquet", rows_of(place, 1000 + 100 * place, 20, range(4)))
        (self.folder / "channel=post/o.parquet").write_bytes(b"PAR1 no more")
        with self.assertRaises(UnreadableFile):
            refresh_book(self.workspace, book, unreported)
        (self.folder / "channel=post/o.parquet").unlink()

        def stop(_phase: str, done: int, _total: int) -> None:
            if done:
                raise Stopped("Stopped.")

        with self.assertRaises(Stopped):
            refresh_book(self.workspace, book, stop)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, count)
        refresh_book(self.workspace, book, unreported)
        self.assertEqual(self.workspace.orders(book.id).orders.order_count, count + 60)


if __name__ == "__main__":
    unittest.main()
