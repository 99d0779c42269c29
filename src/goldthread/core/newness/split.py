"""New and returning by the labels of orders."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from goldthread.core.book.columns import Attribute, most_frequent
from goldthread.core.history.history import History
from goldthread.core.threads.groups import positions_shown


def label_groups(history: History, attribute: Attribute, most: int) -> list[tuple[str, History]]:
    """The history showing the orders of one label at a time, the most frequent first, those beyond ``most`` together.

    First orders stay those of the whole history: an order is new by its rank, whatever its label.
    """
    positions = positions_shown(history)
    counts = np.bincount(attribute.codes.take(positions), minlength=len(attribute.labels))
    alone, merged = most_frequent(counts, attribute.labels, most)
    together = [(attribute.labels[code], np.array([code])) for code in alone.tolist()]
    if merged.size:
        together.append((f"{merged.size} others", merged))
    found = []
    for label, codes in together:
        wanted = np.zeros(len(attribute.labels), np.bool_)
        wanted[codes] = True
        shown = wanted.take(attribute.codes)
        found.append((label, replace(history, shown=shown if history.shown is None else shown & history.shown)))
    return found
