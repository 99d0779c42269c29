"""The answers of Rhythm as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.history import facts
from goldthread.core.rhythm.due import days_late
from goldthread.core.rhythm.gaps import CustomerGaps, GapTable
from goldthread.core.threads.gaps import gap_days
from goldthread.stops.behind.order_table import field_column, of_customers, order_number_column, who
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.answer import CountsAnswer, DueAnswer, GapsAnswer, NextOrderAnswer, period_of
from goldthread.stops.rhythm.evidence import count_labels
from goldthread.stops.rhythm.question import PERIODS, STEP, TOGETHER
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, known_numbers, label_column, one_under_the_other, with_first_days
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
_OF_DUE = ("orders", "revenue", "closed", "do_not_contact")


def counts_sheet(_workspace: Workspace, answer: CountsAnswer) -> Sheet:
    """One row per number of orders; the last one is open."""
    counts, first = answer.counts, 0 if answer.question.zero is Shown.SHOWN else 1
    customers = counts.customers[first:]
    whole = max(int(customers.sum()), 1)
    went_on = counts.ladder_went_on / np.where(counts.ladder_reached, counts.ladder_reached, np.nan)
    table = pa.table(
        {
            "orders": pa.array(count_labels(answer)[first:], pa.large_string()),
            "customers": customers,
            "share": customers / whole,
            "cumulative_share": np.cumsum(customers) / whole,
            "order_count": counts.orders[first:],
            "revenue": exact_money(counts.revenue_minor[first:]),
            "went_on": known_numbers(np.append(np.nan, went_on)[first:]),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share", "cumulative_share", "went_on"}))


def gaps_sheet(workspace: Workspace, answer: GapsAnswer) -> Sheet:
    """One row per group, customer or gap, in the sequence in which they are shown."""
    by = answer.question.by
    if answer.table is not None:
        named = by if by == STEP else "period" if by in PERIODS else "group"
        table = _groups(answer.table, named, answer.rows, by == TOGETHER)
        period = period_of(answer.read, by)
        if period is not None:
            table = with_first_days(table, named, period)
    elif answer.by_customer is not None:
        table = _customers(answer, answer.by_customer)
    else:
        table = _orders(workspace, answer)
    return Sheet(sentences(answer.read, answer.words), table)


def _groups(gaps: GapTable, named: str, rows: Int64s, together: bool) -> pa.Table:
    labels = ["all"] if together else gaps.labels
    table = pa.table(
        {
            named: label_column(labels if gaps.labels else []),
            "count": gaps.counts,
            "mean": gaps.mean_days,
            "median": gaps.quantile_days(0.5),
            "lower_quartile": gaps.quantile_days(0.25),
            "upper_quartile": gaps.quantile_days(0.75),
            "customers": gaps.customers,
            "mean_over_customers": gaps.mean_over_customers_days,
        }
    )
    return table.take(pa.array(rows))


def _customers(answer: GapsAnswer, gaps: CustomerGaps) -> pa.Table:
    rows = answer.rows
    return pa.table(
        {
            **who(answer.read.orders, gaps.customers.take(rows)),
            **{name: values.take(rows) for name, values in gaps.columns().items()},
        }
    )


def _orders(workspace: Workspace, answer: GapsAnswer) -> pa.Table:
    book, rows = answer.read.orders, answer.rows
    return pa.table(
        {
            **who(book, answer.customers(rows)),
            "source": field_column(answer.read, "source", rows),
            "order": order_number_column(workspace, answer.read.book.id, book, rows),
            "previous_date": pa.array(book.day.take(rows - 1), pa.date32()),
            "date": pa.array(book.day.take(rows), pa.date32()),
            "gap": pa.array(gap_days(book).take(rows)),
        }
    )


def next_order_sheet(_workspace: Workspace, answer: NextOrderAnswer) -> Sheet:
    """One row per group and day: how many were at risk when it began, how many ordered or were last seen on it."""
    times, curve, at_risk = answer.times, answer.curve, answer.times.at_risk

    def of(place: int) -> pa.Table:
        watched = int((at_risk[place] > 0).sum())
        return pa.table(
            {
                "days": np.arange(watched),
                "at_risk": at_risk[place, :watched],
                "ordered": times.events[place, :watched],
                "censored": times.censored[place, :watched],
                "share": known_numbers(curve.share[place, :watched]),
                "low": known_numbers(curve.low[place, :watched]),
                "high": known_numbers(curve.high[place, :watched]),
            }
        )

    table = one_under_the_other((label, of(place)) for place, label in enumerate(answer.labels))
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share", "low", "high"}))


def due_sheet(_workspace: Workspace, answer: DueAnswer) -> Sheet:
    """One row per customer: who became late last first, then by the day on which they are expected."""
    return Sheet(sentences(answer.read, answer.words), of_customers(answer.read, answer.found, _due))


def _due(read: Read, rows: Int64s) -> pa.Table:
    book, late = read.orders, days_late(read.history, rows)
    own = np.where(book.counts.take(rows) >= facts.OWN_MEDIAN_FROM_ORDERS, "own", "everybody's")
    return pa.table(
        {
            **who(book, rows),
            "email": field_column(read, "email", rows),
            "latest_date": field_column(read, "latest_date", rows),
            "expected_gap": facts.expected_gap_days(book).take(rows),
            "expected_from": pa.array(own.tolist(), pa.large_string()),
            "next_due": field_column(read, "next_due", rows),
            "days_late": pa.array(late, mask=late == 0),
            "overdue": field_column(read, "overdue", rows),
            **{name: field_column(read, name, rows) for name in _OF_DUE if name in read.fields.by_name},
        }
    )
