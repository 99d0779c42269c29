"""How the results of parts of a book add up: a part holds a range of its customers, with all their orders.

Customers of different parts are different people, so whatever counts customers, orders or amounts of a part adds up to
that of the whole. A result that does is a dataclass with ``+``; the arrays of both are laid on one axis first, since a
part may begin later, or lack a label. What a part cannot know by itself is found in a first round, of results that add
up as well, and given to the second one: `StepGaps` (`core.book.steps`), `WaitLabels` (`core.rhythm.waits`) and
`GroupSizes` (`core.worth.bands`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Integers = NDArray[Any]
Run = tuple[int, int]
"""The first of some whole numbers, and how many follow each other from there."""


@dataclass(frozen=True, eq=False)
class Together:
    """One axis for the arrays of two results. ``one``, ``other``, ``keys`` : what the entries of these arrays, and of
    both together, stand for, such as periods or codes of labels; int64, ascending."""

    one: Int64s
    other: Int64s
    keys: Int64s

    @classmethod
    def by_code(cls, one: Int64s, other: Int64s) -> Together:
        """Entries that stand for codes, of which either may lack some."""
        return cls(one, other, np.union1d(one, other))

    @classmethod
    def by_period(cls, one: Run, other: Run) -> Together:
        """Entries that stand for periods which follow each other without a gap, from the first on."""
        runs = [each for each in (one, other) if each[1]] or [one]
        first, end = min(each[0] for each in runs), max(map(sum, runs))
        return cls(*(np.arange(start, start + count) for start, count in (one, other, (first, end - first))))

    @property
    def first(self) -> int:
        """The first entry of both; 0 where there is none."""
        return int(self.keys[0]) if self.keys.size else 0

    def labels(self, one: Sequence[str], other: Sequence[str]) -> tuple[str, ...]:
        """The labels of the codes of both."""
        named = dict(zip(self.one.tolist(), one, strict=True)) | dict(zip(self.other.tolist(), other, strict=True))
        return tuple(named[code] for code in self.keys.tolist())

    def both(self, one: Integers, other: Integers, absent: int = 0, axis: int = 0) -> tuple[Integers, Integers]:
        """Two arrays on the axis of both. ``absent`` : what stands where there is no entry."""
        laid = []
        for values, keys in ((one, self.one), (other, self.other)):
            shape = list(values.shape)
            shape[axis] = self.keys.size
            whole = np.full(shape, absent, values.dtype)
            here: list[Any] = [slice(None)] * values.ndim
            here[axis] = np.searchsorted(self.keys, keys)
            whole[tuple(here)] = values
            laid.append(whole)
        return laid[0], laid[1]

    def of(
        self, one: Integers, other: Integers, how: Callable[..., Integers] = np.add, absent: int = 0, axis: int = 0
    ) -> Integers:
        """Two arrays as one. Further axes begin alike, and the shorter one is filled up."""
        laid = self.both(one, other, absent, axis)
        longest = [max(lengths) for lengths in zip(*(each.shape for each in laid), strict=True)]
        missing = ([(0, end - length) for end, length in zip(longest, each.shape, strict=True)] for each in laid)
        return how(*(np.pad(each, ends, constant_values=absent) for each, ends in zip(laid, missing, strict=True)))


class Sums:
    """A result whose fields add up one by one: arrays that begin alike, whole numbers, and results of this kind. What
    else it holds, such as labels, both have in common. One that also knows a history gives the counts alone."""

    def __add__(self, other: Self) -> Self:
        """The same question of two parts of a book."""
        counts = next(kind for kind in type(self).__mro__ if Sums in kind.__bases__)
        found: Self = counts(**{name: _sum(getattr(self, name), getattr(other, name)) for name in _fields(counts)})
        return found


def _fields(kind: Any) -> list[str]:
    return [each.name for each in fields(kind)]


def _sum(one: Any, other: Any) -> Any:
    if isinstance(one, np.ndarray):
        return added(one, other)
    return one + other if isinstance(one, int | Sums) else one


def added(one: Integers, other: Integers) -> Integers:
    """The sum of two arrays that begin alike; the shorter one is filled up with zeros."""
    return Together.by_period((0, one.shape[0]), (0, other.shape[0])).of(one, other)
