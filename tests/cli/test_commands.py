"""Every command by itself: its words in small letters at every choice, the API's own answers, and a quick start."""

from __future__ import annotations

import json
import os
import socket
import stat
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from unittest import mock
from urllib.request import urlopen

import click

from goldthread import workspace as shelves
from goldthread.actions.books import today_of
from goldthread.actions.saved_views import save_view
from goldthread.actions.shared_links import open_link
from goldthread.actor import AT_THE_DESK, act_as
from goldthread.api.app import create_app
from goldthread.cli.main import COMMANDS, main
from goldthread.errors import PassphraseNeeded
from goldthread.processes import mark, remove_left_behind
from goldthread.settings import Settings
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from tests.support.asking import keep
from tests.support.cli import CliCase
from tests.support.running import ROOT, Place, server
from tests.support.sharing import shared_workspace, tiny_book

HEAVY = ("numpy", "sqlalchemy", "flask", "pyarrow", "connectorx", "alembic", "lark", "waitress")
IDLE_CONNECTIONS, LISTENERS = 200, 90
LIMIT_SECONDS = 60


def commands(group: click.Group, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], click.Command]]:
    """Every command, with the words that call it."""
    context = click.Context(group)
    for name in group.list_commands(context):
        command = group.get_command(context, name)
        assert command is not None
        if isinstance(command, click.Group):
            yield from commands(command, (*path, name))
        else:
            yield (*path, name), command


class Words(CliCase):
    def test_every_choice_takes_and_shows_small_letters(self) -> None:
        seen = 0
        for path, command in commands(main):
            for option in command.params:
                if isinstance(option.type, click.Choice):
                    for choice in option.type.choices:
                        seen += 1
                        with self.subTest(command=path, option=option.name, choice=choice):
                            self.assertEqual(choice, choice.lower())
                            for written in (choice, choice.upper()):
                                taken = option.type.convert(written, option, click.Context(command))
                                self.assertEqual(str(taken), choice)
                    self.assertIn(option.type.choices[0], self.run_(*path, "--help").output)
        self.assertGreater(seen, 60)

    def test_help_says_what_each_command_does(self) -> None:
        told = self.run_("--help").output
        for name, (_, _, words) in COMMANDS.items():
            with self.subTest(command=name):
                self.assertIn(words.split()[0], told)
                self.assertIn(name, told)
                self.run_(name, "--help")

    def test_the_kind_of_a_file_is_taken_as_it_is_shown(self) -> None:
        from tests.support import tiny

        name = self.new_book()
        for kind, file, source in (("lines", "web_lines.csv", "web"), ("PAYMENTS", "payments.csv", "office")):
            told = self.run_(
                "deliver", str(tiny.FOLDER / file), "--book", name, "--source", source, "--kind", kind
            ).output
            self.assertIn(f"{file}: {kind.lower()}", told)

    def test_help_and_parsing_load_nothing_that_answers_questions(self) -> None:
        for arguments in (["--help"], ["ask", "cohorts", "--help"], ["deliver", "--help"], ["check", "--help"]):
            code = (
                "import sys\nfrom goldthread.cli.main import main\n"
                f"try:\n main({arguments!r})\nexcept SystemExit: pass\n"
                f"print(sorted(set({HEAVY!r}) & set(sys.modules)), file=sys.stderr)"
            )
            told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            with self.subTest(arguments=arguments):
                self.assertEqual(told.stderr.strip(), "[]")
                self.assertIn("Usage", told.stdout)


