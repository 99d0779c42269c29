"""What surrounds the code: set-up that says what it lacks, papers that are true, benchmarks that run."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]


class SetUp(unittest.TestCase):
    def prepared(self, programs: tuple[str, ...], stubs: dict[str, str]) -> subprocess.CompletedProcess[str]:
        """Run the set-up in a copy, on a machine that has only these programs and stubs."""
        folder = Path(tempfile.mkdtemp(prefix="gt-"))
        self.addCleanup(shutil.rmtree, folder)
        tools = folder / "bin"
        tools.mkdir()
        for program in programs:
            (tools / program).symlink_to(shutil.which(program) or "/bin/false")
        for name, body in stubs.items():
            (tools / name).write_text(f"#!/bin/sh\n{body}\n")
            (tools / name).chmod(0o755)
        (folder / "setup").mkdir()
        script = folder / "setup" / "prepare.sh"
        shutil.copy(ROOT / "setup" / "prepare.sh", script)
        bash = shutil.which("bash") or "/bin/bash"
        return subprocess.run(
            [bash, str(script)], env={"PATH": str(tools)}, capture_output=True, text=True, check=False, cwd=folder
        )

    NEEDED = ("bash", "dirname", "mkdir", "cat")

    def test_someone_without_root_and_sudo_is_told_what_to_ask_for(self) -> None:
        told = self.prepared(self.NEEDED, {"id": "echo 1000", "python3": "exit 1"})
        self.assertEqual(told.returncode, 1)
        self.assertIn("neither root nor have sudo", told.stderr)
        self.assertIn("apt-get install -y --no-install-recommends", told.stderr)
        self.assertIn("[1/5] Debian packages", told.stdout)

    def test_a_machine_that_is_not_debian_is_told(self) -> None:
        told = self.prepared(self.NEEDED, {"id": "echo 0", "python3": "exit 1"})
        self.assertEqual(told.returncode, 1)
        self.assertIn("no apt-get", told.stderr)

    def test_packages_that_cannot_be_had_are_named(self) -> None:
        told = self.prepared(self.NEEDED, {"id": "echo 0", "python3": "exit 1", "apt-get": "exit 100"})
        self.assertEqual(told.returncode, 1)
        self.assertIn("python3-venv", told.stderr)


class Papers(unittest.TestCase):
    def test_every_link_leads_somewhere(self) -> None:
        for paper in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]:
            for target in re.findall(r"\]\(([^)#:]+)\)", paper.read_text(encoding="utf-8")):
                with self.subTest(paper=paper.name, target=target):
                    self.assertTrue((paper.parent / target).exists())

    def test_every_picture_is_shown_and_they_are_few(self) -> None:
        pictures = {picture.name for picture in (ROOT / "docs" / "screenshots").iterdir()}
        shown = set(re.findall(r"screenshots/([\w-]+\.png)", (ROOT / "README.md").read_text(encoding="utf-8")))
        self.assertEqual(pictures, shown)
        self.assertLess(len(pictures), 20)

    def test_every_dependency_has_its_reason(self) -> None:
        told = (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8").lower()
        for name in ("requirements.txt", "requirements-checks.txt"):
            for line in (ROOT / name).read_text(encoding="utf-8").splitlines():
                if line and not line.startswith("#"):
                    package, version = line.split("==")
                    with self.subTest(package=package):
                        self.assertTrue(package in told, f"ARCHITECTURE.md gives no reason for {package}")
                        self.assertIn(
                            f"{package}=={version}", (ROOT / "constraints.txt").read_text(encoding="utf-8").lower()
                        )

    def test_make_help_lists_what_the_readme_names(self) -> None:
        told = subprocess.run(
            [shutil.which("make") or "make", "help"], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout
        for command in ("demo", "start", "stop", "test", "quick", "check", "bench", "screenshots", "clean"):
            with self.subTest(command=command):
                self.assertIn(f"make {command}", told)

    def test_ci_calls_the_readmes_test_command_and_nothing_else(self) -> None:
        script = ROOT / ".ci" / "run"
        self.assertTrue(os.access(script, os.X_OK))
        commands = [
            line for line in script.read_text(encoding="utf-8").splitlines() if line and not line.startswith("#")
        ]
        self.assertEqual(commands[-1], "exec make test")


class Benchmarks(unittest.TestCase):
    def test_they_run_and_print_ratios(self) -> None:
        run = subprocess.run(
            [sys.executable, "-W", "error", "-m", "bench", "--small"],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(run.returncode, 0, run.stderr)
        told = run.stdout
        self.assertIn("SQL window functions in MariaDB", told)
        for name in (
            "build",
            "after a changed history rule",
            "delivery of",
            "columns of",
            "cohort table of",
            "newness again",
            "goldthread --help",
        ):
            with self.subTest(name=name):
                self.assertRegex(told, rf"{name}.* ms +[\d.]+ x ")


if __name__ == "__main__":
    unittest.main()
