"""Many threads at once, as a drawing takes them: an even sample in a wanted sequence, with the days of their orders."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, most_frequent
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.texts import TextColumn
from goldthread.core.history.conditions import Values

Int64s = NDArray[np.int64]
THREADS_MOST = 5_000
"""Threads of one drawing; of more, an even sample."""
KNOTS_MOST = 120
"""Orders of one thread that are drawn: of more, so many evenly apart, the first and the latest among them."""
TONES = 6
"""Tones that values have."""
NO_TONE = -1


@dataclass(frozen=True, eq=False)
class Warp:
    """The threads of a drawing.

    ``places`` : int64, ascending; of each drawn thread, its place in the whole sequence. ``starts`` : int64, shape
    (threads + 1,); thread i has the days ``starts[i]:starts[i + 1]``. ``days`` : int32, since 1970-01-01.
    """

    places: Int64s
    starts: Int64s
    days: NDArray[np.int32]


def warp(book: OrderBook, sequence: Int64s) -> Warp:
    """The threads of some customers who have orders, in their sequence. Linear in what is drawn."""
    places = even_sample(sequence.size, THREADS_MOST)
    drawn = sequence.take(places)
    orders = book.counts.take(drawn)
    knots = np.minimum(orders, KNOTS_MOST)
    starts = np.zeros(drawn.size + 1, np.int64)
    np.cumsum(knots, out=starts[1:])
    within = np.arange(int(starts[-1])) - np.repeat(starts[:-1], knots)
    # of so many orders so many knots: the first, the latest, and evenly between them
    last_order, last_knot = np.repeat(orders - 1, knots), np.repeat(np.maximum(knots - 1, 1), knots)
    positions = np.repeat(book.starts.take(drawn), knots) + within * last_order // last_knot
    return Warp(places, starts, book.day.take(positions))


def even_sample(count: int, most: int) -> Int64s:
    """Places of an even sample of a sequence, the first and the last among them; all of them while there are few;
    int64."""
    if count <= most:
        return np.arange(count)
    return np.arange(most) * (count - 1) // (most - 1)


def toned(values: Values, rows: Int64s) -> tuple[NDArray[np.int64], list[Any]]:
    """A tone from 0 to `TONES` − 1 for some rows, `NO_TONE` where nothing applies; int64, shape (rows,). And what the
    tones stand for.

    The most frequent labels have a tone each, all others the last one together: the label of each tone, None for that
    of the others. Numbers are divided into as many parts of about as many rows: the values between them.
    """
    match values:
        case Attribute():
            codes = values.codes.take(rows).astype(np.int64)
            counts = np.bincount(codes, minlength=len(values.labels))
            blank = [code for code, label in enumerate(values.labels) if label == ""]
            counts[blank] = 0
            alone, others = most_frequent(counts, values.labels, TONES)
            tone = np.full(len(values.labels), TONES - 1, np.int64)
            tone[alone] = np.arange(alone.size)
            tone[blank] = NO_TONE
            named = [values.labels[code] for code in alone.tolist()]
            return tone.take(codes), [*named, None] if others.size else named
        case TextColumn():
            return np.full(rows.size, NO_TONE), []
    numbers = values.values.take(rows)
    missing = np.zeros(rows.size, np.bool_) if values.missing is None else values.missing.take(rows)
    known = numbers[~missing]
    if known.size == 0:
        return np.full(rows.size, NO_TONE), []
    limits = np.unique(np.quantile(known, np.arange(1, TONES) / TONES, method="lower"))
    limits = limits[limits > known.min()]
    tones = np.searchsorted(limits, numbers, side="right").astype(np.int64)
    tones[missing] = NO_TONE
    return tones, limits.tolist()
