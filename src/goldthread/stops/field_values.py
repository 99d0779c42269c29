"""Values of fields as they are told: dates in ISO form, money as exact decimals, None where nothing applies."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.tables import money
from goldthread.core.book import Attribute
from goldthread.core.conditions import Values
from goldthread.core.fields import Kind
from goldthread.core.periods import to_date
from goldthread.core.texts import TextColumn

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
    return [None if gone else _told(value, kind) for value, gone in zip(found, missing.tolist(), strict=True)]


def _told(value: float, kind: Kind) -> Cell:
    if kind is Kind.MONEY:
        return money(int(value))
    if kind is Kind.DATE:
        return to_date(int(value)).isoformat()
    if kind is Kind.COUNT:
        return int(value)
    return round(float(value), _RATIO_DECIMALS)
