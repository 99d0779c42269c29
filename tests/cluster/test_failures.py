"""What fails on a cluster is told in words, mended where that can be, and never changes an answer."""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np

from goldthread.actions.books import today_of
from goldthread.actions.watching import seen_now
from goldthread.askers import asked_by
from goldthread.cluster import cluster as cluster_module
from goldthread.cluster import worker
from goldthread.cluster.cluster import Cluster
from goldthread.cluster.local import local_cluster
from goldthread.core.choices import CALENDAR_PERIODS, Period
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import History
from goldthread.core.history.of_parts import HistoryOfParts, extent
from goldthread.errors import Stopped, TooLarge, Unavailable
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.workspace import Workspace
from tests.support.api import ApiCase
from tests.support.cluster import in_parts, put_in_parts

PART_SECONDS = 1.0


def end_this_process(history: History, mark: str, once: bool) -> int:
    """Kill the process of the cluster that works this out; the first one alone, or every one."""
    if not (once and Path(mark).exists()):
        Path(mark).touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return history.whole.customer_count


def take_long(history: History, folder: str) -> int:
    """Take a while over each part, and say in a folder which ones were begun."""
    Path(folder, str(history.whole.first_customer)).touch()
    time.sleep(PART_SECONDS)
    return history.whole.customer_count


def need_memory(bytes_per_order: int) -> None:
    """Have a worker open every part anew, and need so much memory for it."""
    worker._BYTES_PER_ORDER = bytes_per_order
    for each in worker._opened:
        each.clear()


