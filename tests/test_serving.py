"""The server's processes: several answer as one, what ends is replaced, and ending finishes what is under way."""

from __future__ import annotations

import http.client
import json
import os
import re
import shlex
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import unittest.mock
import urllib.request
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any, ClassVar
from urllib.parse import urlsplit

import psutil

from goldthread.processes import POLL_SECONDS, Kept
from goldthread.server import REQUESTS_AT_ONCE
from goldthread.store.books import BookRow
from goldthread.store.server.instance import free_port
from tests.support.place import PlaceCase
from tests.support.running import ROOT, server
from tests.support.sharing import new_book

LIMIT_SECONDS = 60
SLOW_CLIENTS = 200


def _running(parent: psutil.Process, command: str) -> list[psutil.Process]:
    """The children of a process that do a command; one that ends while it is looked at does not."""
    found = []
    for each in parent.children():
        with suppress(psutil.NoSuchProcess):
            if command in each.cmdline():
                found.append(each)
    return found


class ServedCase(PlaceCase):
    """A place of its own, since its processes are ended."""

    processes: ClassVar[int] = 2
    book: ClassVar[BookRow]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.book = new_book(cls.workspace)

    @contextmanager
    def served(self, **settings: int | str) -> Iterator[str]:
        given = {f"GOLDTHREAD_{name.upper()}": str(value) for name, value in settings.items()}
        with server(
            self.place, {"GOLDTHREAD_PROCESSES": str(self.processes), "GOLDTHREAD_WORKERS": "1", **given}
        ) as address:
            yield address

    def parent(self) -> psutil.Process:
        [parent] = _running(psutil.Process(), "serve")
        return parent

    def children(self, command: str) -> list[psutil.Process]:
        return _running(self.parent(), command)

    def get(self, address: str, path: str) -> Any:
        """The JSON of a reply, on a connection of its own."""
        with closing(http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)) as connection:
            connection.request("GET", path)
            reply = connection.getresponse()
            self.assertEqual(reply.status, 200)
            return json.loads(reply.read())

    def session(self, address: str) -> tuple[str, str]:
        with closing(http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)) as connection:
            connection.request("GET", "/api/session")
            reply = connection.getresponse()
            return json.loads(reply.read())["csrf_token"], str(reply.getheader("Set-Cookie")).partition(";")[0]

    def post(self, address: str, path: str, token: str, cookie: str) -> Any:
        with closing(http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)) as connection:
            connection.request("POST", path, headers={"X-CSRFToken": token, "Cookie": cookie})
            return json.loads(connection.getresponse().read())


class Served(ServedCase):
    def test_what_is_killed_is_replaced_and_any_process_tells_of_work(self) -> None:
        with self.served() as address:
            self.until(lambda: len(self.children("serve")) == self.processes and len(self.children("work")) == 1)
            before = {each.pid for each in self.parent().children()}
            for each in (self.children("serve")[0], self.children("work")[0]):
                each.kill()
            for _ in range(20):
                self.assertEqual([each["id"] for each in self.get(address, "/api/books")["books"]], [self.book.id])
            self.until(lambda: len(self.children("serve")) == self.processes and len(self.children("work")) == 1)
            self.assertEqual(len({each.pid for each in self.parent().children()} - before), 2)
            token, cookie = self.session(address)
            job = self.post(address, "/api/demo", token, cookie)
            while job["state"] == "running":
                job = self.get(address, f"/api/jobs/{job['id']}")
            self.assertEqual(job["state"], "done")

    def test_a_process_that_has_grown_too_large_is_replaced(self) -> None:
        with self.served(process_memory_mib=1) as address:
            self.until(lambda: len(self.children("serve")) == self.processes)
            before = {each.pid for each in self.children("serve")}
            self.until(lambda: not before & {each.pid for each in self.children("serve")})
            self.get(address, "/api/books")

    def test_ending_closes_streams_and_leaves_no_process(self) -> None:
        with self.served() as address:
            self.until(lambda: len(self.children("work")) == 1)
            everybody = [self.parent(), *self.parent().children()]
            connection = http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)
            self.addCleanup(connection.close)
            connection.request("GET", f"/api/books/{self.book.id}/changes")
            stream = connection.getresponse()
            self.assertIn(b"retry", stream.readline())
            began = time.monotonic()
            everybody[0].send_signal(signal.SIGTERM)
            self.assertIn(b"revision", stream.read())
            psutil.wait_procs(everybody, timeout=LIMIT_SECONDS)
            self.assertLess(time.monotonic() - began, 25)
        self.assertEqual([each for each in everybody if each.is_running()], [])

    def test_slow_clients_hold_up_nobody(self) -> None:
        with self.served() as address:
            host, _, port = urlsplit(address).netloc.partition(":")
            for _ in range(SLOW_CLIENTS):
                slow = socket.create_connection((host, int(port)), timeout=LIMIT_SECONDS)
                self.addCleanup(slow.close)
                slow.sendall(b"GET /api/books HTTP/1.1\r\nHost: ")
            for _ in range(3 * REQUESTS_AT_ONCE):
                self.get(address, "/api/books")


