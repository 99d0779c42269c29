"""Every test, with a process of its own for each part: as many at once as the machine has processors.

A part is a file of tests. Parts that take longest begin first, so that the last ones to end are short. What a part
says is shown when it is over.
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path

TESTS = Path(__file__).parent
LONGEST_FIRST = [
    "browser",
    "cluster",
    "api",
    "cli",
    "store",
    "processes",
    "workplace",
    "laws",
    "stops",
    "import",
    "page",
]
"""By folder, or by what follows ``test_`` in the name of a file beside them; all others come after."""
LIMIT_SECONDS = 1_200
"""For one part: the longest takes a third of it on a slow machine."""


@dataclass(frozen=True)
class Ended:
    """A part that is over: what it said, and how long it took."""

    part: Path
    seconds: float
    passed: bool
    said: str


def parts() -> list[Path]:
    """Every file of tests, those of the folders that take longest first and larger ones before smaller."""

    def place(part: Path) -> tuple[int, int]:
        name = part.stem.removeprefix("test_") if part.parent == TESTS else part.parent.name
        rank = LONGEST_FIRST.index(name) if name in LONGEST_FIRST else len(LONGEST_FIRST)
        return rank, -part.stat().st_size

    return sorted(TESTS.rglob("test_*.py"), key=place)


def run(part: Path, measured: bool) -> Ended:
    """Run one part with warnings as errors; ``measured``: also keep which lines it reaches."""
    discover = ["-m", "unittest", "discover", "-t", str(TESTS.parent), "-s", str(part.parent), "-p", part.name]
    measuring = ("-m", "coverage", "run", "--parallel-mode") if measured else ()
    command = [sys.executable, "-W", "error", *measuring, *discover]
    began = time.monotonic()
    try:
        ended = subprocess.run(command, cwd=TESTS.parent, capture_output=True, text=True, timeout=LIMIT_SECONDS)
        passed, said = ended.returncode == 0, ended.stdout + ended.stderr
    except subprocess.TimeoutExpired as late:
        passed, said = False, f"{(late.stderr or b'').decode()}\nNot over after {LIMIT_SECONDS} seconds."
    return Ended(part, time.monotonic() - began, passed, said)


def say(line: str) -> None:
    """A line, at once."""
    sys.stdout.write(f"{line}\n")
    sys.stdout.flush()


def main() -> int:
    """Run all parts; 1 when one failed."""
    parser = argparse.ArgumentParser(prog="python -m tests", description=main.__doc__)
    parser.add_argument("--coverage", action="store_true", help="keep which lines are reached, for coverage report")
    measured = parser.parse_args().coverage
    began, failed, every = time.monotonic(), 0, parts()
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for ended in as_completed([pool.submit(run, part, measured) for part in every]):
            one = ended.result()
            failed += not one.passed
            name = one.part.relative_to(TESTS)
            say(f"{'ok' if one.passed else 'FAILED':6} {one.seconds:5.0f} s  {name}")
            if not one.passed:
                say(one.said)
    say(f"{len(every)} files of tests in {time.monotonic() - began:.0f} s: {failed or 'none'} failed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
