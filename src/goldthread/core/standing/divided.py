"""A customer list divided among those who call: by first letters, by an attribute, or every n-th customer."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import PartKind
from goldthread.errors import InvalidInput

_LETTERS = re.compile(r"([A-Za-z])-([A-Za-z])")
_EVERY = re.compile(r"([1-9][0-9]?)/([1-9][0-9]?)")
_A, _Z = ord("a"), ord("z")


def part_of(book: OrderBook, rows: NDArray[np.int64], kind: PartKind, value: str) -> NDArray[np.bool_]:
    """Which customers of a list are in a part; bool, shape (rows,). ``rows``: where they stand in the book, by id.

    Letters: ``A-K``, both inside; a name that begins with anything else stands before A or behind Z, as its first
    character does. An attribute: ``region=Coast``. Every n-th: ``2/3``, the second of every three. Raises
    `InvalidInput`.
    """
    match kind:
        case PartKind.WHOLE:
            return np.ones(rows.size, np.bool_)
        case PartKind.LETTERS:
            return _by_letters(book, rows, value)
        case PartKind.ATTRIBUTE:
            return _by_attribute(book, rows, value)
        case PartKind.EVERY:
            return _every(rows.size, value)


def _by_letters(book: OrderBook, rows: NDArray[np.int64], value: str) -> NDArray[np.bool_]:
    found = _LETTERS.fullmatch(value.strip())
    if found is None or found[1].lower() > found[2].lower():
        raise _wrong(value, "Give two letters, such as A-K.")
    lines = book.customers.found_by
    # a line begins with a tab, then the name without accents, in small letters
    first = np.clip(lines.data.take(lines.offsets[:-1].take(rows) + 1).astype(np.int64), _A, _Z)
    inside: NDArray[np.bool_] = (first >= ord(found[1].lower())) & (first <= ord(found[2].lower()))
    return inside


def _by_attribute(book: OrderBook, rows: NDArray[np.int64], value: str) -> NDArray[np.bool_]:
    name, _, label = value.partition("=")
    attribute = book.customers.attributes.get(name.strip())
    if attribute is None:
        known = ", ".join(sorted(book.customers.attributes)[:20])
        raise _wrong(value, f"Give an attribute of customers and its value, such as region=Coast. Attributes: {known}.")
    codes = [code for code, each in enumerate(attribute.labels) if each == label.strip()]
    return np.isin(attribute.codes.take(rows), codes)


def _every(count: int, value: str) -> NDArray[np.bool_]:
    found = _EVERY.fullmatch(value.strip())
    if found is None or int(found[1]) > int(found[2]):
        raise _wrong(value, "Give which of how many, such as 2/3.")
    chosen: NDArray[np.bool_] = np.arange(count) % int(found[2]) == int(found[1]) - 1
    return chosen


def _wrong(value: str, remedy: str) -> InvalidInput:
    return InvalidInput(f"{value[:60] or 'Nothing'} is no part of a list.", remedy=remedy, field="value")
