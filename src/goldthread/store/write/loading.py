"""Records into a table in bulk, held against what was sent.

LOAD DATA LOCAL ignores strict mode, so the row count and the server's warnings are looked at after every load.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path

from sqlalchemy import Connection, text

from goldthread.errors import GoldThreadError

_LOAD = r"""
LOAD DATA LOCAL INFILE :path INTO TABLE {table} CHARACTER SET utf8mb4
FIELDS TERMINATED BY '\t' ESCAPED BY '' LINES TERMINATED BY '\n' ({columns}) {values}
"""


def load_statement(table: str, columns: str, values: str = "") -> str:
    """The statement that loads texts without tabs and line breaks, so that nothing needs quoting."""
    return _LOAD.format(table=table, columns=columns, values=values)


def load(connection: Connection, statement: str, records: Iterable[Sequence[str]], count: int) -> None:
    """Load records by way of a file. Raises `GoldThreadError` when the server takes fewer, or has a doubt."""
    if count == 0:
        return
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        file = Path(folder) / "rows.tsv"
        file.write_text("\n".join(map("\t".join, records)) + "\n", encoding="utf-8")
        loaded = connection.execute(text(statement), {"path": str(file)})
    warnings = connection.execute(text("SELECT @@warning_count")).scalar_one()
    if warnings or loaded.rowcount != count:
        rows = connection.execute(text("SHOW WARNINGS")).first()
        raise GoldThreadError(
            f"The database took {loaded.rowcount} of {count} rows: {rows}.", remedy="Nothing was changed."
        )
