"""How much a difference between groups says, in words."""

from __future__ import annotations

import numpy as np

from goldthread.stops.sentences.sentence import number_words

LOG_RANK, CHI_SQUARE = "log-rank test", "chi-square test"
CHANCE_SURE, CHANCE_LEAST = 0.05, 1e-6
"""Above the first a difference may well be none; below the second its size says nothing more."""


def compared_words(chance: float, test: str = LOG_RANK) -> str:
    """The chance of a difference as large, where there is none in truth, in words, with the test that gives it; empty
    where nothing is compared."""
    if np.isnan(chance):
        return ""
    if chance >= CHANCE_SURE:
        return f"No significant difference (p = {chance:.2f}, {test}): chance alone makes groups differ so much."
    if chance < CHANCE_LEAST:
        once = f"less than once in {number_words(round(1 / CHANCE_LEAST))} times"
        return f"p < {CHANCE_LEAST:.6f} ({test}): chance alone would make such a difference {once}."
    times = 1 / chance
    size = 10 ** int(np.log10(times))
    once = f"once in {number_words(int(times // size) * size)} times"
    return f"p {_p_words(chance)} ({test}): chance alone would make such a difference {once}."


def _p_words(chance: float) -> str:
    """A chance below `CHANCE_SURE` by the round bound above it: < 0.05, < 0.01, < 0.001."""
    bound = next(each for each in (1e-5, 1e-4, 1e-3, 1e-2, CHANCE_SURE) if chance < each)
    return f"< {bound:.5f}".rstrip("0")


def number(value: float) -> float | None:
    """A number, None where nothing applies."""
    return None if np.isnan(value) else float(value)
