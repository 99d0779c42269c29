"""What the same method would have said in the past, and what came (``docs/definitions.md``, section 14)."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.forecast.ladder import Forecast, Ladder, Manner, Total, known_before, ladder_of

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
YEARS_LEAST = 3
ERROR_MOST = 0.2
"""A forecast that was further from what came than this share of it was bad."""


@dataclass(frozen=True)
class Horizon:
    """The next ``steps`` periods as they were forecast then, and what came of the same cohorts."""

    steps: int
    forecast: Total
    came: float

    @property
    def error(self) -> float:
        """Forecast less what came, as a share of what came; NaN where nothing did."""
        return (self.forecast.value - self.came) / self.came if self.came else float("nan")

    @property
    def held(self) -> bool:
        """Whether the interval held what came."""
        low, high = self.forecast.interval
        return bool(low <= self.came <= high)


@dataclass(frozen=True)
class CheckedForecast:
    """A forecast of so many periods ago at every horizon up to now, the shortest first."""

    steps_ago: int
    horizons: tuple[Horizon, ...]

    @property
    def held_count(self) -> int:
        """At how many of the horizons the interval held what came."""
        return sum(each.held for each in self.horizons)

    @property
    def is_bad(self) -> bool:
        """Whether all together, up to now, lay outside the interval, or further than `ERROR_MOST` from what came."""
        if not self.horizons:
            return False
        last = self.horizons[-1]
        return not last.held or not abs(last.error) <= ERROR_MOST


def checked(increments: Floats, complete: Mask, size: Int64s, steps_ago: int, manner: Manner) -> CheckedForecast:
    """Ask the method as of so many periods ago, with the cells alone that were over by then. Where few carry a factor,
    what came is that of the ages that were forecast."""
    before = ladder_of(increments, known_before(complete, steps_ago), size)
    forecast = manner.forecast(before)
    cumulative = np.where(complete, increments, 0.0).cumsum(axis=1)
    found = []
    for steps in range(1, steps_ago + 1):
        total = forecast.total(steps)
        if total.cohorts:
            found.append(Horizon(steps, total, _came(cumulative, before, steps, forecast.end)))
    return CheckedForecast(steps_ago, tuple(found))


def _came(cumulative: Floats, before: Ladder, steps: int, end: int) -> float:
    """What the cohorts that were forecast brought in the periods that were."""
    until = np.minimum(before.last_age + steps, end)
    rows = np.flatnonzero((before.last_age >= 0) & (until > before.last_age))
    brought = cumulative[rows, until.take(rows)] - cumulative[rows, before.last_age.take(rows)]
    return float(brought.sum())


@dataclass(frozen=True, eq=False)
class Outlook:
    """What cohorts will bring, and what the same method said in the past. ``by_season`` : its factors are those of the
    seasons of a year."""

    forecast: Forecast
    by_season: bool
    checks: tuple[CheckedForecast, ...]


def outlook(increments: Floats, complete: Mask, size: Int64s, year_steps: int, manner: Manner) -> Outlook:
    """Forecast, and ask the same a year and half a year ago, where these are whole periods.

    ``year_steps`` : periods of a year. Factors by season are taken where three years are complete, and only when their
    error was smaller on every past date.
    """
    if increments.shape[1] == 0:
        increments, complete = np.zeros((size.size, 1)), np.zeros((size.size, 1), np.bool_)
    dates = [steps for steps in (year_steps, year_steps // 2) if steps]

    def asked(how: Manner) -> tuple[CheckedForecast, ...]:
        return tuple(checked(increments, complete, size, steps, how) for steps in dates)

    plain = replace(manner, seasons=1)
    checks, by_season = asked(plain), False
    lasts = int(complete.sum(axis=1).max(initial=0)) >= YEARS_LEAST * year_steps
    if manner.seasons > 1 and lasts:
        other = asked(manner)
        by_season = all(_error(one) < _error(two) for one, two in zip(other, checks, strict=True))
        checks = other if by_season else checks
    found = (manner if by_season else plain).forecast(ladder_of(increments, complete, size))
    return Outlook(found, by_season, checks)


def _error(found: CheckedForecast) -> float:
    return abs(found.horizons[-1].error) if found.horizons else float("nan")
