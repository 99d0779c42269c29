"""A place of a case's own, for tests that stop, break or replace what runs there."""

from __future__ import annotations

import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import ClassVar

from goldthread.processes import POLL_SECONDS
from goldthread.workspace import Workspace
from tests.support.running import Place

LIMIT_SECONDS = 60


class PlaceCase(unittest.TestCase):
    place: ClassVar[Place]
    workspace: ClassVar[Workspace]

    @classmethod
    def setUpClass(cls) -> None:
        cls.place = Place()
        cls.addClassCleanup(cls.place.close)
        cls.workspace = cls.place.workspace()
        cls.addClassCleanup(cls.workspace.record.engine.dispose)

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def until(self, is_so: Callable[[], bool]) -> None:
        """Wait until something is so."""
        deadline = time.monotonic() + LIMIT_SECONDS
        while not is_so():
            self.assertLess(time.monotonic(), deadline)
            time.sleep(POLL_SECONDS)
