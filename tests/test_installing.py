"""The package outside a checkout, and a checkout that is brought to a newer version: forward, or back as it was."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import unittest
import urllib.request
import venv
from importlib.metadata import Distribution, distribution
from pathlib import Path

from tests.support.running import ROOT

LIMIT_SECONDS = 300
_NAME = re.compile(r"[A-Za-z0-9._-]+")


class InstallingCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        known = {name: value for name, value in os.environ.items() if not name.startswith("GOLDTHREAD_")}
        self.environment = {**known, "GOLDTHREAD_PORT": "0", "GOLDTHREAD_DATABASE_MEMORY_MIB": "128"}

    def run_(self, *command: str | Path, code: int = 0, cwd: Path = ROOT) -> str:
        done = subprocess.run(
            list(map(str, command)),
            cwd=cwd,
            env=self.environment,
            capture_output=True,
            text=True,
            timeout=LIMIT_SECONDS,
        )
        self.assertEqual(done.returncode, code, done.stdout + done.stderr)
        return done.stdout + done.stderr


class APackage(InstallingCase):
    def test_it_is_used_outside_a_checkout_with_what_it_says_that_it_needs_alone(self) -> None:
        self.run_("setup/wheel.sh", self.folder / "dist")
        [wheel] = (self.folder / "dist").glob("*.whl")
        place = self.folder / "environment"
        venv.create(place, with_pip=False)
        site = next(place.glob("lib/*/site-packages"))
        self.run_(sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--no-index", "--target", site, wheel)
        self.needed(Distribution.at(next(site.glob("goldthread-*.dist-info"))), site, set())
        self.environment |= {"GOLDTHREAD_VAR": str(self.folder / "var")}
        goldthread = (place / "bin" / "python", "-m", "goldthread")
        self.addCleanup(self.run_, *goldthread, "down", cwd=self.folder)
        said = self.run_(*goldthread, "up", "--demo", cwd=self.folder)
        found = re.search(r"http://\S+", said)
        assert found is not None
        with urllib.request.urlopen(f"{found[0]}/books/1/cohorts") as page:
            self.assertIn(b"Gold Thread", page.read())
        table = self.run_(*goldthread, "ask", "cohorts", "--book", "Marlpit & Slip", cwd=self.folder)
        self.assertIn("2023", table)

    def needed(self, package: Distribution, site: Path, seen: set[str]) -> None:
        """Put everything that a package says it needs into an environment, and what that needs; nothing else."""
        for said in package.requires or ():
            if "extra ==" in said:
                continue
            found = _NAME.match(said)
            assert found is not None
            name = found[0].lower()
            if name in seen:
                continue
            seen.add(name)
            try:
                needed = distribution(name)
            except ModuleNotFoundError:
                self.assertIn(";", said, f"{name} is not here")
                continue
            for top in {Path(file).parts[0] for file in needed.files or ()} - {".."}:
                if not (site / top).exists():
                    (site / top).symlink_to(Path(sysconfig.get_paths()["purelib"]) / top)
            self.needed(needed, site, seen)


PREPARE = """#!/bin/bash
mkdir -p .venv/bin
printf '#!/bin/bash\\nPYTHONPATH="%s/src" exec "%s" -m goldthread "$@"\\n' "$PWD" "{python}" > .venv/bin/goldthread
chmod +x .venv/bin/goldthread
"""
MIGRATION = '''"""Something new"""
from alembic import op
revision = "0999"
down_revision = "{before}"
def upgrade() -> None:
    op.execute("CREATE TABLE brand_new (id INT PRIMARY KEY)")
    {then}
def downgrade() -> None:
    op.execute("DROP TABLE brand_new")
'''


class ANewerVersion(InstallingCase):
    def setUp(self) -> None:
        super().setUp()
        origin, self.checkout = self.folder / "origin", self.folder / "checkout"
        self.origin = origin
        shutil.copytree(ROOT / "src", origin / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        (origin / "setup").mkdir()
        shutil.copy(ROOT / "setup" / "upgrade.sh", origin / "setup")
        # setting a machine up is another test's; this one makes the program of the checkout the one that is called
        (origin / "setup" / "prepare.sh").write_text(PREPARE.format(python=sys.executable), encoding="utf-8")
        (origin / "setup" / "prepare.sh").chmod(0o755)
        (origin / ".gitignore").write_text(".venv/\nvar/\n__pycache__/\n")
        (origin / "pyproject.toml").touch()
        self.git("init", "-q", "-b", "main")
        self.commit()
        self.run_("git", "clone", "-q", origin, self.checkout, cwd=self.folder)
        self.environment |= {"GOLDTHREAD_WEB": str(ROOT / "web" / "dist"), "GOLDTHREAD_VAR": str(self.checkout / "var")}
        self.run_("setup/prepare.sh", cwd=self.checkout)
        self.addCleanup(self.goldthread, "down")
        self.goldthread("up")
        self.goldthread("book", "add", "Glaze Row", "--currency", "EUR", "--time-zone", "UTC")

    def git(self, *arguments: str) -> str:
        own = ("-c", "user.name=Ada", "-c", "user.email=ada@kiln.example")
        return self.run_("git", *own, *arguments, cwd=self.origin)

    def commit(self) -> None:
        self.git("add", "-A")
        self.git("commit", "-q", "-m", "as it is")

    def goldthread(self, *arguments: str) -> str:
        return self.run_(self.checkout / ".venv" / "bin" / "goldthread", *arguments, cwd=self.checkout)

    def newer(self, then: str) -> None:
        versions = self.origin / "src" / "goldthread" / "store" / "schema" / "migrations" / "versions"
        before = max(each.name.partition("_")[0] for each in versions.glob("0*.py") if "0999" not in each.name)
        (versions / "0999_new.py").write_text(MIGRATION.format(before=before, then=then), encoding="utf-8")
        self.commit()

    def test_it_is_backed_up_taken_and_started_and_one_that_fails_goes_back_as_it_was(self) -> None:
        self.newer("""raise RuntimeError("half way")""")
        first = self.run_("git", "rev-parse", "HEAD", cwd=self.checkout)
        said = self.run_("setup/upgrade.sh", cwd=self.checkout, code=1)
        self.assertIn("going back", said)
        self.assertEqual(self.run_("git", "rev-parse", "HEAD", cwd=self.checkout), first)
        self.assertIn("Glaze Row", self.goldthread("book", "list"))
        self.assertEqual(len(list((self.checkout / "var").glob("database.failed-*"))), 1)

        self.newer("pass")
        said = self.run_("setup/upgrade.sh", cwd=self.checkout)
        self.assertIn("Upgraded to", said)
        self.assertIn("Glaze Row", self.goldthread("book", "list"))
        status = self.run_("git", "status", "--short", "--branch", cwd=self.checkout)
        self.assertEqual(status.strip(), "## main...origin/main")

        (self.checkout / "pyproject.toml").write_text("mine")
        self.assertIn("Files of the program were changed", self.run_("setup/upgrade.sh", cwd=self.checkout, code=1))


if __name__ == "__main__":
    unittest.main()
