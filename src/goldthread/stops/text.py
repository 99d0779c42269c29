"""Tables as text, for a terminal and for mail."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import pyarrow as pa

from goldthread.core.money import amount_text
from goldthread.stops.sheet import Sheet


def sheet_rows(sheet: Sheet) -> list[dict[str, str | int | float | None]]:
    """A table as rows of texts and numbers: ISO dates, exact decimals as texts, None where nothing applies."""
    return [{name: _plain_value(value) for name, value in row.items()} for row in sheet.table.to_pylist()]


def sheet_text(sheet: Sheet) -> str:
    """A table as aligned columns under its sentences; figures to the right."""
    rows = sheet_rows(sheet)
    names = sheet.table.column_names
    lines = [names, *(["—" if row[name] is None else str(row[name]) for name in names] for row in rows)]
    widths = [max(len(line[place]) for line in lines) for place in range(len(names))]
    to_right = [not pa.types.is_large_string(kind) for kind in sheet.table.schema.types]
    body = [
        "  ".join(
            text.rjust(width) if right else text.ljust(width)
            for text, width, right in zip(line, widths, to_right, strict=True)
        ).rstrip()
        for line in lines
    ]
    return "\n".join([*sheet.sentences, "", *body, "", f"{len(rows)} rows", ""])


def _plain_value(value: object) -> str | int | float | None:
    if isinstance(value, Decimal):
        return amount_text(value)
    if isinstance(value, dt.date):
        return value.isoformat()
    return value if isinstance(value, str | int | float) else None
