"""Amounts as people say them."""

from __future__ import annotations

import numpy as np

from goldthread.core.money import MINOR_PER_UNIT, money_text, whole_cents
from goldthread.stops.sentences.sentence import number_words

NONE = "—"
_DIGITS_WITH_CENTS = 2


def amount_words(minor: float, *, whole: bool = False) -> str:
    """An amount as people say it: 2 137.50, or 2 138 when ``whole`` and not small; a dash where there is none, and
    without bound where it has no end."""
    if np.isnan(minor):
        return NONE
    if np.isinf(minor):
        return "without bound"
    units, _, cents = money_text(whole_cents(minor)).partition(".")
    sign, digits = ("−", units[1:]) if units.startswith("-") else ("", units)
    if whole and len(digits) > _DIGITS_WITH_CENTS:
        return f"{sign}{number_words(round(abs(minor) / MINOR_PER_UNIT))}"
    return f"{sign}{number_words(int(digits))}.{cents}"
