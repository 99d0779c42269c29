"""What goes over the wire about gaps between orders."""

from __future__ import annotations

import datetime as dt

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_end, period_label, period_of_day
from goldthread.core.choices import BLANK
from goldthread.core.limits import GROUPS_SHOWN_MOST, limit_groups
from goldthread.core.rhythm.gaps import GapTable, bin_edges, binned
from goldthread.core.threads.gaps import gap_days
from goldthread.shape import Shape
from goldthread.stops.behind.evidence_shape import ThreadShape
from goldthread.stops.behind.thread import orders_among, thread_of
from goldthread.stops.rhythm.answer import GapsAnswer, period_of
from goldthread.stops.rhythm.evidence import step_words
from goldthread.stops.rhythm.question import STEP
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window

GAPS_LISTED = 60
"""Gaps of one customer that are listed in sequence: the latest ones."""


class GapStatisticsShape(Shape):
    """Some gaps in days: how many, of how many customers, and how long. ``mean`` is over gaps,
    ``mean_over_customers`` over the customers' own means."""

    gaps: int
    customers: int
    mean: float
    median: float
    lower_quartile: float
    upper_quartile: float
    mean_over_customers: float

    @classmethod
    def list_of(cls, table: GapTable) -> list[GapStatisticsShape]:
        columns = (
            table.counts,
            table.customers,
            table.mean_days,
            table.quantile_days(0.5),
            table.quantile_days(0.25),
            table.quantile_days(0.75),
            table.mean_over_customers_days,
        )
        return [
            cls(
                gaps=int(gaps),
                customers=int(customers),
                mean=mean,
                median=median,
                lower_quartile=low,
                upper_quartile=high,
                mean_over_customers=over,
            )
            for gaps, customers, mean, median, low, high, over in zip(
                *(column.tolist() for column in columns), strict=True
            )
        ]


class GapGroupShape(Shape):
    """The gaps of one group. ``label`` names it, ``words`` are for people; ``bins`` hold how many gaps lie in each of
    the answer's bins; ``partial`` while the period runs."""

    label: str
    words: str
    partial: bool
    bins: list[int]
    statistics: GapStatisticsShape


class GapRowShape(Shape):
    """One customer, or one order that ended a gap (``date`` says when). ``gaps``: the customer's latest ones in
    sequence, or the one gap."""

    thread: ThreadShape
    gaps: list[int]
    count: int
    median: float
    mean: float
    date: dt.date | None


class GapsShape(AnswerShape):
    """Gaps by group, or customer by customer, or order by order.

    ``edges``: where the bins begin, in days; the last one ends with ``longest``. ``together``: all gaps; null where
    there is none. ``count`` rows or groups there are in all; ``groups`` or ``rows`` begin at ``offset``.
    ``one_order`` and ``no_order``: customers who have no gap. ``same_day``: gaps of 0 days.
    """

    by: str
    longest: int
    edges: list[int]
    together: GapStatisticsShape | None
    one_order: int
    no_order: int
    same_day: int
    count: int
    offset: int
    first_date: dt.date
    last_date: dt.date
    groups: list[GapGroupShape]
    rows: list[GapRowShape]

    @classmethod
    def of(cls, answer: GapsAnswer, window: Window) -> GapsShape:
        read, together = answer.read, answer.together
        longest = together.histogram.shape[1] - 1
        edges = bin_edges(longest)
        every = GapStatisticsShape.list_of(together)
        rows = answer.rows[window.offset : window.offset + window.limit]
        return cls(
            **header(read, answer.words),
            by=answer.question.by,
            longest=longest,
            edges=edges.tolist(),
            together=every[0] if every else None,
            one_order=answer.one_order,
            no_order=answer.no_order,
            same_day=answer.same_day,
            count=int(answer.rows.size),
            offset=window.offset,
            first_date=to_date(read.history.first_day),
            last_date=to_date(read.as_of_day),
            groups=[] if answer.table is None else _gap_groups(answer, answer.table, edges),
            rows=[] if answer.table is not None else _gap_rows(answer, rows),
        )


def _gap_groups(answer: GapsAnswer, table: GapTable, edges: NDArray[np.int64]) -> list[GapGroupShape]:
    limit_groups(len(table.labels), GROUPS_SHOWN_MOST, "by")
    statistics, bins = (
        GapStatisticsShape.list_of(table),
        binned(table.histogram, edges).tolist() if table.labels else [],
    )
    running = _running_period(answer)
    return [
        GapGroupShape(
            label=table.labels[place],
            words=step_words(table.labels[place]) if answer.question.by == STEP else table.labels[place] or BLANK,
            partial=table.labels[place] == running,
            bins=bins[place],
            statistics=statistics[place],
        )
        for place in answer.rows.tolist()
    ]


def _running_period(answer: GapsAnswer) -> str | None:
    """The name of the period that is still running; None where groups are no periods or the last one is over."""
    as_of = answer.read.as_of_day
    period = period_of(answer.read, answer.question.by)
    if period is None:
        return None
    index = period_of_day(as_of, period)
    return period_label(index, period) if int(period_end(index, period)) > as_of else None


def _gap_rows(answer: GapsAnswer, rows: NDArray[np.int64]) -> list[GapRowShape]:
    book, found = answer.read.orders, []
    gaps, by_customer = gap_days(book), answer.by_customer
    for row, customer in zip(rows.tolist(), answer.customers(rows).tolist(), strict=True):
        if by_customer is None:
            mine = [int(gaps[row])]
            shape = GapRowShape(
                thread=ThreadShape.of(thread_of(book, customer, np.array([row - 1, row]))),
                gaps=mine,
                count=1,
                median=mine[0],
                mean=mine[0],
                date=to_date(int(book.day[row])),
            )
        else:
            ended = orders_among(book, customer, answer.together.positions)
            shape = GapRowShape(
                thread=ThreadShape.of(thread_of(book, customer)),
                gaps=gaps.take(ended[-GAPS_LISTED:]).tolist(),
                count=int(by_customer.counts[row]),
                median=float(by_customer.median_days[row]),
                mean=float(by_customer.mean_days[row]),
                date=None,
            )
        found.append(shape)
    return found
