"""Times of Worth on a synthetic book, each beside the cohort table of the same months or one pass over the bytes."""

from __future__ import annotations

import numpy as np
from tests.support import synthetic

from bench.timing import Row, timed
from goldthread.core.book.columns import Attribute
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import OrderBook
from goldthread.core.choices import Period
from goldthread.core.cohorts.figures import Costs
from goldthread.core.cohorts.table import cohort_table
from goldthread.core.counted import OnList
from goldthread.core.forecast.checked import outlook
from goldthread.core.forecast.ladder import Manner
from goldthread.core.history.history import HistoryRule, read_history
from goldthread.core.records import OrderStatus
from goldthread.core.worth.acquisition import Cost
from goldthread.core.worth.arithmetic import arithmetic, purchase_frequency
from goldthread.core.worth.bands import Bundling, bundles, intervals
from goldthread.core.worth.bought import bought, leads_to
from goldthread.core.worth.compared import compared
from goldthread.core.worth.margins import Margins
from goldthread.core.worth.revenue_shares import revenue_shares

BESIDE, PASS = "the cohort table", "one pass over the bytes read"
RUNS = 3
LINES_PER_ORDER, PRODUCTS, CATEGORIES = 2, 400, 12


def worth_times(orders: int) -> list[Row]:
    """Everything that Worth asks of a book of so many orders; the first time fills what is kept with the book."""
    columns, customers = synthetic.orders(orders)
    columns.attributes["category"] = columns.attributes["source"]  # type: ignore[index]
    book = OrderBook.build(columns, np.arange(customers, dtype=np.int64))
    object.__setattr__(book, "on_record", LinesOnRecord(lambda _ids: _lines(orders)))
    as_of = synthetic.FIRST_DAY + synthetic.SPAN_DAYS - 1
    history = read_history(book, HistoryRule(as_of, frozenset(OrderStatus)))
    table = cohort_table(history, Period.MONTH)
    margins, every = Margins(0.4), np.ones(table.cohort_count, np.bool_)
    is_odd = np.arange(customers) % 2 == 1
    odd, even = OnList.of("odd", is_odd), OnList.of("even", ~is_odd)
    beside = timed(lambda: cohort_table(history, Period.MONTH), RUNS)
    narrow = timed(lambda: (book.amount_minor.sum(), book.day.sum()), RUNS)

    def the_arithmetic() -> None:
        frequency = float(purchase_frequency(history, Period.MONTH)[0])
        arithmetic(table, Costs(0.4, np.full(table.cohort_count, 1e5)), Cost(None, 0), 10, frequency)

    def the_forecast() -> None:
        brought = table.revenue_minor.astype(np.float64)
        outlook(brought, table.complete, table.size, 12, Manner(30, first_season=0, seasons=12))

    asked = (
        ("the arithmetic and payback, of a table at hand", the_arithmetic, beside, BESIDE),
        ("the band, a bootstrap", lambda: intervals(*bundles(table, margins, Bundling(every))), beside, BESIDE),
        ("the forecast with its two checks, of a table at hand", the_forecast, beside, BESIDE),
        ("two groups compared", lambda: compared(table, margins, odd, even), beside, BESIDE),
        ("customers by revenue", lambda: revenue_shares(history), narrow, PASS),
        ("revenue by product, from the lines", lambda: bought(history, "product"), narrow, PASS),
        ("what a first purchase leads to", lambda: leads_to(history), narrow, PASS),
    )
    rows = []
    for name, ask, against, what in asked:
        ask()
        rows.append(Row(name, timed(ask, RUNS), against, what))
    return rows


def _lines(orders: int) -> OrderLines:
    draw = np.random.default_rng(synthetic.SEED)
    count = orders * LINES_PER_ORDER
    product = Attribute(
        draw.integers(0, PRODUCTS, count, dtype=np.uint16), tuple(f"product {place}" for place in range(PRODUCTS))
    )
    category = Attribute(
        (product.codes % CATEGORIES).astype(np.uint16), tuple(f"category {place}" for place in range(CATEGORIES))
    )
    return OrderLines(
        np.repeat(np.arange(orders), LINES_PER_ORDER), product, category, draw.integers(1, 500_000, count) * 100
    )
