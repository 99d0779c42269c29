"""A delimited file and the meanings of its columns become checked rows and problems, piece by piece."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from goldthread.core.records import CustomerRows, FileKind, KeyKind, LineRows, OrderRows, Piece, Problem
from goldthread.errors import InvalidInput
from goldthread.intake import values
from goldthread.intake.delimited import DelimitedFile, RawRows, rows_of
from goldthread.intake.formats import DateForm, DecimalMark, Evidence
from goldthread.intake.meanings import NEEDED, Meaning, meanings_of

ROWS_PER_PIECE = 20_000
_KEPT_VALUES = 200_000
_DATE_LENGTH = len("2026-03-14")


@dataclass(frozen=True)
class Reading:
    """How a file is to be read: what a row is, which column carries each meaning, what customers are known by."""

    kind: FileKind
    columns: Mapping[Meaning, str]
    customer_key: KeyKind
    dates: DateForm = DateForm.ISO
    decimal: DecimalMark = DecimalMark.POINT

    def validated(self, file: DelimitedFile) -> Reading:
        """Self, when it can be applied to the file. Raises `InvalidInput` naming what is missing or wrong."""
        missing = [meaning for meaning in NEEDED[self.kind] if meaning not in self.columns]
        if missing:
            raise InvalidInput(
                f"No column is chosen for: {', '.join(meaning.replace('_', ' ') for meaning in missing)}.",
                remedy=f"The file's columns are: {', '.join(file.header)}.",
                field="columns",
            )
        if self.kind is FileKind.CUSTOMERS and not {Meaning.CUSTOMER_NUMBER, Meaning.EMAIL} & set(self.columns):
            raise InvalidInput(
                "A customers file needs a customer number or an e-mail.", remedy="Choose a column.", field="columns"
            )
        for meaning, column in self.columns.items():
            if meaning not in meanings_of(self.kind):
                raise InvalidInput(f"A row of this kind has no {meaning.replace('_', ' ')}.", field="columns")
            if column not in file.header:
                raise InvalidInput(
                    f"The file has no column called {column}.",
                    remedy=f"Its columns are: {', '.join(file.header)}.",
                    field="columns",
                )
        return self


def read_pieces(
    file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo, advance: Callable[[int], None]
) -> Iterator[Piece]:
    """Check every row of a file; memory is bounded by one piece. ``advance`` is told the rows behind."""
    parsers = _parsers(reading, currency, zone)
    place = {meaning: file.header.index(column) for meaning, column in reading.columns.items()}
    columns = {
        meaning: _Column(meaning, file.header[place[meaning]], place[meaning], parser)
        for meaning, parser in parsers.items()
        if meaning in place
    }
    further = [(name, at) for at, name in enumerate(file.header) if at not in place.values()]
    for raw in rows_of(file, ROWS_PER_PIECE, advance):
        yield _piece(raw, reading.kind, columns, further)


def survey(
    file: DelimitedFile, columns: Mapping[Meaning, str], most_rows: int | None, advance: Callable[[int], None]
) -> Evidence:
    """What the date and amount columns speak for, over the whole file or its first rows."""
    evidence = Evidence()
    sides = ((Meaning.DATE, evidence.dates), (Meaning.AMOUNT, evidence.amounts))
    places = [(file.header.index(columns[meaning]), side) for meaning, side in sides if meaning in columns]
    seen = 0
    for raw in rows_of(file, ROWS_PER_PIECE, advance):
        for place, side in places:
            side.add(dict.fromkeys(row[place] for row in raw.cells))
        seen += len(raw.cells)
        if most_rows is not None and seen >= most_rows:
            break
    return evidence


class _Column:
    """One column being read; every distinct value is parsed once."""

    def __init__(self, meaning: Meaning, name: str, place: int, parse: values.Parser) -> None:
        self.meaning, self.name, self.place = meaning, name, place
        self._parse = parse
        self._good: dict[str, str] = {}
        self._bad: dict[str, values.BadValue] = {}

    def read(self, texts: Sequence[str], numbers: Sequence[int], problems: list[Problem]) -> Sequence[str]:
        """Canonical texts, one per row; rows that have none are told in ``problems``."""
        if self.meaning is Meaning.ORDER_NUMBER and values.PLAIN_KEY.fullmatch("\x1f".join(texts)):
            return texts
        if len(self._good) > _KEPT_VALUES:
            self._good.clear()
        for text in set(texts).difference(self._good):
            if text not in self._bad:
                self._parse_one(text)
        if not self._bad:
            return list(map(self._good.__getitem__, texts))
        for number, text in zip(numbers, texts, strict=True):
            if text in self._bad:
                told = self._bad[text]
                problems.append(Problem(number, self.name, text[:200], told.reason, told.remedy))
        return [self._good.get(text, "") for text in texts]

    def _parse_one(self, text: str) -> None:
        try:
            self._good[text] = self._parse(text)
        except values.BadValue as bad:
            self._bad[text] = bad


def _parsers(reading: Reading, currency: str, zone: ZoneInfo) -> dict[Meaning, values.Parser]:
    """Parsers in the order in which a row's problems are told."""
    if reading.kind is FileKind.CUSTOMERS:
        return {
            Meaning.CUSTOMER_NUMBER: values.text_parser(values.CUSTOMER_LENGTH),
            Meaning.EMAIL: values.optional_email,
            Meaning.NAME: values.text_parser(255),
        }
    return {
        Meaning.ORDER_NUMBER: values.order_number,
        Meaning.CUSTOMER: values.customer_parser(reading.customer_key),
        Meaning.DATE: values.date_parser(zone, reading.dates),
        Meaning.CURRENCY: values.currency_parser(currency),
        Meaning.AMOUNT: values.amount_parser(currency, reading.decimal),
        Meaning.STATUS: values.status,
        Meaning.LINE_NUMBER: values.text_parser(32),
        Meaning.PRODUCT: values.text_parser(255),
        Meaning.CATEGORY: values.text_parser(120),
        Meaning.QUANTITY: values.optional(values.amount_parser(mark=reading.decimal)),
    }


