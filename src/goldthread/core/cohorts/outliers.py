"""What stands out: cohorts unlike their neighbours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.cohorts.table import CohortCounts

Int64s = NDArray[np.int64]
STANDARD_ERRORS = 3.0
APART_SHARE = 0.05
NEIGHBOURS_EACH_SIDE = 2


@dataclass(frozen=True)
class Apart:
    """A cohort that came back more or less than those beside it. ``age``: the last age that is complete for all of
    them; shares are of customers with an order at an age from 1 to that, the neighbours' being their median."""

    row: int
    age: int
    share: float
    neighbours_share: float


def cohorts_apart(counts: CohortCounts) -> list[Apart]:
    """Cohorts whose share of customers that came back differs from the median of the two cohorts before and after, by
    more than three standard errors of a difference from all of them together and more than five points.

    The median, so that one strange cohort does not make its neighbours look strange.
    """
    complete = counts.complete.sum(axis=1) - 1
    found = []
    rows = np.flatnonzero((counts.size > 0) & (complete >= 1)).tolist()
    for place, row in enumerate(rows):
        before, after = rows[max(0, place - NEIGHBOURS_EACH_SIDE) : place], rows[place + 1 :][:NEIGHBOURS_EACH_SIDE]
        beside = [*before, *after]
        if len(beside) < NEIGHBOURS_EACH_SIDE:
            continue
        age = int(min(complete[each] for each in [row, *beside]))
        size, sizes = int(counts.size[row]), counts.size[beside]
        came, came_beside = int(counts.came_back_by[row, age]), counts.came_back_by[beside, age]
        share, usual = came / size, float(np.median(came_beside / sizes))
        together = (came + int(came_beside.sum())) / (size + int(sizes.sum()))
        error = float(np.sqrt(together * (1 - together) * (1 / size + 1 / int(sizes.sum()))))
        if abs(share - usual) > max(STANDARD_ERRORS * error, APART_SHARE):
            found.append(Apart(row, age, share, usual))
    return found
