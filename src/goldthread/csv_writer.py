"""CSV (RFC 4180) that no spreadsheet takes for formulas: the one writer of all tables that leave the house."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence

import pyarrow as pa
import pyarrow.compute as pc

from goldthread.core.records import GUARDED_PLACE, PLAIN_NUMBER_EXPRESSION, guarded

_ROWS_AT_ONCE = 50_000


def csv_text(rows: Iterable[Sequence[str]]) -> str:
    """Rows that come one by one."""
    out = io.StringIO(newline="")
    # most cells of a wide table are empty, and need no look
    csv.writer(out).writerows([cell and guarded(cell) for cell in row] for row in rows)
    return out.getvalue()


def csv_line(cells: Sequence[str]) -> str:
    """One row."""
    return csv_text([cells])


def csv_lines(table: pa.Table) -> Iterator[bytes]:
    """A whole table, a piece at a time; every column is worked out as a whole."""
    names = _quoted(_csv_text(pa.chunked_array([pa.array(table.column_names, pa.large_string())])))
    yield (",".join(names.to_pylist()) + "\r\n").encode()
    for start in range(0, table.num_rows, _ROWS_AT_ONCE):
        piece = table.slice(start, _ROWS_AT_ONCE).combine_chunks()
        texts = [_quoted(_csv_text(each)) for each in piece.columns]
        rows = pc.binary_join_element_wise(*texts, pa.scalar(",", pa.large_string()))
        yield ("\r\n".join(rows.to_pylist()) + "\r\n").encode()


def _csv_text(values: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column as texts that no spreadsheet takes for formulas; empty where nothing applies."""
    if pa.types.is_decimal(values.type):
        texts = money_text_column(values)
    elif pa.types.is_floating(values.type):
        texts = pc.replace_substring_regex(
            pc.cast(pc.round(values, 6), pa.large_string()), pattern=r"\.0$", replacement=""
        )
    elif pa.types.is_large_string(values.type):
        plain = pc.match_substring_regex(values, f"^(?:{PLAIN_NUMBER_EXPRESSION})$")
        texts = pc.if_else(plain, values, pc.replace_substring_regex(values, GUARDED_PLACE, r"\1'\2"))
    else:
        texts = pc.cast(values, pa.large_string())
    return pc.fill_null(texts, "")


def money_text_column(values: pa.Array | pa.ChunkedArray) -> pa.Array | pa.ChunkedArray:
    """Exact amounts as texts with at least two decimals."""
    return pc.replace_substring_regex(pc.cast(values, pa.large_string()), pattern=r"00$", replacement="")


def _quoted(texts: pa.ChunkedArray) -> pa.ChunkedArray:
    doubled = pc.replace_substring(texts, pattern='"', replacement='""')
    quote, nothing = pa.scalar('"', pa.large_string()), pa.scalar("", pa.large_string())
    quoted = pc.binary_join_element_wise(quote, doubled, quote, nothing)
    return pc.if_else(pc.match_substring_regex(texts, '[",\r\n]'), quoted, texts)
