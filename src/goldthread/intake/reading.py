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
from goldthread.intake.meanings import NEEDED, Meaning, meanings_of

ROWS_PER_PIECE = 20_000
_KEPT_VALUES = 200_000


@dataclass(frozen=True)
class Reading:
    """How a file is to be read: what a row is, which column carries each meaning, what customers are known by."""

    kind: FileKind
    columns: Mapping[Meaning, str]
    customer_key: KeyKind

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


class _Column:
    """One column being read; every distinct value is parsed once."""

    def __init__(self, meaning: Meaning, name: str, place: int, parse: values.Parser) -> None:
        self.meaning, self.name, self.place = meaning, name, place
        self._parse = parse
        self._good: dict[str, str] = {}
        self._bad: dict[str, values.BadValue] = {}

    def read(self, raw: RawRows, problems: list[Problem]) -> list[str]:
        """Canonical texts, one per row; rows that have none are told in ``problems``."""
        texts = [row[self.place] for row in raw.cells]
        if len(self._good) > _KEPT_VALUES:
            self._good.clear()
        for text in set(texts) - self._good.keys() - self._bad.keys():
            try:
                self._good[text] = self._parse(text)
            except values.BadValue as bad:
                self._bad[text] = bad
        if self._bad:
            for number, text in zip(raw.numbers, texts, strict=True):
                if text in self._bad:
                    told = self._bad[text]
                    problems.append(Problem(number, self.name, text[:200], told.reason, told.remedy))
        return [self._good.get(text, "") for text in texts]


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
        Meaning.DATE: values.date_parser(zone),
        Meaning.CURRENCY: values.currency_parser(currency),
        Meaning.AMOUNT: values.amount,
        Meaning.STATUS: values.status,
        Meaning.LINE_NUMBER: values.text_parser(32),
        Meaning.PRODUCT: values.text_parser(255),
        Meaning.CATEGORY: values.text_parser(120),
        Meaning.QUANTITY: values.optional_amount,
    }


def _piece(
    raw: RawRows, kind: FileKind, columns: Mapping[Meaning, _Column], further: Sequence[tuple[str, int]]
) -> Piece:
    problems = list(raw.problems)
    read = {meaning: column.read(raw, problems) for meaning, column in columns.items()}
    rejected = {problem.row for problem in problems}
    if kind is FileKind.CUSTOMERS:
        number, email = (_texts(read, meaning, raw) for meaning in (Meaning.CUSTOMER_NUMBER, Meaning.EMAIL))
        for at, row_number in enumerate(raw.numbers):
            if not number[at] and not email[at] and row_number not in rejected:
                problems.append(_nameless(row_number, raw.cells[at]))
                rejected.add(row_number)
    kept = [at for at, number_of_row in enumerate(raw.numbers) if number_of_row not in rejected]
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


def _texts(read: Mapping[Meaning, list[str]], meaning: Meaning, raw: RawRows) -> list[str]:
    return read.get(meaning) or [""] * len(raw.cells)


def _typed_rows(
    raw: RawRows,
    kind: FileKind,
    read: Mapping[Meaning, list[str]],
    further: Sequence[tuple[str, int]],
    kept: Sequence[int],
) -> OrderRows | LineRows | CustomerRows:
    def column(meaning: Meaning) -> list[str]:
        texts = _texts(read, meaning, raw)
        return texts if len(kept) == len(texts) else [texts[at] for at in kept]

    numbers = [raw.numbers[at] for at in kept]
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
    moments = column(Meaning.DATE)
    headers = (
        numbers,
        column(Meaning.ORDER_NUMBER),
        column(Meaning.CUSTOMER),
        [moment[:10] for moment in moments],
        [moment[11:] for moment in moments],
        column(Meaning.AMOUNT),
        [text or "paid" for text in column(Meaning.STATUS)],
    )
    if kind is FileKind.ORDERS:
        return OrderRows(*headers)
    further_meanings = (Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY)
    return LineRows(*headers, *(column(meaning) for meaning in further_meanings))
