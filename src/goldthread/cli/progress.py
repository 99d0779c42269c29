"""Progress on a terminal."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import click

from goldthread.core.records import Progress, unreported


@contextmanager
def progress_bar(label: str) -> Iterator[Progress]:
    """A bar on a terminal; nothing where the output is not read by a person."""
    if not sys.stderr.isatty():
        yield unreported
        return
    with click.progressbar(length=1000, label=label, file=sys.stderr, item_show_func=_phase) as bar:

        def advance(phase: str, done: int, total: int) -> None:
            bar.update(round(1000 * done / max(total, 1)) - bar.pos, phase)

        yield advance


def _phase(phase: Any) -> str | None:
    return None if phase is None else str(phase)
