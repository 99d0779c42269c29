"""How much a difference between groups says, in words."""

from __future__ import annotations

import numpy as np

from goldthread.stops.sentence import number_words

CHANCE_SURE, CHANCE_LEAST = 0.05, 1e-6
"""Above the first a difference may well be none; below the second its size says nothing more."""


def compared_words(chance: float) -> str:
    """The chance of a difference as large, where there is none in truth, in words; empty where nothing is compared."""
    if np.isnan(chance):
        return ""
    if chance >= CHANCE_SURE:
        return "The groups differ no more than chance would make them differ."
    if chance < CHANCE_LEAST:
        return f"A difference that chance would make less than once in {number_words(round(1 / CHANCE_LEAST))} times."
    times = 1 / chance
    size = 10 ** int(np.log10(times))
    return f"A difference that chance would make once in {number_words(int(times // size) * size)} times."


def number(value: float) -> float | None:
    """A number, None where nothing applies."""
    return None if np.isnan(value) else float(value)
