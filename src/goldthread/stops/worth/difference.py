"""Two ranges of dates, and what made the difference: the answer, its words, and what stands behind it."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from goldthread.askers import asker_is_gone
from goldthread.core.book.days import to_date, to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import BLANK, SMALL_BELOW, Measure, Side
from goldthread.core.counted import Counted
from goldthread.core.history.fields import is_grouping
from goldthread.core.history.labels import OfOrders
from goldthread.core.intervals import difference_interval
from goldthread.core.limits import FIRST_DATE
from goldthread.core.newness.years import year_earlier
from goldthread.core.ranges.apart import factors_apart, rates_apart, stands_out
from goldthread.core.ranges.counts import RangeCounts, drawn_ratios, interval_of, range_behind, range_counts
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.behind.recount import Recounted, looked_at
from goldthread.stops.reading import Read
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import Control, Option, Part, Words, count_words, number_words, words_control
from goldthread.stops.sentences.spans import day_given, range_given
from goldthread.stops.usual import usual_of
from goldthread.stops.worth.question import (
    DIFFERENCE,
    RANGE_BEFORE,
    YEAR_EARLIER,
    DifferenceFigureName,
    DifferenceQuestion,
    Differing,
    OfRange,
)
from goldthread.stops.worth.words import begins, terms, views
from goldthread.store.recount.figure import recount_stretch
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
Days = tuple[int, int]
UNITS = {
    Differing.REVENUE: Unit.MONEY,
    Differing.ORDERS: Unit.COUNT,
    Differing.CUSTOMERS: Unit.COUNT,
    Differing.AVERAGE_ORDER_VALUE: Unit.MONEY,
    Differing.RETURNING_SHARE: Unit.SHARE,
}
RATES = frozenset({Differing.AVERAGE_ORDER_VALUE, Differing.RETURNING_SHARE})
"""Those of which groups have a mix and a rate."""
_MEASURES = {
    Differing.REVENUE: "revenue",
    Differing.ORDERS: "orders",
    Differing.CUSTOMERS: "customers who ordered",
    Differing.AVERAGE_ORDER_VALUE: "average order value",
    Differing.RETURNING_SHARE: "the share of orders that return",
}
_AGAINST = {YEAR_EARLIER: "the same days a year earlier", RANGE_BEFORE: "as many days before"}
TOGETHER = "all together"
DRAWN_LEAST = 30
"""Customers of a range from which on a mean over them has an interval: a bootstrap of fewer is too narrow."""
FACTORS = ("customers", "orders_per_customer", "average_order_value")


@dataclass(frozen=True)
class MadeBy:
    """What a factor or a group has to do with a difference: what it was before and after, its part of the difference,
    the bounds of this, NaN where there are none, and whether it ``stands_out`` or is of ``few`` customers. A group of a
    rate has a part that is its ``mix`` and one that is its ``rate``; NaN for others."""

    name: str
    before: float
    after: float
    difference: float
    low: float = float("nan")
    high: float = float("nan")
    mix: float = float("nan")
    rate: float = float("nan")
    stands_out: bool = False
    few: bool = False


@dataclass(frozen=True, eq=False)
class DifferenceAnswer:
    """Two ranges: their days, and what came in each, before and after. ``by`` : the labels of their groups, None for
    all together."""

    read: Read
    question: DifferenceQuestion
    days: tuple[Days, Days]
    counts: tuple[RangeCounts, RangeCounts]
    by: OfOrders | None

    @property
    def unit(self) -> Unit:
        return UNITS[self.question.measure]

    @cached_property
    def whole(self) -> MadeBy:
        """The two figures, and their difference with its interval where it has one."""
        before, after = (float(_value(self.question.measure, each)) for each in self.counts)
        low = high = float("nan")
        one, other = self.counts
        match self.question.measure:
            case Differing.RETURNING_SHARE:
                known = (each.sum(keepdims=True) for side in (other, one) for each in _returning(side))
                _, low, high = (float(each[0]) for each in difference_interval(*known))
            case Differing.AVERAGE_ORDER_VALUE if min(one.customers_in_all, other.customers_in_all) >= DRAWN_LEAST:
                draws = (drawn_ratios(each.bundles.revenue_minor, each.bundles.orders) for each in (other, one))
                low, high = interval_of(np.subtract(*draws))
        return MadeBy("all", before, after, after - before, low, high)

    @cached_property
    def factors(self) -> list[MadeBy]:
        """What a sum is a product of, or customers are a sum of, with the part of each in the difference; they add up
        to it. None of a rate."""
        measure, (one, other) = self.question.measure, self.counts
        if measure in RATES:
            return []
        if measure is Differing.CUSTOMERS:
            new = one.new_in_all, other.new_in_all
            again = one.customers_in_all - new[0], other.customers_in_all - new[1]
            return [MadeBy(name, was, now, now - was) for name, (was, now) in (("new", new), ("returning", again))]
        depth = 3 if measure is Differing.REVENUE else 2
        before, after = (
            (each.customers_in_all, int(each.orders.sum()), int(each.revenue_minor.sum()))[:depth]
            for each in (one, other)
        )
        return [
            MadeBy(FACTORS[place], _per(before, place), _per(after, place), float(part))
            for place, part in enumerate(factors_apart(before, after))
        ]

    @cached_property
    def groups(self) -> list[MadeBy]:
        """Each group, the one with the largest part in the difference first; none without a field."""
        if self.by is None:
            return []
        measure, (one, other) = self.question.measure, self.counts
        out = stands_out(one.customers, other.customers)
        few = one.customers + other.customers < usual_of(self.read.book).get("small", SMALL_BELOW)
        if measure in RATES:
            parts = [_returning(each) if measure is Differing.RETURNING_SHARE else _paid(each) for each in self.counts]
            (above, below), (above_after, below_after) = parts
            mix, rate = rates_apart((above, above_after), (below, below_after))
            with np.errstate(invalid="ignore", divide="ignore"):
                before, after = above / below, above_after / below_after
            difference = mix + rate
        else:
            before, after = (_sums(measure, each).astype(np.float64) for each in self.counts)
            difference = after - before
            mix = rate = np.full(before.shape, np.nan)
        there = np.flatnonzero((one.orders > 0) | (other.orders > 0))
        size = np.round(np.abs(np.nan_to_num(difference)), 9)
        ranked = sorted(there.tolist(), key=lambda place: (-size[place], one.labels[place]))
        return [
            MadeBy(
                one.labels[place] or BLANK,
                float(before[place]),
                float(after[place]),
                float(difference[place]),
                mix=float(mix[place]),
                rate=float(rate[place]),
                stands_out=bool(out[place]),
                few=bool(few[place]),
            )
            for place in ranked
        ]

    @property
    def words(self) -> Words:
        """The question in words, with what was found."""
        return _words(self)

    def said(self, value: float, *, signed: bool = False) -> str:
        """A figure in words."""
        sign = "+" if signed and value > 0 else ""
        if np.isnan(value):
            return "—"
        match self.unit:
            case Unit.MONEY:
                return f"{sign}{amount_words(value, whole=True)}"
            case Unit.SHARE:
                return f"{sign}{100 * value:.1f} {'points' if signed else '%'}".replace("-", "−")
        return f"{sign}{number_words(round(value))}".replace("-", "−")


def ask_difference(workspace: Workspace, read: Read, question: DifferenceQuestion) -> DifferenceAnswer:
    """Compare two ranges. Raises `InvalidInput` for dates and fields that do not fit."""
    after = range_given(question.from_date, question.to_date, read.as_of_day, _first_of_year)
    if after[1] > read.as_of_day:
        raise InvalidInput(
            f"{to_date(after[1])} is after the as-of date.", remedy=f"Give up to {to_date(read.as_of_day)}.", field="to"
        )
    if after[0] < to_day(FIRST_DATE):
        raise InvalidInput(
            f"{to_date(after[0])} is before any order.", remedy=f"Give dates from {FIRST_DATE} on.", field="from"
        )
    before = _before(question.against, after)
    by = None
    if question.by:
        field = read.fields.field(question.by, "by")
        if not is_grouping(field):
            raise InvalidInput(
                f"Orders cannot be divided by {field.title}.",
                remedy="Choose a field such as source or region.",
                field="by",
            )
        by = OfOrders.asked(read.history, question.by)

    def counted(days: Days) -> RangeCounts:
        key = ("range", *read.key, days, question.by)
        found: RangeCounts = workspace.answer(read.shelved, key, lambda: range_counts(read.history, *days, by))
        return found

    return DifferenceAnswer(read, question, (before, after), (counted(before), counted(after)), by)


def _before(against: str, after: Days) -> Days:
    if against == YEAR_EARLIER:
        return year_earlier(after[0]), year_earlier(after[1])
    if against == RANGE_BEFORE:
        return 2 * after[0] - after[1] - 1, after[0] - 1
    first, between, last = against.partition("/")
    days = (day_given(first, "against"), day_given(last, "against")) if between else (1, 0)
    if days[1] < days[0]:
        raise InvalidInput(
            f"{against[:40]} is no range of dates.",
            remedy=f"Give {YEAR_EARLIER}, {RANGE_BEFORE}, or two dates such as 2025-01-01/2025-03-31.",
            field="against",
        )
    return days


def _first_of_year(day: int) -> int:
    return to_day(dt.date(to_date(day).year, 1, 1))


def _sums(measure: Differing, counts: RangeCounts) -> Int64s:
    match measure:
        case Differing.REVENUE:
            return counts.revenue_minor
        case Differing.CUSTOMERS:
            return counts.customers
    return counts.orders


def _returning(counts: RangeCounts) -> tuple[Int64s, Int64s]:
    return counts.orders - counts.new_orders, counts.orders


def _paid(counts: RangeCounts) -> tuple[Int64s, Int64s]:
    return counts.revenue_minor, counts.orders


def _per(chain: tuple[int, ...], place: int) -> float:
    """A total of a chain per the one before it; the first by itself, NaN for none."""
    of = (1, *chain)[place]
    return chain[place] / of if of else float("nan")


def _value(measure: Differing, counts: RangeCounts) -> float:
    if measure is Differing.CUSTOMERS:
        return counts.customers_in_all
    if measure not in RATES:
        return int(_sums(measure, counts).sum())
    above, below = _returning(counts) if measure is Differing.RETURNING_SHARE else _paid(counts)
    return int(above.sum()) / int(below.sum()) if below.any() else float("nan")


def _words(answer: DifferenceAnswer) -> Words:
    question, read, (before, after) = answer.question, answer.read, answer.days
    by = f"by {read.fields.field(question.by).title}" if question.by else TOGETHER
    against = _AGAINST.get(question.against) or _range_words(before)
    sentence = [
        begins(DIFFERENCE.name),
        Part(" in "),
        Part(_MEASURES[question.measure], "measure"),
        Part(" from "),
        Part(date_words(after[0]), "from"),
        Part(" to "),
        Part(date_words(after[1]), "to"),
        Part(" against "),
        Part(against, "against"),
        Part(", "),
        Part(by, "by"),
        Part(f"? {_found(answer)}"),
    ]
    manner = [*terms(DIFFERENCE.name)]
    if question.against in _AGAINST:
        manner.append(Part(f"Compared with {_range_words(before)}. "))
    lengths = [last - first + 1 for first, last in answer.days]
    if lengths[0] != lengths[1]:
        manner.append(Part(f"The ranges have {lengths[0]} and {lengths[1]} days. "))
    fields = tuple(Option(each.name, f"by {each.title}") for each in read.fields.fields if is_grouping(each))
    first, last = (to_date(day).isoformat() for day in after)
    controls = [
        words_control("measure", "Compared by", question.measure, _MEASURES),
        Control("from", "From", (first,), (Option("", "1 January of that year"),)),
        Control("to", "To", (last,), (Option("", "the as-of date"),)),
        Control("against", "Against", (question.against,), tuple(Option(*each) for each in _AGAINST.items())),
        Control("by", "Taken apart", (question.by,), (Option("", TOGETHER), *fields)),
    ]
    return Words(sentence, manner, [views(DIFFERENCE.name), *controls])


def _found(answer: DifferenceAnswer) -> str:
    """What came after and before, and the difference."""
    whole = answer.whole
    said = f"{answer.said(whole.after)} against {answer.said(whole.before)}"
    if np.isnan(whole.difference):
        return f"{said}."
    bounds = share = ""
    if not np.isnan(whole.low):
        low, high = (answer.said(end, signed=True) for end in (whole.low, whole.high))
        bounds = f", 95 % interval {low} to {high}"
    if answer.unit is not Unit.SHARE and whole.before:
        share = f", {100 * whole.difference / abs(whole.before):+.0f} %".replace("-", "−")
    return f"{said}: {answer.said(whole.difference, signed=True)}{share}{bounds}."


def _range_words(days: Days) -> str:
    return f"{date_words(days[0])} to {date_words(days[1])}"


def difference_days(answer: DifferenceAnswer, figure: DifferenceFigureName) -> Days:
    """The days of the range of a figure."""
    return answer.days[figure.range is OfRange.AFTER]


def difference_counted(answer: DifferenceAnswer, figure: DifferenceFigureName) -> Counted:
    """The customers and orders of a range, or of a group in it. Raises `InvalidInput` for a group that is not there."""
    label = None
    if figure.group is not None:
        known = {label or BLANK: label for label in answer.counts[0].labels} if answer.by is not None else {}
        if figure.group not in known:
            raise InvalidInput(
                f"There is no group {figure.group[:80]}.", remedy="Name one that is shown.", field="group"
            )
        label = known[figure.group]
    first, last = difference_days(answer, figure)
    find = partial(range_behind, first_day=first, last_day=last, side=figure.side, by=answer.by, label=label)
    return Counted(answer.read.history, find)


_WHO = {
    Side.ALL: "Customers who ordered",
    Side.NEW: "Customers who first ordered",
    Side.RETURNING: "Customers who ordered, and had before it,",
    Side.WON_BACK: "Customers who had lapsed and came back",
}


def difference_words(answer: DifferenceAnswer, figure: DifferenceFigureName) -> str:
    """Whom a figure counts, as a sentence without its full stop."""
    first, last = difference_days(answer, figure)
    title = answer.read.fields.field(answer.question.by).title if answer.question.by else ""
    group = "" if figure.group is None else f" ({title}: {figure.group})"
    return f"{_WHO[figure.side]} from {date_words(first)} to {date_words(last)}, both included{group}"


def open_difference(answer: DifferenceAnswer, figure: DifferenceFigureName, offset: int, limit: int) -> Opened:
    """The orders of a range, and what they came to."""
    counted, measure = difference_counted(answer, figure), answer.question.measure
    value, beside = float(counted.orders), f"orders of {count_words(counted.customers, 'customer')}"
    unit = Unit.COUNT
    if measure is Differing.CUSTOMERS:
        value, beside = float(counted.customers), "customers"
    elif measure in (Differing.REVENUE, Differing.AVERAGE_ORDER_VALUE):
        unit, value, beside = Unit.MONEY, float(counted.revenue_minor), f"from {count_words(counted.orders, 'order')}"
    shown = Figure(unit, value, beside, f"{difference_words(answer, figure)}.")
    return opened_of(answer.read, shown, counted, offset, limit)


def recount_difference(workspace: Workspace, answer: DifferenceAnswer, figure: DifferenceFigureName) -> Recounted:
    """Count a range again."""
    page, read = difference_counted(answer, figure).tally, answer.read
    if figure.group is not None:
        return Recounted(page, None, "The database's recount cannot distinguish the groups of a field.")
    among, reason = looked_at(read.history, read.line.where, None)
    if reason:
        return Recounted(page, None, reason)
    days = difference_days(answer, figure)
    found = recount_stretch(
        workspace.record.engine,
        read.book.id,
        read.history,
        days,
        Measure.CUSTOMERS,
        figure.side,
        among,
        asker_is_gone(),
    )
    return Recounted(page, found)
