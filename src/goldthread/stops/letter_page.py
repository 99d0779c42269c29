"""A table with its sentences as one HTML page that any mail program shows: nothing from elsewhere, styles in place."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from decimal import Decimal
from itertools import groupby
from typing import Any

import pyarrow as pa
from jinja2 import Environment

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.money import minor_of
from goldthread.stops.cells import cells_of
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import count_words, number_words
from goldthread.stops.sheet import Sheet
from goldthread.stops.stop import Drawn, Picture

ROWS_MOST, COLUMNS_MOST = 30, 8
"""So much of a table stands in a letter; the rest is in what is attached, and in the program."""
_NONE = "—"
_PARAGRAPHS_OF_ONE_TOPIC = 1
_PAGE = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
    """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
</head>
<body style="margin:0;background:#f6f1e7;color:#1b2138;font:16px/1.5 Georgia,serif">
<div style="max-width:680px;margin:0 auto;padding:24px 20px">
<h1 style="font-size:22px;font-weight:600;margin:0 0 4px">{{ title }}</h1>
{% for sentence in over %}<p style="margin:0 0 4px;color:#4d5262;font-size:14px">{{ sentence }}</p>{% endfor %}
{% if picture %}
<p style="margin:16px 0 0">
<img src="{{ picture }}" alt="{{ title }}" width="640" style="max-width:100%;height:auto">
</p>
{% endif %}
{% for part in prose %}
{% if part.heading %}
<h2 style="font-size:18px;font-weight:600;margin:28px 0 4px">{{ part.heading }}</h2>
<ul style="margin:0;padding-left:20px">
{% for each in part.rows %}<li><strong>{{ each.said }}</strong>{% if each.note %}: {{ each.note }}{% endif %}</li>
{% endfor %}
</ul>
{% else %}
{% for each in part.rows %}
<p style="margin:18px 0 2px;font-size:18px;border-top:1px solid #ddd0b8;padding-top:14px">{{ each.said }}</p>
<p style="margin:0;color:#4d5262;font-size:14px">{{ each.note }}</p>
{% endfor %}
{% endif %}
{% endfor %}
{% if columns %}
<table style="border-collapse:collapse;font-size:14px;margin:16px 0 0">
<tr>
{% for column in columns %}
<th style="text-align:{{ column.side }};padding:4px 14px 4px 0;border-bottom:1px solid #1b2138">{{ column.name }}</th>
{% endfor %}
</tr>
{% for row in rows %}
<tr>
{% for cell in row %}
<td style="text-align:{{ columns[loop.index0].side }};padding:3px 14px 3px 0;white-space:nowrap">{{ cell }}</td>
{% endfor %}
</tr>
{% endfor %}
</table>
{% endif %}
{% for each in under %}<p style="margin:16px 0 0;color:#4d5262;font-size:14px">{{ each }}</p>{% endfor %}
</div>
</body>
</html>
"""
)


@dataclass(frozen=True)
class _Column:
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
    if drawn is not None and drawn.drawn is Drawn.CLOTH:
        return _PAGE.render(**told, **_cloth(sheet, drawn, answer), under=under)
    table = sheet.table.select(sheet.table.column_names[:COLUMNS_MOST]).slice(0, ROWS_MOST)
    columns = [_Column(field.name.replace("_", " "), _side(field.type)) for field in table.schema]
    shares = [field.name in sheet.shares for field in table.schema]
    rows = [
        [cell_words(value, is_share=share) for value, share in zip(row.values(), shares, strict=True)]
        for row in table.to_pylist()
    ]
    return _PAGE.render(**told, columns=columns, rows=rows, under=(*rest_words(sheet), *under))


def _cloth(sheet: Sheet, drawn: Picture[Any], answer: Any) -> dict[str, object]:
    """A table with a row per cell, as people read it."""
    cloth = cells_of(drawn, answer, sheet)
    if cloth is None:
        return {}
    columns = [_Column(drawn.apart.replace("_", " "), "left"), *(_Column(each, "right") for each in cloth.columns)]
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
