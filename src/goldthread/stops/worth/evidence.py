"""What stands behind the figures of Worth: cells of cohort tables, and the largest customers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.periods import period_label
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import Period
from goldthread.core.cohorts.covered import Covered, Members
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.counted import Counted
from goldthread.core.worth.acquisition import FirstChannelIs
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.costs.given import NOT_SET
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import count_words, number_words, percent_words
from goldthread.stops.worth.answer import (
    CompareAnswer,
    PaybackAnswer,
    SpendAnswer,
    TopCustomersAnswer,
    WorthAnswer,
    count_of,
)
from goldthread.stops.worth.groups import ValueGroup
from goldthread.stops.worth.measures import MEANINGS, MeasureUnit, definition, value_of
from goldthread.stops.worth.question import (
    ALL,
    CompareFigureName,
    PaybackFigureName,
    SpendFigureName,
    Top,
    TopCustomersFigureName,
    WorthFigureName,
    WorthMeasure,
)
from goldthread.stops.worth.words import TOPS

Mask = NDArray[np.bool_]
_LATER = frozenset({WorthMeasure.AVERAGE_RETENTION_RATE, WorthMeasure.AVERAGE_CHURN_RATE, WorthMeasure.LIFESPAN})
_UP_TO_AGE = frozenset({WorthMeasure.OBSERVED_GROSS_PROFIT, WorthMeasure.OBSERVED_PROFIT, WorthMeasure.OBSERVED_AGE})
_PER_CUSTOMER = frozenset({WorthMeasure.CUSTOMERS, WorthMeasure.ORDERS_PER_CUSTOMER, WorthMeasure.PROJECTED_CLV})
_OF_PROFIT = frozenset(
    {
        WorthMeasure.GROSS_MARGIN,
        WorthMeasure.PROJECTED_CLV,
        WorthMeasure.OBSERVED_GROSS_PROFIT,
        WorthMeasure.OBSERVED_PROFIT,
        WorthMeasure.BREAK_EVEN_AGE,
    }
)
"""What there is none of where the gross margin is not set."""
OF_EVERYBODY = frozenset({WorthMeasure.SPEND, WorthMeasure.NEW_CUSTOMERS, WorthMeasure.CAC})
_UNITS = {
    MeasureUnit.COUNT: Unit.COUNT,
    MeasureUnit.RATIO: Unit.NUMBER,
    MeasureUnit.SHARE: Unit.SHARE,
    MeasureUnit.MONEY: Unit.MONEY,
    MeasureUnit.PERIODS: Unit.NUMBER,
    MeasureUnit.AGE: Unit.COUNT,
}


@dataclass(frozen=True, eq=False)
class Cells:
    """Cells of a cohort table, of some customers or, with None, of all in it.

    ``per_customer``: the figure is one per customer of the cohorts, so that those of them without a matching order are
    behind it too.
    """

    table: CohortTable
    wanted: Mask
    among: Members | None = None
    per_customer: bool = False

    @property
    def counted(self) -> Counted:
        """The customers and orders of the cells."""
        history = self.table.history
        everybody = self.per_customer and not history.shows_all and self.wanted.size
        cohorts = self.wanted[:, 0] if everybody else None
        return Counted(history, Covered(self.table.again, self.wanted, self.among, cohorts))


def worth_cells(answer: WorthAnswer, figure: WorthFigureName) -> Cells:
    """The cells that a figure of the arithmetic counts. Raises `InvalidInput`."""
    group = answer.groups.group(figure.group)
    measure, table = figure.measure, group.table
    ages = np.arange(table.age_count)
    if measure in OF_EVERYBODY:
        return _new_where_spent(answer, group)
    if measure in _LATER:
        return Cells(table, group.counts.complete & (ages >= 1), group.among)
    age = group.arithmetic.payback.largest_age if measure in _UP_TO_AGE else None
    if measure is WorthMeasure.BREAK_EVEN_AGE:
        age = group.arithmetic.payback.break_even_age
    if measure in _UP_TO_AGE or measure is WorthMeasure.BREAK_EVEN_AGE:
        known_cac = measure in (WorthMeasure.OBSERVED_PROFIT, WorthMeasure.BREAK_EVEN_AGE)
        return Cells(table, _up_to(group, age, known_cac=known_cac), group.among, per_customer=True)
    return Cells(table, table.observed, group.among, per_customer=measure in _PER_CUSTOMER)


def _up_to(group: ValueGroup, age: int | None, *, known_cac: bool) -> Mask:
    """What the cohorts complete at an age have ordered up to it; ``known_cac`` : those alone whose CAC is known."""
    table = group.table
    if age is None:
        return np.zeros(table.customers.shape, np.bool_)
    rows = group.counts.complete[:, age]
    if known_cac:
        rows = rows & ~np.isnan(group.costs.cac_minor)
    wanted: Mask = rows[:, None] & (np.arange(table.age_count) <= age)
    return wanted


def _new_where_spent(answer: WorthAnswer, group: ValueGroup) -> Cells:
    """Everybody who first ordered in a period for which spend is recorded, with the orders of that period."""
    everybody, channel = answer.everybody, answer.channel_of(group)
    wanted = np.zeros(everybody.customers.shape, np.bool_)
    spend = answer.spend if channel is None else answer.spend.of_channel(channel)
    for index in spend.by_period(everybody.period):
        row = index - everybody.first_cohort
        if 0 <= row < everybody.cohort_count:
            wanted[row, 0] = True
    among = None if channel is None else FirstChannelIs(channel)
    return Cells(everybody, wanted, among)


def worth_counted(answer: WorthAnswer, figure: WorthFigureName) -> Counted:
    """The customers and orders that a figure of the arithmetic counts."""
    return worth_cells(answer, figure).counted


def worth_words_of(answer: WorthAnswer, figure: WorthFigureName) -> str:
    """Who a figure of the arithmetic counts, as a sentence without its full stop."""
    period, measure = answer.question.period, figure.measure
    group = f" ({figure.group})" if figure.group else ""
    payback = answer.groups.group(figure.group).arithmetic.payback
    if measure in OF_EVERYBODY:
        channel = answer.channel_of(answer.groups.group(figure.group))
        by = "" if channel is None else f" by {channel}"
        return f"Customers who first ordered{by} in a {period} for which spend is recorded"
    if measure in _LATER:
        return f"Customers{group} who ordered again in a later {period} that is over"
    if measure in _UP_TO_AGE:
        return f"Customers{group} of the cohorts complete at age {payback.largest_age}, and all they ordered up to it"
    if measure is WorthMeasure.BREAK_EVEN_AGE:
        age = payback.break_even_age
        if age is None:
            return f"Customers{group} who are paid back: none are yet"
        return f"Customers{group} of the cohorts complete at age {age}, and all they ordered up to it"
    if measure in _PER_CUSTOMER and answer.read.history.shown is not None:
        return f"Customers{group} with an order, matching or not"
    return f"Customers{group} with at least one counted order"


def open_worth(answer: WorthAnswer, figure: WorthFigureName, offset: int, limit: int) -> Opened:
    """A figure of the arithmetic with its definition, and the customers and orders behind it."""
    cells, measure = worth_cells(answer, figure), figure.measure
    found = answer.groups.group(figure.group).arithmetic
    meaning, value = MEANINGS[measure], value_of(found, measure)
    beside = meaning.title if meaning.observed else f"{meaning.title}, a projection"
    note = _note(answer, figure, value)
    shown = Figure(
        _UNITS[meaning.unit],
        None if np.isnan(value) or np.isinf(value) else value,
        beside,
        f"{definition(measure, answer.question)} {worth_words_of(answer, figure)}.",
        note,
        averaged=True,
    )
    return opened_of(answer.read, shown, cells.counted, offset, limit)


def _note(answer: WorthAnswer, figure: WorthFigureName, value: float) -> str:
    found, measure = answer.groups.group(figure.group).arithmetic, figure.measure
    if np.isinf(value):
        return "Nobody ever stayed away, so the lifespan has no end and nothing can be projected."
    if measure in OF_EVERYBODY and found.cost.spent_minor is None:
        return "No spend is recorded."
    if measure in (WorthMeasure.SPEND, WorthMeasure.CAC) and found.cost.spent_minor is not None:
        won = count_words(found.cost.customers, "new customer")
        return f"{amount_words(found.cost.spent_minor)} were spent; {won} came in these {answer.question.period.noun}s."
    if measure is WorthMeasure.PROJECTED_CLV and found.observed_gross_minor > 0:
        times, age = value / found.observed_gross_minor, found.payback.largest_age
        return f"{times:.1f} times what was observed by {answer.question.period.noun} {age}."
    if measure in _OF_PROFIT and not answer.question.margin_set:
        return f"{NOT_SET.capitalize()}."
    if measure is WorthMeasure.BREAK_EVEN_AGE and np.isnan(value):
        return "Not yet." if not np.isnan(found.cac_minor) else "What winning a customer cost is not known."
    return ""


def payback_cells(answer: PaybackAnswer, figure: PaybackFigureName) -> Cells:
    """What a cohort, or all that are complete at the age, had ordered up to it. Raises `InvalidInput`."""
    group = answer.groups.group(figure.group)
    counts, table = group.counts, group.table
    if figure.age >= table.age_count:
        raise _not_there()
    if figure.cohort == ALL:
        rows = counts.complete[:, figure.age]
    else:
        rows = np.array([label == figure.cohort for label in counts.labels], np.bool_)
        if not (rows & counts.observed[:, figure.age]).any():
            raise _not_there()
    wanted = rows[:, None] & (np.arange(table.age_count) <= figure.age)
    return Cells(table, wanted, group.among, per_customer=True)


def _not_there() -> InvalidInput:
    return InvalidInput(
        "That age is not in the table.",
        remedy="Choose a cohort and an age that has begun by the as-of date.",
        field="age",
    )


def payback_counted(answer: PaybackAnswer, figure: PaybackFigureName) -> Counted:
    """The customers and orders of a point of a curve."""
    return payback_cells(answer, figure).counted


def payback_words_of(answer: PaybackAnswer, figure: PaybackFigureName) -> str:
    """Who a point of a curve counts, as a sentence without its full stop."""
    group = f" ({figure.group})" if figure.group else ""
    period = answer.question.period.noun
    whose = "of the cohorts complete at that age"
    if figure.cohort != ALL:
        whose = f"who first ordered in {period_words(figure.cohort)}"
    return f"Customers{group} {whose}, and all they ordered up to {period} {figure.age}"


def open_payback(answer: PaybackAnswer, figure: PaybackFigureName, offset: int, limit: int) -> Opened:
    """A point of a curve: profit per customer, with revenue, CAC and what winning one may cost beside it."""
    cells = payback_cells(answer, figure)
    group = answer.groups.group(figure.group)
    found, age = group.arithmetic.payback, figure.age
    if figure.cohort == ALL:
        profit, revenue = float(found.profit_minor[age]), float(found.revenue_minor[age])
        size = int(found.customers[age])
        gross, cac = found.affordable_at(age), found.cac_minor
    else:
        row = group.counts.labels.index(figure.cohort)
        profit, size = float(found.profit.values[row, age]), int(group.counts.size[row])
        cac = float(group.costs.cac_minor[row])
        gross, revenue = (
            float(each[row, : age + 1].sum()) / size if size else float("nan")
            for each in (group.costs.gross(group.counts), group.counts.revenue_minor)
        )
    value, what = profit, "profit"
    note = f"{amount_words(gross)} before CAC, which is the most that winning one may cost to be paid back by then"
    if not answer.question.margin_set:
        value, what, note = revenue, "revenue", NOT_SET.capitalize()
    note += "; what it cost is not known." if np.isnan(cac) else f"; winning one cost {amount_words(cac)}."
    shown = Figure(
        Unit.MONEY,
        None if np.isnan(value) else value,
        f"{what} for each of {count_words(size, 'customer')}",
        f"{payback_words_of(answer, figure)}.",
        note,
        averaged=True,
    )
    return opened_of(answer.read, shown, cells.counted, offset, limit)


def spend_cells(answer: SpendAnswer, figure: SpendFigureName) -> Cells:
    """The new customers of a month, with what they ordered in it. Raises `InvalidInput`."""
    table = answer.table
    if figure.month not in {period_label(row.month, Period.MONTH) for row in answer.rows}:
        raise InvalidInput(
            f"No month {figure.month[:20]} is listed.", remedy="Give a month that is listed, as 2026-03.", field="month"
        )
    wanted = np.zeros(table.customers.shape, np.bool_)
    if figure.month in table.labels:
        wanted[table.labels.index(figure.month), 0] = True
    among = FirstChannelIs(figure.channel) if figure.channel else None
    return Cells(table, wanted, among)


def spend_counted(answer: SpendAnswer, figure: SpendFigureName) -> Counted:
    """The new customers of a month, with what they ordered in it."""
    return spend_cells(answer, figure).counted


def spend_words_of(_answer: SpendAnswer, figure: SpendFigureName) -> str:
    """Who a month's figure counts, as a sentence without its full stop."""
    by = f" by {figure.channel}" if figure.channel else ""
    return f"Customers who first ordered in {period_words(figure.month)}{by}"


