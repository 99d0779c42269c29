"""Staging tables: checked rows of a delivery, loaded in bulk."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from sqlalchemy import Column, Connection, text
from sqlalchemy.dialects import mysql

from goldthread.core.records import COLUMNS, OF_ORDERS, FileKind, Problem, Rows
from goldthread.store.schema.models import Base
from goldthread.store.write.delivery import DeliveryReport
from goldthread.store.write.loading import load

_DIALECT = mysql.dialect()


def _like(column: Column[Any], name: str = "") -> str:
    """A column that is like one of the record, under another name where one is given."""
    nullable = "NULL" if column.nullable else "NOT NULL"
    return f"{name or column.name} {column.type.compile(dialect=_DIALECT)} {nullable}"


def _of(table: str, names: str) -> tuple[str, ...]:
    """Some columns of a table of the record."""
    return tuple(_like(Base.metadata.tables[table].c[name]) for name in names.split())


_KEYS = Base.metadata.tables["customer_keys"].c
_CUSTOMER = _like(_KEYS.value, "customer")
_HEADERS = (
    *_of("orders", "order_number"),
    _CUSTOMER,
    *_of("orders", "ordered_on ordered_at amount status rep channel"),
)
_LINES = _of("order_lines", "line_number product category quantity")
_CUSTOMERS = (
    _like(_KEYS.value, "number"),
    _like(_KEYS.value, "email"),
    *_of("customer_records", "name town closed do_not_contact"),
    "attributes LONGTEXT NOT NULL",
)
_PAYMENTS = (*_of("payments", "reference"), _CUSTOMER, *_of("payments", "order_number paid_on amount"))
_SPEND = _of("spend", "month channel amount")
_EVENTS = _of("events", "begins_on ends_on label")
_MATCHES = (
    _like(_KEYS.kind),
    _CUSTOMER,
    _like(_KEYS.kind, "other_kind"),
    _like(_KEYS.value, "other"),
    *_of("matches", "verdict"),
)
_FIRST_ROW = ("first_row INT NOT NULL",)
_IDENTITY = ("identity VARCHAR(400) COLLATE utf8mb4_bin NULL", "KEY (identity)")
_TABLES: dict[FileKind, tuple[tuple[str, ...], tuple[str, ...]]] = {
    FileKind.ORDERS: (_HEADERS, _FIRST_ROW),
    FileKind.LINES: (_HEADERS + _LINES, _FIRST_ROW),
    FileKind.CUSTOMERS: (
        _CUSTOMERS,
        ("key_id BIGINT NULL", "email_key_id BIGINT NULL"),
    ),
    FileKind.PAYMENTS: (_PAYMENTS, _IDENTITY),
    FileKind.SPEND: (_SPEND, _IDENTITY),
    FileKind.EVENTS: (_EVENTS, _IDENTITY),
    FileKind.MATCHES: (_MATCHES, ()),
}
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


def create(connection: Connection, kind: FileKind, own: Sequence[str] = ()) -> None:
    """Make the staging tables of a delivery of a kind; ``own`` are columns of its own attributes."""
    loaded, further = _TABLES[kind]
    columns = ", ".join(("file_row INT NOT NULL PRIMARY KEY", *loaded, *own, *further))
    connection.execute(text(f"CREATE TEMPORARY TABLE staged ({columns}) ENGINE=Aria TRANSACTIONAL=0"))
    connection.execute(text(_PROBLEMS))
    connection.execute(text(_CELLS))


def load_rows(
    connection: Connection, kind: FileKind, rows: Rows, firsts: Sequence[int], codes: Sequence[Sequence[str]] = ()
) -> None:
    """Load checked rows, the first rows of their orders, and the codes of their own attributes, one column each."""
    forms = dict(column.split(" ", 1) for column in _TABLES[kind][0])
    nullable = [name for name, form in forms.items() if not form.endswith("NOT NULL")]
    names = ["file_row", *forms]
    names += [f"own_{place}" for place in range(1, len(codes) + 1)]
    names += ["first_row"] if kind in OF_ORDERS else []
    columns = [*(rows.columns[name] for name in COLUMNS[kind]), *codes]
    columns += [list(map(str, firsts))] if kind in OF_ORDERS else []
    records = zip(map(str, rows.row), *columns, strict=True)
    load(connection, "staged", names, records, len(rows.row), nullable=nullable)


def load_problems(connection: Connection, report: DeliveryReport) -> None:
    """Put the problems that were found since the last time beside the rows."""
    rows = [_problem_record(problem) for problem in report.unreported]
    names = ("file_row", "rejected", "column_name", "value", "reason", "remedy")
    load(connection, "staged_problems", names, rows, len(rows))
    report.unreported.clear()


def _problem_record(problem: Problem) -> Sequence[str]:
    texts = (problem.column[:255], problem.value[:1_000], problem.reason[:255], problem.remedy[:255])
    return (str(problem.row), str(int(problem.rejected)), *(text.translate(_LINE_BREAKS) for text in texts))


def load_cells(connection: Connection, rows: Sequence[tuple[int, str]]) -> None:
    """Put rejected rows, each as a JSON array, beside their problems."""
    load(connection, "staged_cells", ("file_row", "cells"), ((str(number), cells) for number, cells in rows), len(rows))


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
    remove(connection, list(dict.fromkeys(row[0] for row in found)))


_CHOSEN = "CREATE TEMPORARY TABLE chosen (file_row INT NOT NULL PRIMARY KEY) ENGINE=Aria TRANSACTIONAL=0"


def _with_chosen(connection: Connection, file_rows: Sequence[int], statement: str) -> Any:
    """What a statement gives that joins ``chosen``, some rows of the file; one pass, however many they are."""
    connection.execute(text(_CHOSEN))
    load(connection, "chosen", ("file_row",), ((str(row),) for row in file_rows), len(file_rows))
    found = connection.execute(text(statement))
    connection.execute(text("DROP TEMPORARY TABLE chosen"))
    return found


def amount_of(connection: Connection, file_rows: Sequence[int]) -> Decimal:
    """What the absolute amounts of some staged rows come to."""
    if not file_rows:
        return Decimal(0)
    query = "SELECT COALESCE(SUM(ABS(s.amount)), 0) FROM staged s JOIN chosen USING (file_row)"
    amount: Decimal = _with_chosen(connection, file_rows, query).scalar_one()
    return amount


def remove(connection: Connection, file_rows: Sequence[int]) -> None:
    """Take rows out of the staging table."""
    if file_rows:
        _with_chosen(connection, file_rows, "DELETE s FROM staged s JOIN chosen c ON c.file_row = s.file_row")
