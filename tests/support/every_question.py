"""Every question of the description, with every value of every choice by itself."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import product
from typing import Any
from urllib.parse import urlencode

from goldthread.api.app import describe_api
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from tests.support.asking import NEEDED

VALUES: dict[str, tuple[str, ...]] = {
    "as_of": ("0001-01-01", "1900-01-01", "2199-12-31", "9999-12-31", "never"),
    "where": ("orders > 3", "region = 'Coast' AND amount >= 200", "name LIKE '%x%'", "orders >"),
    "source": ("counter", "nowhere"),
    "lapse": ("9999d", "9999m", "0d", "1.5x", "999x"),
    "who": ("overdue", "one_order"),
    "once_ago": ("60d", "99999d", "soon"),
    "since_list": ("no such list",),
    "and_by": ("region",),
    "flow": ("began",),
    "shown": ("contacted",),
    "became": ("ordered",),
    "split": ("first_source", "source", "standing", "no_such"),
    "group": ("source", "counter", "name", "code"),
    "by": ("revenue", "date", "no_such", "all", "customer", "order", "week", "source"),
    "from": ("2024-01-05", "0001-01-01", "9999-12-31", "never"),
    "to": ("2024-01-05", "0001-01-01", "9999-12-31", "never"),
    "groups": ("1", "100", "0"),
    "orders": ("0", "10+", "2", "none"),
    "step": ("1", "100", "0"),
    "shortest": ("0", "9999999999999"),
    "longest": ("0", "9999999999999"),
    "within": ("1d", "366d", "0d", "soon"),
    "show": ("rank", "standing", ""),
    "rows": ("source", "customer", "no_such"),
    "columns": ("rep", "ages", "periods"),
    "rank": ("latest", "3", "0"),
    "find": ("an", "nobody at all"),
    "customer": ("1", "99999999"),
    "list": ("no such list",),
    "text": ("an", "'", "\x00"),
    "offset": ("0", "9223372036854775808", "99999999999999999999999"),
    "limit": ("1", "0"),
    "cac": ("12.50", "1e400", "-1"),
    "margin": ("0", "101", "NaN", "42,2024-02=40.5", "42,soon=1"),
    "if_margin": ("-5", "100", "-91", "some"),
    "if_retention": ("100", "-90"),
    "one": ("2024", "2024-01", "list:nobody", "first_source:counter", "name:x", "something"),
    "other": ("2024", "first_source:nowhere", "x:"),
    "month": ("2024-01", "never"),
    "channel": ("counter",),
    "largest": ("half", "1"),
    "sort": ("revenue~down", "month", "no_such", "1~up", "~down"),
    "against": ("counter",),
}

_ANSWER = re.compile(r"/ask/[a-z-]+$")


def every_question(book: BookRow, *, every_value: bool = False, in_every_form: bool = False) -> Iterator[str]:
    """Every path that is read; with every value of every choice by itself where that is wanted. Of the reading line,
    which all questions read alike, each answer tries one value of each choice in turn, and what is made of it none."""
    description = describe_api()
    members = {
        name: list(map(str, schema["enum"]))
        for name, schema in description["components"]["schemas"].items()
        if "enum" in schema
    }
    for turn, (path, methods) in enumerate(description["paths"].items()):
        if "get" not in methods or path.endswith("/changes"):
            continue
        where = path.replace("{book}", str(book.id))
        for name in ("customer", "order", "delivery", "upload", "job", "saved", "list"):
            where = where.replace(f"{{{name}}}", "1")
        named = {each["name"]: each for each in methods["get"].get("parameters", []) if each["in"] == "query"}
        needed = {name: NEEDED.get(name, ("1",)) for name, each in named.items() if each.get("required")}
        usual = {name: values[0] for name, values in needed.items()}
        yield f"{where}?{urlencode(usual)}"
        for name, each in named.items() if every_value else ():
            values = needed.get(name) or VALUES.get(name) or _members(each["schema"], members)
            if values and name in ReadingLine.model_fields:
                values = [values[turn % len(values)]] if _ANSWER.search(path) else []
            for value in values:
                yield f"{where}?{urlencode(usual | {name: value})}"
        if path.endswith("/file") and in_every_form:
            yield from _files(where, named, usual)
        if {"cohort", "figure"} <= set(named):
            figures = _members(named["figure"]["schema"], members)
            yield from (
                f"{where}?cohort=all&age={age}&figure={figure}"
                for age, figure in product(("0", "all", "1", "99"), figures)
            )


def _files(where: str, named: dict[str, Any], usual: dict[str, str]) -> Iterator[str]:
    """Every form of a file, by every field that a small book has, with a margin by month where there is one."""
    by = next((name for name in ("split", "group", "by") if name in named), "")
    fields = ("", "first_source", "standing", "code", "first_code", "region") if by else ("",)
    monthly = {"margin": "42,2024-02=40.5"} if "margin" in named else {}
    for form, field in product(("csv", "xlsx", "parquet"), fields):
        yield f"{where}?{urlencode({**usual, **monthly, 'form': form} | ({by: field} if field else {}))}"


def _members(schema: dict[str, Any], named: dict[str, list[str]]) -> list[str]:
    """The members of the enumeration that a parameter takes."""
    for each in (schema, *schema.get("anyOf", []), schema.get("items", {}), *schema.get("allOf", [])):
        if "$ref" in each:
            return named.get(each["$ref"].rsplit("/", 1)[-1], [])
        if "enum" in each:
            return list(each["enum"])
    return []
