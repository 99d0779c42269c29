"""The rest of a cohort table by the chain ladder, with its standard error (``docs/definitions.md``, section 14).

T. Mack, "Distribution-free calculation of the standard error of chain ladder reserve estimates", ASTIN Bulletin 23
(1993), 213–225. What a cohort brought by an age is multiplied by the development factors of the ages that follow; the
error of a cohort, and of several together, has a part by chance and a part by what the factors themselves are not sure
of, which cohorts share.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.intervals import Z_95

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]
COHORTS_LEAST = 3
"""A factor that fewer cohorts carry is few."""
SEASON_WEIGHT = 3
"""As many cohorts as the factor of all seasons counts for beside those of one."""


@dataclass(frozen=True, eq=False)
class Ladder:
    """A triangle and its development factors, of an age to the next.

    Attributes
    ----------
    cumulative : float64, shape (cohorts, ages), what each cohort has brought by each age; NaN where not complete, and
        of cohorts that take no part
    last_age : int64, shape (cohorts,), the largest complete age; −1 of cohorts that take no part
    factors : float64, shape (ages − 1,); NaN where no cohort carries one
    variances : float64, shape (ages − 1,), Mack's σ² of each factor; NaN where unknown
    carried : float64, shape (ages − 1,), what the cohorts that carry a factor had brought by the age before it
    cohorts, customers : int64, shape (ages − 1,), how many carry a factor
    """

    cumulative: Floats
    last_age: Int64s
    factors: Floats
    variances: Floats
    carried: Floats
    cohorts: Int64s
    customers: Int64s

    @property
    def takes_part(self) -> Mask:
        """Cohorts with something in their first period and never less than nothing; bool, shape (cohorts,)."""
        found: Mask = self.last_age >= 0
        return found

    def few(self, small_below: int) -> Mask:
        """Factors that few cohorts or customers carry; bool, shape (ages − 1,)."""
        return (self.cohorts < COHORTS_LEAST) | (self.customers < small_below)

    def end(self, small_below: int, *, few_shown: bool) -> int:
        """The largest age that is forecast: before the first factor that few carry, or that is unknown."""
        out = ~(self.factors > 0) | (np.zeros(self.factors.size, np.bool_) if few_shown else self.few(small_below))
        stops = np.flatnonzero(out)
        return int(stops[0]) if stops.size else int(self.factors.size)

    def forecast(self, end: int) -> Forecast:
        """The triangle filled up to an age."""
        return Forecast(self, end, np.broadcast_to(self.factors, (self.last_age.size, self.factors.size)))

    def by_season(self, first_season: int, seasons: int) -> tuple[Ladder, Floats]:
        """The same with factors by the season of the later period, and those of each cohort; float64, shape (cohorts,
        ages − 1).

        ``first_season`` : that of the first cohort's period, 0 … seasons − 1. A factor of a season is drawn to that of
        all seasons by how few cohorts carry it: its weight is n / (n + 3).
        """
        season = (
            first_season + np.add.outer(np.arange(self.last_age.size), np.arange(1, self.factors.size + 1))
        ) % seasons
        before, after = self.cumulative[:, :-1], self.cumulative[:, 1:]
        paths = np.broadcast_to(self.factors, before.shape).copy()
        carries = ~np.isnan(after) & (before > 0)
        for each in range(seasons):
            mine = season == each
            carried = np.where(carries & mine, before, 0.0).sum(axis=0)
            count = (carries & mine).sum(axis=0)
            own = np.where(carries & mine, after, 0.0).sum(axis=0) / np.where(carried > 0, carried, np.nan)
            drawn = (count * own + SEASON_WEIGHT * self.factors) / (count + SEASON_WEIGHT)
            paths = np.where(mine & (count > 0), drawn, paths)
        return replace(self, variances=_variances(np.nan_to_num(before), np.nan_to_num(after), paths, carries)), paths


@dataclass(frozen=True, eq=False)
class Forecast:
    """A triangle filled up to the age ``end``. ``paths`` : the factors of each cohort, float64, shape (cohorts,
    ages − 1)."""

    ladder: Ladder
    end: int
    paths: Floats

    @cached_property
    def values(self) -> Floats:
        """What each cohort will have brought by each age; float64, shape (cohorts, ages), NaN where it is complete, and
        beyond `end`."""
        ages = np.arange(self.ladder.cumulative.shape[1])
        last = self.ladder.last_age[:, None]
        ahead = (ages > last) & (ages <= self.end) & (last >= 0) & (last <= self.end)
        with np.errstate(invalid="ignore", divide="ignore"):
            reached = self._latest[:, None] * self._growth / self._at_last(self._growth)
        return np.where(ahead, reached, np.nan)

    @cached_property
    def errors(self) -> Floats:
        """The standard error of each of them; float64, the same shape, NaN where there is none."""
        with np.errstate(invalid="ignore", divide="ignore"):
            chance = _prefix(self.ladder.variances / self.paths**2 / self._growth[:, :-1])
        by_chance = (chance - self._at_last(chance)) * self._at_last(self._growth) / self._latest[:, None]
        by_factors = self._shared - self._shared.take(np.maximum(self.ladder.last_age, 0))[:, None]
        return np.sqrt(self.values**2 * (by_chance + by_factors))

    def total(self, steps: int) -> Total:
        """What all cohorts together will bring in the next so many periods, or up to `end` where that is nearer."""
        return self._together(np.minimum(self.ladder.last_age + steps, self.end))

    def by_age(self, age: int) -> Total:
        """What all cohorts that take part will have brought by an age, what they have brought already included."""
        ahead = self._together(np.where(self.ladder.last_age >= 0, age, -1))
        known = self.ladder.cumulative[:, age]
        beyond = float(np.nansum(np.where(self.ladder.last_age < age, self._latest, known)))
        return replace(ahead, value=ahead.value + beyond, cohorts=int(np.count_nonzero(self.ladder.takes_part)))

    def _together(self, until: Int64s) -> Total:
        """What cohorts will bring up to an age of each; −1 for none."""
        last = self.ladder.last_age
        rows = np.flatnonzero((last >= 0) & (until > last))
        begins, ends = last.take(rows), until.take(rows)
        reached, latest = self.values[rows, ends], self._latest.take(rows)
        shared = self._shared
        both = shared[np.minimum.outer(ends, ends)] - shared[np.maximum.outer(begins, begins)]
        apart = np.multiply.outer(reached, reached) * np.maximum(both, 0)
        np.fill_diagonal(apart, self.errors[rows, ends] ** 2)
        return Total(float((reached - latest).sum()), float(np.sqrt(apart.sum())), int(rows.size))

    @cached_property
    def _latest(self) -> Floats:
        """What each cohort has brought by its last complete age; NaN for those that take no part."""
        last = self.ladder.last_age
        found = self.ladder.cumulative[np.arange(last.size), np.maximum(last, 0)]
        return np.where(last >= 0, found, np.nan)

    @cached_property
    def _growth(self) -> Floats:
        """The product of the factors before each age; float64, shape (cohorts, ages)."""
        return np.concatenate((np.ones((self.paths.shape[0], 1)), np.cumprod(self.paths, axis=1)), axis=1)

    @cached_property
    def _shared(self) -> Floats:
        """The part of the squared relative error up to each age that cohorts share; float64, shape (ages,)."""
        carried = np.where(self.ladder.carried > 0, self.ladder.carried, np.nan)
        shared: Floats = _prefix((self.ladder.variances / self.ladder.factors**2 / carried)[None])[0]
        return shared

    def _at_last(self, values: Floats) -> Floats:
        """Values by cohort and age at the last age of each cohort; float64, shape (cohorts, 1)."""
        found: Floats = np.take_along_axis(values, np.maximum(self.ladder.last_age, 0)[:, None], axis=1)
        return found


def _prefix(values: Floats) -> Floats:
    """Sums of the values before each age; float64, shape (rows, ages)."""
    return np.concatenate((np.zeros((values.shape[0], 1)), np.cumsum(values, axis=1)), axis=1)


@dataclass(frozen=True)
class Total:
    """What some cohorts together will bring: its expectation, its standard error, and how many cohorts they are."""

    value: float
    error: float
    cohorts: int

    @property
    def interval(self) -> tuple[float, float]:
        """The 95 % interval of a log-normal distribution with this mean and error; NaN where there is none."""
        if not (self.value > 0 and np.isfinite(self.error)):
            return float("nan"), float("nan")
        spread = np.sqrt(np.log1p((self.error / self.value) ** 2))
        middle = np.log(self.value) - spread**2 / 2
        return float(np.exp(middle - Z_95 * spread)), float(np.exp(middle + Z_95 * spread))


@dataclass(frozen=True)
class Manner:
    """How a triangle is filled. ``small_below`` : how many customers a factor wants. ``few_shown`` : it goes on where
    few carry one. ``first_season``, ``seasons`` : the season of the first cohort's period, and how many a year has; 1
    for none."""

    small_below: int
    few_shown: bool = False
    first_season: int = 0
    seasons: int = 1

    def forecast(self, known: Ladder) -> Forecast:
        """Fill a triangle."""
        end = known.end(self.small_below, few_shown=self.few_shown)
        if self.seasons == 1:
            return known.forecast(end)
        seasonal, paths = known.by_season(self.first_season, self.seasons)
        return Forecast(seasonal, end, paths)


def ladder_of(increments: Floats, complete: Mask, size: Int64s) -> Ladder:
    """The triangle of what cohorts brought at each age. ``complete`` : the ages of each that are over, from 0 on.

    A cohort with nothing in its first period, or less than nothing by any age, takes no part.
    """
    known = complete & (size > 0)[:, None]
    cumulative = np.where(known, increments, 0.0).cumsum(axis=1)
    part = known[:, :1].any(axis=1) & (cumulative[:, 0] > 0) & (np.where(known, cumulative, 0.0) >= 0).all(axis=1)
    known &= part[:, None]
    cumulative = np.where(known, cumulative, np.nan)
    last_age = np.where(part, known.sum(axis=1) - 1, -1).astype(np.int64)
    carries = known[:, 1:]
    before, after = np.where(carries, cumulative[:, :-1], 0.0), np.where(carries, cumulative[:, 1:], 0.0)
    carried, cohorts = before.sum(axis=0), carries.sum(axis=0).astype(np.int64)
    factors = after.sum(axis=0) / np.where(carried > 0, carried, np.nan)
    return Ladder(
        cumulative,
        last_age,
        factors,
        _variances(before, after, factors, carries),
        carried,
        cohorts,
        np.where(carries, size[:, None], 0).sum(axis=0),
    )


def _variances(before: Floats, after: Floats, factors: Floats, carries: Mask) -> Floats:
    """Mack's σ² of each factor, from how far cohorts were from it."""
    counted, cohorts = carries & (before > 0), carries.sum(axis=0)
    apart = np.where(counted, (after - before * factors) ** 2 / np.where(counted, before, 1.0), 0.0).sum(axis=0)
    return _last_variances(apart / np.where(cohorts > 1, cohorts - 1, np.nan), cohorts)


def _last_variances(variances: Floats, cohorts: Int64s) -> Floats:
    """Mack's choice for a factor that one cohort alone carries: not above either of the two before it, and falling as
    they do."""
    found = variances.copy()
    for age in np.flatnonzero(cohorts == 1).tolist():
        if age >= 2:
            one, two = found[age - 1], found[age - 2]
            found[age] = min(one**2 / two, one, two) if two > 0 else 0.0
    return found


def known_before(complete: Mask, steps: int) -> Mask:
    """What of a triangle was complete so many periods earlier: the cells whose calendar period was over by then."""
    period = np.add.outer(np.arange(complete.shape[0]), np.arange(complete.shape[1]))
    last = int(period[complete].max(initial=-1))
    return complete & (period <= last - steps)
