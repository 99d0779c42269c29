"""A forecast over the wire and as a table. Money is in the currency's unit; null where nothing is known."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.book.periods import CellState
from goldthread.core.choices import Period
from goldthread.core.forecast.checked import CheckedForecast
from goldthread.core.forecast.ladder import Total
from goldthread.core.limits import CELLS_SHOWN_MOST, limit_cells
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.shape import Shape
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.sheet import Sheet, exact_money, known_numbers, with_first_days
from goldthread.stops.worth.forecast import ForecastAnswer, check_words
from goldthread.stops.worth.question import Forecasted
from goldthread.workspace import Workspace

Floats = NDArray[np.float64]


class ForecastRowShape(Shape):
    """A cohort. ``values`` : what it brought at each age that is over; ``ahead`` : what it is forecast to bring at each
    later one; ``since`` : what came in the period that still runs, null where none does. ``brought`` : by the last age
    that is forecast, with its standard error. ``takes_part`` : it began with something."""

    cohort: str
    size: int
    small: bool
    takes_part: bool
    values: list[float]
    ahead: list[float]
    since: float | None
    brought: float | None
    error: float | None


class TotalShape(Shape):
    """Some cohorts together: their forecast with its 95 % interval, null where there is none."""

    value: float
    low: float | None
    high: float | None
    cohorts: int


class AheadShape(TotalShape):
    """All cohorts together in the next so many months."""

    months: int


class ValueByAgeShape(TotalShape):
    """What a customer will have brought by an age: customer lifetime value by forecast."""

    age: int


class HorizonShape(TotalShape):
    """A past forecast of the next ``months``, and what ``came``. ``error`` : forecast less what came, as a share of
    this; ``held`` : whether the interval held it."""

    months: int
    came: float
    error: float | None
    held: bool


class ForecastCheckShape(Shape):
    """What the same method said so many months ago. ``bad`` : it was far off, or its interval missed what came."""

    months_ago: int
    horizons: list[HorizonShape]
    bad: bool
    words: str


class FactorShape(Shape):
    """How cohorts grow from an age to the next, and how many carry it."""

    age: int
    factor: float | None
    cohorts: int
    customers: int
    few: bool


class ForecastShape(AnswerShape):
    """What the customers on record will bring. ``ages`` : columns up to the last age that is forecast."""

    period: Period
    figure: Forecasted
    is_money: bool
    margin_set: bool
    by_season: bool
    small_below: int
    ages: int
    cohorts: list[ForecastRowShape]
    next: list[AheadShape]
    per_customer: list[ValueByAgeShape]
    checks: list[ForecastCheckShape]
    factors: list[FactorShape]
    left_out: list[str]

    @classmethod
    def of(cls, answer: ForecastAnswer) -> ForecastShape:
        table, found, question = answer.table, answer.found, answer.question
        limit_cells(
            table.cohort_count * table.age_count,
            most=CELLS_SHOWN_MOST,
            remedy="Choose a longer period, or take it as a file.",
            field="period",
        )
        known = found.forecast.ladder
        few = known.few(question.small)
        return cls(
            **header(answer.read, answer.words),
            period=question.period.kind,
            figure=question.figure_shown,
            is_money=answer.is_money,
            margin_set=question.margin_set,
            by_season=found.by_season,
            small_below=question.small,
            ages=max(found.forecast.end, int(known.last_age.max(initial=-1))) + 1,
            cohorts=_rows(answer),
            next=[AheadShape(months=each.months, **_total(answer, each.total)) for each in answer.ahead],
            per_customer=_per_customer(answer),
            checks=[_check(answer, each) for each in found.checks if each.horizons],
            factors=[
                FactorShape(
                    age=age,
                    factor=None if np.isnan(known.factors[age]) else round(float(known.factors[age]), 6),
                    cohorts=int(known.cohorts[age]),
                    customers=int(known.customers[age]),
                    few=bool(few[age]),
                )
                for age in range(known.factors.size)
            ],
            left_out=answer.left_out,
        )


def _unit(answer: ForecastAnswer, value: float) -> float:
    return round(float(value) / (MINOR_PER_UNIT if answer.is_money else 1), 4)


def _or_none(answer: ForecastAnswer, value: float) -> float | None:
    return None if np.isnan(value) else _unit(answer, value)


def _total(answer: ForecastAnswer, total: Total, share: float = 1.0) -> dict[str, float | int | None]:
    low, high = total.interval
    bounds = {"low": _or_none(answer, low * share), "high": _or_none(answer, high * share)}
    return {"value": _unit(answer, total.value * share), "cohorts": total.cohorts, **bounds}


def _rows(answer: ForecastAnswer) -> list[ForecastRowShape]:
    """The cohorts that have customers."""
    small = answer.table.small(answer.question.small)
    return [_row(answer, row, bool(small[row])) for row in np.flatnonzero(answer.table.size).tolist()]


def _row(answer: ForecastAnswer, row: int, small: bool) -> ForecastRowShape:
    table, forecast = answer.table, answer.found.forecast
    over = int(table.complete[row].sum())
    runs = over < table.age_count and table.state[row, over] == CellState.PARTIAL
    ahead = answer.ahead_by_age[row]
    end = forecast.end
    last = int(forecast.ladder.last_age[row])
    is_forecast = 0 <= last < end
    return ForecastRowShape(
        cohort=table.labels[row],
        size=int(table.size[row]),
        small=small,
        takes_part=last >= 0,
        values=[_unit(answer, value) for value in answer.increments[row, :over].tolist()],
        ahead=[_unit(answer, value) for value in ahead[~np.isnan(ahead)].tolist()],
        since=_unit(answer, answer.increments[row, over]) if runs else None,
        brought=_or_none(answer, forecast.values[row, end]) if is_forecast else None,
        error=_or_none(answer, forecast.errors[row, end]) if is_forecast else None,
    )


def _per_customer(answer: ForecastAnswer) -> list[ValueByAgeShape]:
    """Per customer of the cohorts that take part, by a year and by the last age that is forecast."""
    forecast = answer.found.forecast
    size = int(answer.table.size[forecast.ladder.takes_part].sum())
    ages = sorted({min(12 // answer.months, forecast.end), forecast.end})
    if not size or not forecast.end:
        return []
    return [ValueByAgeShape(age=age, **_total(answer, forecast.by_age(age), 1 / size)) for age in ages]


def _check(answer: ForecastAnswer, found: CheckedForecast) -> ForecastCheckShape:
    return ForecastCheckShape(
        months_ago=found.steps_ago * answer.months,
        horizons=[
            HorizonShape(
                months=each.steps * answer.months,
                came=_unit(answer, each.came),
                error=None if np.isnan(each.error) else round(each.error, 6),
                held=each.held,
                **_total(answer, each.forecast),
            )
            for each in found.horizons
        ],
        bad=found.is_bad,
        words=check_words(answer, found),
    )


def forecast_sheet(_workspace: Workspace, answer: ForecastAnswer) -> Sheet:
    """One row per cohort and age: what came, over or still running, or a forecast with the standard error of what the
    cohort will have brought by then."""
    table, forecast = answer.table, answer.found.forecast
    ahead = answer.ahead_by_age
    shown = table.observed | ~np.isnan(ahead)
    rows, ages = np.nonzero(shown)
    is_ahead = ~np.isnan(ahead[rows, ages])
    # what still runs is told as it is, and as it is forecast, in a row each
    runs = np.flatnonzero(is_ahead & table.observed[rows, ages])
    places = np.sort(np.concatenate((np.arange(rows.size), runs)), kind="stable")
    again = np.concatenate((places[1:] == places[:-1], [False]))
    rows, ages = rows.take(places), ages.take(places)
    forecasted = is_ahead.take(places) & ~again
    values = np.where(forecasted, ahead[rows, ages], answer.increments[rows, ages])
    states = np.where(forecasted, "forecast", np.where(table.complete[rows, ages], "complete", "partial"))
    named = answer.question.figure_shown.value
    error = np.where(forecasted, forecast.errors[rows, ages], np.nan)
    found = pa.table(
        {
            "cohort": pa.array([table.labels[row] for row in rows.tolist()], pa.large_string()),
            "size": table.size.take(rows),
            "age": ages,
            "state": pa.array(states.tolist(), pa.large_string()),
            named: _column(answer, values),
            "standard_error": _column(answer, error),
        }
    )
    return Sheet(sentences(answer.read, answer.words), with_first_days(found, "cohort", table.period))


def _column(answer: ForecastAnswer, values: Floats) -> pa.Array:
    if not answer.is_money:
        return known_numbers(np.round(values, 2))
    missing = np.isnan(values)
    return exact_money(np.rint(np.where(missing, 0.0, values) / 100).astype(np.int64) * 100, missing)
