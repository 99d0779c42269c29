"""A file looked at and read, each beside one pass over the same bytes, and a delivery by command."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from zoneinfo import ZoneInfo

from pyarrow import csv as pyarrow_csv

from bench.rates import FURTHER, KEPT, write_flat, write_orders
from bench.timing import Row, timed
from goldthread.actions import books
from goldthread.actions.deciding import reading_of
from goldthread.actions.inspecting import look_at_table
from goldthread.installation import private_database
from goldthread.intake.packing import Table
from goldthread.intake.reading import read_pieces
from goldthread.settings import Settings
from goldthread.workspace import open_workspace

DELIVERED = 10_000
_UTC = ZoneInfo("UTC")


def file_times(rows: int) -> list[Row]:
    """Seconds to look at a flat file of orders and to read it, and to deliver a small one by command."""
    with tempfile.TemporaryDirectory(prefix="gt-bench-") as folder:
        file = write_flat(Path(folder) / "flat.csv", write_orders(Path(folder) / "orders.csv", rows), FURTHER[:KEPT])
        plain = timed(lambda: pyarrow_csv.read_csv(file), 3)
        table = Table("", file, typed=False)
        looked = timed(lambda: look_at_table(table), 1)
        view = look_at_table(table)
        reading = reading_of(view)

        def read() -> None:
            for _piece in read_pieces(view.file, reading, "EUR", _UTC, lambda _rows: None):
                pass

        small = write_orders(Path(folder) / "small.csv", DELIVERED)
        return [
            Row(f"looking at {rows:,} rows of 11 columns", looked, plain, "pyarrow.csv alone"),
            Row(f"reading {rows:,} rows of 11 columns", timed(read, 1), plain, "pyarrow.csv alone"),
            _delivery_by_command(small, Path(folder)),
        ]


def _delivery_by_command(file: Path, folder: Path) -> Row:
    var = folder / "var"
    settings = Settings(var=var)
    database = private_database(settings)
    database.start()
    try:
        workspace = open_workspace(settings)
        books.add_book(workspace, "bench", "EUR", "UTC")
        command = [sys.executable, "-m", "goldthread", "deliver", str(file), "--book", "bench", "--source"]
        own = os.environ | {"GOLDTHREAD_VAR": str(var)}

        def deliver(source: str) -> None:
            subprocess.run([*command, source], env=own, check=True, capture_output=True)

        plain = timed(lambda: pyarrow_csv.read_csv(file), 3)
        took = timed(lambda: deliver("shop"), 1)
        return Row(f"delivery of {DELIVERED:,} rows by command", took, plain, "pyarrow.csv alone")
    finally:
        database.stop()
