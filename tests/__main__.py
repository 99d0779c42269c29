"""Every test, with a process of its own for each part: as many at once as the machine has processors.

A part is a file of tests. Parts that take longest begin first, so that the last ones to end are short. What a part
says is shown when it is over. Each process is a fork of this one, which has loaded what most parts need.
"""

from __future__ import annotations

import argparse
import faulthandler
import importlib
import os
import sys
import tempfile
import time
import unittest
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import IO, NoReturn

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
LOADED = ("tests.support.api", "tests.support.page", "goldthread.cli.main")
"""Modules whose loading would cost each part seconds."""


@dataclass(frozen=True)
class Running:
    """A part on its way: when it began, and where what it says is kept."""

    part: Path
    began: float
    said: IO[bytes]


def parts() -> list[Path]:
    """Every file of tests, those of the folders that take longest first and larger ones before smaller."""

    def place(part: Path) -> tuple[int, int]:
        name = part.stem.removeprefix("test_") if part.parent == TESTS else part.parent.name
        rank = LONGEST_FIRST.index(name) if name in LONGEST_FIRST else len(LONGEST_FIRST)
        return rank, -part.stat().st_size

    return sorted(TESTS.rglob("test_*.py"), key=place)


def run(part: Path, said: IO[bytes]) -> NoReturn:
    """Run one part in this process, and end it with what came of it."""
    for written in (1, 2):
        os.dup2(said.fileno(), written)
    said.close()
    faulthandler.dump_traceback_later(LIMIT_SECONDS, exit=True)
    unittest.main(None, argv=["tests", "discover", "-t", str(TESTS.parent), "-s", str(part.parent), "-p", part.name])
    sys.exit("Not reached: unittest ends the process.")


def begin(part: Path) -> tuple[int, Running]:
    """Begin one part in a process of its own; its number."""
    running = Running(part, time.monotonic(), tempfile.TemporaryFile())  # noqa: SIM115 - `ended` closes it
    sys.stdout.flush()
    return os.fork() or run(part, running.said), running


def ended(one: Running, passed: bool) -> None:
    """Say how a part went, and what it said where it failed."""
    seconds, name = time.monotonic() - one.began, one.part.relative_to(TESTS)
    sys.stdout.write(f"{'ok' if passed else 'FAILED':6} {seconds:5.0f} s  {name}\n")
    with one.said as said:
        if not passed:
            said.seek(0)
            sys.stdout.write(said.read().decode(errors="replace"))
    sys.stdout.flush()


def main() -> int:
    """Run all parts, or those named; 1 when one failed."""
    parser = argparse.ArgumentParser(prog="python -m tests", description=main.__doc__)
    parser.add_argument("parts", nargs="*", type=Path, help="files of tests, as browser/test_page.py; all otherwise")
    chosen = [TESTS / part for part in parser.parse_args().parts]
    if missing := [str(part) for part in chosen if not part.is_file()]:
        parser.error(f"there is no {', '.join(missing)}")
    warnings.simplefilter("error")
    sys.warnoptions.append("error")  # what processes of their own obey
    for module in LOADED:
        importlib.import_module(module)
    every = chosen or parts()
    began, failed, waiting, running = time.monotonic(), 0, every[::-1], dict[int, Running]()
    while waiting or running:
        while waiting and len(running) < (os.cpu_count() or 1):
            process, one = begin(waiting.pop())
            running[process] = one
        process, status = os.wait()
        ended(running.pop(process), status == 0)
        failed += status != 0
    sys.stdout.write(f"{len(every)} files of tests in {time.monotonic() - began:.0f} s: {failed or 'none'} failed\n")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
