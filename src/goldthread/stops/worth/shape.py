"""What goes over the wire about worth by age. Money is in the currency's unit, shares are fractions; null where nothing
is known."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.periods import CellState
from goldthread.core.choices import AgeKind, Period
from goldthread.core.limits import CELLS_SHOWN_MOST, limit_cells
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.worth.arithmetic import Arithmetic
from goldthread.core.worth.payback import Payback
from goldthread.shape import Shape
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.chance import number
from goldthread.stops.sentences.sentence import number_words
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.worth.answer import Band, CompareAnswer, PaybackAnswer, WorthAnswer
from goldthread.stops.worth.groups import ValueGroup
from goldthread.stops.worth.measures import MEANINGS, MeasureUnit, definition, value_of
from goldthread.stops.worth.question import Brought, WorthMeasure, WorthQuestion, drawn
from goldthread.stops.worth.words import if_words

Floats = NDArray[np.float64]
PAID_BACK_WITHIN = (3, 6, 12, 24)
"""Periods within which winning a customer is to be paid back."""


class MeasureShape(Shape):
    """One figure of the arithmetic. ``observed`` : it says what was, and is no projection. ``value`` : null where
    undefined, or where it has no end, as ``unbounded`` says."""

    measure: WorthMeasure
    title: str
    unit: MeasureUnit
    observed: bool
    definition: str
    value: float | None
    unbounded: bool

    @classmethod
    def list_of(cls, found: Arithmetic, question: WorthQuestion) -> list[MeasureShape]:
        return [cls._of(found, measure, question) for measure in WorthMeasure]

    @classmethod
    def _of(cls, found: Arithmetic, measure: WorthMeasure, question: WorthQuestion) -> MeasureShape:
        meaning, value = MEANINGS[measure], value_of(found, measure)
        unbounded = bool(np.isinf(value))
        scale = MINOR_PER_UNIT if meaning.unit is MeasureUnit.MONEY else 1
        return cls(
            measure=measure,
            title=meaning.title,
            unit=meaning.unit,
            observed=meaning.observed,
            definition=definition(measure, question),
            value=None if unbounded or np.isnan(value) else round(value / scale, 6),
            unbounded=unbounded,
        )


class WorthGroupShape(Shape):
    """The arithmetic of one group."""

    label: str
    measures: list[MeasureShape]


class BroughtCurveShape(Shape):
    """Profit per customer by age, or revenue where that is asked for: ``start`` is what winning one cost, below zero;
    null where that is not known.

    An average goes as far as the question's ``small`` customers are old enough. ``low`` and ``high`` bound that of all
    together, a bootstrap over customers; empty elsewhere. ``complete`` : how many ages are over for it; a cohort may
    have begun one more. ``paid_back`` : the break-even age; null for not yet.
    """

    label: str
    customers: int
    start: float | None
    values: list[float | None]
    low: list[float | None]
    high: list[float | None]
    complete: int
    paid_back: int | None


class IfShape(Shape):
    """What moving some parts would do. ``words`` say it, beginning with if."""

    words: str
    gross_margin: float | None
    cac: float | None
    average_order_value: float | None
    average_retention_rate: float | None
    lifespan: float | None
    projected_clv: float | None
    paid_back: int | None
    profit: list[float | None]


class WorthShape(AnswerShape):
    """What customers are worth: observed, and by the shop-floor formula. ``figure`` : what the curve is of, revenue
    where the gross margin is not set. ``misleads`` says how the two differ."""

    period: Period
    ages: AgeKind
    split_title: str
    measures: list[MeasureShape]
    groups: list[WorthGroupShape]
    figure: Brought
    curve: BroughtCurveShape
    changed: IfShape | None
    misleads: str

    @classmethod
    def of(cls, answer: WorthAnswer) -> WorthShape:
        question, whole = answer.question, answer.groups.whole
        return cls(
            **header(answer.read, answer.words),
            period=question.period.kind,
            ages=question.ages,
            split_title=answer.groups.split_title,
            measures=MeasureShape.list_of(whole.arithmetic, question),
            groups=[
                WorthGroupShape(label=each.label, measures=MeasureShape.list_of(each.arithmetic, question))
                for each in answer.groups.parts
            ],
            figure=drawn(question),
            curve=curve_of(whole, answer.band, drawn(question)),
            changed=_changed(answer),
            misleads=misleads(answer),
        )


def _changed(answer: WorthAnswer) -> IfShape | None:
    changed = answer.changed
    if changed is None:
        return None
    projected, life = changed.projected_clv_minor, changed.lifespan_periods
    return IfShape(
        words=f"If {_moved(answer)}: {if_words(changed, answer.question.period)}",
        gross_margin=number(changed.gross_margin),
        cac=_unit_of(changed.cac_minor),
        average_order_value=_unit_of(changed.average_order_value_minor),
        average_retention_rate=number(changed.average_retention_rate),
        lifespan=None if np.isinf(life) else number(life),
        projected_clv=None if np.isinf(projected) else _unit_of(projected),
        paid_back=changed.break_even_age,
        profit=units(changed.profit_minor),
    )


def _moved(answer: WorthAnswer) -> str:
    changes = answer.changes
    parts = {
        "the gross margin": changes.margin,
        "CAC": changes.cac,
        "the average order value": changes.order_value,
        "the retention rate": changes.retention,
    }
    said = [
        f"{part} {'rose' if change > 0 else 'fell'} by {abs(100 * change):g} %"
        for part, change in parts.items()
        if change
    ]
    return " and ".join(filter(None, [", ".join(said[:-1]), said[-1]]))


def misleads(answer: WorthAnswer) -> str:
    """How the shop-floor projection and what was observed differ, in words; empty where either is missing."""
    found, period = answer.groups.whole.arithmetic, answer.question.period.noun
    projected, observed = found.projected_clv_minor, found.observed_gross_minor
    if np.isinf(projected):
        return f"Nobody stayed away in any later {period}, so 1 ÷ churn has no end: there is no projection."
    if np.isnan(projected) or not observed > 0:
        return ""
    age, largest = found.payback.largest_age, amount_words(observed)
    size = number_words(int(found.payback.customers[age or 0]))
    share = f"{100 * found.average_churn_rate:.0f} %"
    return (
        f"Orders per customer are those of a whole history already, and are multiplied by the lifespan once more. "
        f"Lifespan is 1 ÷ churn, and a {period} without an order counts as churn, which {share} of them are. "
        f"So {amount_words(projected, whole=True)} is {projected / observed:.1f} times the {largest} that were "
        f"observed by {period} {age} (of {size} customers)."
    )


def curve_of(group: ValueGroup, band: Band | None, figure: Brought) -> BroughtCurveShape:
    """The average of a group. ``band`` : that of profit."""
    found = group.arithmetic.payback
    of_revenue = figure is Brought.REVENUE
    band = None if of_revenue else band
    complete = 0 if found.largest_age is None else found.largest_age + 1
    return BroughtCurveShape(
        label=group.label,
        customers=group.arithmetic.customers,
        start=_below_zero(found.cac_minor),
        values=units((found.revenue_minor if of_revenue else found.profit_minor)[:complete]),
        low=[] if band is None else units(band.low_minor[:complete]),
        high=[] if band is None else units(band.high_minor[:complete]),
        complete=complete,
        paid_back=found.break_even_age,
    )


class AffordableShape(Shape):
    """What winning a customer of a group may cost: ``affordable`` CAC to be paid back within each of the answer's
    ``within`` periods; null where that is not known yet. ``cac`` : what it cost."""

    label: str
    customers: int
    cac: float | None
    affordable: list[float | None]
    paid_back: int | None


class PaybackShape(AnswerShape):
    """Profit or revenue per customer by age: of all together, and of each cohort or group. ``margin_set`` : whether a
    gross margin is known, so that something says when winning a customer is paid back."""

    period: Period
    ages: AgeKind
    split_title: str
    age_count: int
    figure: Brought
    margin_set: bool
    whole: BroughtCurveShape
    cohorts: list[BroughtCurveShape]
    groups: list[BroughtCurveShape]
    within: list[int]
    affordable: list[AffordableShape]

    @classmethod
    def of(cls, answer: PaybackAnswer) -> PaybackShape:
        groups, question = answer.groups, answer.question
        return cls(
            **header(answer.read, answer.words),
            period=question.period.kind,
            ages=question.ages,
            split_title=groups.split_title,
            age_count=groups.whole.counts.age_count,
            figure=drawn(question),
            margin_set=question.margin_set,
            whole=curve_of(groups.whole, answer.band, drawn(question)),
            cohorts=[] if groups.parts else _cohorts(groups.whole, drawn(question)),
            groups=[curve_of(each, None, drawn(question)) for each in groups.parts],
            within=list(PAID_BACK_WITHIN),
            affordable=[_affordable(each) for each in (groups.whole, *groups.parts)],
        )


def _cohorts(group: ValueGroup, figure: Brought) -> list[BroughtCurveShape]:
    counts, payback = group.counts, group.arithmetic.payback
    limit_cells(
        counts.cohort_count * counts.age_count,
        most=CELLS_SHOWN_MOST,
        remedy="Choose a longer period, or take it as a file.",
        field="period",
    )
    return [_cohort(group, payback, row, figure) for row in np.flatnonzero(counts.size).tolist()]


def _cohort(group: ValueGroup, payback: Payback, row: int, figure: Brought) -> BroughtCurveShape:
    counts = group.counts
    begun = int(counts.observed[row].sum())
    of_revenue = figure is Brought.REVENUE
    values = counts.revenue_minor[row].cumsum() / counts.size[row] if of_revenue else payback.profit.values[row]
    return BroughtCurveShape(
        label=counts.labels[row],
        customers=int(counts.size[row]),
        start=_below_zero(float(group.costs.cac_minor[row])),
        values=units(values[:begun]),
        low=[],
        high=[],
        complete=int((counts.state[row] == CellState.COMPLETE).sum()),
        paid_back=payback.break_even_of(row),
    )


def _affordable(group: ValueGroup) -> AffordableShape:
    found = group.arithmetic.payback
    return AffordableShape(
        label=group.label,
        customers=group.arithmetic.customers,
        cac=_unit_of(group.arithmetic.cac_minor),
        affordable=[_unit_of(found.affordable_at(age)) for age in PAID_BACK_WITHIN],
        paid_back=found.break_even_age,
    )


class SideShape(Shape):
    """One of two groups by age: customers of the cohorts complete at it, and profit per customer before CAC up to it,
    or revenue, with its 95 % confidence interval."""

    words: str
    customers: list[int]
    profit: list[float | None]
    low: list[float | None]
    high: list[float | None]


class CompareShape(AnswerShape):
    """Two groups at the same age. ``figure`` : what is compared, revenue where the gross margin is not set.
    ``difference`` : what a customer of one brought more, with its 95 %
    confidence interval.

    ``age`` : the largest age that half of each have completed; null where there is none. ``both`` : customers in both.
    ``verdict`` says what the difference at that age amounts to.
    """

    period: Period
    ages: AgeKind
    figure: Brought
    sides: list[SideShape]
    difference: list[float | None]
    low: list[float | None]
    high: list[float | None]
    age: int | None
    both: int
    verdict: str

    @classmethod
    def of(cls, answer: CompareAnswer) -> CompareShape:
        found, question = answer.compared, answer.question
        most = max(int(np.count_nonzero(side.customers)) for side in (found.one, found.other))
        return cls(
            **header(answer.read, answer.words),
            period=question.period.kind,
            ages=question.ages,
            figure=drawn(question),
            sides=[
                SideShape(
                    words=named.words,
                    customers=side.customers[:most].tolist(),
                    profit=units(side.gross_minor[:most]),
                    low=units(side.low_minor[:most]),
                    high=units(side.high_minor[:most]),
                )
                for named, side in zip(answer.sides, (found.one, found.other), strict=True)
            ],
            difference=units(found.difference_minor[:most]),
            low=units(found.low_minor[:most]),
            high=units(found.high_minor[:most]),
            age=found.age_compared,
            both=found.both,
            verdict=verdict(answer),
        )


def verdict(answer: CompareAnswer) -> str:
    """What the difference at the largest age of both amounts to, in words."""
    found, period = answer.compared, answer.question.period.noun
    age = found.age_compared
    if age is None:
        return f"There is no {period} that is over for customers of both."
    low, high = float(found.low_minor[age]), float(found.high_minor[age])
    by = f"By {period} {age}"
    if np.isnan(low):
        return f"{by} there are too few customers to compare."
    if low <= 0 <= high:
        bounds = f"95 % confidence interval {amount_words(low)} to {amount_words(high)}"
        return f"{by} there is no significant difference ({bounds})."
    more, less = answer.sides if low > 0 else answer.sides[::-1]
    size = amount_words(abs(float(found.difference_minor[age])))
    nearest, farthest = sorted((abs(low), abs(high)))
    bounds = f"95 % confidence interval {amount_words(nearest)} to {amount_words(farthest)}"
    return f"{by} {more.words} had each brought {size} more than {less.words} ({bounds})."


def units(values: Floats) -> list[float | None]:
    """Ten-thousandths in the currency's unit; null where undefined."""
    return [None if np.isnan(value) else round(float(value) / MINOR_PER_UNIT, 4) for value in values]


def _unit_of(minor: float) -> float | None:
    return None if np.isnan(minor) else round(minor / MINOR_PER_UNIT, 4)


def _below_zero(cac_minor: float) -> float | None:
    return None if np.isnan(cac_minor) else -round(cac_minor / MINOR_PER_UNIT, 4)