def _piece(
    raw: RawRows, kind: FileKind, columns: Mapping[Meaning, _Column], further: Sequence[tuple[str, int]]
) -> Piece:
    problems = list(raw.problems)
    cells = list(zip(*raw.cells, strict=True)) or [()] * (1 + max(column.place for column in columns.values()))
    read = {meaning: column.read(cells[column.place], raw.numbers, problems) for meaning, column in columns.items()}
    rejected = {problem.row for problem in problems}
    if kind is FileKind.CUSTOMERS:
        number, email = (_texts(read, meaning, raw) for meaning in (Meaning.CUSTOMER_NUMBER, Meaning.EMAIL))
        for at, row_number in enumerate(raw.numbers):
            if not number[at] and not email[at] and row_number not in rejected:
                problems.append(_nameless(row_number, raw.cells[at]))
                rejected.add(row_number)
    kept: Sequence[int] = range(len(raw.numbers))
    if rejected:
        kept = [at for at, row_number in enumerate(raw.numbers) if row_number not in rejected]
    rows = _typed_rows(raw, kind, read, further, kept)
    problems.sort(key=lambda problem: problem.row)
    return Piece(rows, problems, len(raw.numbers) + len(raw.problems))


def _nameless(number: int, cells: Sequence[str]) -> Problem:
    return Problem(
        number,
        "",
        " · ".join(cells)[:200],
        "There is neither a customer number nor an e-mail.",
        "Give one of the two, or leave the row out.",
    )


def _texts(read: Mapping[Meaning, Sequence[str]], meaning: Meaning, raw: RawRows) -> Sequence[str]:
    return read.get(meaning) or [""] * len(raw.cells)


def _typed_rows(
    raw: RawRows,
    kind: FileKind,
    read: Mapping[Meaning, Sequence[str]],
    further: Sequence[tuple[str, int]],
    kept: Sequence[int],
) -> OrderRows | LineRows | CustomerRows:
    def column(meaning: Meaning) -> Sequence[str]:
        texts = _texts(read, meaning, raw)
        return texts if len(kept) == len(texts) else [texts[at] for at in kept]

    numbers = raw.numbers if len(kept) == len(raw.numbers) else [raw.numbers[at] for at in kept]
    if kind is FileKind.CUSTOMERS:
        attributes = [
            json.dumps(
                {name: cell for name, place in further if (cell := raw.cells[at][place].strip())}, ensure_ascii=False
            )
            for at in kept
        ]
        return CustomerRows(
            numbers, column(Meaning.CUSTOMER_NUMBER), column(Meaning.EMAIL), column(Meaning.NAME), attributes
        )
    dates, times = _dates_and_times(column(Meaning.DATE))
    headers = (
        numbers,
        column(Meaning.ORDER_NUMBER),
        column(Meaning.CUSTOMER),
        dates,
        times,
        column(Meaning.AMOUNT),
        column(Meaning.STATUS) if Meaning.STATUS in read else ["paid"] * len(kept),
    )
    if kind is FileKind.ORDERS:
        return OrderRows(*headers)
    further_meanings = (Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY)
    return LineRows(*headers, *(column(meaning) for meaning in further_meanings))


def _dates_and_times(moments: Sequence[str]) -> tuple[Sequence[str], Sequence[str]]:
    """ISO dates, and ISO times or empty texts, from what the date parser gives."""
    if set(map(len, moments)) <= {_DATE_LENGTH}:
        return moments, [""] * len(moments)
    return [moment[:_DATE_LENGTH] for moment in moments], [moment[_DATE_LENGTH + 1 :] for moment in moments]
