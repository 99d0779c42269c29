"""Times of the cohort figures, splits, and new and returning, each beside one pass over the bytes it must read."""

from __future__ import annotations

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Average, CohortFigure, Measure, Period, Side, Span
from goldthread.core.cohorts.concentration import concentrations
from goldthread.core.cohorts.figures import Costs, figure_table
from goldthread.core.cohorts.outliers import cohorts_apart
from goldthread.core.cohorts.split import customer_groups
from goldthread.core.cohorts.table import cohort_table, split_table
from goldthread.core.counted import Counted
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.newness.stretches import stretch_behind, tally
from goldthread.core.newness.table import newness_table
from goldthread.core.records import OrderStatus

BESIDE = "one pass over the bytes read"
RUNS = 5


def question_times(orders: int) -> list[Row]:
    """Everything that Cohorts and New & returning ask of a book of so many orders. The first time fills what is kept
    with the book; the times are those of every further question."""
    columns, customers = synthetic.orders(orders)
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    history = read_history(book, HistoryRule(as_of, frozenset(OrderStatus)))
    narrow = timed(lambda: (book.amount_minor.sum(), book.period(Period.MONTH)[1].sum()), RUNS)
    table = cohort_table(history, Period.MONTH)
    groups = customer_groups(history, "first_source")
    cell = Counted.of_table(history, table, 5, 3)
    return [
        Row("every figure of the cohort table", timed(lambda: _figures(history), RUNS), narrow, BESIDE),
        Row(
            "cohort table by groups",
            timed(lambda: split_table(table, groups.of, groups.count), RUNS),
            narrow,
            BESIDE,
        ),
        Row("cohorts unlike their neighbours", timed(lambda: cohorts_apart(table), RUNS), narrow, BESIDE),
        Row(
            "what the orders of a cell have in common",
            timed(lambda: concentrations(table, cell, 5, 3), RUNS),
            narrow,
            BESIDE,
        ),
        *(_newness(history, span, narrow) for span in Span),
        Row("a year so far", timed(lambda: tally(history, as_of - 300, as_of), RUNS), narrow, BESIDE),
        Row(
            "one figure of new and returning opened",
            timed(lambda: stretch_behind(history, as_of - 30, as_of, Measure.CUSTOMERS, Side.WON_BACK), RUNS),
            narrow,
            BESIDE,
        ),
    ]


def _figures(history: History) -> None:
    table = cohort_table(history, Period.MONTH)
    for figure in CohortFigure:
        figure_table(table, figure, Average.WEIGHTED, Costs.none(table))


def _newness(history: History, span: Span, narrow: float) -> Row:
    newness_table(history, span)
    return Row(f"new and returning by {span}", timed(lambda: newness_table(history, span), RUNS), narrow, BESIDE)
