"""Whole tables as files: CSV (RFC 4180), XLSX with real dates and numbers, Parquet and Arrow with exact decimals.

Every column is worked out as a whole; nothing is done row by row but what the file's own writer does.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq
import xlsxwriter
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.periods import first_day_of
from goldthread.core.book.texts import TextColumn
from goldthread.core.choices import Blank, Kind, Period, Span
from goldthread.core.history.conditions import Values
from goldthread.core.limits import WORKBOOK_CELLS_MOST
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.records import Progress
from goldthread.csv_writer import csv_line, csv_lines, money_text_column
from goldthread.errors import TooLarge
from goldthread.store.read.customers_out import large_strings

MONEY = pa.decimal128(19, 4)
XLSX_ROWS = 1_048_576
_WORKBOOK_ROWS_AT_ONCE, _ARROW_ROWS_AT_ONCE = 1_000, 65_536
CELLS_AT_ONCE = 60_000
"""Cells of a workbook that are written while somebody waits for the reply."""
_DAY_FORMAT, _MONEY_FORMAT, _SHARE_FORMAT = "yyyy-mm-dd", "#,##0.00##", "0.0%"


class Form(StrEnum):
    """The kinds of files that a table can be taken as."""

    CSV = "csv"
    XLSX = "xlsx"
    PARQUET = "parquet"
    ARROW = "arrow"


class FormQuery(BaseModel):
    """As what kind of file a table is downloaded."""

    form: Form = Field(Form.CSV, description="As what kind of file.")


CONTENT_TYPES = {
    Form.CSV: "text/csv; charset=utf-8; header=present",
    Form.XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    Form.PARQUET: "application/vnd.apache.parquet",
    Form.ARROW: "application/vnd.apache.arrow.stream",
}


@dataclass(frozen=True, eq=False)
class Sheet:
    """A table and the sentences that say what it holds.

    ``shares`` are columns of fractions, read as percent. ``headed``: in CSV the sentences stand over the table, which
    is for people to read and not for programs. ``prose``: its rows are things said, each with a topic and a note.
    """

    sentences: tuple[str, ...]
    table: pa.Table
    shares: frozenset[str] = frozenset()
    headed: bool = False
    prose: bool = False


def one_under_the_other(groups: Iterable[tuple[str, pa.Table]]) -> pa.Table:
    """Tables of the same columns, with the group of each in a first column; that column alone when there is none."""
    parts = [table.add_column(0, "group", label_column([label] * table.num_rows)) for label, table in groups]
    return pa.concat_tables(parts) if parts else pa.table({"group": pa.array([], pa.large_string())})


def label_column(labels: Iterable[str]) -> pa.Array:
    """Labels of groups; a blank one is an empty cell."""
    named = [None if not label or isinstance(label, Blank) else label for label in labels]
    return pa.array(named, pa.large_string())


def column(values: Values, kind: Kind, rows: NDArray[np.int64]) -> pa.Array:
    """A field's values in some rows: texts, whole numbers, exact decimals, dates; null where nothing applies."""
    match values:
        case TextColumn():
            found = texts(values, rows)
            return pc.if_else(pc.equal(found, ""), pa.scalar(None, pa.large_string()), found)
        case Attribute():
            labels = pa.array([label or None for label in values.labels], pa.large_string())
            return labels.take(pa.array(values.codes.take(rows)))
    found = values.values.take(rows)
    missing = None if values.missing is None else values.missing.take(rows)
    if kind is Kind.MONEY:
        return exact_money(found, missing)
    if kind is Kind.NUMBER:
        return pa.array(found / MINOR_PER_UNIT, mask=missing)
    if kind is Kind.DATE:
        return pa.array(found.astype(np.int32), pa.date32(), mask=missing)
    return pa.array(found, mask=missing)


def texts(column_of: TextColumn, rows: NDArray[np.int64]) -> pa.Array:
    """The texts of some rows; the whole column is read where it lies."""
    return large_strings(column_of).take(pa.array(rows))


def exact_money(minor: NDArray[np.int64], missing: NDArray[np.bool_] | None = None) -> pa.Array:
    """Ten-thousandths as exact decimals, without a loop: a decimal is a 128-bit whole number with a scale."""
    wide = np.empty((minor.size, 2), np.int64)
    wide[:, 0], wide[:, 1] = minor, minor >> 63
    decimals = pa.Array.from_buffers(MONEY, minor.size, [None, pa.py_buffer(wide.tobytes())])
    return decimals if missing is None else pc.if_else(pa.array(missing), pa.scalar(None, MONEY), decimals)


