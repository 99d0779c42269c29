"""Timing: medians, and rows that say what something is measured against."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """A measurement beside its measure, in seconds unless another unit is said; ``ratio`` is how many times as much."""

    name: str
    measured: float
    beside_measured: float
    beside: str
    unit: str = ""

    @property
    def ratio(self) -> float:
        return self.measured / self.beside_measured


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
        beside = f"{row.beside} ({_told(row.beside_measured, row.unit).strip()})"
        print(f"  {row.name:<48} {_told(row.measured, row.unit)}  {row.ratio:8.2f} x {beside}")


def _told(seconds: float, unit: str) -> str:
    if unit:
        return f"{seconds:9.1f} {unit}"
    return f"{seconds * 1000:9.1f} ms" if seconds < 10 else f"{seconds:9.1f} s "
