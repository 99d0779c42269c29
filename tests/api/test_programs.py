"""What the document says of programs is what they can do: its examples are run as they stand."""

from __future__ import annotations

import re
import runpy
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

import requests

from goldthread.actor import Role
from tests.support.people import PeopleCase
from tests.support.running import ROOT, server

TEXT = (ROOT / "docs" / "using" / "http.md").read_text(encoding="utf-8")


class Programs(PeopleCase):
    address: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.address = cls.enterClassContext(server(cls.place))

    def _example(self, language: str) -> str:
        """An example as it stands, of this server, this book and a token of somebody who may read it."""
        found = re.search(rf"```{language}\n(.*?)```", TEXT, re.DOTALL)
        assert found is not None
        token = self.token("reader", Role.READER)["Authorization"].removeprefix("Bearer ")
        here = found[1].replace("http://127.0.0.1:8321", self.address).replace("/books/1/", f"/books/{self.book.id}/")
        return here.replace("gt_your-token", token)

    def test_a_notebook_reads_a_table_in_five_lines(self) -> None:
        code = self._example("python")
        self.assertEqual(len([line for line in code.splitlines() if line]), 5)
        with tempfile.TemporaryDirectory() as folder:
            notebook = Path(folder) / "notebook.py"
            notebook.write_text(code, encoding="utf-8")
            here = runpy.run_path(str(notebook))
        self.assertGreater(here["table"].num_rows, 0)
        self.assertIn("cohort", here["table"].column_names)

    def test_a_job_that_runs_by_itself_gets_its_file_or_fails(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            code = self._example("sh")
            done = subprocess.run(["sh", "-c", code], cwd=folder, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertTrue((Path(folder) / "lapsed.csv").read_text(encoding="utf-8").startswith("customer"))
            refused = subprocess.run(
                ["sh", "-c", code.replace("gt_", "gt_no")], cwd=folder, capture_output=True, text=True, check=False
            )
            self.assertNotEqual(refused.returncode, 0)
            self.assertIn("401", refused.stderr)

    def test_a_web_query_of_a_spreadsheet_gets_csv(self) -> None:
        path = f"{self.address}/api/books/{self.book.id}/ask/follow-up/file?who=lapsed&form=csv"
        reply = requests.get(path, headers=self.token("reader", Role.READER), timeout=60)
        self.assertEqual(reply.status_code, 200)
        self.assertTrue(reply.headers["Content-Type"].startswith("text/csv"))
        self.assertEqual(reply.headers["Cache-Control"], "private, no-store")


if __name__ == "__main__":
    unittest.main()