def known_numbers(values: NDArray[np.float64]) -> pa.Array:
    """Numbers, null where nothing applies."""
    return pa.array(values, mask=np.isnan(values))


def takes_a_while(sheet: Sheet, form: Form) -> bool:
    """Whether writing is work to be followed: a workbook's cells are written one by one, some 70 000 a second."""
    return form is Form.XLSX and sheet.table.num_rows * sheet.table.num_columns > CELLS_AT_ONCE


def limit_size(sheet: Sheet, form: Form) -> None:
    """Raises `TooLarge` for more rows or cells than a workbook can hold."""
    rows, cells = sheet.table.num_rows, sheet.table.num_rows * sheet.table.num_columns
    if form is Form.XLSX and (rows >= XLSX_ROWS or cells > WORKBOOK_CELLS_MOST):
        raise TooLarge(
            f"{rows} rows with {cells} cells are more than a workbook can hold.",
            remedy="Download it as CSV or Parquet.",
            field="form",
        )


def write_sheet(sheet: Sheet, form: Form, path: Path, progress: Progress | None = None) -> None:
    """Write a table as a file. Raises `TooLarge`, and what ``progress`` raises."""
    limit_size(sheet, form)
    match form:
        case Form.CSV:
            with path.open("wb") as file:
                file.writelines(sheet_csv(sheet))
        case Form.XLSX:
            _write_xlsx(sheet, path, progress)
        case Form.PARQUET:
            pq.write_table(_described(sheet), path)
        case Form.ARROW:
            described = _described(sheet)
            with pa.ipc.new_stream(path, described.schema) as stream:
                stream.write_table(described, _ARROW_ROWS_AT_ONCE)


def _described(sheet: Sheet) -> pa.Table:
    return sheet.table.replace_schema_metadata({"description": "\n".join(sheet.sentences)})


def sheet_csv(sheet: Sheet) -> Iterator[bytes]:
    """A table as CSV."""
    if sheet.headed:
        yield csv_line([" ".join(sheet.sentences)]).encode()
    yield from csv_lines(sheet.table)


def money_texts(minor: NDArray[np.int64]) -> list[str]:
    """Exact amounts as `goldthread.core.money.money_text` writes them, all at once."""
    texts: list[str] = money_text_column(exact_money(np.ascontiguousarray(minor))).to_pylist()
    return texts


def _write_xlsx(sheet: Sheet, path: Path, progress: Progress | None) -> None:
    table = sheet.table
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(path, options) as book:
        day, amount = book.add_format({"num_format": _DAY_FORMAT}), book.add_format({"num_format": _MONEY_FORMAT})
        bold, share = book.add_format({"bold": True}), book.add_format({"num_format": _SHARE_FORMAT})
        page = book.add_worksheet("Table")
        page.freeze_panes(1, 0)
        formats_of = {pa.date32(): day, MONEY: amount}
        formats = [share if field.name in sheet.shares else formats_of.get(field.type) for field in table.schema]
        for place, name in enumerate(table.column_names):
            page.set_column(place, place, max(11, len(name) + 1))
            page.write_string(0, place, name, bold)
        line = 0
        for start in range(0, table.num_rows, _WORKBOOK_ROWS_AT_ONCE):
            if progress is not None:
                progress("writing the workbook", start, table.num_rows)
            columns = [each.to_pylist() for each in table.slice(start, _WORKBOOK_ROWS_AT_ONCE).columns]
            for values in zip(*columns, strict=True):
                line += 1
                for place, value in enumerate(values):
                    if isinstance(value, str):
                        page.write_string(line, place, value)
                    elif value is not None and formats[place] is day:
                        page.write_datetime(line, place, value, day)
                    elif value is not None:
                        page.write_number(line, place, value, formats[place])
        about = book.add_worksheet("What it holds")
        about.set_column(0, 0, 120)
        for place, sentence in enumerate(sheet.sentences):
            about.write_string(place, 0, sentence)


def with_first_days(table: pa.Table, column: str, length: Period | Span) -> pa.Table:
    """A table of periods with their first days beside a column of their names, where these do not say them."""
    if length.is_iso:
        return table
    period = Period(length.value)
    days = {label: to_date(first_day_of(label, period)) for label in table[column].unique().to_pylist()}
    begins = pa.array([days[label] for label in table[column].to_pylist()], pa.date32())
    return table.add_column(table.column_names.index(column) + 1, f"{column}_begins", begins)
