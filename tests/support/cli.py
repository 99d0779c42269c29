"""Commands called as from a terminal, on the shared record."""

from __future__ import annotations

import tempfile
import unittest
import uuid
from pathlib import Path

from click.testing import CliRunner, Result

from goldthread.cli.main import main
from tests.support.sharing import shared_place, shared_workspace


class CliCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        shared_workspace()

    def run_(self, *arguments: str, code: int = 0) -> Result:
        own = {key: value for key, value in shared_place().environment.items() if key.startswith("GOLDTHREAD_")}
        result = CliRunner().invoke(main, arguments, env=own)
        self.assertEqual(result.exit_code, code, result.output)
        return result

    def new_book(self) -> str:
        name = f"cli {uuid.uuid4().hex[:10]}"
        self.run_("book", "add", name, "--currency", "EUR", "--time-zone", "Europe/Lisbon")
        return name
