"""The two groups of customers that are compared: a period of first orders, a customer list, or a label of a field."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_label
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import BLANK, Period
from goldthread.core.cohorts.cells import first_periods
from goldthread.core.counted import OnList
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import is_grouping
from goldthread.core.history.history import History
from goldthread.core.history.labels import OfField, field_labels
from goldthread.core.worth.acquisition import new_customers
from goldthread.errors import InvalidInput
from goldthread.stops.reading import Read
from goldthread.stops.sentences.conditions import labels_of
from goldthread.stops.sentences.sentence import Option
from goldthread.stops.usual import in_calendar
from goldthread.store.lists import list_called, list_key
from goldthread.workspace import Workspace

LIST = "list"
_PERIODS = {
    Period.YEAR: re.compile(r"\d{4}"),
    Period.QUARTER: re.compile(r"\d{4}-Q[1-4]"),
    Period.MONTH: re.compile(r"\d{4}-\d{2}"),
    Period.WEEK: re.compile(r"\d{4}-(W\d{2}|\d{2}-\d{2}/P7D)"),
    Period.FISCAL_YEAR: re.compile(r"FY\d{4}"),
    Period.FISCAL_QUARTER: re.compile(r"FY\d{4}-Q[1-4]"),
}
_LABELS_OFFERED = 8
_NEVER = -1
"""In place of the index of a period in which nobody was new."""
_REMEDY = "Give a period of first orders as 2026, 2026-Q1 or 2026-03, list:NAME, or FIELD:LABEL as first_source:fairs."


@dataclass(frozen=True)
class ChosenGroup:
    """One of two groups of customers who have an order: who they are in words, and what gives them."""

    words: str
    whom: Callable[[History], NDArray[np.bool_]]

    def members(self, history: History) -> NDArray[np.bool_]:
        """Who of a history's customers is in it; bool, shape (customers,)."""
        return self.whom(history) & (history.book.counts > 0)


@dataclass(frozen=True)
class _Else:
    """Everybody else than those of a group."""

    group: ChosenGroup

    def __call__(self, history: History) -> NDArray[np.bool_]:
        return ~self.group.members(history)


@dataclass(frozen=True)
class _FirstIn:
    """Those whose first order falls in a period, by its index."""

    period: Period
    index: int

    def __call__(self, history: History) -> NDArray[np.bool_]:
        book = history.book
        members = np.zeros(book.customer_count, np.bool_)
        members[book.ordering[first_periods(book, self.period) == self.index]] = True
        return members


@dataclass(frozen=True)
class _WithLabel:
    """Those with a label of a field; a blank one as it is called."""

    labels: OfField
    label: str

    def __call__(self, history: History) -> NDArray[np.bool_]:
        labels = self.labels(history)
        codes = [code for code, each in enumerate(labels.labels) if (each or BLANK) == self.label]
        return np.isin(labels.codes, codes)


def side_of(workspace: Workspace, read: Read, text: str, of: str, instead_of: ChosenGroup | None = None) -> ChosenGroup:
    """A group by what names it. An empty text is the year before that of the as-of date, if anybody was new then, or
    everybody else than ``instead_of``. Raises `InvalidInput` or `NotFound`, which name the choice ``of``."""
    if not text and instead_of is not None:
        return ChosenGroup("everybody else", _Else(instead_of))
    text = text or _year_before(read)
    for period, pattern in _PERIODS.items():
        if pattern.fullmatch(text):
            return _first_in(read, text, in_calendar(read.book, period))
    name, between, label = text.partition(":")
    if between and name == LIST:
        row = list_called(read.lists, label, of)
        key = list_key(workspace.record.engine, row.id)
        return ChosenGroup(f"those on {row.name}", OnList.of(key, workspace.list_members(read.shelved, row.id)))
    if between:
        labels = _labels(read, name, of)
        known = field_labels(read.history, (labels,)).labels[0]
        if label in {each or BLANK for each in known}:
            title = read.fields.field(name).title
            return ChosenGroup(f"those with {title} {label}", _WithLabel(labels, label))
    raise InvalidInput(f"{text[:80]} names no customers.", remedy=_REMEDY, field=of)


def side_options(read: Read) -> list[Option]:
    """Groups that can be compared: years of first orders, lists, and the labels of what first orders and customers
    carry."""
    years = (Option(year, f"those new in {year}") for year in reversed(_years(read)))
    lists = (Option(f"{LIST}:{row.name}", f"those on {row.name}") for row in read.lists[:_LABELS_OFFERED])
    fields = [each for each in read.fields.fields if each.level is Level.CUSTOMER and is_grouping(each)]
    here = [each for each in fields if not each.own]
    known = field_labels(read.history, tuple(OfField.asked(read.history, each.name) for each in here)).labels
    of_fields = dict(zip((each.name for each in here), known, strict=True))
    options = [*years, *lists]
    for field in fields:
        # own attributes are not read for a menu: their labels alone are, and those of numbers and dates, which stand in
        # bands, are left to be typed
        labels = labels_of(read, field) if field.own else [each or BLANK for each in of_fields[field.name]]
        few = labels if len(labels) <= _LABELS_OFFERED else []
        options += [Option(f"{field.name}:{each}", f"those with {field.title} {each}") for each in few]
    return options


def _labels(read: Read, name: str, of: str) -> OfField:
    known = read.fields.by_name.get(name)
    if known is None or known.level is not Level.CUSTOMER or not is_grouping(known):
        raise InvalidInput(f"{name[:80]} is no field that divides customers.", remedy=_REMEDY, field=of)
    return OfField.asked(read.history, name)


def _first_in(read: Read, label: str, period: Period) -> ChosenGroup:
    new = new_customers(read.history, period)
    known = range(new.first, new.first + new.counts.size)
    index = next((each for each in known if period_label(each, period) == label), _NEVER)
    return ChosenGroup(f"those new in {period_words(label)}", _FirstIn(period, index))


def _years(read: Read) -> list[str]:
    """The years in which somebody was new."""
    new = new_customers(read.history, Period.YEAR)
    return [period_label(new.first + place, Period.YEAR) for place in np.flatnonzero(new.counts).tolist()]


def _year_before(read: Read) -> str:
    before = str(to_date(read.as_of_day).year - 1)
    years = _years(read)
    return before if before in years or not years else years[-1]