def open_spend(answer: SpendAnswer, figure: SpendFigureName, offset: int, limit: int) -> Opened:
    """The new customers of a month."""
    counted = spend_cells(answer, figure).counted
    shown = Figure(
        Unit.COUNT,
        float(counted.customers),
        "new customers",
        f"{spend_words_of(answer, figure)}, with what they ordered in that month.",
    )
    return opened_of(answer.read, shown, counted, offset, limit)


def compare_cells(answer: CompareAnswer, figure: CompareFigureName) -> Cells:
    """One of two groups: what its cohorts that are complete at an age had ordered up to it. Raises `InvalidInput`."""
    table = answer.table
    if figure.age >= table.age_count:
        raise _not_there()
    side = answer.sides[0 if figure.side == "one" else 1]
    wanted = table.complete[:, figure.age][:, None] & (np.arange(table.age_count) <= figure.age)
    return Cells(table, wanted, side.members, per_customer=True)


def compare_counted(answer: CompareAnswer, figure: CompareFigureName) -> Counted:
    """The customers of one of two groups and what they had ordered up to an age."""
    return compare_cells(answer, figure).counted


def compare_words_of(answer: CompareAnswer, figure: CompareFigureName) -> str:
    """Who one of two groups is, as a sentence without its full stop."""
    side = answer.sides[0 if figure.side == "one" else 1]
    return f"Customers ({side.words}) and all they ordered up to {answer.question.period.noun} {figure.age}"


