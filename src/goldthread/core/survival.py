"""Time to an event that has not come for everybody yet.

The product-limit estimate: E. L. Kaplan and P. Meier, "Nonparametric estimation from incomplete observations", Journal
of the American Statistical Association 53 (1958), 457–481. Its variance: M. Greenwood, "The natural duration of
cancer", Reports on Public Health and Medical Subjects 33 (1926); the interval is made on the scale of log(−log S), as
in J. D. Kalbfleisch and R. L. Prentice, The Statistical Analysis of Failure Time Data (1980), section 1.3. Groups are
compared by the log-rank test: N. Mantel, "Evaluation of survival data and two new rank order statistics arising in its
consideration", Cancer Chemotherapy Reports 50 (1966), 163–170.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincc

from goldthread.core.intervals import Z_95
from goldthread.core.parts import Sums

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TimesToEvent(Sums):
    """How many had the event, and how many were last seen without it, at each age in whole days.

    ``events``, ``censored`` : int64, shape (groups, longest age + 1). Who is last seen at an age is at risk at it.
    """

    events: Int64s
    censored: Int64s

    @property
    def at_risk(self) -> Int64s:
        """Those whose event had not come and who were still watched when the day began; int64, same shape."""
        leaving = self.events + self.censored
        at_risk: Int64s = np.cumsum(leaving[:, ::-1], axis=1)[:, ::-1]
        return at_risk

    @property
    def of_group(self) -> Int64s:
        """How many each group holds; int64, shape (groups,)."""
        return self.at_risk[:, 0]


@dataclass(frozen=True, eq=False)
class Curve:
    """The share who had the event by the end of each age; float64, shape (groups, ages), NaN where nobody is watched
    any more. ``low`` and ``high`` bound it at 95 %; NaN while nobody, or everybody, had it."""

    share: Floats
    low: Floats
    high: Floats


def times_to_event(
    age_days: NDArray[np.int32], happened: NDArray[np.bool_], group: Int64s, groups: int
) -> TimesToEvent:
    """Count ages: those at which the event came, and those at which somebody was last seen without it."""
    ages = int(age_days.max(initial=0)) + 1
    cells = group * ages + age_days
    events = np.bincount(cells[happened], minlength=groups * ages).reshape(groups, ages)
    censored = np.bincount(cells[~happened], minlength=groups * ages).reshape(groups, ages)
    return TimesToEvent(events, censored)


def stacked(one: TimesToEvent, other: TimesToEvent) -> TimesToEvent:
    """The groups of both, those of the first one first."""
    ages = max(one.events.shape[1], other.events.shape[1])

    def together(*tables: Int64s) -> Int64s:
        return np.concatenate([np.pad(table, ((0, 0), (0, ages - table.shape[1]))) for table in tables])

    return TimesToEvent(together(one.events, other.events), together(one.censored, other.censored))


def product_limit(times: TimesToEvent) -> Curve:
    """The estimate of every group at every age."""
    at_risk, events = times.at_risk, times.events
    watched = np.maximum(at_risk, 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        without = np.cumprod(1 - events / watched, axis=1)
        growth = np.cumsum(np.where(events > 0, events / (watched * (watched - events)), 0.0), axis=1)
        spread = Z_95 * np.sqrt(growth) / np.abs(np.log(without))
        low, high = 1 - without ** np.exp(-spread), 1 - without ** np.exp(spread)
    beyond = at_risk == 0
    certain = (without <= 0) | (without >= 1)
    return Curve(
        *(
            np.where(beyond | undefined, np.nan, values)
            for values, undefined in ((1 - without, False), (low, certain), (high, certain))
        )
    )


def age_of_share(curve: Curve, share: float) -> list[int | None]:
    """The first age by which a share of each group had the event; None where it is not reached yet."""
    reached = curve.share >= share - 1e-12
    return [int(row.argmax()) if row.any() else None for row in reached]


def log_rank(times: TimesToEvent) -> tuple[float, float]:
    """Chi-square of the log-rank test over all groups, and the chance of one as large; NaN for fewer than two groups
    with anybody in them, or where nothing happened."""
    present = times.of_group > 0
    events, at_risk = times.events[present], times.at_risk[present]
    groups = events.shape[0]
    all_events, everybody = events.sum(axis=0), at_risk.sum(axis=0)
    counted = (all_events > 0) & (everybody > 1)
    if groups < 2 or not counted.any():
        return float("nan"), float("nan")
    events, at_risk = events[:, counted], at_risk[:, counted]
    d, n = all_events[counted], everybody[counted].astype(np.float64)
    parts = at_risk / n
    excess = (events - d * parts).sum(axis=1)[:-1]
    scale = d * (n - d) / (n - 1)
    covariance = -(parts * scale) @ parts.T
    covariance[np.diag_indices(groups)] += (parts * scale).sum(axis=1)
    statistic = float(excess @ np.linalg.lstsq(covariance[:-1, :-1], excess, rcond=None)[0])
    return statistic, float(gammaincc((groups - 1) / 2, statistic / 2))