class KeptProcesses(unittest.TestCase):
    def test_they_are_begun_again_and_ended_by_force_where_they_do_not_end(self) -> None:
        stubborn = (
            "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(flush=True); time.sleep(600)"
        )
        kept = Kept([sys.executable, "-c", "import time; time.sleep(600)"], 2)
        kept.look()
        first = [each.pid for each in kept._running]
        os.kill(first[0], signal.SIGKILL)
        deadline = time.monotonic() + LIMIT_SECONDS
        with self.assertLogs("goldthread.processes", "WARNING"):
            while [each.pid for each in kept._running] == first and time.monotonic() < deadline:
                kept.look()
        self.assertEqual(len(kept._running), 2)
        kept.end()
        self.assertFalse(any(psutil.pid_exists(pid) for pid in first))
        process = subprocess.Popen([sys.executable, "-c", stubborn], stdout=subprocess.PIPE)
        self.addCleanup(process.communicate)
        assert process.stdout is not None
        process.stdout.readline()
        kept._running = [process]
        with unittest.mock.patch("goldthread.processes.END_LIMIT_SECONDS", 0.2):
            kept.end()
        self.assertEqual(process.poll(), -signal.SIGKILL)


class Observed(ServedCase):
    """What a server says and counts of itself."""

    ASKED = "/ask/cohorts?where=name%20%3D%20%27Ada%20Ore%27"

    def asked(self, address: str) -> http.client.HTTPResponse:
        connection = http.client.HTTPConnection(urlsplit(address).netloc, timeout=LIMIT_SECONDS)
        self.addCleanup(connection.close)
        headers = {"X-Request-Id": "from-the-proxy", "X-Forwarded-For": "203.0.113.9"}
        connection.request("GET", f"/api/books/{self.book.id}{self.ASKED}", headers=headers)
        reply = connection.getresponse()
        reply.read()
        return reply

    def test_all_processes_count_together_and_tell_it_at_an_address_of_its_own(self) -> None:
        port = free_port()
        told = f"http://127.0.0.1:{port}/metrics"

        def figures() -> dict[str, float]:
            with suppress(OSError), urllib.request.urlopen(told) as reply:
                lines = reply.read().decode().splitlines()
                return {line.rpartition(" ")[0]: float(line.rpartition(" ")[2]) for line in lines if line[0] != "#"}
            return {}

        route = "/api/books/<int:book>/ask/cohorts"
        counted = f'goldthread_request_seconds_count{{method="GET",route="{route}",status="200"}}'
        with self.served(metrics_address=f"127.0.0.1:{port}") as address:
            self.until(lambda: len(self.children("serve")) == self.processes)
            for _ in range(10):
                self.asked(address)
            self.until(lambda: figures().get(counted) == 10)
            found = figures()
            kept = sum(value for name, value in found.items() if name.startswith("goldthread_replies_kept_total"))
            self.assertEqual(found["goldthread_questions_computed_total"] + kept, 10)
            self.assertGreaterEqual(found["goldthread_books_in_memory"], 1)
            self.assertEqual(found['goldthread_jobs{state="running"}'], 0)
            self.assertEqual(found["goldthread_questions_waiting"], 0)
            # what a process counted that has ended stays, what it had open does not
            for each in self.children("serve"):
                each.kill()
            self.until(lambda: figures().get("goldthread_books_in_memory") == 0)
            self.assertEqual(figures()[counted], 10)

    def test_each_request_has_a_line_of_the_log_that_says_nothing_of_anybody(self) -> None:
        with self.served(log_requests="true", log_format="json", trusted_proxies=1) as address:
            self.assertEqual(self.asked(address).getheader("X-Request-Id"), "from-the-proxy")
        lines = (self.place.folder / "server.log").read_text(encoding="utf-8").splitlines()
        said = [json.loads(line) for line in lines if '"asked"' in line]
        [line] = [each for each in said if each["question"].endswith("/ask/cohorts")]
        self.assertEqual((line["request_id"], line["method"], line["status"]), ("from-the-proxy", "GET", 200))
        self.assertEqual((line["book"], line["level"]), (self.book.id, "INFO"))
        self.assertGreater(line["milliseconds"], 0)
        self.assertGreater(line["bytes"], 100)
        self.assertNotIn("Ada", "".join(lines))
        self.assertNotIn("203.0.113.9", "".join(lines))
        with self.served(log_requests="true") as address:
            self.assertRegex(str(self.asked(address).getheader("X-Request-Id")), "^[0-9a-f]{32}$")
        text = (self.place.folder / "server.log").read_text(encoding="utf-8")
        self.assertRegex(
            text, r"INFO goldthread.asked: asked request_id=\w+ method=GET question=/api/books/<int:book>/ask/c"
        )