def open_compare(answer: CompareAnswer, figure: CompareFigureName, offset: int, limit: int) -> Opened:
    """One of two groups at an age."""
    cells = compare_cells(answer, figure)
    side = answer.compared.one if figure.side == "one" else answer.compared.other
    value, size = float(side.gross_minor[figure.age]), int(side.customers[figure.age])
    low, high = float(side.low_minor[figure.age]), float(side.high_minor[figure.age])
    bounds = f"{amount_words(low)} to {amount_words(high)}"
    note = "" if np.isnan(low) else f"95 % confidence interval {bounds}, a bootstrap over customers."
    what = "profit before CAC" if answer.question.margin_set else "revenue"
    shown = Figure(
        Unit.MONEY,
        None if np.isnan(value) else value,
        f"{what} for each of {count_words(size, 'customer')}",
        f"{compare_words_of(answer, figure)}.",
        note,
        averaged=True,
    )
    return opened_of(answer.read, shown, cells.counted, offset, limit)


def largest_of(answer: TopCustomersAnswer, figure: TopCustomersFigureName) -> Top:
    """How many of the largest customers a figure counts."""
    return answer.question.top if figure.largest is None else figure.largest


def top_counted(answer: TopCustomersAnswer, figure: TopCustomersFigureName) -> Counted:
    """The largest customers with their orders."""
    shares, count = answer.shares, count_of(answer.shares, largest_of(answer, figure))
    return Counted(answer.read.history.here, lambda _history: shares.behind(count))


def top_words_of(answer: TopCustomersAnswer, figure: TopCustomersFigureName) -> str:
    """Who is meant, as a sentence without its full stop."""
    return f"Customers by revenue: {TOPS[largest_of(answer, figure)]}"


def open_top(answer: TopCustomersAnswer, figure: TopCustomersFigureName, offset: int, limit: int) -> Opened:
    """The largest customers, and the share of revenue that they brought."""
    shares = answer.shares
    count = count_of(shares, largest_of(answer, figure))
    share = shares.share_of(count)
    of_all = percent_words(count, int(shares.customers.size))
    shown = Figure(
        Unit.SHARE,
        None if np.isnan(share) else share,
        f"of revenue, brought by {count_words(count, 'customer')}",
        f"{top_words_of(answer, figure)}.",
        f"They are {of_all} of the {number_words(int(shares.customers.size))} who ordered.",
    )
    return opened_of(answer.read, shown, top_counted(answer, figure), offset, limit)
