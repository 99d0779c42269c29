"""Work that nobody waits for: after what people wait for, the last of a kind alone, and all of it before the end."""

from __future__ import annotations

import subprocess
import sys
import threading
import unittest
from unittest import mock

from goldthread import background
from goldthread.background import Background

ENDS = """
from goldthread.background import Background
Background().do("saying", lambda: print("done"))
"""


class InTheBackground(unittest.TestCase):
    def setUp(self) -> None:
        self.background, self.done = Background(), list[str]()

    def do(self, kind: str, name: str) -> None:
        self.background.do(kind, lambda: self.done.append(name))

    def test_of_one_kind_that_waits_the_last_is_done(self) -> None:
        with mock.patch.object(background, "FIRST_SECONDS", 60.0):
            for kind, name in (("one", "first"), ("other", "beside"), ("one", "second")):
                self.do(kind, name)
            self.assertEqual(self.done, [])
            self.background.finish()
        self.assertEqual(self.done, ["second", "beside"])

    def test_it_begins_by_itself_and_again_when_more_comes(self) -> None:
        done = threading.Event()
        with mock.patch.object(background, "FIRST_SECONDS", 0.0):
            for _ in range(2):
                done.clear()
                self.background.do("one", done.set)
                self.assertTrue(done.wait(60))

    def test_what_fails_is_told_and_keeps_nothing_else_from_being_done(self) -> None:
        with self.assertLogs("goldthread.background", "ERROR"):
            self.background.do("one", mock.Mock(side_effect=ValueError))
            self.do("other", "beside")
            self.background.finish()
        self.assertEqual(self.done, ["beside"])

    def test_a_program_that_ends_waits_for_it(self) -> None:
        self.assertEqual(subprocess.check_output([sys.executable, "-c", ENDS], text=True), "done\n")


if __name__ == "__main__":
    unittest.main()
