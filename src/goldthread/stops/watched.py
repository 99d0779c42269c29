"""A figure that is watched, as it is on a day: any that can be opened, and a few of the book as a whole."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Mapping
from typing import Any, cast
from urllib.parse import parse_qs, urlencode

import numpy as np

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import period_words
from goldthread.core.checks import checked_at_once
from goldthread.core.choices import Period
from goldthread.core.cohorts.outliers import cohorts_apart
from goldthread.core.coverage import source_days
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Unit
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.reading import Read, read_book
from goldthread.stops.registry import question_called, questions
from goldthread.stops.saved import VIEW, chosen
from goldthread.stops.sentences.reading_line import TODAY, ReadingLine
from goldthread.stops.sheet import Sheet
from goldthread.stops.stop import Evidence
from goldthread.store.books import BookRow
from goldthread.store.schedules import Measured
from goldthread.workspace import Workspace, asked_anew

NEWEST = "newest"
"""In place of a cohort or a period: the newest that is over, whichever that is."""
SILENCE, APART, CHECKS = "silence", "apart", "checks"
_REMEDY = "Open the figure again, and watch it from there."
_PERCENT = 100
_AS_OF = re.compile(r" as of \d{1,2} \w{3} \d{4}")


def watch_of(workspace: Workspace, book: BookRow, question: str, query: str, today: dt.date) -> dict[str, Any]:
    """What a watch is of, from a question and the query of a figure of it, or one of the book as a whole: silence (with
    ``source=``), apart, checks. Raises `InvalidInput` for a figure that cannot be opened."""
    about: dict[str, Any] = {"of": question, "query": query}
    if question not in _OF_THE_BOOK:
        names = [kind.name for stop, kind in questions() if stop.answering(kind).evidence is not None]
        if question not in names:
            named = ", ".join([*_OF_THE_BOOK, *names])
            raise InvalidInput(f"{question} has no figure to watch.", remedy=f"Questions: {named}.", field="question")
        stop, kind = question_called(question)
        own = [
            (name, value)
            for name, values in parse_qs(query).items()
            for value in values
            if name != "as_of" or value == TODAY
        ]
        goes = {name: value for name, value in own if name in kind.fields.model_fields}
        about |= {"query": urlencode(own), "stop": stop.name, "goes": {**goes, VIEW: kind.name}}
    found = measure(workspace, book, about, today)
    # it is looked at again on every day
    return {**about, "name": _AS_OF.sub("", found.words), "unit": found.unit}


def measure(workspace: Workspace, book: BookRow, about: Mapping[str, Any], day: dt.date) -> Measured:
    """The figure as of a day, with nothing that came later. Raises `InvalidInput` where it cannot be opened any
    more."""
    of_book = _OF_THE_BOOK.get(about["of"])
    if of_book is not None:
        return asked_anew(lambda: of_book(workspace, read_book(workspace, book, ReadingLine(), day), about, day))
    stop, kind = question_called(about["of"])
    answering, said = stop.answering(kind), parse_qs(about["query"], keep_blank_values=True)
    # `watch_of` has seen to it that there is one
    evidence: Evidence[Any, Any] = cast("Evidence[Any, Any]", answering.evidence)
    question = chosen(kind.fields, said, remedy=_REMEDY)

    def asked() -> Measured:
        answer = answering.asked(workspace, book, question, day)
        newest = [name for name, values in said.items() if values == [NEWEST]]
        figure = dict(said)
        for name in newest:
            found = _newest(answering.sheet(workspace, answer), name, said.get("age", [""])[0])
            if found is None:
                return Measured(None, None, None, "", f"The newest {_COLUMN_OF.get(name, name)}")
            figure[name] = [found]
        opened = evidence.opened(answer, chosen(evidence.figure, figure, remedy=_REMEDY), 0, 1).figure
        words = opened.words.rstrip(".")
        for name in newest:
            # nobody shall take it for a figure of the one that is the newest today
            words = words.replace(period_words(figure[name][0]), f"the newest {_COLUMN_OF.get(name, name)}")
        return _measured(opened.value, opened.low, opened.high, opened.unit, words, book)

    return asked_anew(asked)


_COLUMN_OF = {"at": "period"}
"""Which column of its table a part of a figure's name stands in, where that is called otherwise."""


def _newest(sheet: Sheet, name: str, age: str) -> str | None:
    """The newest label of a column whose period is over; of a cohort at an age."""
    table, column = sheet.table, _COLUMN_OF.get(name, name)
    if column not in table.column_names or "state" not in table.column_names:
        raise InvalidInput("Nothing is the newest there.", remedy="Name one, such as 2026-03.", field=name)
    ages = table["age"].to_pylist() if "age" in table.column_names else [age] * table.num_rows
    rows = zip(table[column].to_pylist(), table["state"].to_pylist(), ages, strict=True)
    over = [label for label, state, at in rows if state == "complete" and str(at) == age]
    return max(over) if over else None


def _measured(
    value: float | None, low: float | None, high: float | None, unit: Unit, words: str, book: BookRow
) -> Measured:
    scale = {Unit.SHARE: _PERCENT, Unit.MONEY: 1 / MINOR_PER_UNIT}.get(unit, 1)
    named = {Unit.SHARE: "%", Unit.MONEY: book.currency}.get(unit, "")

    def scaled(number: float | None) -> float | None:
        return None if number is None else round(number * scale, 6)

    return Measured(scaled(value), scaled(low), scaled(high), named, words)


def _silence(_workspace: Workspace, read: Read, about: Mapping[str, Any], day: dt.date) -> Measured:
    """How many days ago the latest order of a source was."""
    source = parse_qs(about["query"]).get("source", [""])[0]
    found = source_days(read.history)
    ordered = [name for name, orders in zip(found.sources, found.orders.tolist(), strict=True) if orders]
    if source not in ordered:
        raise InvalidInput(
            f"No order of {source or 'a source without a name'} is in the book.",
            remedy=f"Sources are: {', '.join(ordered) or 'none'}.",
            field="source",
        )
    latest = found.first_day + int(np.flatnonzero(found.days[found.sources.index(source)])[-1])
    return Measured(float(to_day(day) - latest), None, None, "days", f"Days since the latest order of {source}")


def _apart(workspace: Workspace, read: Read, _about: Mapping[str, Any], _day: dt.date) -> Measured:
    apart = cohorts_apart(cohort_table_of(workspace, read, read.history, Period.MONTH))
    return Measured(float(len(apart)), None, None, "", "Cohorts with a return rate unlike adjacent cohorts")


def _failed_checks(_workspace: Workspace, read: Read, _about: Mapping[str, Any], _day: dt.date) -> Measured:
    failed = sum(not check.holds for check in checked_at_once(read.history).checks)
    return Measured(float(failed), None, None, "", "Checks that fail")


_OF_THE_BOOK: dict[str, Callable[[Workspace, Read, Mapping[str, Any], dt.date], Measured]] = {
    SILENCE: _silence,
    APART: _apart,
    CHECKS: _failed_checks,
}
