"""The gaps of everybody's first steps: what is usual at a step is known from all customers, never from some."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
Ended = tuple[Int64s, Int64s, Int64s]
"""Days on which gaps ended, how long these were, and how many of each; int64."""


@dataclass(frozen=True, eq=False)
class StepGaps:
    """How many gaps of each length ended on each day, step by step from the first on.

    Parts of a book must know those of all parts before a rule that goes by usual gaps can be read.
    """

    steps: tuple[Ended, ...]

    @classmethod
    def of(cls, steps: Iterable[tuple[Int64s, Int64s]]) -> StepGaps:
        """From the days on which gaps ended and how long these were, step by step."""
        return cls(tuple(_collected(day, gap, np.ones(day.size, np.int64)) for day, gap in steps))

    def __add__(self, other: StepGaps) -> StepGaps:
        """Those of two parts of a book."""
        both = (zip(*each, strict=True) for each in zip(self.steps, other.steps, strict=True))
        return StepGaps(tuple(_collected(*map(np.concatenate, columns)) for columns in both))

    def up_to(self, last_day: int) -> StepGaps:
        """The gaps that had ended by a day."""
        return StepGaps(tuple(_kept(ended, ended[0] <= last_day) for ended in self.steps))

    def median_days(self, step: int) -> float:
        """The median gap from the order of this rank to the next; NaN where nobody made the step."""
        _, gap, count = self.steps[step - 1]
        if gap.size == 0:
            return float("nan")
        order = np.argsort(gap)
        return median_of(gap.take(order), count.take(order))


class StepsUnknown(Exception):
    """A part of a book was asked for what only all parts together know: they must be asked for their steps first."""


class StepsLater(StepGaps):
    """The gaps of all parts, which are asked for when somebody first reads them."""

    def __init__(self, ask: Callable[[], StepGaps]) -> None:
        """``ask`` : gives them."""
        self.__dict__["_ask"] = ask

    @property
    def steps(self) -> tuple[Ended, ...]:
        found: StepGaps = self.__dict__["_ask"]()
        return found.steps


def unknown_steps() -> StepGaps:
    """In place of the gaps of all parts, where nobody has asked for them yet. Raises `StepsUnknown`."""
    raise StepsUnknown


def median_of(ascending: Int64s, count: Int64s) -> float:
    """The median of values of which each comes so many times."""
    up_to = count.cumsum()
    middle = [(int(up_to[-1]) - 1) // 2, int(up_to[-1]) // 2]
    return float(ascending.take(np.searchsorted(up_to, middle, side="right")).mean())


def _kept(ended: Ended, mask: NDArray[np.bool_]) -> Ended:
    day, gap, count = (column[mask] for column in ended)
    return day, gap, count


def _collected(day: Int64s, gap: Int64s, count: Int64s) -> Ended:
    """Each day and length once, by both."""
    order = np.lexsort((gap, day))
    day, gap, count = day.take(order), gap.take(order), count.take(order)
    begins = np.flatnonzero((np.diff(day, prepend=-1) != 0) | (np.diff(gap, prepend=-1) != 0))
    counts = np.add.reduceat(count, begins) if begins.size else count
    return day.take(begins), gap.take(begins), counts
