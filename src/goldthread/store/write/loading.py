"""Records into a table in bulk, held against what was sent.

LOAD DATA LOCAL ignores strict mode, so the row count and the server's warnings are looked at after every load. Where a
server does not allow it, the same records are inserted, which takes some five times as long.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Sequence
from itertools import islice
from pathlib import Path

from sqlalchemy import Connection, text
from sqlalchemy.exc import DataError, IntegrityError

from goldthread.errors import GoldThreadError

Record = Sequence[str | None]
_LOAD = r"""
LOAD DATA LOCAL INFILE :path INTO TABLE {table} CHARACTER SET utf8mb4
FIELDS TERMINATED BY '\t' ESCAPED BY '{escape}' LINES TERMINATED BY '\n' ({columns}) {values}
"""
_ESCAPES = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r"})
_INSERTED_AT_ONCE = 5_000


def load(
    connection: Connection,
    table: str,
    columns: Sequence[str],
    records: Iterable[Record],
    count: int,
    *,
    nullable: Sequence[str] = (),
    exact: bool = False,
) -> None:
    """Load records into columns of a table. Raises `GoldThreadError` when the server takes fewer, or has a doubt.

    Texts have no tabs and line breaks, so that nothing needs quoting, unless they are loaded ``exact``, as they are;
    then None is NULL. In ``nullable`` columns an empty text is.
    """
    if count == 0:
        return
    if connection.execute(text("SELECT @@local_infile")).scalar_one():
        taken = _loaded(connection, table, columns, records, nullable, exact)
    else:
        taken = _inserted(connection, table, columns, records, nullable)
    warnings = connection.execute(text("SELECT @@warning_count")).scalar_one()
    if warnings or taken != count:
        raise _not_taken(taken, count, connection.execute(text("SHOW WARNINGS")).first())


def _loaded(
    connection: Connection,
    table: str,
    columns: Sequence[str],
    records: Iterable[Record],
    nullable: Sequence[str],
    exact: bool,
) -> int:
    values = ", ".join(f"{name} = NULLIF(@{name}, '')" for name in nullable)
    statement = _LOAD.format(
        table=table,
        escape=r"\\" if exact else "",
        columns=", ".join(f"@{name}" if name in nullable else name for name in columns),
        values=f"SET {values}" if values else "",
    )
    if exact:
        records = ([r"\N" if each is None else each.translate(_ESCAPES) for each in record] for record in records)
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        file = Path(folder) / "rows.tsv"
        file.write_text("\n".join(map("\t".join, records)) + "\n", encoding="utf-8")  # type: ignore[arg-type]
        return connection.execute(text(statement), {"path": str(file)}).rowcount


def _inserted(
    connection: Connection, table: str, columns: Sequence[str], records: Iterable[Record], nullable: Sequence[str]
) -> int:
    statement = f"INSERT INTO {table} ({', '.join(columns)}) VALUES ({', '.join(['%s'] * len(columns))})"
    may_be_null = [name in nullable for name in columns]
    rows = (
        tuple(None if null and each == "" else each for each, null in zip(record, may_be_null, strict=True))
        for record in records
    )
    taken = 0
    while some := list(islice(rows, _INSERTED_AT_ONCE)):
        try:
            taken += connection.exec_driver_sql(statement, some).rowcount
        except (DataError, IntegrityError) as error:
            raise _not_taken(taken, taken + len(some), error.orig) from error
    return taken


def _not_taken(taken: int, count: int, doubt: object) -> GoldThreadError:
    return GoldThreadError(f"The database took {taken} of {count} rows: {doubt}.", remedy="Nothing was changed.")
