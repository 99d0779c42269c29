"""New and returning by the labels of orders."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import most_frequent
from goldthread.core.history.history import History
from goldthread.core.history.labels import LabelCounts, Labels
from goldthread.core.parts import adds_up
from goldthread.core.threads.listing import positions_shown

Int64s = NDArray[np.int64]


@adds_up
def orders_by_label(history: History, by: Labels) -> LabelCounts:
    """Count the shown orders by a label."""
    return LabelCounts.of(by(history), positions_shown(history))


@dataclass(frozen=True)
class Showing:
    """A history that shows the orders of some labels alone, by their codes."""

    by: Labels
    codes: tuple[int, ...]

    def __call__(self, history: History) -> History:
        labels = self.by(history)
        wanted = np.zeros(len(labels.labels), np.bool_)
        wanted[list(self.codes)] = True
        shown = wanted.take(labels.codes)
        return replace(history, shown=shown if history.shown is None else shown & history.shown)


def label_groups(history: History, by: Labels, most: int) -> list[tuple[str, History]]:
    """The history showing the orders of one label at a time, the most frequent first, those beyond ``most`` together.

    First orders stay those of the whole history: an order is new by its rank, whatever its label.
    """
    counted = orders_by_label(history, by)
    alone, merged = most_frequent(counted.counts, counted.labels, most)
    together = [(counted.labels[code], (code,)) for code in alone.tolist()]
    if merged.size:
        together.append((f"{merged.size} others", tuple(merged.tolist())))
    return [(label, history.made_into(Showing(by, codes))) for label, codes in together]
