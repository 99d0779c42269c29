"""Columns whose names say nothing: customers, amounts and numbers over lines, found by what stands in them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence

from goldthread.core.records import FileKind
from goldthread.intake.matching import (
    FEW_ROWS,
    OTHER_NUMBERS,
    Sample,
    is_code,
    is_constant_inside,
    repeats,
    share,
    unused,
)
from goldthread.intake.meanings import Meaning
from goldthread.intake.names import senses_of
from goldthread.intake.values import is_amount, is_date

_FEW_CUSTOMERS, _MANY_KINDS, _HALF, _NEARLY_ALL = 5, 0.15, 0.5, 0.9
_NO_CUSTOMER = frozenset(
    ["product", "category", "status", "town", "about", "channel", "rep", "line", "date", "shipping"]
)


def add_by_content(table: Sample, kind: FileKind, columns: dict[Meaning, str]) -> tuple[Meaning, ...]:
    """Find the customer, the amount and the number over lines by what stands in the columns, where no name says so and
    one column fits."""
    if Meaning.DATE not in columns or len(table.cells[0]) < FEW_ROWS:
        return ()
    tests: dict[Meaning, Callable[[str, Sequence[str]], bool]]
    tests = {Meaning.CUSTOMER: _is_like_customers, Meaning.AMOUNT: _is_like_money}
    if kind is FileKind.LINES:
        tests[Meaning.ORDER_NUMBER] = lambda _name, texts: _is_like_numbers_over_lines(table, columns, texts)
    added = []
    for meaning, is_like in tests.items():
        fitting = [name for name, texts in unused(table, columns) if is_like(name, texts)]
        is_priced = {Meaning.QUANTITY, Meaning.UNIT_PRICE} <= set(columns)
        if meaning not in columns and len(fitting) == 1 and not (meaning is Meaning.AMOUNT and is_priced):
            columns[meaning] = fitting[0]
            added.append(meaning)
    return tuple(added)


def _is_like_customers(name: str, texts: Sequence[str]) -> bool:
    """Many different texts that come again and again, as those who order do; some rows may have none."""
    senses, _ = senses_of(name)
    filled = [text for text in texts if text]
    distinct = len(set(filled))
    return (
        not senses & _NO_CUSTOMER
        and len(filled) >= _HALF * len(texts)
        and distinct >= _FEW_CUSTOMERS
        and _MANY_KINDS * len(filled) <= distinct <= _NEARLY_ALL * len(filled)
        and share(filled, is_amount) + share(filled, is_date) == 0
    )


def _is_like_numbers_over_lines(table: Sample, columns: Mapping[Meaning, str], texts: Sequence[str]) -> bool:
    """Codes that come again in rows of one customer and one date, as an order's number does over its lines."""
    inside = [table.of(columns.get(meaning)) for meaning in (Meaning.CUSTOMER, Meaning.DATE)]
    return (
        all(texts)
        and repeats(texts)
        and len(set(texts)) >= _MANY_KINDS * len(texts)
        and share(texts, is_code) == 1
        and all(other and is_constant_inside(texts, other) for other in inside)
    )


def _is_like_money(name: str, texts: Sequence[str]) -> bool:
    """Numbers with two decimals, not all alike."""
    senses, _ = senses_of(name)
    filled = [text for text in texts if text]
    return not senses & OTHER_NUMBERS and len(set(filled)) > 1 and share(filled, has_cents) == 1


def has_cents(text: str) -> bool:
    return is_amount(text) and re.search(r"[.,][0-9]{2}(?![0-9])", text) is not None
