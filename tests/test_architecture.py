"""The arrows between the parts, held against the imports themselves."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import unittest
from collections.abc import Iterator
from dataclasses import is_dataclass
from enum import Enum
from importlib import import_module
from pathlib import Path

from goldthread.stops.registry import STOPS, questions
from goldthread.stops.sentences.reading_line import ReadingLine

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "goldthread"
ALLOWED = {
    "errors": set[str](),
    "settings": {"errors"},
    "actor": {"errors"},
    "processes": {"errors"},
    "scratch": {"errors", "settings", "processes"},
    "core": {"core", "errors"},
    "cql2": {"cql2", "core", "errors"},
    "intake": {"intake", "core", "errors"},
    "store": {"actor", "store", "core", "csv_writer", "errors", "processes"},
    "askers": {"errors"},
    "csv_writer": {"core"},
    "shape": {"core", "errors"},
    "server": {"api", "actions", "installation", "metrics", "processes", "scratch", "settings", "workspace"},
    "kept": {"askers", "core", "store"},
    "background": set(),
    "cluster": {"cluster", "askers", "core", "errors", "kept", "processes", "settings", "store"},
    "logs": {"settings"},
    "metrics": {"settings"},
    "installation": {"core", "errors", "processes", "settings", "store"},
    "workspace": {"actor", "background", "cluster", "installation", "core", "kept", "store", "errors", "settings"},
    "demo": {"demo"},
    "stops": {"actor", "stops", "core", "cql2", "store", "csv_writer", "shape", "askers", "workspace", "errors"},
    "actions": {
        "actor",
        "actions",
        "installation",
        "core",
        "cql2",
        "intake",
        "store",
        "csv_writer",
        "shape",
        "workspace",
        "demo",
        "errors",
        "processes",
        "settings",
    },
    "api": {
        "actor",
        "api",
        "logs",
        "metrics",
        "installation",
        "stops",
        "actions",
        "intake",
        "store",
        "core",
        "csv_writer",
        "shape",
        "askers",
        "workspace",
        "errors",
        "settings",
    },
    "cli": {
        "actor",
        "cli",
        "cluster",
        "logs",
        "metrics",
        "installation",
        "api",
        "server",
        "stops",
        "actions",
        "intake",
        "store",
        "core",
        "shape",
        "workspace",
        "errors",
        "settings",
        "processes",
        "scratch",
    },
}
"""Which parts each part may import. Of `core`, `intake` and `store`, doors use result types and words; nothing but
`store` knows SQL."""
DOORS = {"api", "cli"}
FAULTS = "goldthread.store.server.faults"
"""What a fault of the database or of the disk means: for whoever reports it."""

PAGE = ROOT / "web" / "src"
PAGE_ALLOWED = {
    "lib": set[str](),
    "notes": {"lib"},
    "menus": {"lib"},
    "table": {"lib"},
    "written": {"lib", "notes", "menus"},
    "charts": {"lib", "table", "written"},
    "thread": {"lib", "charts"},
    "rows": {"lib", "table", "thread", "written"},
    "download": {"lib", "menus"},
    "lists": {"lib", "notes", "menus", "download", "written"},
    "sentence": {"lib", "notes", "menus", "lists"},
    "briefs": {"lib", "notes", "menus", "download", "people"},
    "evidence": {"lib", "notes", "menus", "charts", "table", "thread", "download", "lists", "written", "briefs"},
    "customer": {"lib", "notes", "menus", "table", "thread", "lists", "download", "written"},
    "help": {"lib", "docs"},
    "people": {"lib", "notes", "menus", "download"},
    "schedules": {"lib", "notes", "charts"},
    "frame": {"lib", "notes", "menus", "download", "sentence", "evidence", "help", "people", "briefs"},
}
"""Which folders of the page each folder may import. `stops` may import all of them, and none may import `stops`."""
SHARED_CHOICES = {"stops/costs/given.py", "stops/sentences/reading_line.py"}
"""Declare choices that questions of several stops inherit."""
FIRST_LOAD_LIMIT_BYTES = 354_000


def _imports(file: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


def _page_imports(file: Path) -> Iterator[Path]:
    """The files of the page that one imports, from `PAGE`."""
    text = file.read_text(encoding="utf-8")
    for name in re.findall(r"(?:from|import)\s*\(?\s*['\"]([^'\"]+)['\"]", text):
        if name.startswith("."):
            yield (file.parent / name).resolve().relative_to(PAGE)
        elif name.startswith("$"):
            yield Path(name.replace("$src/", "").replace("$", ""))


_PLAIN = (
    "conditions",
    "threads",
    "figures",
    "cohorts",
    "questions",
    "standing",
    "worth",
    "facts",
    "records",
    "askings",
)
"""Files of `tests/reference` that work figures out, or make what is asked; the others ask the program."""


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

    def test_doors_take_values_alone_from_files_and_the_record(self) -> None:
        for file in (file for door in sorted(DOORS) for file in (SOURCE / door).rglob("*.py")):
            for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
                if not isinstance(node, ast.ImportFrom) or node.module is None or node.module == FAULTS:
                    continue
                module = node.module
                for alias in node.names if module.startswith(("goldthread.intake", "goldthread.store")) else ():
                    with self.subTest(file=file.name, name=alias.name):
                        value = getattr(import_module(module), alias.name)
                        is_record = isinstance(value, type) and (is_dataclass(value) or issubclass(value, Enum))
                        self.assertTrue(is_record or not callable(value))

    def test_nothing_is_imported_to_be_imported_from_there(self) -> None:
        for file in SOURCE.rglob("*.py"):
            with self.subTest(file=file.name):
                self.assertIsNone(re.search(r"import (\w+) as \1\b", file.read_text(encoding="utf-8")))

    def test_the_core_knows_neither_the_web_nor_a_database(self) -> None:
        modules = [
            "goldthread." + ".".join(file.relative_to(SOURCE).with_suffix("").parts)
            for file in (SOURCE / "core").rglob("[a-z]*.py")
        ]
        code = (
            f"import sys, {', '.join(modules)}; print(sorted({{'flask', 'sqlalchemy', 'pyarrow'}} & set(sys.modules)))"
        )
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(told.stdout.strip(), "[]")

    def test_no_stop_imports_another(self) -> None:
        stops = SOURCE / "stops"
        folders = {folder.name for folder in stops.iterdir() if (folder / "question.py").exists()}
        self.assertGreater(len(folders), 3)
        for file in stops.rglob("*.py"):
            own = file.relative_to(stops).parts[0]
            found = {name.split(".")[2] for name in _imports(file) if name.startswith("goldthread.stops.")} & folders
            with self.subTest(file=str(file.relative_to(stops))):
                self.assertLessEqual(found, folders if own == "registry.py" else {own})

    def test_every_stop_has_the_same_files(self) -> None:
        for stop in STOPS:
            files = {file.name for file in (SOURCE / "stops" / stop.name).glob("*.py")}
            with self.subTest(stop=stop.name):
                self.assertLessEqual({"question.py", "answer.py", "answering.py", "shape.py", "sheet.py"}, files)

    def test_what_names_a_figure_is_no_choice_of_its_question(self) -> None:
        """Both are one query: of two fields of one name the figure's would hide the question's."""
        for stop, kind in questions():
            evidence = stop.answering(kind).evidence
            figure = set(evidence.figure.model_fields) if evidence else set()
            with self.subTest(question=kind.name):
                self.assertEqual(figure & set(kind.fields.model_fields), set())

    def test_tests_share_through_their_support_alone(self) -> None:
        for file in (ROOT / "tests").rglob("*.py"):
            ours = {name for name in _imports(file) if name.startswith("tests.") and name.count(".") > 1}
            with self.subTest(file=str(file.relative_to(ROOT))):
                shared = ("tests.support.", "tests.reference.")
                self.assertEqual({name for name in ours if not name.startswith(shared)}, set())

    def test_the_second_implementation_knows_nothing_of_the_first(self) -> None:
        for name in _PLAIN:
            known = _imports(ROOT / "tests" / "reference" / f"{name}.py")
            with self.subTest(file=name):
                self.assertEqual({each for each in known if each.startswith(("goldthread", "numpy", "scipy"))}, set())

    def test_no_two_shapes_have_one_name(self) -> None:
        """The description names a shape by its class alone, and would lose one of two silently."""
        places: dict[str, set[str]] = {}
        for file in SOURCE.rglob("*.py"):
            for name in re.findall(r"^class (\w+Shape)\b", file.read_text(encoding="utf-8"), re.MULTILINE):
                places.setdefault(name, set()).add(str(file.relative_to(SOURCE)))
        self.assertEqual({name: files for name, files in places.items() if len(files) > 1}, {})

    def test_a_choice_is_declared_once(self) -> None:
        """A question's fields are the only place where they are listed: no signature, no second model names them."""
        for stop in STOPS:
            for kind in stop.questions:
                for name in set(kind.fields.model_fields) - set(ReadingLine.model_fields):
                    declared = [
                        str(file.relative_to(SOURCE))
                        for part in ("stops", "cli")
                        for file in (SOURCE / part).rglob("*.py")
                        if re.search(rf"^    {name}: .*= Field\(", file.read_text(encoding="utf-8"), re.MULTILINE)
                    ]
                    with self.subTest(question=kind.name, field=name):
                        self.assertTrue({f"stops/{stop.name}/question.py", *SHARED_CHOICES} & set(declared))
                        elsewhere = {place for place in declared if not place.endswith("question.py")}
                        self.assertLessEqual(elsewhere, SHARED_CHOICES)

    def test_only_the_settings_read_the_environment(self) -> None:
        readers = {file.name for file in SOURCE.rglob("*.py") if "os.environ" in file.read_text(encoding="utf-8")}
        self.assertEqual(readers, {"settings.py"})

    def test_each_folder_of_the_page_imports_only_what_it_may(self) -> None:
        folders = {folder.name for folder in PAGE.iterdir() if folder.is_dir()} - {"stops"}
        self.assertEqual(folders, set(PAGE_ALLOWED))
        for folder in folders:
            for file in (PAGE / folder).rglob("*.*"):
                with self.subTest(file=str(file.relative_to(PAGE))):
                    self.assertLessEqual(
                        {place.parts[0] for place in _page_imports(file)} - {folder}, PAGE_ALLOWED[folder]
                    )

    def test_stops_of_the_page_never_import_each_other(self) -> None:
        stops = PAGE / "stops"
        for file in stops.rglob("*.*"):
            own = file.relative_to(stops).parts[0]
            found = {place.parts[1] for place in _page_imports(file) if place.parts[0] == "stops"}
            with self.subTest(file=str(file.relative_to(stops))):
                self.assertLessEqual(found, found if own == "registry.ts" else {own})

    def test_the_first_load_is_small_and_no_stop_is_in_it(self) -> None:
        built = PAGE.parent / "dist"
        page = (built / "index.html").read_text(encoding="utf-8")
        scripts = re.findall(r'(?:src|href)="\./(assets/[^"]+\.js)"', page)
        first = sum((built / script).stat().st_size for script in scripts)
        self.assertTrue(0 < first <= FIRST_LOAD_LIMIT_BYTES, f"{first} bytes")
        registry = (PAGE / "stops" / "registry.ts").read_text(encoding="utf-8")
        parts = [each for kind in ("view", "*Stop", "*Page") for each in (built / "assets").glob(f"{kind}-*.js")]
        self.assertGreaterEqual(len(parts), registry.count("import('"))

    def test_a_view_is_its_folder_and_one_line_of_the_registry(self) -> None:
        """Whoever adds one touches nothing else: each is named after its question, and knows no other view."""
        stops = PAGE / "stops"
        registry = (stops / "registry.ts").read_text(encoding="utf-8")
        asked = {kind.name for _, kind in questions()} - {"thread"}
        named = re.findall(r"(?:'([a-z-]+)'|(\w+)): \(\) => import\('\./([a-z/-]+)/view'\)", registry)
        self.assertEqual({quoted or plain for quoted, plain, _ in named}, asked)
        folders = {stops / place for _, _, place in named}
        self.assertEqual({file.parent for file in stops.rglob("view.ts")}, folders)
        for file in stops.rglob("*.*"):
            found = {PAGE / place.parent for place in _page_imports(file) if place.parts[0] == "stops"} & folders
            whole = {folder for folder in found if folder.parent != stops}
            with self.subTest(file=str(file.relative_to(stops))):
                self.assertLessEqual(whole, whole if file.name == "registry.ts" else {file.parent})

    def test_no_file_records_where_packages_are_downloaded_from(self) -> None:
        lock = (ROOT / "web" / "package-lock.json").read_text(encoding="utf-8")
        self.assertIsNone(re.search(r'"resolved": *"http', lock))


if __name__ == "__main__":
    unittest.main()
