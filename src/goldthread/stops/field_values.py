"""Values of fields as texts and numbers: dates in ISO form, money as exact decimals, None where nothing applies."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.texts import TextColumn
from goldthread.core.choices import Kind
from goldthread.core.history.conditions import Values
from goldthread.core.history.fields import FieldValues
from goldthread.core.money import money_text, number_text

Cell = str | int | float | None
_RATIO_DECIMALS = 6


def cells(values: Values, kind: Kind, rows: NDArray[np.int64]) -> list[Cell]:
    """A field's values in some rows, as texts and numbers."""
    match values:
        case TextColumn():
            return [text or None for text in values.some(rows)]
        case Attribute():
            return [values.labels[code] or None for code in values.codes.take(rows).tolist()]
    missing = np.zeros(rows.size, np.bool_) if values.missing is None else values.missing.take(rows)
    found = values.values.take(rows).tolist()
    return [None if gone else _plain_value(value, kind) for value, gone in zip(found, missing.tolist(), strict=True)]


def cells_of_a_few(fields: FieldValues, name: str, customers: NDArray[np.int64]) -> list[Cell]:
    """A field of a few customers, worked out for these alone where that takes less."""
    values, at = fields.of_a_few(name, customers)
    return cells(values, fields.field(name).kind, at)


def _plain_value(value: float, kind: Kind) -> Cell:
    if kind is Kind.MONEY:
        return money_text(int(value))
    if kind is Kind.NUMBER:
        return number_text(int(value))
    if kind is Kind.DATE:
        return to_date(int(value)).isoformat()
    if kind is Kind.COUNT:
        return int(value)
    return round(float(value), _RATIO_DECIMALS)
