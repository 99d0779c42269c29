"""The arrows between the parts, held against the imports themselves."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "goldthread"
ALLOWED = {
    "errors": set[str](),
    "settings": {"errors"},
    "processes": {"errors"},
    "scratch": {"errors", "settings", "processes"},
    "core": {"core", "errors"},
    "cql2": {"cql2", "core", "errors"},
    "intake": {"intake", "core", "errors"},
    "store": {"store", "core", "errors", "processes"},
    "demo": {"demo"},
    "actions": {"actions", "core", "cql2", "intake", "store", "demo", "errors", "settings"},
    "api": {"api", "actions", "core", "errors", "settings"},
    "cli": {"cli", "api", "actions", "core", "errors", "settings", "processes", "scratch"},
}


def _imports(file: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


class Arrows(unittest.TestCase):
    def test_each_part_imports_only_what_it_may(self) -> None:
        for file in SOURCE.rglob("*.py"):
            part = file.relative_to(SOURCE).parts[0].removesuffix(".py")
            if part.startswith("__"):
                continue
            ours = {name.split(".")[1] for name in _imports(file) if name.startswith("goldthread.")}
            ours.discard("__version__")
            with self.subTest(file=file.name):
                self.assertLessEqual(ours, ALLOWED[part])

    def test_the_core_knows_neither_the_web_nor_a_database(self) -> None:
        modules = [f"goldthread.core.{file.stem}" for file in (SOURCE / "core").glob("[a-z]*.py")]
        code = (
            f"import sys, {', '.join(modules)}; print(sorted({{'flask', 'sqlalchemy', 'pyarrow'}} & set(sys.modules)))"
        )
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(told.stdout.strip(), "[]")

    def test_only_the_settings_read_the_environment(self) -> None:
        readers = {file.name for file in SOURCE.rglob("*.py") if "os.environ" in file.read_text(encoding="utf-8")}
        self.assertEqual(readers, {"settings.py"})

    def test_stops_of_the_page_never_import_each_other(self) -> None:
        stops = ROOT / "web" / "src" / "stops"
        for file in stops.rglob("*.*"):
            own = file.relative_to(stops).parts[0]
            for other in {folder.name for folder in stops.iterdir()} - {own}:
                with self.subTest(file=file.name, other=other):
                    self.assertNotRegex(file.read_text(encoding="utf-8"), rf"stops/{other}/|\.\./{other}/")

    def test_no_file_records_where_packages_are_downloaded_from(self) -> None:
        lock = (ROOT / "web" / "package-lock.json").read_text(encoding="utf-8")
        self.assertIsNone(re.search(r'"resolved": *"http', lock))


if __name__ == "__main__":
    unittest.main()
