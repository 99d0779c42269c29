"""Values that have a type, as texts that can be read in one way only."""

from __future__ import annotations

import datetime as dt
import json
from decimal import Decimal
from typing import Any

_EXACT_DIGITS = 15


def typed_text(value: Any) -> str:
    """A value as a text: dates as ISO 8601, numbers with a point and never with exactly three decimals."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float, Decimal)):
        return _number(value)
    if isinstance(value, dt.datetime):
        if value.time() == dt.time() and value.tzinfo is None:
            return value.date().isoformat()
        return value.replace(microsecond=0).isoformat(sep="T" if value.tzinfo else " ")
    if isinstance(value, (dt.date, dt.time)):
        return value.isoformat()
    if isinstance(value, (list, dict)):
        return json.dumps(value, ensure_ascii=False, default=str)
    if isinstance(value, bytes):
        return value.decode("utf-8", errors="replace")
    return str(value)


def _number(value: int | float | Decimal) -> str:
    if isinstance(value, float):
        if not abs(value) < float("inf"):
            return ""
        value = Decimal(format(value, f".{_EXACT_DIGITS}g"))
    text = format(value, "f")
    whole, point, decimals = text.partition(".")
    decimals = decimals.rstrip("0")
    if not decimals:
        return whole
    return f"{whole}{point}{decimals}0" if len(decimals) == 3 else f"{whole}{point}{decimals}"
