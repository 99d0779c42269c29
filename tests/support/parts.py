"""Parts of a book that are asked one after another in this process, by values that were sent."""

from __future__ import annotations

import pickle
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import add
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.part import BookPart
from goldthread.core.history.history import History, HistoryRule, read_history
from goldthread.core.history.of_parts import AskedOfParts, HistoryOfParts, Reading

ASKED = set[str]()
"""What parts were asked so far, by its names."""


def sent(value: Any) -> Any:
    """What arrives when a value is sent to another process."""
    return pickle.loads(pickle.dumps(value))  # noqa: S301 - it is our own


def history_of_parts(parts: Sequence[BookPart], whole: Any, rule: HistoryRule) -> HistoryOfParts:
    """A history of a whole book that is asked of its parts."""

    def ask(reading: Reading, work: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
        ASKED.add(work.__qualname__)
        read, asked, values, more = sent((reading, work, given, named))
        # parts answer in any order
        found = [
            sent(asked(read.of(part), *values, **more)) for part in random.Random(len(ASKED)).sample(parts, len(parts))
        ]
        return reduce(add, found)

    parted = AskedOfParts(Reading(rule), ask)
    return HistoryOfParts.read_by(rule, whole, parted, lambda: read_history(whole, rule), among=False)


@dataclass(frozen=True, eq=False)
class GroupsGiven:
    """The group of each customer as it is given, whatever the history."""

    codes: NDArray[np.integer[Any]]

    def __call__(self, _history: History) -> NDArray[np.integer[Any]]:
        return self.codes
