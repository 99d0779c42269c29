"""The forecast of cohorts: what is asked of the core, and the words for what it found."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import Period
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.forecast.checked import CheckedForecast, Outlook, outlook
from goldthread.core.forecast.ladder import Manner, Total
from goldthread.errors import InvalidInput
from goldthread.stops.cohort_tables import cohort_table_of
from goldthread.stops.costs.controls import cost_controls, margin_part, revenue_is_shown
from goldthread.stops.costs.spent import costs_of, margins_of
from goldthread.stops.reading import Read
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence import (
    Control,
    Part,
    Words,
    count_words,
    number_words,
    period_control,
    whoever_matches,
    words_control,
)
from goldthread.stops.worth.question import FORECAST, Forecasted, ForecastQuestion
from goldthread.stops.worth.words import begins, terms, views
from goldthread.workspace import Workspace

Floats = NDArray[np.float64]
MONTHS = {
    Period.MONTH: 1,
    Period.QUARTER: 3,
    Period.YEAR: 12,
    Period.FISCAL_QUARTER: 3,
    Period.FISCAL_YEAR: 12,
}
MONTHS_AHEAD = (3, 6, 12)
_FIGURES = {
    Forecasted.CUSTOMERS: "customers who order",
    Forecasted.ORDERS: "orders",
    Forecasted.REVENUE: "revenue",
    Forecasted.PROFIT: "gross profit",
}
_FEW = {Shown.HIDDEN: "ends", Shown.SHOWN: "goes on"}
OF_MONEY = frozenset({Forecasted.REVENUE, Forecasted.PROFIT})


@dataclass(frozen=True)
class Ahead:
    """What all cohorts together will bring in the next so many months."""

    months: int
    total: Total


@dataclass(frozen=True, eq=False)
class ForecastAnswer:
    """What the customers on record will bring. ``increments`` : what each cohort brought at each age, float64, shape
    (cohorts, ages); amounts in ten-thousandths."""

    read: Read
    question: ForecastQuestion
    table: CohortTable
    increments: Floats
    found: Outlook

    @property
    def months(self) -> int:
        """Months of a period."""
        return MONTHS[self.question.period.kind]

    @property
    def is_money(self) -> bool:
        return self.question.figure_shown in OF_MONEY

    @cached_property
    def ahead_by_age(self) -> Floats:
        """What each cohort is forecast to bring at each age; float64, shape (cohorts, ages), NaN elsewhere."""
        known, values = self.found.forecast.ladder.cumulative, self.found.forecast.values
        if self.table.age_count == 0:
            return np.full(self.table.customers.shape, np.nan)
        filled = np.where(np.isnan(known), values, known)
        return np.where(np.isnan(values), np.nan, np.diff(filled, axis=1, prepend=0.0))

    @cached_property
    def ahead(self) -> list[Ahead]:
        """The next months that are whole periods; none where nothing is forecast."""
        steps = {months: months // self.months for months in MONTHS_AHEAD if months % self.months == 0}
        totals = [Ahead(months, self.found.forecast.total(count)) for months, count in steps.items()]
        return [each for each in totals if each.total.cohorts]

    @property
    def left_out(self) -> list[str]:
        """Cohorts with customers that take no part, by their names."""
        out = (self.table.size > 0) & self.table.complete[:, :1].any(axis=1) & ~self.found.forecast.ladder.takes_part
        return [self.table.labels[row] for row in np.flatnonzero(out).tolist()]

    @property
    def words(self) -> Words:
        """The question in words, with what was found; where the method did badly before, that comes first."""
        return _words(self)

    def said(self, value: float) -> str:
        """A figure of it in words."""
        return amount_words(value, whole=True) if self.is_money else number_words(round(value))


def ask_forecast(workspace: Workspace, read: Read, question: ForecastQuestion) -> ForecastAnswer:
    """Forecast cohorts. Raises `InvalidInput` for weeks, and a margin or cost that is none."""
    period = question.period
    if period.kind not in MONTHS:
        raise InvalidInput(
            "Weeks are too short to forecast by.", remedy="Choose months, quarters or years.", field="period"
        )
    table = cohort_table_of(workspace, read, read.history, period)
    increments = _increments(workspace, read, question, table)
    seasons = 12 // MONTHS[period.kind]
    manner = Manner(question.small, question.few is Shown.SHOWN, table.first_cohort % seasons, seasons)
    key = ("outlook", *read.key, period, question.figure_shown, margins_of(question), manner)
    found = workspace.answer(
        read.shelved, key, lambda: outlook(increments, table.complete, table.size, seasons, manner)
    )
    return ForecastAnswer(read, question, table, increments, found)


def _increments(workspace: Workspace, read: Read, question: ForecastQuestion, table: CohortTable) -> Floats:
    _ = question.cac_minor
    match question.figure_shown:
        case Forecasted.CUSTOMERS:
            return table.customers.astype(np.float64)
        case Forecasted.ORDERS:
            return table.orders.astype(np.float64)
        case Forecasted.REVENUE:
            return table.revenue_minor.astype(np.float64)
    return costs_of(workspace, read, question, table).gross(table)


def _words(answer: ForecastAnswer) -> Words:
    question, read = answer.question, answer.read
    sentence = [
        begins(FORECAST.name),
        Part(": "),
        Part(_FIGURES[question.figure_shown], "figure"),
        Part(", by "),
        Part(question.period.noun, "period"),
        Part(f"?{_answered(answer)}"),
    ]
    weak = [f"{check_words(answer, each)} " for each in answer.found.checks if each.is_bad]
    manner = [
        *([Part(f"Weak here: {''.join(weak)}")] if weak else []),
        *terms(FORECAST.name),
        Part("Chain ladder: each cohort grows from age to age as earlier ones did"),
        Part(", by the season of the year" if answer.found.by_season else ""),
        Part(". New customers are not invented. Where fewer than three cohorts, or "),
        Part(f"{count_words(question.small, 'customer')}, carry a step, it "),
        Part(_FEW[question.few], "few"),
        Part("."),
    ]
    if question.figure is Forecasted.PROFIT:
        manner += [Part(" Gross margin "), margin_part(read, question), Part(", before CAC.")]
        manner += revenue_is_shown(question)
    manner += whoever_matches(read)
    controls: list[Control] = [
        words_control("figure", "Forecast", question.figure_shown, _FIGURES),
        period_control(read, "Cohorts by", question.period),
        words_control("few", "Where few carry it", question.few, _FEW),
        *cost_controls(read, question),
    ]
    return Words(sentence, manner, [views(FORECAST.name), *controls])


def _answered(answer: ForecastAnswer) -> str:
    """What will come in the furthest of the months ahead."""
    if not answer.ahead:
        return " Too little is complete to say."
    found = answer.ahead[-1]
    low, high = found.total.interval
    bounds = "" if np.isnan(low) else f" (95 % interval {answer.said(low)} to {answer.said(high)})"
    return f" {answer.said(found.total.value)} in the next {found.months} months{bounds}."


def check_words(answer: ForecastAnswer, found: CheckedForecast) -> str:
    """What the same method said in the past, and what came; empty where it said nothing."""
    if not found.horizons:
        return ""
    last = found.horizons[-1]
    months = last.steps * answer.months
    off = (
        ", exactly what came"
        if not last.error
        else f", {abs(100 * last.error):.0f} % too {'high' if last.error > 0 else 'low'}"
    )
    whether = f"its interval held what came at {found.held_count} of {count_words(len(found.horizons), 'horizon')}"
    said = f"{months} months ago it said {answer.said(last.forecast.value)}{off if last.came else ''}"
    return f"{said}; {answer.said(last.came)} came; {whether}."
