"""Further columns of orders and lines: of what they say something, what their values are, and how they are kept.

A column says something of the customer when no customer has several values, else of the order when no order has, else
of the line (``docs/definitions.md``, 1.8). That is found out over the whole file; rows are compared by hashes of their
texts, whose number is bounded: of a very large file some of the customers are looked at, each with all rows.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from goldthread.core.limits import ATTRIBUTE_LENGTH, ATTRIBUTE_NAME_LENGTH, ATTRIBUTES_MOST
from goldthread.core.records import MARKS, AttributeType, FileKind
from goldthread.intake import values, words
from goldthread.intake.formats import AmountEvidence, DateEvidence, DateForm, DecimalMark
from goldthread.intake.meanings import KeptAt
from goldthread.intake.names import senses_of

CELLS_COMPARED_MOST = 16_000_000
_TRIED_MOST = 50_000
_FEW_ROWS = 20
_NEARLY_EVERY_ROW = 0.8
_NEARLY_CONSTANT = 0.9
_OFTEN = 0.1
_OWN_NUMBER = re.compile(r"[-+]?(?:0|[1-9][0-9]{0,2}(?:[.,' ]?[0-9]{3})*|[1-9][0-9]*)(?:[.,][0-9]{1,4})?")
_LONGEST_NUMBER = 14

Int64s = NDArray[np.int64]


@dataclass(frozen=True)
class Further:
    """How a further column is kept; ``dates`` and ``decimal`` where its own writing differs from the file's."""

    at: KeptAt
    type: AttributeType = AttributeType.TEXT
    dates: DateForm | None = None
    decimal: DecimalMark | None = None


@dataclass(frozen=True)
class FurtherColumn:
    """What was found of a further column, and how it is best kept.

    ``values`` different ones; ``customers_several`` and ``orders_several`` have more than one of them. ``about``: only
    some of the customers were looked at.
    """

    name: str
    proposed: Further
    why: str
    values: int
    customers_several: int
    orders_several: int
    about: bool


@dataclass
class _Writing:
    """What the values of a column could be, by all of them so far."""

    types: set[AttributeType] = field(
        default_factory=lambda: {AttributeType.NUMBER, AttributeType.DATE, AttributeType.MARK}
    )
    dates: DateEvidence = field(default_factory=DateEvidence)
    amounts: AmountEvidence = field(default_factory=AmountEvidence)
    marks: set[str] = field(default_factory=set)
    tried: set[str] = field(default_factory=set)

    def add(self, texts: set[str]) -> None:
        fresh = texts - self.tried if self.types else set()
        fresh.discard("")
        for kind in list(self.types):
            if not all(map(_FITS[kind], fresh)):
                self.types.discard(kind)
        if AttributeType.DATE in self.types:
            self.dates.add(fresh)
        if AttributeType.NUMBER in self.types:
            self.amounts.add(fresh)
        if AttributeType.MARK in self.types:
            self.marks |= {words.flag(text) for text in fresh}
        if len(self.tried) < _TRIED_MOST:
            self.tried |= fresh

    def type(self, name: str) -> AttributeType:
        """What the values are; a number that is a name of something stays a text."""
        senses, _ = senses_of(name)
        if not self.tried:
            return AttributeType.TEXT
        if AttributeType.MARK in self.types and (AttributeType.NUMBER not in self.types or len(self.marks) > 1):
            return AttributeType.MARK
        if AttributeType.DATE in self.types and not self.dates.years_open:
            return AttributeType.DATE
        if AttributeType.NUMBER in self.types and "number" not in senses:
            return AttributeType.NUMBER
        return AttributeType.TEXT


def _is_number(text: str) -> bool:
    return len(text) <= _LONGEST_NUMBER and _OWN_NUMBER.fullmatch(text) is not None


_FITS: Mapping[AttributeType, Callable[[str], bool]] = {
    AttributeType.NUMBER: _is_number,
    AttributeType.DATE: values.is_date,
    AttributeType.MARK: lambda text: values.fits(words.flag, text),
}


