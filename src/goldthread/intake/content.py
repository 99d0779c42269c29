"""Columns whose names say nothing: customers, amounts and numbers over lines, found by what stands in them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence

from goldthread.core.records import FileKind
from goldthread.intake.dates import is_date
from goldthread.intake.matching import (
    FEW_ROWS,
    OTHER_NUMBERS,
    Sample,
    is_code,
    share,
    unused,
)
from goldthread.intake.meanings import DATE_PARTS, Meaning
from goldthread.intake.names import senses_of
from goldthread.intake.values import is_amount, is_email

_FEW_CUSTOMERS, _MANY_KINDS, _MANY_CUSTOMERS, _HALF, _NEARLY_ALL, _FEW_MORE = 5, 0.15, 100, 0.5, 0.9, 1.1
_NO_CUSTOMER = frozenset(
    ["product", "category", "status", "town", "about", "channel", "rep", "line", "date", "shipping"]
)


def add_by_content(table: Sample, kind: FileKind, columns: dict[Meaning, str]) -> tuple[Meaning, ...]:
    """Find the customer, the amount and the order number by what stands in the columns, where no name says so and one
    column fits."""
    is_dated = Meaning.DATE in columns or set(columns).issuperset(DATE_PARTS)
    if not is_dated or table.rows < FEW_ROWS:
        return ()
    before = set(columns)
    if Meaning.CUSTOMER not in columns:
        _add_customer(table, columns)
    is_priced = {Meaning.QUANTITY, Meaning.UNIT_PRICE} <= set(columns) or Meaning.DEBIT in columns
    if Meaning.AMOUNT not in columns and not is_priced:
        _add_only(table, columns, Meaning.AMOUNT, lambda name: _is_like_money(name, table.values(name)))
    if Meaning.ORDER_NUMBER not in columns:
        is_like = _is_like_own_numbers if kind is FileKind.ORDERS else _is_like_numbers_over_lines
        found = [name for name in unused(table, columns) if is_like(table, columns, name)]
        named = [name for name in found if "number" in senses_of(name.rpartition(".")[2])[0]]
        # of several the one that is called a number; else somebody must say which it is
        if len(named) == 1 or len(found) == 1:
            columns[Meaning.ORDER_NUMBER] = (named if len(named) == 1 else found)[0]
    return tuple(meaning for meaning in columns if meaning not in before and meaning is not Meaning.NAME)


def _add_only(table: Sample, columns: dict[Meaning, str], meaning: Meaning, fits: Callable[[str], bool]) -> None:
    fitting = [name for name in unused(table, columns) if fits(name)]
    if len(fitting) == 1:
        columns[meaning] = fitting[0]


def _add_customer(table: Sample, columns: dict[Meaning, str]) -> None:
    """The one column that is like customers; of two that go together, the codes are the key and the others the name."""
    fitting = [name for name in unused(table, columns) if _is_like_customers(table, name)]
    if len(fitting) == 2:
        codes = [name for name in fitting if share(table.values(name), is_code) >= _NEARLY_ALL]
        names = [name for name in fitting if name not in codes]
        if len(codes) == 1 and table.is_constant_inside(codes[0], names[0]):
            columns[Meaning.CUSTOMER] = codes[0]
            columns.setdefault(Meaning.NAME, names[0])
    elif len(fitting) == 1:
        columns[Meaning.CUSTOMER] = fitting[0]


def prefer_codes(table: Sample, columns: dict[Meaning, str]) -> None:
    """Where the column of the customers holds names and another one their codes, each with one name: the codes are the
    key, in whatever language they are called."""
    key = columns.get(Meaning.CUSTOMER)
    if key is None or Meaning.NAME in columns or table.rows < FEW_ROWS:
        return
    texts = table.values(key)
    if share(texts, is_code) > 1 - _NEARLY_ALL or share(texts, is_email) > _HALF:
        return
    codes = [
        name
        for name in unused(table, columns)
        if table.filled_rows(name) == table.filled_rows(key)
        and table.repeats(name)
        and senses_of(name)[0] <= {"number", "customer"}
        and share(table.values(name), is_code) >= _NEARLY_ALL
        and share(table.values(name), has_cents) == 0
        and table.distinct(key) <= table.distinct(name) <= _FEW_MORE * table.distinct(key)
        and table.is_constant_inside(name, key)
    ]
    if len(codes) == 1:
        columns[Meaning.CUSTOMER], columns[Meaning.NAME] = codes[0], key


def _is_like_customers(table: Sample, name: str) -> bool:
    """Many different texts that come again and again, as those who order do; some rows may have none."""
    senses, _ = senses_of(name)
    filled, texts = table.filled_rows(name), table.values(name)
    distinct = table.distinct(name)
    return (
        not senses & _NO_CUSTOMER
        and filled >= _HALF * table.rows
        and distinct >= _FEW_CUSTOMERS
        and min(_MANY_KINDS * filled, _MANY_CUSTOMERS) <= distinct <= _NEARLY_ALL * filled
        and share(texts, is_amount) + share(texts, is_date) == 0
    )


def _is_like_own_numbers(table: Sample, _columns: Mapping[Meaning, str], name: str) -> bool:
    """Codes of which every row has one of its own, and whose name says of nothing else than a number."""
    senses, _ = senses_of(name)
    return has_own_codes(table, name) and ("number" in senses or not senses & (_NO_CUSTOMER | OTHER_NUMBERS))


def has_own_codes(table: Sample, name: str) -> bool:
    """Whether every row has a code of its own, as orders do; a number of units or an amount is none."""
    texts = table.values(name)
    return table.is_own(name) and share(texts, is_code) == 1 and share(texts, has_cents) == 0


def _is_like_numbers_over_lines(table: Sample, columns: Mapping[Meaning, str], name: str) -> bool:
    """Codes that come again in rows of one customer and one date, as an order's number does over its lines."""
    inside = [columns[meaning] for meaning in (Meaning.CUSTOMER, Meaning.DATE) if meaning in columns]
    return (
        table.filled_rows(name) == table.rows
        and table.repeats(name)
        and table.distinct(name) >= min(_MANY_KINDS * table.rows, _MANY_CUSTOMERS)
        and share(table.values(name), is_code) == 1
        and len(inside) == 2
        and all(table.inside((name,), other).differing == 0 for other in inside)
    )


def _is_like_money(name: str, texts: Sequence[str]) -> bool:
    """Numbers with two decimals, not all alike."""
    senses, _ = senses_of(name)
    filled = [text for text in texts if text]
    return not senses & OTHER_NUMBERS and len(set(filled)) > 1 and share(filled, has_cents) == 1


def has_cents(text: str) -> bool:
    return is_amount(text) and re.search(r"[.,][0-9]{2}(?![0-9])", text) is not None
