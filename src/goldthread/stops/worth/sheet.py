"""The answers of Worth as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.book.periods import CellState, period_label
from goldthread.core.choices import Period
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.worth.arithmetic import Arithmetic, Changed
from goldthread.stops.behind.order_table import who
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, known_numbers, one_under_the_other
from goldthread.stops.worth.answer import CompareAnswer, PaybackAnswer, SpendAnswer, TopCustomersAnswer, WorthAnswer
from goldthread.stops.worth.groups import ValueGroup
from goldthread.stops.worth.measures import MEANINGS, MeasureUnit, value_of
from goldthread.stops.worth.question import ALL, WorthMeasure, drawn
from goldthread.workspace import Workspace

Floats = NDArray[np.float64]
PARTIAL, COMPLETE = "partial", "complete"


def worth_sheet(_workspace: Workspace, answer: WorthAnswer) -> Sheet:
    """One row per figure; what would be if parts were moved begins with ``if_``, and is never observed."""
    groups = answer.groups
    table = _measures(groups.whole.arithmetic, answer.changed)
    if groups.parts or answer.question.split:
        parts = ((each.label, _measures(each.arithmetic, None)) for each in groups.parts)
        table = one_under_the_other([(ALL, table), *parts])
    return Sheet(sentences(answer.read, answer.words), table)


def _measures(found: Arithmetic, changed: Changed | None) -> pa.Table:
    rows = [(measure.value, _in_unit(found, measure), MEANINGS[measure].observed) for measure in WorthMeasure]
    if changed is not None:
        age = changed.break_even_age
        rows += [
            ("if_gross_margin", changed.gross_margin, False),
            ("if_cac", changed.cac_minor / MINOR_PER_UNIT, False),
            ("if_average_order_value", changed.average_order_value_minor / MINOR_PER_UNIT, False),
            ("if_average_retention_rate", changed.average_retention_rate, False),
            ("if_lifespan", changed.lifespan_periods, False),
            ("if_projected_clv", changed.projected_clv_minor / MINOR_PER_UNIT, False),
            ("if_break_even_age", float("nan") if age is None else age, False),
        ]
    values = np.array([value for _, value, _ in rows])
    return pa.table(
        {
            "measure": pa.array([name for name, _, _ in rows], pa.large_string()),
            "value": pa.array(values, mask=~np.isfinite(values)),
            "observed": pa.array(["yes" if observed else "no" for _, _, observed in rows], pa.large_string()),
        }
    )


def _in_unit(found: Arithmetic, measure: WorthMeasure) -> float:
    value = value_of(found, measure)
    return value / MINOR_PER_UNIT if MEANINGS[measure].unit is MeasureUnit.MONEY else value


def payback_sheet(_workspace: Workspace, answer: PaybackAnswer) -> Sheet:
    """One row per group, or cohort, and age."""
    groups = answer.groups
    tables = [(ALL, _average(groups.whole)), *((each.label, _average(each)) for each in groups.parts)]
    if not groups.parts:
        rows = np.flatnonzero(groups.whole.counts.size).tolist()
        tables += [(groups.whole.counts.labels[row], _cohort(groups.whole, row)) for row in rows]
    return Sheet(sentences(answer.read, answer.words), one_under_the_other(tables))


def _average(group: ValueGroup) -> pa.Table:
    found = group.arithmetic.payback
    complete = int(np.count_nonzero(found.customers))
    return _ages(
        found.customers[:complete],
        found.revenue_minor[:complete],
        found.profit_minor[:complete],
        found.affordable_minor[:complete],
        [COMPLETE] * complete,
        found.break_even_age,
    )


def _cohort(group: ValueGroup, row: int) -> pa.Table:
    counts, size = group.counts, int(group.counts.size[row])
    begun = int(counts.observed[row].sum())
    revenue = counts.revenue_minor[row, :begun].cumsum() / size
    gross = group.costs.gross(counts)[row, :begun].cumsum() / size
    states = [COMPLETE if each == CellState.COMPLETE else PARTIAL for each in counts.state[row, :begun].tolist()]
    profit = group.arithmetic.payback.profit.values[row, :begun]
    paid_back = group.arithmetic.payback.break_even_of(row)
    return _ages(np.full(begun, size, np.int64), revenue, profit, gross, states, paid_back)


def _ages(
    customers: NDArray[np.int64],
    revenue: Floats,
    profit: Floats,
    affordable: Floats,
    states: list[str],
    paid_back: int | None,
) -> pa.Table:
    return pa.table(
        {
            "age": np.arange(customers.size),
            "customers": customers,
            "revenue_per_customer": _money(revenue),
            "profit_per_customer": _money(profit),
            "affordable_cac": _money(affordable),
            "state": pa.array(states, pa.large_string()),
            "break_even_age": pa.array([paid_back] * customers.size, pa.int64()),
        }
    )


def spend_sheet(_workspace: Workspace, answer: SpendAnswer) -> Sheet:
    """One row per month, and per month and channel."""
    rows = answer.rows
    spent = np.array([0 if row.spent_minor is None else row.spent_minor for row in rows], np.int64)
    missing = np.array([row.spent_minor is None for row in rows], np.bool_)
    table = pa.table(
        {
            "month": pa.array([period_label(row.month, Period.MONTH) for row in rows], pa.large_string()),
            "channel": pa.array([row.channel or ALL for row in rows], pa.large_string()),
            "spend": exact_money(spent, missing),
            "new_customers": pa.array([row.customers for row in rows], pa.int64()),
            "cac": _money(np.array([row.cac_minor for row in rows], np.float64)),
            "problem": pa.array(
                [None if row.problem is None else row.problem.value for row in rows], pa.large_string()
            ),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table)


def compare_sheet(_workspace: Workspace, answer: CompareAnswer) -> Sheet:
    """One row per age."""
    found = answer.compared
    most = max(int(np.count_nonzero(side.customers)) for side in (found.one, found.other))
    brought = compared_column(answer)
    table = pa.table(
        {
            "age": np.arange(most),
            "customers": found.one.customers[:most],
            brought: _money(found.one.gross_minor[:most]),
            "other_customers": found.other.customers[:most],
            f"other_{brought}": _money(found.other.gross_minor[:most]),
            "difference": _money(found.difference_minor[:most]),
            "low": _money(found.low_minor[:most]),
            "high": _money(found.high_minor[:most]),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table)


def compared_column(answer: CompareAnswer) -> str:
    """The column that holds what one of two groups brought; the other's begins with ``other_``."""
    return f"{drawn(answer.question)}_per_customer"


def top_customers_sheet(_workspace: Workspace, answer: TopCustomersAnswer) -> Sheet:
    """One row per customer, the largest first."""
    shares, rows = answer.shares, answer.rows
    total = shares.total_minor if shares.total_minor > 0 else float("nan")
    table = pa.table(
        {
            "place": rows + 1,
            **who(answer.read.orders, shares.customers.take(rows)),
            "orders": shares.orders.take(rows),
            "revenue": exact_money(shares.revenue_minor.take(rows)),
            "share": known_numbers(shares.revenue_minor.take(rows) / total),
            "cumulative_share": known_numbers(shares.cumulative_minor.take(rows) / total),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share", "cumulative_share"}))


def _money(minor: Floats) -> pa.Array:
    """Amounts per customer to the hundredth of the currency unit; null where undefined."""
    missing = np.isnan(minor)
    cents = np.round(np.where(missing, 0.0, minor) / 100).astype(np.int64) * 100
    return exact_money(cents, missing)
