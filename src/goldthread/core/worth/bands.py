"""How sure a mean over customers is: a bootstrap over customers, seeded.

Customers are put at random into bundles, a thousand at the most; bundles are drawn again with replacement, and each
draw gives a mean at every age. With no more customers than bundles this is the bootstrap over customers itself; with
more it estimates the same spread from sums. Source: B. Efron and R. J. Tibshirani, *An Introduction to the Bootstrap*
(1993), chapters 6 and 13 (percentile interval).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import BLOCK_ORDERS, blocks
from goldthread.core.cohorts.table import CohortTable
from goldthread.core.limits import CELLS_MOST
from goldthread.core.worth.margins import Margins

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
BUNDLES_MOST, BUNDLES_LEAST = 1_000, 100
DRAWS = 1_000
SEED = 20_230_102
_PERCENT_OUTSIDE = (2.5, 97.5)


@dataclass(frozen=True, eq=False)
class Bundles:
    """Bundles of customers; float64, shape (bundles, ages). At age k the customers of the cohorts complete at k count.

    ``customers`` : how many there are; ``gross_minor`` : what they had brought up to the age, less the cost of goods.
    """

    customers: Floats
    gross_minor: Floats


def bundles(
    table: CohortTable, margins: Margins, cohorts: NDArray[np.bool_], among: NDArray[np.bool_] | None = None
) -> Bundles:
    """Bundle the customers of some cohorts. ``cohorts`` : bool, shape (cohorts,). ``among`` : bool, shape (customers of
    the book,), None for all. Linear in the orders.

    A customer of a cohort complete up to age K counts at the ages 0 … K. So what an order brought is added from its
    own age on, and what the customer brought is taken away after K.
    """
    book, ages = table.history.book, table.age_count
    row = table.cohort_of_customers()
    last = np.where(cohorts, table.complete.sum(axis=1) - 1, -1).take(row)
    if among is not None:
        last = np.where(among.take(book.ordering), last, -1)
    who = np.flatnonzero(last >= 0)
    count = min(max(who.size, 1), max(BUNDLES_LEAST, min(BUNDLES_MOST, CELLS_MOST // max(ages, 1))))
    bundle = np.zeros(last.size, np.int64)
    bundle[who] = np.random.default_rng(SEED).permutation(who.size) % count
    width, length = ages + 1, count * (ages + 1)
    begins, ends = bundle * width, bundle * width + last + 1
    customers = np.bincount(begins[who], minlength=length) - np.bincount(ends[who], minlength=length)

    orders = book.counts.take(book.ordering)
    amounts, added = _counted(table, margins, np.repeat(last, orders), np.repeat(begins, orders), length)
    starts = np.cumsum(orders) - orders
    brought = np.add.reduceat(amounts, starts) if starts.size else np.zeros(0)
    taken = np.bincount(ends[who], brought[who], minlength=length)
    shape = (count, width)
    return Bundles(
        customers.reshape(shape).cumsum(axis=1)[:, :ages].astype(np.float64),
        (added - taken).reshape(shape).cumsum(axis=1)[:, :ages],
    )


def _counted(table: CohortTable, margins: Margins, last: Int64s, begins: Int64s, length: int) -> tuple[Floats, Floats]:
    """What each order brought, 0 for one that does not count, and the same added up by bundle and age; block by block,
    which keeps what is worked on in the processor's cache."""
    book, cells, shown = table.history.book, table.cells(), table.history.shown
    margin = margins.of_orders(table.history)
    amounts, added = np.empty(book.order_count), np.zeros(length)
    for block in blocks(book.order_count, max(BLOCK_ORDERS, length)):
        age = cells[block] % cells.dtype.type(max(table.age_count, 1))
        counted = age <= last[block]
        if shown is not None:
            counted &= shown[block]
        gross = book.amount_minor[block] * (margin if isinstance(margin, float) else margin[block])
        np.multiply(gross, counted, out=amounts[block])
        added += np.bincount(begins[block] + age, amounts[block], minlength=length)
    return amounts, added


def drawn_means(found: Bundles, seed: int = SEED) -> Floats:
    """The mean per customer at every age in each of the draws; float64, shape (draws, ages), NaN without customers."""
    count = found.customers.shape[0]
    drawn = np.random.default_rng(seed).integers(0, count, (DRAWS, count)) + np.arange(DRAWS)[:, None] * count
    weights = np.bincount(drawn.ravel(), minlength=DRAWS * count).reshape(DRAWS, count).astype(np.float64)
    customers = weights @ found.customers
    return (weights @ found.gross_minor) / np.where(customers > 0, customers, np.nan)


def interval(draws: Floats) -> tuple[Floats, Floats]:
    """The middle 95 % of some draws by column; NaN where a draw has no value."""
    if draws.shape[1] == 0:
        return np.zeros(0), np.zeros(0)
    low, high = np.percentile(draws, _PERCENT_OUTSIDE, axis=0)
    return low, high
