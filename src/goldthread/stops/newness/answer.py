"""New and returning by period, compared with last year."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from goldthread.core.book.days import to_date, to_day
from goldthread.core.choices import BLANK, Firsts, Period, Span
from goldthread.core.cohorts.split import BANDED, OfGroups, customer_groups
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.history.history import History
from goldthread.core.history.labels import OfOrders
from goldthread.core.newness.classes import Tally
from goldthread.core.newness.split import label_groups
from goldthread.core.newness.stretches import tally
from goldthread.core.newness.table import NewnessTable, newness_table
from goldthread.core.newness.years import tally_before, years_before
from goldthread.stops.events import events_of
from goldthread.stops.newness.question import NewnessQuestion
from goldthread.stops.newness.words import newness_words
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.store.read.details import EventRow
from goldthread.workspace import Workspace

MOST_GROUPS = 8


@dataclass(frozen=True, eq=False)
class NewnessAnswer:
    """New and returning by period.

    ``groups`` : the same by the labels of a split, None without one. ``whole`` : everything together, counted afresh.
    ``year`` : since 1 January of the as-of date's year; ``year_before`` : the same days a year earlier. ``last_year`` :
    for each period the same one a year earlier, up to the same day where it is still running; None before the book
    begins. ``cohorts_agree`` : whether new customers are the sizes of the cohorts; None for days and under a condition
    that shows only some orders. ``rest`` : everything of those who are not on the list, when it is compared with them.
    """

    read: Read
    question: NewnessQuestion
    table: NewnessTable
    groups: list[tuple[str, NewnessTable]] | None
    whole: Tally
    year: Tally
    year_before: Tally | None
    last_year: list[Tally | None]
    cohorts_agree: bool | None
    events: list[EventRow]
    rest: Tally | None

    @property
    def words(self) -> Words:
        """The question in words."""
        return newness_words(self.read, self.question)


def ask_newness(workspace: Workspace, read: Read, question: NewnessQuestion) -> NewnessAnswer:
    """New and returning orders, customers and revenue by period. Raises `InvalidInput` for an unknown split."""
    span, history = question.period, read.history
    table: NewnessTable = workspace.answer(
        read.shelved, ("newness", *read.key, span), lambda: newness_table(history, span)
    )
    groups = None
    if question.split:
        groups = workspace.answer(
            read.shelved,
            ("newness split", *read.key, span, question.split),
            lambda: [(label, newness_table(group, span)) for label, group in groups_of(history, question.split)],
        )
    day = read.as_of_day
    begins = _first_of_year(day)
    year, year_before = workspace.answer(
        read.shelved,
        ("newness years", *read.key),
        lambda: (tally(history, begins, day), tally_before(history, begins, day)),
    )
    last_year = workspace.answer(read.shelved, ("newness before", *read.key, span), lambda: years_before(table))
    whole = table.whole(history.first_day)
    events = events_of(workspace, read.shelved)
    rest = None if read.rest is None else tally(read.rest, read.rest.first_day, day)
    agree = workspace.answer(read.shelved, ("newness agrees", *read.key, span), lambda: _cohorts_agree(table))
    return NewnessAnswer(read, question, table, groups, whole, year, year_before, last_year, agree, events, rest)


def groups_of(history: History, name: str) -> list[tuple[str, History]]:
    """The groups of a split, the most frequent first: the history showing the orders of one at a time."""
    if name == BANDED:
        bands = customer_groups(history, name)
        found = dict(label_groups(history, OfGroups(bands.of, bands.labels), bands.count))
        return [(label, found[label]) for label in bands.labels if label in found]
    by = OfOrders.asked(history, name)
    return [(label or BLANK, group) for label, group in label_groups(history, by, MOST_GROUPS)]


def _first_of_year(day: int) -> int:
    return to_day(dt.date(to_date(day).year, 1, 1))


def _cohorts_agree(table: NewnessTable) -> bool | None:
    if table.span is Span.DAY or not table.history.shows_all or table.history.rule.firsts is Firsts.MATCHING:
        return None
    cohorts = cohort_table(table.history, Period(table.span.value))
    sizes = dict(zip(cohorts.labels, cohorts.size.tolist(), strict=True))
    new = dict(zip(table.labels, table.customers.new.tolist(), strict=True))
    return all(new.get(label, 0) == sizes.get(label, 0) for label in new.keys() | sizes.keys())
