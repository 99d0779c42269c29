"""The history rule: which orders make up each customer's thread (``docs/definitions.md``, 1.4, 1.6 and 2).

First, latest, rank, gap and cohort are computed on what this rule keeps; what is counted afterwards never changes
them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book import Attribute, OrderBook
from goldthread.core.records import OrderStatus

COUNTED_BY_DEFAULT = frozenset(OrderStatus) - {OrderStatus.CANCELLED}


@dataclass(frozen=True)
class HistoryRule:
    """Which orders count.

    Attributes
    ----------
    as_of_day : days since 1970-01-01; orders dated after it are in no figure
    statuses : the statuses that count
    sources : names of the sources that count; None for all
    """

    as_of_day: int
    statuses: frozenset[OrderStatus] = COUNTED_BY_DEFAULT
    sources: frozenset[str] | None = None


@dataclass(frozen=True, eq=False)
class History:
    """A book as a rule reads it.

    Attributes
    ----------
    whole : every order on record
    book : the counted orders; the customers are those of ``whole``, so a customer may have none
    left_out_by_rule_count : orders up to the as-of date whose status or source the rule leaves out
    left_out_after_as_of_count : orders that would count but are dated after the as-of date
    """

    rule: HistoryRule
    whole: OrderBook
    book: OrderBook
    left_out_by_rule_count: int
    left_out_after_as_of_count: int


def read_history(book: OrderBook, rule: HistoryRule) -> History:
    """Apply a rule: one mask, one linear compaction of the sorted book, no sort."""
    counted = _labelled(book.attributes["status"], {str(status) for status in rule.statuses})
    if rule.sources is not None:
        counted &= _labelled(book.attributes["source"], rule.sources)
    passing, dated_count = int(np.count_nonzero(counted)), book.order_count
    if book.day_span[1] > rule.as_of_day:
        dated = book.day <= np.int32(rule.as_of_day)
        dated_count = int(np.count_nonzero(dated))
        counted &= dated
    kept = int(np.count_nonzero(counted))
    thinned = book if kept == book.order_count else book.kept(counted)
    return History(rule, book, thinned, dated_count - kept, passing - kept)


def _labelled(attribute: Attribute, wanted: set[str] | frozenset[str]) -> NDArray[np.bool_]:
    """Orders whose label is wanted; one comparison per label that is not."""
    mask = np.ones(attribute.codes.size, np.bool_)
    for code, label in enumerate(attribute.labels):
        if label not in wanted:
            mask &= attribute.codes != code
    return mask