class AnswersOfTheApi(CliCase):
    def test_json_of_every_question_is_what_the_api_answers(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        client = create_app(workspace).test_client()
        ofallon = client.get(f"/api/books/{book.id}/find?text=ofallon").json
        assert ofallon is not None
        customer = ofallon["found"][0]["customer"]
        cases = {
            (
                "cohorts",
                "--figure",
                "orders",
                "--split",
                "first_source",
            ): "ask/cohorts?figure=orders&split=first_source",
            ("newness", "--period", "year", "--measure", "revenue"): "ask/newness?period=year&measure=revenue",
            ("customers", "--by", "orders", "--show", "first_date", "--limit", "3"): (
                "ask/customers?by=orders&show=first_date&limit=3"
            ),
            ("first", "--by", "amount", "--direction", "up"): "ask/nth?rank=first&by=amount&direction=up",
            ("latest", "--show", "source"): "ask/nth?rank=latest&show=source",
            ("nth", "--rank", "3"): "ask/nth?rank=3",
            ("figures", "--group", "source"): "ask/figures?group=source",
            ("pairs", "--columns", "source", "--extreme", "latest"): "ask/pairs?columns=source&extreme=latest",
            ("backdated",): "ask/backdated",
            ("orders", "--limit", "7"): "ask/orders?limit=7",
            ("thread", "ofallon"): f"ask/thread?customer={customer}",
        }
        for question, path in cases.items():
            joined = "&" if "?" in path else "?"
            wanted = client.get(f"/api/books/{book.id}/{path}{joined}as_of=2025-08-31&where=orders+%3E+1")
            call = ("ask", *question, "--book", book.name, "--as-of", "2025-08-31", "--where", "orders > 1")
            with self.subTest(question=question):
                self.assertEqual(wanted.status_code, 200, wanted.text)
                self.assertEqual(json.loads(self.run_(*call, "--format", "json").output), wanted.json)
        wrong = self.run_("ask", "cohorts", "--book", book.name, "--split", "mood", "--format", "json", code=1)
        self.assertIn("cannot be split by mood", wrong.output)

    def test_a_saved_view_is_shown_by_its_name(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        for period in ("year", "quarter"):
            query = f"as_of=2025-08-31&period={period}&figure=orders&table=figures"
            save_view(workspace, book, "Orders again", "cohorts", query, "?")
        view = ("ask", "--view", "orders AGAIN", "--book", book.name)
        for more, period in ((), "quarter"), (("--version", "1"), "year"):
            wanted = self.run_(
                *("ask", "cohorts", "--book", book.name, "--as-of", "2025-08-31", "--period", period),
                *("--figure", "orders", "--format", "csv"),
            )
            self.assertEqual(self.run_(*view, *more, "--format", "csv").output, wanted.output)
        out = self.folder / "view.json"
        self.run_(*view, "--format", "json", "--out", str(out))
        self.assertEqual(json.loads(out.read_text(encoding="utf-8"))["period"], "quarter")
        self.assertIn("no version 9", self.run_(*view, "--version", "9", code=1).output)
        self.assertIn("no saved view called moon", self.run_(*view[:2], "moon", *view[3:], code=1).output)
        self.assertIn("Name a question", self.run_("ask", code=2).output)

    def test_a_saved_view_is_shared_by_a_link_until_a_day(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        save_view(workspace, book, "Orders again", "cohorts", "as_of=2025-08-31&period=year", "?")
        passphrase = self.folder / "passphrase"
        passphrase.write_text("slip and marl\n", encoding="utf-8")
        at, until = ("--book", book.name), today_of(book).isoformat()
        share = ("share", "add", *at, "--view", "orders again", "--until", until)
        self.run_(*share, "--figures")
        address = self.run_(*share, "--frozen", "--people", "--passphrase-file", str(passphrase)).output.strip()
        self.assertRegex(address, r"^http://127\.0\.0\.1:\d+/shared/\d+#[\w-]{43}$")
        number, secret = address.rpartition("/")[2].split("#")
        row = open_link(workspace, int(number), secret, "slip and marl")
        self.addCleanup(act_as, AT_THE_DESK)
        self.assertEqual((row.is_frozen, row.opens_figures, row.shows_people), (True, False, True))
        with self.assertRaises(PassphraseNeeded):
            open_link(workspace, int(number), secret, "slip and clay")
        listed = [line.split("\t") for line in self.run_("share", "list", *at).output.splitlines()]
        self.assertEqual(listed[0], [number, until, "0", "", "Orders again"])
        self.assertEqual(self.run_("share", "end", number, *at).output, f"Link {number} has ended.\n")
        self.assertEqual(len(self.run_("share", "list", *at).output.splitlines()), 1)
        self.assertIn("Choose such a day", self.run_(*share[:-1], "2001-01-01", code=1).output)

    def test_lists_are_used_by_name(self) -> None:
        workspace = shared_workspace()
        book = tiny_book(workspace, self.folder)
        keep(workspace, read_book(workspace, book, ReadingLine(), today_of(book)), [0, 1, 2], "three")
        asked = ("ask", "customers", "--book", book.name, "--format", "csv", "--list", "THREE")
        counts = [len(self.run_(*asked, *more).output.splitlines()) - 1 for more in ((), ("--list-as", "without"))]
        self.assertEqual(counts, [3, 12])
        wrong = self.run_("ask", "cohorts", "--book", book.name, "--list", "nobody", code=1)
        self.assertIn("There is no customer list called nobody. Lists: three.", wrong.output)

    def test_new_and_returning_as_csv_over_http_is_the_file(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)
        client = create_app(shared_workspace()).test_client()
        path, query = f"/api/books/{book.id}/ask/newness", "as_of=2025-08-31&period=quarter"
        told = client.get(f"{path}?{query}", headers={"Accept": "text/csv"})
        file = client.get(f"{path}/file?{query}")
        out = self.folder / "newness.csv"
        call = ("ask", "newness", "--book", book.name, "--as-of", "2025-08-31", "--period", "quarter")
        self.run_(*call, "--format", "csv", "--out", str(out))
        self.assertEqual((told.data, told.data), (file.data, out.read_bytes()))
        file.close()

    def test_one_date_of_each_pair_can_be_asked_for(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)
        call = ("ask", "pairs", "--book", book.name, "--columns", "source", "--format", "csv")
        header = self.run_(*call, "--extreme", "latest").output.splitlines()[0]
        self.assertEqual(header, "customer,name,source,orders,latest")
        self.assertIn("earliest,latest", self.run_(*call).output.splitlines()[0])

    def test_a_fresh_snapshot_is_all_that_a_question_reads(self) -> None:
        book = tiny_book(shared_workspace(), self.folder)
        wanted = self.run_("ask", "cohorts", "--book", book.name).output
        with mock.patch.object(shelves, "load_book", side_effect=AssertionError("read the record")):
            self.assertEqual(self.run_("ask", "cohorts", "--book", book.name).output, wanted)


class AnyFolder(unittest.TestCase):
    def test_a_command_finds_its_data_from_wherever_it_is_called(self) -> None:
        code = "from goldthread.settings import load_settings; print(load_settings().var)"
        clean = {name: value for name, value in os.environ.items() if not name.startswith("GOLDTHREAD_")}
        found = [
            subprocess.run(
                [sys.executable, "-c", code], cwd=folder, env=clean, capture_output=True, text=True, check=True
            ).stdout.strip()
            for folder in ("/", str(ROOT))
        ]
        self.assertEqual(found, [str(ROOT / "var")] * 2)


class CheckSettings(unittest.TestCase):
    def test_every_setting_is_shown_but_for_secrets_and_what_cannot_work_ends_with_one(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            given = {"VAR": folder, "WEB": folder, "SMTP_PASSWORD": "very secret", "PORT": "0"}
            called = subprocess.run(
                [sys.executable, "-m", "goldthread", "check-settings"],
                env=os.environ | {f"GOLDTHREAD_{name}": value for name, value in given.items()},
                capture_output=True,
                text=True,
                check=False,
            )
        self.assertEqual((called.returncode, called.stderr.partition(":")[0]), (1, "web"))
        shown = dict(line.split(" = ", 1) for line in called.stdout.splitlines())
        self.assertEqual(shown.keys(), Settings.model_fields.keys())
        self.assertEqual((shown["smtp_password"], shown["port"], shown["var"]), ("set", "0", folder))


class Scratch(unittest.TestCase):
    def test_what_a_killed_process_left_is_removed_and_nothing_else(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            mine = f"mine{mark()}"
            for name in (mine, "orphan.999999999-1.00", "unowned"):
                (Path(folder) / name).mkdir()
                (Path(folder) / name / "rows.tsv").write_text("Ada")
            remove_left_behind(Path(folder), "*")
            self.assertEqual([each.name for each in Path(folder).iterdir()], [mine])

    def test_temporary_files_and_logs_are_where_nobody_else_reads_them(self) -> None:
        place = Place()
        self.addCleanup(place.close)
        code = (
            "import sys, tempfile; from goldthread.scratch import use_scratch; "
            "from goldthread.settings import load_settings; use_scratch(load_settings()); "
            "file = tempfile.NamedTemporaryFile(); print(file.name); open(sys.argv[1], 'w').close()"
        )
        made = place.folder / "made"
        told = subprocess.run(
            [sys.executable, "-c", code, str(made)], env=place.environment, capture_output=True, text=True, check=True
        )
        where = Path(told.stdout.strip())
        self.assertTrue(where.is_relative_to(place.folder / "tmp"))
        self.assertFalse(where.parent.exists(), "its folder goes with the process")
        for each in (place.folder, place.folder / "tmp", made, place.settings.database / "mariadb.log"):
            with self.subTest(file=each.name):
                self.assertEqual(stat.S_IMODE(each.stat().st_mode) & 0o077, 0)


class Crowds(unittest.TestCase):
    def test_idle_connections_and_listeners_do_not_stop_the_server(self) -> None:
        place = Place()
        self.addCleanup(place.close)
        workspace = place.workspace()
        self.addCleanup(workspace.record.engine.dispose)
        with tempfile.TemporaryDirectory() as folder:
            book = tiny_book(workspace, Path(folder))
        with server(place) as address:
            port = int(address.rpartition(":")[2])
            opened: list[socket.socket] = []
            stack = ExitStack()
            self.addCleanup(stack.close)
            for _ in range(IDLE_CONNECTIONS):
                opened.append(stack.enter_context(socket.create_connection(("127.0.0.1", port))))
            for _ in range(LISTENERS):
                listener = stack.enter_context(socket.create_connection(("127.0.0.1", port)))
                listener.sendall(f"GET /api/books/{book.id}/changes HTTP/1.1\r\nHost: localhost\r\n\r\n".encode())
                opened.append(listener)
            deadline = time.monotonic() + LIMIT_SECONDS
            told = b""
            while b"event: revision" not in told and time.monotonic() < deadline:
                told += opened[-1].recv(4096)
            self.assertIn(b"event: revision", told)
            for _ in range(20):
                with urlopen(f"{address}/api/books/{book.id}/ask/cohorts", timeout=LIMIT_SECONDS) as reply:
                    self.assertEqual(reply.status, 200)


if __name__ == "__main__":
    unittest.main()