class FurtherSurvey:
    """Looks at further columns piece by piece. ``number`` is the place of the order numbers, None where orders are made
    of customer and date."""

    def __init__(
        self, kind: FileKind, header: Sequence[str], names: Sequence[str], customer: int, date: int, number: int | None
    ) -> None:
        self._kind, self._names = kind, list(names)
        self._places = [header.index(name) for name in names]
        self._customer, self._order = customer, (number,) if number is not None else (customer, date)
        self._writing = [_Writing() for _ in names]
        self._rows: list[Int64s] = []
        self._kept_rows, self._mask = 0, 0

    def add(self, cells: Sequence[Sequence[str]]) -> None:
        """Take in some rows."""
        # whoever bought without a name is nobody in particular
        cells = [row for row in cells if row[self._customer].strip()]
        if not self._names or not cells:
            return
        hashes = np.empty((len(cells), len(self._names) + 2), np.int64)
        hashes[:, 0] = _hashes([row[self._customer].strip() for row in cells])
        hashes[:, 1] = sum(
            _hashes([row[place].strip() for row in cells]) * (31**at) for at, place in enumerate(self._order)
        )
        for column, place in enumerate(self._places):
            texts = [row[place].strip() for row in cells]
            self._writing[column].add(set(texts))
            hashes[:, column + 2] = _hashes(texts)
        self._rows.append(self._chosen(hashes))
        self._kept_rows += len(self._rows[-1])
        while self._kept_rows * hashes.shape[1] > CELLS_COMPARED_MOST:
            self._mask = self._mask << 1 | 1
            self._rows = [self._chosen(rows) for rows in self._rows]
            self._kept_rows = sum(map(len, self._rows))

    def _chosen(self, hashes: Int64s) -> Int64s:
        return hashes[hashes[:, 0] & self._mask == 0] if self._mask else hashes

    def found(self) -> list[FurtherColumn]:
        """What the columns are, and how each is best kept."""
        if not self._rows:
            return []
        table = np.concatenate(self._rows)
        by_customer = np.argsort(table[:, 0], kind="stable")
        by_order = np.argsort(table[:, 1], kind="stable") if self._kind is FileKind.LINES else by_customer[:0]
        columns = [self._column(place, table, by_customer, by_order) for place in range(len(self._names))]
        kept = [column.name for column in columns if column.proposed.at in (KeptAt.ORDER, KeptAt.LINE)]
        return [_unless_too_many(column, set(kept[ATTRIBUTES_MOST:])) for column in columns]

    def _column(self, place: int, table: Int64s, by_customer: Int64s, by_order: Int64s) -> FurtherColumn:
        cells, name, writing = table[:, place + 2], self._names[place], self._writing[place]
        filled = cells != _BLANK
        distinct = np.sort(cells[filled])
        count = int((distinct[1:] != distinct[:-1]).sum()) + (distinct.size > 0)
        compared, customers = _several(table[:, 0], cells, by_customer, filled)
        _, orders = _several(table[:, 1], cells, by_order, filled)
        kind = writing.type(name)
        sparse = _sparse(table[:, 0], by_customer, filled) >= _OFTEN * max(compared, 1)
        at, why = _proposed(self._kind, kind, int(filled.sum()), count, compared, customers, orders, sparse=sparse)
        return FurtherColumn(
            name,
            Further(
                at,
                kind,
                writing.dates.form if kind is AttributeType.DATE else None,
                writing.amounts.mark if kind is AttributeType.NUMBER and writing.amounts.counted else None,
            ),
            why,
            count,
            customers,
            orders,
            self._mask != 0,
        )


_BLANK = hash("")


def _unless_too_many(column: FurtherColumn, beyond: set[str]) -> FurtherColumn:
    """A column as it is best kept; not at all where its name is too long, or a book would have no room for it."""
    if column.name in beyond:
        why = f"the orders of a book have {ATTRIBUTES_MOST} attributes at most"
    elif len(column.name) > ATTRIBUTE_NAME_LENGTH and column.proposed.at is not KeptAt.CUSTOMER:
        why = f"its name is longer than {ATTRIBUTE_NAME_LENGTH} characters"
    else:
        return column
    return replace(column, proposed=replace(column.proposed, at=KeptAt.NOWHERE), why=why)


def _hashes(texts: Sequence[str]) -> Int64s:
    return np.fromiter(map(hash, texts), np.int64, len(texts))


def _several(keys: Int64s, cells: Int64s, order: Int64s, filled: NDArray[np.bool_]) -> tuple[int, int]:
    """How many keys have two filled rows or more, and how many have different values in them."""
    rows = order[filled[order]]
    key, value = keys[rows], cells[rows]
    same = key[1:] == key[:-1]
    compared, differing = key[1:][same], key[1:][same & (value[1:] != value[:-1])]
    return _distinct_ascending(compared), _distinct_ascending(differing)


def _sparse(keys: Int64s, order: Int64s, filled: NDArray[np.bool_]) -> int:
    """How many keys have both filled and blank rows."""
    key, is_filled = keys[order], filled[order]
    starts = np.flatnonzero(np.append(True, key[1:] != key[:-1]))
    sums = np.add.reduceat(is_filled.astype(np.int64), starts)
    counts = np.diff(np.append(starts, key.size))
    return int(((sums > 0) & (sums < counts)).sum())


def _distinct_ascending(keys: Int64s) -> int:
    return int((keys[1:] != keys[:-1]).sum()) + (keys.size > 0)


def _proposed(
    kind: FileKind,
    type_: AttributeType,
    filled: int,
    count: int,
    compared: int,
    customers: int,
    orders: int,
    *,
    sparse: bool,
) -> tuple[KeptAt, str]:
    """How a column is best kept, and why where that is not plain. ``sparse``: customers often have it now and then."""
    if filled == 0:
        return KeptAt.NOWHERE, "every row is blank"
    is_text = type_ in (AttributeType.TEXT, AttributeType.MARK)
    if compared and customers == 0 and not sparse and (is_text or count > 1):
        return KeptAt.CUSTOMER, ""
    if is_text and filled >= _FEW_ROWS and count >= _NEARLY_EVERY_ROW * filled:
        return KeptAt.NOWHERE, "nearly every row has a value of its own"
    if compared and customers == 0:
        return KeptAt.ORDER, "blank for some orders of a customer" if sparse else ""
    if compared and compared - customers >= _NEARLY_CONSTANT * compared:
        return KeptAt.ORDER, "the same for most customers, but not for all"
    if kind is FileKind.LINES and orders:
        if type_ is AttributeType.NUMBER:
            return KeptAt.NOWHERE, "numbers of lines make none of the order"
        return KeptAt.LINE, ""
    if compared == 0:
        return KeptAt.ORDER, "no customer comes twice, so nothing shows that it is theirs"
    return KeptAt.ORDER, ""


def own_parser(
    further: Further, zone: ZoneInfo, dates: DateForm, decimal: DecimalMark, *, typed: bool
) -> values.Parser:
    """Parser of the values of a further column; nothing stays nothing."""
    match further.type:
        case AttributeType.NUMBER:
            return values.optional(values.amount_parser("", further.decimal or decimal, typed))
        case AttributeType.DATE:
            return values.optional(values.day_parser(zone, further.dates or dates))
        case AttributeType.MARK:
            return lambda text: MARKS[int(flag)] if (flag := words.flag(text)) else ""
        case AttributeType.TEXT:
            return values.text_parser(ATTRIBUTE_LENGTH)