class AsAService(unittest.TestCase):
    UNIT = ROOT / "deploy" / "goldthread.service"

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        # the program of this checkout in place of one that is installed
        self.text = self.UNIT.read_text(encoding="utf-8").replace("/opt/goldthread", str(ROOT))

    def test_systemd_takes_it_as_it_is_and_finds_little_exposed(self) -> None:
        unit = self.folder / self.UNIT.name
        unit.write_text(self.text, encoding="utf-8")
        verified = subprocess.run(["systemd-analyze", "verify", unit], capture_output=True, text=True, check=False)
        self.assertEqual((verified.returncode, verified.stderr), (0, ""))

    def test_it_says_when_it_is_ready_and_stops_with_its_database(self) -> None:
        [command] = re.findall(r"^ExecStart=(.*)$", self.text, re.MULTILINE)
        notified = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
        self.addCleanup(notified.close)
        notified.bind(str(self.folder / "notify"))
        notified.settimeout(LIMIT_SECONDS)
        var = self.folder / "var"
        own = {"GOLDTHREAD_VAR": str(var), "GOLDTHREAD_PORT": "0", "GOLDTHREAD_PROCESSES": "1"}
        told = {"NOTIFY_SOCKET": str(self.folder / "notify"), "GOLDTHREAD_DATABASE_MEMORY_MIB": "64"}
        arguments = [*shlex.split(command), "--address-file", str(self.folder / "address")]
        with (self.folder / "log").open("wb") as log:
            process = subprocess.Popen(arguments, env={**os.environ, **own, **told}, stdout=log, stderr=log)
        self.addCleanup(process.kill)
        self.assertIn(b"READY=1", notified.recv(1_000))
        deadline = time.monotonic() + LIMIT_SECONDS
        while not (self.folder / "address").exists():
            self.assertLess(time.monotonic(), deadline)
            time.sleep(POLL_SECONDS)
        address = (self.folder / "address").read_text(encoding="ascii")
        with urllib.request.urlopen(f"{address}/api/health/ready") as reply:
            self.assertEqual(reply.status, 200)
        everybody = [psutil.Process(process.pid), *psutil.Process(process.pid).children(recursive=True)]
        self.assertTrue(any(each.name() == "mariadbd" for each in everybody))
        process.terminate()
        self.assertEqual(process.wait(LIMIT_SECONDS), 0, (self.folder / "log").read_text(encoding="utf-8"))
        self.assertEqual([each for each in everybody if each.is_running()], [])


if __name__ == "__main__":
    unittest.main()
