"""Staging tables: checked rows are loaded in bulk, and held against what was sent.

LOAD DATA LOCAL ignores strict mode, so the row count and the server's warnings are looked at after every load.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, text

from goldthread.core.records import COLUMNS, FileKind, Problem, Rows
from goldthread.errors import GoldThreadError
from goldthread.store.write.delivery import DeliveryReport

_EXACT = "COLLATE utf8mb4_bin NOT NULL"
_AMOUNT = "DECIMAL(19,4) NOT NULL"
_FLAG = "TINYINT NULL"
_HEADERS = (
    f"order_number VARCHAR(64) {_EXACT}",
    f"customer VARCHAR(191) {_EXACT}",
    "ordered_on DATE NOT NULL",
    "ordered_at TIME NULL",
    f"amount {_AMOUNT}",
    "status ENUM('open','paid','cancelled','refunded') NOT NULL",
    "rep VARCHAR(120) NOT NULL",
    "channel VARCHAR(120) NOT NULL",
)
_LINES = (
    "line_number VARCHAR(32) NOT NULL",
    "product VARCHAR(255) NOT NULL",
    "category VARCHAR(120) NOT NULL",
    "quantity DECIMAL(19,4) NULL",
)
_CUSTOMERS = (
    f"number VARCHAR(191) {_EXACT}",
    f"email VARCHAR(191) {_EXACT}",
    "name VARCHAR(255) NOT NULL",
    "town VARCHAR(120) NOT NULL",
    f"closed {_FLAG}",
    f"do_not_contact {_FLAG}",
    "attributes LONGTEXT NOT NULL",
)
_PAYMENTS = (
    f"reference VARCHAR(64) {_EXACT}",
    f"customer VARCHAR(191) {_EXACT}",
    f"order_number VARCHAR(64) {_EXACT}",
    "paid_on DATE NOT NULL",
    f"amount {_AMOUNT}",
)
_SPEND = ("month DATE NOT NULL", "channel VARCHAR(120) NOT NULL", f"amount {_AMOUNT}")
_EVENTS = ("begins_on DATE NOT NULL", "ends_on DATE NOT NULL", "label VARCHAR(255) NOT NULL")
_MATCHES = (
    "kind ENUM('number','email') NOT NULL",
    f"customer VARCHAR(191) {_EXACT}",
    "other_kind ENUM('number','email') NOT NULL",
    f"other VARCHAR(191) {_EXACT}",
    "verdict ENUM('one','apart') NOT NULL",
)
_IDENTITY = ("identity VARCHAR(400) COLLATE utf8mb4_bin NULL", "KEY (identity)")
_TABLES: dict[FileKind, tuple[tuple[str, ...], tuple[str, ...]]] = {
    FileKind.ORDERS: (_HEADERS, ()),
    FileKind.LINES: (_HEADERS + _LINES, ()),
    FileKind.CUSTOMERS: (
        _CUSTOMERS,
        ("key_id BIGINT NULL", "email_key_id BIGINT NULL"),
    ),
    FileKind.PAYMENTS: (_PAYMENTS, _IDENTITY),
    FileKind.SPEND: (_SPEND, _IDENTITY),
    FileKind.EVENTS: (_EVENTS, _IDENTITY),
    FileKind.MATCHES: (_MATCHES, ()),
}
_LOAD = r"""
LOAD DATA LOCAL INFILE :path INTO TABLE {table} CHARACTER SET utf8mb4
FIELDS TERMINATED BY '\t' ESCAPED BY '' LINES TERMINATED BY '\n' ({columns}) {values}
"""
_PROBLEMS = """
CREATE TEMPORARY TABLE staged_problems (file_row INT NOT NULL, rejected TINYINT NOT NULL,
  column_name VARCHAR(255) NOT NULL, value TEXT NOT NULL, reason VARCHAR(255) NOT NULL, remedy VARCHAR(255) NOT NULL,
  KEY (file_row)) ENGINE=Aria TRANSACTIONAL=0
