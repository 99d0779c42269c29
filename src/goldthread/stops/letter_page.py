"""A table with its sentences as one HTML page that any mail program shows: nothing from elsewhere, styles in place."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from decimal import Decimal
from itertools import groupby
from typing import Any

import pyarrow as pa

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.money import minor_of
from goldthread.stops.cells import cells_of
from goldthread.stops.pages import PAGES
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import count_words, number_words
from goldthread.stops.sheet import Sheet
from goldthread.stops.stop import Drawn, Picture

ROWS_MOST, COLUMNS_MOST = 30, 8
"""So much of a table stands in a letter; the rest is in what is attached, and in the program."""
_NONE = "—"
_PARAGRAPHS_OF_ONE_TOPIC = 1
_PAGE = PAGES.get_template("letter")


@dataclass(frozen=True)
class Column:
    """A column of a table in a letter."""

    name: str
    side: str


def letter_page(
    sheet: Sheet,
    picture: str = "",
    under: tuple[str, ...] = (),
    drawn: Picture[Any] | None = None,
    answer: Any = None,
) -> str:
    """A table as a page. ``picture`` is the address of one, ``drawn`` how it shows the answer; ``under`` stands below
    everything."""
    title, *over = sheet.sentences
    told: dict[str, object] = {"title": title, "over": over, "picture": picture}
    if sheet.prose:
        return _PAGE.render(**told, prose=_prose(sheet.table), under=under)
    rest = () if drawn is not None and drawn.drawn is Drawn.CLOTH else rest_words(sheet)
    return _PAGE.render(**told, **shown_table(sheet, drawn, answer), under=(*rest, *under))


def shown_table(sheet: Sheet, drawn: Picture[Any] | None, answer: Any) -> dict[str, Any]:
    """The ``columns`` and ``rows`` of a table as people read it, no more than a letter has."""
    if drawn is not None and drawn.drawn is Drawn.CLOTH:
        return _cloth(sheet, drawn, answer)
    table = sheet.table.select(sheet.table.column_names[:COLUMNS_MOST]).slice(0, ROWS_MOST)
    columns = [Column(field.name.replace("_", " "), _side(field.type)) for field in table.schema]
    shares = [field.name in sheet.shares for field in table.schema]
    rows = [
        [cell_words(value, is_share=share) for value, share in zip(row.values(), shares, strict=True)]
        for row in table.to_pylist()
    ]
    return {"columns": columns, "rows": rows}


def _cloth(sheet: Sheet, drawn: Picture[Any], answer: Any) -> dict[str, Any]:
    """A table with a row per cell, as people read it."""
    cloth = cells_of(drawn, answer, sheet)
    if cloth is None:
        return {}
    columns = [Column(drawn.apart.replace("_", " "), "left"), *(Column(each, "right") for each in cloth.columns)]
    rows = [
        [label, *(cloth.words(place, each) for each in range(len(cloth.columns)))]
        for place, label in enumerate(cloth.rows)
    ]
    return {"columns": columns, "rows": rows}


def rest_words(sheet: Sheet) -> tuple[str, ...]:
    """How much of a table a letter does not show."""
    rows, columns = sheet.table.num_rows - ROWS_MOST, sheet.table.num_columns - COLUMNS_MOST
    more = [count_words(each, f"more {what}") for each, what in ((rows, "row"), (columns, "column")) if each > 0]
    return (f"And {' and '.join(more)}.",) if more else ()


def cell_words(value: object, *, is_share: bool) -> str:
    """A value of a table as people read it."""
    match value:
        case None:
            return _NONE
        case dt.date():
            return date_words(to_day(value))
        case Decimal():
            return amount_words(minor_of(value))
        case float():
            return f"{100 * value:.1f} %" if is_share else f"{value:,.1f}".replace(",", "\u202f")
        case int():
            return number_words(value)
        case _:
            return str(value)


def _side(kind: pa.DataType) -> str:
    return "left" if pa.types.is_large_string(kind) or pa.types.is_date(kind) else "right"


def _prose(table: pa.Table) -> list[dict[str, object]]:
    """Things said, one under the other; several of one topic stand together under it."""
    parts: list[dict[str, object]] = []
    for topic, rows in groupby(table.to_pylist(), key=lambda row: row["topic"]):
        together = list(rows)
        is_list = len(together) > _PARAGRAPHS_OF_ONE_TOPIC or topic in ("check this", "source")
        parts.append({"heading": topic.capitalize() if is_list else "", "rows": together})
    return parts
