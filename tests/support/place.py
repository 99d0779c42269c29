"""A place of a case's own, for tests that stop, break or replace what runs there."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

from goldthread.workspace import Workspace
from tests.support.running import Place


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
