"""The sequence of a list: by which field, up or down, in words and as choices."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import Direction, Kind
from goldthread.core.counted import Whom, numbers_of
from goldthread.core.history.conditions import Level, Values
from goldthread.core.history.fields import Field
from goldthread.core.history.of_parts import extent
from goldthread.core.threads.listing import in_sequence, places_in_sequence, sort_key
from goldthread.core.threads.windows import ListedBy, RowsInSequence, listed_rows
from goldthread.errors import InvalidInput
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Control, Option, Part, words_control
from goldthread.workspace import Workspace

_SEQUENCES = {
    Kind.TEXT: ("A to Z", "Z to A"),
    Kind.LABEL: ("A to Z", "Z to A"),
    Kind.NUMBER: ("smallest first", "largest first"),
    Kind.COUNT: ("fewest first", "most first"),
    Kind.DAYS: ("shortest first", "longest first"),
    Kind.RATIO: ("smallest first", "largest first"),
    Kind.MONEY: ("smallest first", "largest first"),
    Kind.DATE: ("earliest first", "latest first"),
}


def chosen_direction(field: Field, direction: Direction | None) -> Direction:
    """The sequence that is wanted; else the one that people ask for most: names and dates up, quantities down."""
    usual = Direction.UP if field.kind in (Kind.TEXT, Kind.LABEL, Kind.DATE) else Direction.DOWN
    return direction or usual


def sequenced(read: Read, field: Field, direction: Direction | None, rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """Rows in the sequence of a field; who has no value comes last; int64."""
    descending = chosen_direction(field, direction) is Direction.DOWN
    return in_sequence(read.fields.values(field.name), rows, descending=descending)


def customers_by(
    workspace: Workspace,
    read: Read,
    key: tuple[object, ...],
    field: Field,
    direction: Direction,
    whom: Whom | None = None,
) -> RowsInSequence:
    """Customers in the sequence of a field, kept by revision and ``key``; ``whom`` : gives them, None for all who are
    looked at."""
    history, by = read.history, ListedBy(field.name, direction is Direction.DOWN, whom)

    def here() -> NDArray[np.int64]:
        return sequenced(read, field, direction, history.customers if whom is None else whom(history))

    def count() -> int:
        return extent(history).customer_count if whom is None else int(numbers_of(history, (whom,)).customers[0])

    return workspace.answer(
        read.shelved, ("listed", *key, field.name, direction), lambda: listed_rows(history, by, here, count)
    )


def direction_words(field: Field, direction: Direction | None) -> str:
    """A sequence in words: longest first."""
    up, down = _SEQUENCES[field.kind]
    return up if chosen_direction(field, direction) is Direction.UP else down


Key = NDArray[Any] | Values | Sequence[str]
"""What rows stand by: numbers, NaN where there is none; a field's values; texts."""
Columns = Mapping[str, Callable[[], Key]]
"""The columns of an answer that its rows can stand by, under the names that they have in its file."""


def by_column(sort: str, rows: NDArray[np.int64], columns: Columns) -> NDArray[np.int64]:
    """The rows of an answer in the sequence of one of its columns; int64.

    ``sort`` : a column, then ``~down`` for the largest first; empty for the answer's own sequence. Raises
    `InvalidInput` for another column.
    """
    if not sort:
        return rows
    name, _, way = sort.partition("~")
    if name not in columns:
        raise InvalidInput(
            f"{name} is no column of this list.", remedy=f"Choose one of: {', '.join(columns)}.", field="sort"
        )
    key, absent = _key(columns[name]())
    return rows.take(places_in_sequence(key, absent, descending=way == "down"))


def _key(values: Key) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    if isinstance(values, np.ndarray):
        return values, np.isnan(values) if values.dtype.kind == "f" else np.zeros(values.size, np.bool_)
    if isinstance(values, Sequence):
        texts = np.array([text.casefold() for text in values], np.str_)
        return np.unique(texts, return_inverse=True)[1], texts == ""
    return sort_key(values)


def column_words(sort: str) -> list[Part]:
    """The column that rows stand by, where one was chosen."""
    name, _, way = sort.partition("~")
    called = f"column {name}" if name.isdigit() else name.replace("_", " ")
    return [Part(f" Rows by {called}, {'largest' if way == 'down' else 'smallest'} first.")] if name else []


def of_customers(read: Read, name: str, rows: NDArray[np.int64]) -> NDArray[Any]:
    """A field of some customers as numbers that ascend as it does; NaN where there is none; shape
    (customers,)."""
    key, absent = (each.take(rows) for each in sort_key(read.fields.values(name)))
    return np.where(absent, np.nan, key) if absent.any() else key


def sequence_controls(
    read: Read, by: Field, direction: Direction | None, fits: Callable[[Field], bool]
) -> list[Control]:
    """By which field, and in which sequence."""
    up, down = _SEQUENCES[by.kind]
    options = tuple(Option(each.name, each.title) for each in read.fields.fields if fits(each))
    words = {Direction.DOWN: down, Direction.UP: up}
    return [
        Control("by", "By", (by.name,), options),
        words_control("direction", "Sequence", chosen_direction(by, direction), words),
    ]


def customer_field(read: Read, name: str, of: str) -> Field:
    """A field of customers by its name. Raises `InvalidInput`, which names the choice that it was given in."""
    known = read.fields.by_name.get(name)
    if known is None or known.level is not Level.CUSTOMER:
        offered = ", ".join(each.name for each in read.fields.fields if each.level is Level.CUSTOMER)
        raise InvalidInput(f"{name[:80]} is no field of customers.", remedy=f"Choose one of: {offered}.", field=of)
    return known