"""
_CELLS = """
CREATE TEMPORARY TABLE staged_cells (file_row INT NOT NULL PRIMARY KEY, cells LONGTEXT NOT NULL)
ENGINE=Aria TRANSACTIONAL=0
"""
_LINE_BREAKS = str.maketrans({"\t": " ", "\n": " ", "\r": " ", "\x00": "\N{SYMBOL FOR NULL}"})


def create(connection: Connection, kind: FileKind) -> None:
    """Make the staging tables of a delivery of a kind."""
    loaded, further = _TABLES[kind]
    columns = ", ".join(("file_row INT NOT NULL PRIMARY KEY", *loaded, *further))
    connection.execute(text(f"CREATE TEMPORARY TABLE staged ({columns}) ENGINE=Aria TRANSACTIONAL=0"))
    connection.execute(text(_PROBLEMS))
    connection.execute(text(_CELLS))


def load_rows(connection: Connection, kind: FileKind, rows: Rows) -> None:
    """Load checked rows. Checked texts hold neither tabs nor line breaks, so nothing needs quoting."""
    names, values = ["file_row"], []
    for column in _TABLES[kind][0]:
        name, form = column.split(" ", 1)
        nullable = not form.endswith("NOT NULL")
        names.append(f"@{name}" if nullable else name)
        if nullable:
            values.append(f"{name} = NULLIF(@{name}, '')")
    statement = _LOAD.format(
        table="staged", columns=", ".join(names), values="SET " + ", ".join(values) if values else ""
    )
    columns = [rows.columns[name] for name in COLUMNS[kind]]
    load(connection, statement, zip(map(str, rows.row), *columns, strict=True), len(rows.row))


def load_problems(connection: Connection, report: DeliveryReport) -> None:
    """Put the problems that were found since the last time beside the rows."""
    statement = _LOAD.format(
        table="staged_problems", columns="file_row, rejected, column_name, value, reason, remedy", values=""
    )
    rows = [_problem_record(problem) for problem in report.unreported]
    load(connection, statement, rows, len(rows))
    report.unreported.clear()


def _problem_record(problem: Problem) -> Sequence[str]:
    texts = (problem.column[:255], problem.value[:1_000], problem.reason[:255], problem.remedy[:255])
    return (str(problem.row), str(int(problem.rejected)), *(text.translate(_LINE_BREAKS) for text in texts))


def load_cells(connection: Connection, rows: Sequence[tuple[int, str]]) -> None:
    """Put rejected rows, each as a JSON array, beside their problems."""
    statement = _LOAD.format(table="staged_cells", columns="file_row, cells", values="")
    load(connection, statement, ((str(number), cells) for number, cells in rows), len(rows))


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


def execute_each(connection: Connection, statement: str, file_rows: Iterable[int]) -> None:
    """Execute a statement for each of some rows of the file, bound as ``file_row``."""
    rows = [{"file_row": row} for row in file_rows]
    if rows:
        connection.execute(text(statement), rows)


def take_out_repeats(
    connection: Connection, report: DeliveryReport, found: Sequence[Any], column: str, reason: str, remedy: str
) -> None:
    """Take rows out that an earlier row gives too: those that say the same are counted, the others reported.

    ``found`` has the row, what it is known by, the earlier row, and whether the two say the same; ``remedy`` names the
    earlier row as ``{row}``.
    """
    for file_row, known_by, first_row, is_same in found:
        if is_same:
            report.rows_repeated += 1
        else:
            report.reject(Problem(file_row, column, known_by, reason, remedy.format(row=first_row)))
    remove(connection, (row[0] for row in found))


def remove(connection: Connection, file_rows: Iterable[int]) -> None:
    """Take rows out of the staging table."""
    execute_each(connection, "DELETE FROM staged WHERE file_row = :file_row", file_rows)
