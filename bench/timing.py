"""Timing: medians, and rows that say what something is measured against."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """A measurement beside its measure; ``ratio`` is how many times as long it takes."""

    name: str
    seconds: float
    beside_seconds: float
    beside: str

    @property
    def ratio(self) -> float:
        return self.seconds / self.beside_seconds


def timed(work: Callable[[], object], runs: int) -> float:
    """Median seconds of some runs."""
    taken = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def show(title: str, rows: list[Row]) -> None:
    """Print a table of measurements."""
    print(f"\n{title}")
    for row in rows:
        beside = f"{row.beside} ({_told(row.beside_seconds).strip()})"
        print(f"  {row.name:<48} {_told(row.seconds)}  {row.ratio:8.2f} x {beside}")


def _told(seconds: float) -> str:
    return f"{seconds * 1000:9.1f} ms" if seconds < 10 else f"{seconds:9.1f} s "