class Failures(ApiCase):
    def setUp(self) -> None:
        self.own = in_parts(self.workspace)
        self.part_count = put_in_parts(self.own, self.book)
        self.addCleanup(self.cluster.close)
        self.wanted = cohort_table(self.read(self.workspace), Period.MONTH)

    @property
    def cluster(self) -> Cluster:
        assert self.own.cluster is not None
        return self.own.cluster

    def read(self, workspace: Workspace) -> History:
        return read_book(workspace, self.book, ReadingLine(), today_of(self.book)).history

    def in_parts(self) -> HistoryOfParts:
        self.own.account.clear()
        history = self.read(self.own)
        assert isinstance(history, HistoryOfParts)
        return history

    def total(self, work: Any, *given: Any) -> Any:
        return self.in_parts().elsewhere.total(work, given, {})

    def is_answered(self) -> None:
        """The cohort table is that of the whole."""
        np.testing.assert_array_equal(cohort_table(self.in_parts(), Period.MONTH).customers, self.wanted.customers)

    def folder(self) -> Path:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        return folder

    def test_a_worker_that_dies_over_a_question_costs_time_and_no_answer(self) -> None:
        found = self.total(end_this_process, str(self.folder() / "mark"), True)
        self.assertEqual(found, self.workspace.orders(self.book.id).orders.customer_count)
        self.is_answered()

    def test_a_question_over_which_every_worker_dies_is_told(self) -> None:
        with self.assertRaisesRegex(Unavailable, "Workers ended over this question"):
            self.total(end_this_process, str(self.folder() / "mark"), False)
        self.is_answered()

    def test_a_scheduler_that_is_gone_is_told_and_a_small_book_is_read_here(self) -> None:
        keys = str(self.folder())
        self.own = in_parts(self.workspace, cluster_keys_at=keys)
        with local_cluster(self.own.settings, 1):
            put_in_parts(self.own, self.book)
            self.is_answered()
            self.assertEqual(seen_now(self.own, self.book.id).alone, "")
            history = self.in_parts()
        with patch.object(cluster_module, "CONNECT_SECONDS", 1.0):
            self.assertEqual(vars(extent(history)), vars(extent(self.read(self.workspace))))
            self.assertTrue(history.was_read_here)
            self.assertNotEqual(seen_now(self.own, self.book.id).alone, "")
            self.is_answered()
            with (
                patch.object(cluster_module, "_HERE_SHARE", 0.0),
                self.assertRaisesRegex(Unavailable, "too large to be read by this server alone"),
            ):
                extent(self.in_parts())
        with local_cluster(self.own.settings, 1), patch.object(self.cluster, "_not_before", 0.0):
            history = self.in_parts()
            self.assertEqual(vars(extent(history)), vars(extent(self.read(self.workspace))))
            self.assertFalse(history.was_read_here)
            self.assertEqual(seen_now(self.own, self.book.id).alone, "")

    def test_a_part_that_cannot_be_read_is_written_anew(self) -> None:
        self.is_answered()
        place = Path(self.own.settings.parts_folder, str(self.book.id))
        parts = sorted(place.glob("part-*"))
        self.assertEqual(len(parts), self.part_count)
        (parts[0] / "day.npy").write_bytes(b"no column")
        shutil.rmtree(parts[1])
        client = self.cluster._client
        assert client is not None
        client.run(need_memory, 1)
        self.is_answered()
        self.assertEqual(sorted(place.glob("part-*")), parts)

    def test_a_worker_without_memory_for_a_part_says_so(self) -> None:
        self.is_answered()
        client = self.cluster._client
        assert client is not None
        client.run(need_memory, 1 << 50)
        try:
            with self.assertRaisesRegex(TooLarge, "no room for a part") as told:
                self.is_answered()
            self.assertIn("--memory-limit", told.exception.remedy)
        finally:
            client.run(need_memory, 1)
        self.is_answered()

    def test_a_question_that_takes_too_long_says_who_is_still_at_work(self) -> None:
        self.own = in_parts(self.workspace, cluster_seconds=1)
        put_in_parts(self.own, self.book)
        with self.assertRaisesRegex(Unavailable, r"not answered within 1 seconds\. Still at work: tls://127\.0\.0\.1"):
            self.total(take_long, str(self.folder()))

    def test_a_question_that_nobody_waits_for_ends_on_the_workers_too(self) -> None:
        folder = self.folder()
        self.assertGreater(self.part_count, 4)

        def ask() -> None:
            asked_by(lambda: any(folder.iterdir()))
            with self.assertRaises(Stopped):
                self.total(take_long, str(folder))

        asking = threading.Thread(target=ask)
        asking.start()
        asking.join(self.part_count * PART_SECONDS + cluster_module.CONNECT_SECONDS)
        self.assertFalse(asking.is_alive())
        # each worker takes this up when it is done with the other
        self.is_answered()
        self.assertLess(len(list(folder.iterdir())), self.part_count)

    def test_several_servers_ask_one_cluster_at_once(self) -> None:
        others = [in_parts(self.workspace) for _ in range(2)]
        for each in others:
            assert each.cluster is not None
            self.addCleanup(each.cluster.close)

        def ask(workspace: Workspace) -> list[Any]:
            found = []
            for period in CALENDAR_PERIODS:
                workspace.account.clear()
                found.append(cohort_table(self.read(workspace), period).customers.tolist())
            return found

        with ThreadPoolExecutor() as pool:
            found = list(pool.map(ask, [self.own, *others]))
        self.assertEqual(found, [ask(self.workspace)] * 3)

    def test_a_worker_of_another_version_is_refused_with_what_to_install(self) -> None:
        with (
            patch.object(np, "__version__", "1.0"),
            self.assertRaisesRegex(Unavailable, r"The worker tls://\S+ has numpy \S+ in place of 1\.0\.") as told,
        ):
            in_parts(self.workspace).cluster.status()  # type: ignore[union-attr]
        self.assertIn("Install numpy==1.0", told.exception.remedy)
        # one that comes later is found out by what it is asked
        self.is_answered()
        with (
            patch.object(worker, "__version__", "9"),
            self.assertRaisesRegex(Unavailable, "goldthread==9"),
        ):
            extent(self.in_parts())

    def test_questions_wait_for_nothing_of_a_cluster_that_has_no_parts_of_theirs(self) -> None:
        workspace = in_parts(self.workspace, part_orders=10**6)
        self.assertNotIsInstance(self.read(workspace), HistoryOfParts)
        self.assertEqual(seen_now(workspace, self.book.id).alone, "")

    def test_parts_are_written_beside_the_first_answers(self) -> None:
        workspace = in_parts(self.workspace, parts_at=str(self.folder()))
        self.assertNotIsInstance(self.read(workspace), HistoryOfParts)
        workspace.finish()
        workspace.account.clear()
        self.assertIsInstance(self.read(workspace), HistoryOfParts)


if __name__ == "__main__":
    unittest.main()
