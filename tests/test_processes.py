"""Processes known by number and start, one alone at a time, and a start that takes as long as it gets on."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from itertools import chain, repeat
from pathlib import Path
from unittest import mock

import psutil

from goldthread.errors import Unavailable
from goldthread.processes import KnownProcess, alone, is_alive, read_known, write_known
from goldthread.store.server import instance
from goldthread.store.server.address import Address
from goldthread.store.server.instance import PrivateDatabase

HOLDER = """
import sys
from pathlib import Path
from goldthread.processes import alone
with alone(Path(sys.argv[1])):
    print("held", flush=True)
    sys.stdin.read()
"""


class Alone(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.lock = Path(folder.name) / "made for it" / "lock"
        self.holder = subprocess.Popen(
            [sys.executable, "-c", HOLDER, self.lock], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.addCleanup(self.holder.communicate)
        assert self.holder.stdout is not None
        self.assertEqual(self.holder.stdout.readline(), "held\n")

    def test_a_second_one_is_kept_out_and_told(self) -> None:
        with (
            mock.patch("goldthread.processes._START_LOCK_SECONDS", 0.05),
            self.assertRaisesRegex(Unavailable, "starting or stopping") as refused,
            alone(self.lock),
        ):
            self.fail("Two were in at once.")
        self.assertIn("Try again", refused.exception.remedy)

    def test_who_is_killed_keeps_nobody_out(self) -> None:
        known = KnownProcess.of(self.holder.pid)
        self.assertTrue(known.is_alive)
        self.holder.kill()
        with alone(self.lock):
            pass
        # it has ended, though nobody has collected it yet
        self.assertFalse(known.is_alive)
        self.assertFalse(is_alive(self.holder.pid))

    def test_a_clock_that_is_set_and_another_run_of_the_machine(self) -> None:
        known = KnownProcess.of(self.holder.pid)
        of_before = KnownProcess(known.pid, psutil.Process(known.pid).create_time())
        booted = psutil.boot_time()
        with mock.patch("psutil._pslinux.boot_time", return_value=booted + 24):
            self.assertTrue(known.is_alive, "the clock was set 24 seconds ahead")
        self.assertTrue(of_before.is_alive, "as an earlier version put it down")
        self.assertFalse(replace(known, boot="another").is_alive)
        self.assertFalse(replace(known, started=known.started - 60).is_alive)
        file = self.lock.with_name("pid")
        write_known(file, known.pid)
        self.assertEqual(read_known(file), KnownProcess.of(known.pid))

    def test_the_lock_is_nobody_elses_to_read(self) -> None:
        self.assertEqual(self.lock.stat().st_mode & 0o077, 0)


class SlowStarts(unittest.TestCase):
    """A database that was killed recovers for as long as its log is; it is given up only when it stands still."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.database = PrivateDatabase(Path(folder.name), 16)
        self.database._log.parent.mkdir(parents=True, exist_ok=True)
        self.database._log.write_text("InnoDB: no such page", encoding="utf-8")
        self.address = Address("", "", "")
        self.clock = 0.0

    def wait(self, *, progress: chain[int], answers: chain[bool], alive: bool = True) -> float:
        """Wait for a process that gets on as told, by a clock that goes 20 seconds at a look; the time it took."""

        def look(_seconds: float) -> None:
            self.clock += 20

        with (
            mock.patch.object(instance, "_progress_of", side_effect=progress),
            mock.patch.object(instance, "_answers", side_effect=answers),
            mock.patch.object(instance, "is_alive", return_value=alive),
            mock.patch("goldthread.store.server.instance.time.monotonic", side_effect=lambda: self.clock),
            mock.patch("goldthread.store.server.instance.time.sleep", look),
        ):
            self.database._wait_until_answering(1, self.address)
        return self.clock

    def test_one_that_gets_on_is_waited_for(self) -> None:
        answers = chain(repeat(False, 60), repeat(True))
        self.assertEqual(self.wait(progress=chain(range(1000)), answers=answers), 1200)

    def test_one_that_stands_still_is_given_up_with_its_last_words(self) -> None:
        with self.assertRaisesRegex(Unavailable, "did not start") as given_up:
            self.wait(progress=chain(range(5), repeat(5)), answers=chain(repeat(False)))
        self.assertIn("no such page", given_up.exception.remedy)
        self.assertLess(self.clock, 400)

    def test_one_that_has_ended_is_told_at_once(self) -> None:
        with self.assertRaises(Unavailable):
            self.wait(progress=chain(range(9)), answers=chain(repeat(False)), alive=False)
        self.assertEqual(self.clock, 0)

    def test_even_one_that_gets_on_is_not_waited_for_for_ever(self) -> None:
        with self.assertRaises(Unavailable):
            self.wait(progress=chain(range(10**6)), answers=chain(repeat(False)))


if __name__ == "__main__":
    unittest.main()
