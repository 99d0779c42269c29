"""A file that would be left out for a good part: the other reading under which less of it would be."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from zoneinfo import ZoneInfo

from goldthread.core.records import OF_ORDERS, FileKind, KeyKind
from goldthread.errors import GoldThreadError
from goldthread.intake.delimited import DelimitedFile
from goldthread.intake.formats import DateForm, DecimalMark
from goldthread.intake.meanings import Meaning
from goldthread.intake.reading import Reading, read_pieces

ROWS_TRIED_MOST = 60_000
_OTHER_DATES = {DateForm.DMY: DateForm.MDY, DateForm.MDY: DateForm.DMY}
_OTHER_DATE_WORDS = {DateForm.DMY: "dates as day/month/year", DateForm.MDY: "dates as month/day/year"}
_OTHER_MARKS = {DecimalMark.POINT: DecimalMark.COMMA, DecimalMark.COMMA: DecimalMark.POINT}
_KIND_WORDS = {FileKind.ORDERS: "one row per order", FileKind.LINES: "one row per order line"}


def fewer_left_out(file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo, rejected: int) -> str:
    """In words the reading under which fewest rows would be rejected, and how many; empty where none is better, and for
    large files, where trying takes too long."""
    if file.row_estimate > ROWS_TRIED_MOST:
        return ""
    best, words = rejected, ""
    for said, other in _others(reading):
        with suppress(GoldThreadError):
            count = _rejected(file, other.validated(file), currency, zone)
            if count < best:
                best, words = count, said
    return f"Read with {words}, {best or 'none'} would be left out." if words else ""


def _others(reading: Reading) -> Iterator[tuple[str, Reading]]:
    if reading.kind in OF_ORDERS:
        kind = FileKind.LINES if reading.kind is FileKind.ORDERS else FileKind.ORDERS
        yield _KIND_WORDS[kind], replace(reading, kind=kind)
    if reading.dates in _OTHER_DATES:
        dates = _OTHER_DATES[reading.dates]
        yield _OTHER_DATE_WORDS[dates], replace(reading, dates=dates)
    mark = _OTHER_MARKS[reading.decimal]
    yield f"a decimal {mark}", replace(reading, decimal=mark)
    if reading.customer_key is KeyKind.EMAIL:
        yield "customers known by number", replace(reading, customer_key=KeyKind.NUMBER)


def _rejected(file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo) -> int:
    """How many rows would be rejected, those that contradict an earlier row of their order included."""
    rejected = 0
    known: dict[str, tuple[str, ...]] = {}
    fields = ("customer",) if reading.kind is FileKind.LINES else ("customer", "date", "amount", "status")
    for piece in read_pieces(file, reading, currency, zone, lambda _rows: None):
        rejected += len({problem.row for problem in piece.problems if problem.rejected})
        if Meaning.ORDER_NUMBER in reading.columns and reading.kind in OF_ORDERS:
            columns = [piece.rows.columns[name] for name in fields]
            for number, *said in zip(piece.rows.columns["order_number"], *columns, strict=True):
                rejected += known.setdefault(number, tuple(said)) != tuple(said)
    return rejected
