"""The two groups of customers that are compared: a period of first orders, a customer list, or a label of a field."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_label
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import BLANK, Period
from goldthread.core.cohorts.cells import first_periods
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field, is_grouping
from goldthread.core.worth.acquisition import new_customers
from goldthread.errors import InvalidInput
from goldthread.stops.reading import Read
from goldthread.stops.sentences.conditions import labels_of
from goldthread.stops.sentences.sentence import Option
from goldthread.store.lists import list_called
from goldthread.workspace import Workspace

LIST = "list"
_PERIODS = {
    Period.YEAR: re.compile(r"\d{4}"),
    Period.QUARTER: re.compile(r"\d{4}-Q[1-4]"),
    Period.MONTH: re.compile(r"\d{4}-\d{2}"),
    Period.WEEK: re.compile(r"\d{4}-W\d{2}"),
}
_LABELS_OFFERED = 8
_REMEDY = "Give a period of first orders as 2026, 2026-Q1 or 2026-03, list:NAME, or FIELD:LABEL as first_source:fairs."


@dataclass(frozen=True, eq=False)
class ChosenGroup:
    """One of two groups: who they are in words, and bool, shape (customers of the book,)."""

    words: str
    members: NDArray[np.bool_]


def side_of(workspace: Workspace, read: Read, text: str, of: str, instead_of: ChosenGroup | None = None) -> ChosenGroup:
    """A group by what names it. An empty text is the year before that of the as-of date, if anybody was new then, or
    everybody else than ``instead_of``. Raises `InvalidInput` or `NotFound`, which name the choice ``of``."""
    ordering = read.orders.counts > 0
    if not text and instead_of is not None:
        return ChosenGroup("everybody else", ordering & ~instead_of.members)
    text = text or _year_before(read)
    for period, pattern in _PERIODS.items():
        if pattern.fullmatch(text):
            return _first_in(read, text, period)
    name, between, label = text.partition(":")
    if between and name == LIST:
        row = list_called(read.lists, label, of)
        return ChosenGroup(f"those on {row.name}", ordering & workspace.list_members(read.shelved, row.id))
    if between:
        labels = _labels(read, name, of)
        codes = [code for code, each in enumerate(labels.labels) if (each or BLANK) == label]
        if codes:
            title = read.fields.field(name).title
            return ChosenGroup(f"those with {title} {label}", ordering & np.isin(labels.codes, codes))
    raise InvalidInput(f"{text[:80]} names no customers.", remedy=_REMEDY, field=of)


def side_options(read: Read) -> list[Option]:
    """Groups that can be compared: years of first orders, lists, and the labels of what first orders and customers
    carry."""
    years = (Option(year, f"those new in {year}") for year in reversed(_years(read)))
    lists = (Option(f"{LIST}:{row.name}", f"those on {row.name}") for row in read.lists[:_LABELS_OFFERED])
    options = [*years, *lists]
    for field in read.fields.fields:
        if field.level is Level.CUSTOMER and is_grouping(field):
            labels = _labels_offered(read, field)
            options += [Option(f"{field.name}:{each}", f"those with {field.title} {each}") for each in labels]
    return options


def _labels_offered(read: Read, field: Field) -> list[str]:
    """The labels of a field that has few. Own attributes are not read for a menu: their labels alone are, and those of
    numbers and dates, which stand in bands, are left to be typed."""
    if not field.own:
        labels = [each or BLANK for each in read.fields.grouping(field.name).labels]
    else:
        labels = labels_of(read, field)
    return labels if len(labels) <= _LABELS_OFFERED else []


def _labels(read: Read, name: str, of: str) -> Attribute:
    known = read.fields.by_name.get(name)
    if known is None or known.level is not Level.CUSTOMER or not is_grouping(known):
        raise InvalidInput(f"{name[:80]} is no field that divides customers.", remedy=_REMEDY, field=of)
    return read.fields.grouping(name)


def _first_in(read: Read, label: str, period: Period) -> ChosenGroup:
    members = np.zeros(read.orders.customer_count, np.bool_)
    new = new_customers(read.history, period)
    for index in range(new.first, new.first + new.counts.size):
        if period_label(index, period) == label:
            members[read.orders.ordering[first_periods(read.orders, period) == index]] = True
    return ChosenGroup(f"those new in {period_words(label)}", members)


def _years(read: Read) -> list[str]:
    """The years in which somebody was new."""
    new = new_customers(read.history, Period.YEAR)
    return [period_label(new.first + place, Period.YEAR) for place in np.flatnonzero(new.counts).tolist()]


def _year_before(read: Read) -> str:
    before = str(to_date(read.as_of_day).year - 1)
    years = _years(read)
    return before if before in years or not years else years[-1]
