"""Numbers and dates as groups: a few bands between round numbers, or the months that occur."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_of_day, period_start
from goldthread.core.choices import Period
from goldthread.core.history.conditions import Numbers
from goldthread.core.money import number_text, round_number

ALONE_MOST = 12
"""Up to so many different numbers are groups by themselves."""
_QUANTILES = (1 / 6, 1 / 3, 1 / 2, 2 / 3, 5 / 6)

Span = tuple[int | None, int | None]
"""From a value on, and to below another one; None where there is no end."""


@dataclass(frozen=True)
class Bands:
    """Labels, and the span of values that each stands for. ``limits`` : where each of them ends and the next begins,
    ascending."""

    limits: tuple[int, ...]
    labels: tuple[str, ...]
    spans: tuple[Span, ...]

    def of(self, numbers: Numbers) -> Attribute:
        """Each value in the band whose limits it lies between; what is missing has the empty label."""
        codes = np.searchsorted(np.array(self.limits, np.int64), numbers.values, side="right").astype(np.uint16)
        if numbers.missing is not None:
            codes[numbers.missing] = len(self.labels)
        return Attribute(codes, (*self.labels, ""))

    def span(self, label: str) -> Span | None:
        """What a label stands for; None for the blank one."""
        return dict(zip(self.labels, self.spans, strict=True)).get(label)


def number_bands(among: Numbers) -> Bands:
    """Numbers in ten-thousandths: each by itself while there are few ``among`` all, else six bands of about as many."""
    ordered = np.sort(_filled(among))
    distinct = ordered[np.append(True, ordered[1:] != ordered[:-1])] if ordered.size else ordered
    if distinct.size <= ALONE_MOST:
        spans = [(int(value), int(value) + 1) for value in distinct.tolist()]
        return _bands(distinct[1:].tolist(), [number_text(low) for low, _ in spans], list(spans))
    at = (np.array(_QUANTILES) * (ordered.size - 1)).astype(np.int64)
    limits = sorted({round_number(value) for value in ordered.take(at).tolist()})
    limits = [limit for limit in limits if ordered[0] < limit <= ordered[-1]]
    names = [number_text(limit) for limit in limits]
    if not names:
        return _bands([], ["any number"], [(None, None)])
    labels = [
        f"under {names[0]}",
        *(f"{low} to under {high}" for low, high in pairwise(names)),
        f"{names[-1]} and more",
    ]
    return _bands(limits, labels, list(pairwise([None, *limits, None])))


def months(among: Numbers) -> Bands:
    """Days by the month that they fall in, as 2026-03, from the first to the last ``among`` all."""
    filled = _filled(among)
    if filled.size == 0:
        return _bands([], ["any month"], [(None, None)])
    first, last = (int(period_of_day(int(day), Period.MONTH)) for day in (filled.min(), filled.max()))
    starts = [int(period_start(month, Period.MONTH)) for month in range(first, last + 2)]
    labels = [to_date(start).strftime("%Y-%m") for start in starts[:-1]]
    return _bands(starts[1:-1], labels, list(pairwise(starts)))


def _filled(numbers: Numbers) -> NDArray[Any]:
    return numbers.values if numbers.missing is None else numbers.values[~numbers.missing]


def _bands(limits: Sequence[int], labels: Sequence[str], spans: Sequence[Span]) -> Bands:
    return Bands(tuple(limits), tuple(labels), tuple(spans))
