"""A cluster as `deploy/cluster` sets it up, as three processes on loopback, with the key that both sides prove."""

from __future__ import annotations

import json
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from goldthread.core.history.history import HistoryRule
from goldthread.core.history.of_parts import HistoryOfParts, extent
from goldthread.errors import Unavailable
from goldthread.processes import POLL_SECONDS
from tests.support.api import ApiCase
from tests.support.cluster import in_parts, put_in_parts
from tests.support.running import ROOT

DEPLOY = ROOT / "deploy" / "cluster"
LIMIT_SECONDS = 120


def command_of(unit: str, keys: Path, scheduler: str = "") -> list[str]:
    """What a unit starts, on this machine and with a key in another folder."""
    text = (DEPLOY / unit).read_text(encoding="utf-8")
    line = next(each for each in text.splitlines() if each.startswith("ExecStart=")).removeprefix("ExecStart=")
    for there, here in {
        "/opt/goldthread/.venv/bin": str(Path(sys.executable).parent),
        "/etc/goldthread-cluster": str(keys),
        "/var/lib/goldthread-cluster": str(keys),
        "${SCHEDULER}": scheduler,
        "--port 8786": "--port 0",
        "--nworkers auto": "--nworkers 1",
    }.items():
        line = line.replace(there, here)
    return [*shlex.split(line), "--host", "127.0.0.1"]


class Deployed(ApiCase):
    def setUp(self) -> None:
        self.keys = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.keys)
        made = self.goldthread("cluster", "key", str(self.keys / "made"))
        self.assertEqual(made.returncode, 0, made.stderr)
        self.keys = self.keys / "made"

    def goldthread(self, *command: str, **settings: str) -> subprocess.CompletedProcess[str]:
        told = {f"GOLDTHREAD_{name.upper()}": value for name, value in settings.items()}
        return subprocess.run(
            [sys.executable, "-m", "goldthread", *command],
            env={**os.environ, "GOLDTHREAD_VAR": str(self.keys / "var"), **told},
            capture_output=True,
            text=True,
            check=False,
        )

    def start(self, command: list[str]) -> subprocess.Popen[bytes]:
        process = subprocess.Popen(
            command,
            env={**os.environ, "DASK_CONFIG": str(DEPLOY)},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

        def end() -> None:
            process.terminate()
            process.wait(LIMIT_SECONDS)

        self.addCleanup(end)
        return process

    def test_three_processes_are_a_cluster(self) -> None:
        file = self.keys / "scheduler.json"
        self.start([*command_of("goldthread-scheduler.service", self.keys), "--scheduler-file", str(file)])
        deadline = time.monotonic() + LIMIT_SECONDS
        while not file.exists() and time.monotonic() < deadline:
            time.sleep(POLL_SECONDS)
        address = json.loads(file.read_text(encoding="utf-8"))["address"]
        self.assertRegex(address, r"^tls://127\.0\.0\.1:\d+$")
        own = in_parts(self.workspace, compute=address, cluster_keys_at=str(self.keys))
        assert own.cluster is not None
        self.addCleanup(own.cluster.close)
        put_in_parts(own, self.book)
        history, rule = own.history(own.orders(self.book.id), HistoryRule(30_000)), HistoryRule(30_000)
        with self.assertRaisesRegex(Unavailable, "The cluster has no workers"):
            extent(history)
        for _ in range(2):
            self.start(command_of("goldthread-worker.service", self.keys, address))
        settings = {"compute": address, "cluster_keys_at": str(self.keys)}
        while (said := self.goldthread("cluster", "status", **settings)).stdout.count("\ntls://") < 2:
            self.assertLess(time.monotonic(), deadline, said.stderr)
        self.assertRegex(said.stdout, r"^The scheduler at tls://\S+ answers; 2 workers\.")
        whole = self.workspace.history(self.workspace.orders(self.book.id), rule)
        self.assertEqual(vars(extent(history)), vars(extent(whole)))
        assert isinstance(history, HistoryOfParts)
        self.assertFalse(history.was_read_here)
        # somebody with another key, and somebody without one, are not heard
        other = self.goldthread("cluster", "key", str(self.keys / "other"))
        self.assertEqual(other.returncode, 0, other.stderr)
        for folder in ("other", "none"):
            said = self.goldthread("cluster", "status", compute=address, cluster_keys_at=str(self.keys / folder))
            self.assertEqual(said.returncode, 1, said.stdout)
        again = self.goldthread("cluster", "key", str(self.keys))
        self.assertIn("There is a key", again.stderr)

    def test_units_are_whole(self) -> None:
        verify = shutil.which("systemd-analyze")
        assert verify is not None
        for unit in sorted(DEPLOY.glob("*.service")):
            text = unit.read_text(encoding="utf-8").replace("/opt/goldthread/.venv/bin/dask", "/bin/true")
            with tempfile.TemporaryDirectory() as folder:
                copy = Path(folder) / unit.name
                copy.write_text(text, encoding="utf-8")
                said = subprocess.run([verify, "verify", str(copy)], capture_output=True, text=True, check=False)
            ours = [line for line in said.stderr.splitlines() if unit.name in line]
            self.assertEqual(ours, [], said.stderr)


if __name__ == "__main__":
    unittest.main()
