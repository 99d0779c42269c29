"""The history rule: which orders make up each customer's thread (``docs/definitions.md``, 1.4, 1.6 and 2).

First, latest, rank, gap and cohort are computed on what this rule keeps; what is counted afterwards never changes
them.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.filtered import beginning, filtered
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.purchase_days import purchase_days
from goldthread.core.book.steps import StepGaps
from goldthread.core.choices import COUNTED_BY_DEFAULT, Firsts, OrderUnit
from goldthread.core.history.conditions import Condition, Mask, evaluate, split
from goldthread.core.history.fields import FieldSource, FieldValues
from goldthread.core.history.lapse import NINETY_DAYS, LapseRule
from goldthread.core.parts import Elsewhere
from goldthread.core.records import OrderStatus

T = TypeVar("T", bound=np.generic)
Made = TypeVar("Made")


@dataclass(frozen=True)
class HistoryRule:
    """Which orders count.

    Attributes
    ----------
    as_of_day : days since 1970-01-01; orders dated after it are in no figure
    statuses : the statuses that count
    sources : names of the sources that count; None for all
    where : a condition on orders and customers; its parts joined by AND that speak of the customer or the first order
        alone choose customers, the others orders
    firsts : what becomes of the parts that choose orders
    lapse : when a customer is called lapsed
    unit : what counts as one; of purchase days, conditions speak of the day: its first order's labels, its whole amount
    """

    as_of_day: int
    statuses: frozenset[OrderStatus] = COUNTED_BY_DEFAULT
    sources: frozenset[str] | None = None
    where: Condition | None = None
    firsts: Firsts = Firsts.ALL
    lapse: LapseRule = NINETY_DAYS
    unit: OrderUnit = OrderUnit.ORDER


@dataclass(frozen=True, eq=False)
class History:
    """A book as a rule reads it.

    Attributes
    ----------
    whole : every order on record
    book : the orders, or purchase days, that make up the threads; the customers are those of ``whole``, so a customer
        may have none
    left_out_by_rule_count : orders up to the as-of date whose status or source the rule leaves out
    left_out_after_as_of_count : orders that would count but are dated after the as-of date
    left_out_by_condition_count : orders that the rule keeps and a condition or a choice of customers does not
    chosen : bool, shape (customers,); the customers that are looked at. None for all on file
    shown : bool, shape (orders of ``book``,); the orders that are counted and listed. None for all
    """

    rule: HistoryRule
    whole: OrderBook
    book: OrderBook
    left_out_by_rule_count: int
    left_out_after_as_of_count: int
    left_out_by_condition_count: int = 0
    chosen: Mask | None = None
    shown: Mask | None = None

    @property
    def elsewhere(self) -> Elsewhere | None:
        """Where the parts of the book are read, if they are read elsewhere."""
        return None

    @property
    def here(self) -> History:
        """The same, read in this process."""
        return self

    @property
    def was_read_here(self) -> bool:
        """Whether its columns are in this process."""
        return True

    @property
    def fields(self) -> FieldValues:
        """The fields of these threads."""
        return FieldValues(FieldSource(self.book, self.whole, self.rule.as_of_day, self.rule.lapse))

    @property
    def first_day(self) -> int:
        """The day of the first order, whoever is looked at; the as-of date where there is none."""
        everybody = self.book.everybody
        return everybody.day_span[0] if everybody.order_count else self.rule.as_of_day

    @property
    def shows_all(self) -> bool:
        """Whether every order of the threads is counted and listed."""
        return self.shown is None

    def made_into(self, how: Callable[[History], History]) -> History:
        """What becomes of this history, and of each part of it where its parts are elsewhere."""
        return how(self)

    @cached_property
    def everybody(self) -> History:
        """The same threads of all customers, every order of them shown."""
        return replace(self, rule=self.rule_of_everybody, book=self.book.everybody, chosen=None, shown=None)

    @property
    def rule_of_everybody(self) -> HistoryRule:
        """The rule without what chooses customers, and without what only shows orders."""
        where = self.rule.where
        if where is not None:
            where = split(where, self.fields)[1] if self.rule.firsts is Firsts.MATCHING else None
        return replace(self.rule, where=where, firsts=Firsts.ALL if where is None else Firsts.MATCHING)

    def within(self, first_day: int, last_day: int) -> Mask:
        """The shown orders of a stretch of days, both ends included; bool, shape (orders of ``book``,)."""
        inside = self.book.day >= np.int32(first_day)
        inside &= self.book.day <= np.int32(last_day)
        if self.shown is not None:
            inside &= self.shown
        return inside

    @cached_property
    def customers(self) -> NDArray[np.int64]:
        """The customers that are looked at, ascending; int64. Without a condition, everybody on file."""
        return np.arange(self.whole.customer_count) if self.chosen is None else np.flatnonzero(self.chosen)

    @cached_property
    def threads(self) -> OrderBook:
        """The orders of who is looked at alone: under a condition on orders the book holds those of others too."""
        if self.chosen is None:
            return self.book
        theirs = np.repeat(self.chosen, self.book.counts)
        return self.book if theirs.all() else filtered(self.book, theirs, self.book.everybody)

    def of_a_few(self, customers: NDArray[np.int64]) -> tuple[History, NDArray[np.int64]]:
        """A history that holds a few customers at least, by their places, and where each of them stands in it."""
        return self, customers

    def looked_at(self, mask: Mask) -> NDArray[np.int64]:
        """The customers that are looked at and in a mask of all customers, ascending; int64."""
        return np.flatnonzero(mask if self.chosen is None else mask & self.chosen)

    def of_looked_at(self, values: NDArray[T]) -> NDArray[T]:
        """The values of the customers that are looked at, of those of all customers; dtype of the values, shape
        (customers looked at,)."""
        return values if self.chosen is None else values[self.chosen]

    def derived(self, key: object, make: Callable[[], Made]) -> Made:
        """What is worked out of the shown orders; kept with the book where these are all."""
        return self.book.derived(key, make) if self.shown is None else make()

    def once(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What is worked out of who is looked at, kept as long as this reading is."""
        if key not in self._made:
            self._made[key] = make()
        found: Made = self._made[key]
        return found

    @cached_property
    def _made(self) -> dict[Hashable, Any]:
        return {}

    @cached_property
    def shown_orders(self) -> NDArray[np.int64] | None:
        """Positions of the shown orders in ``book``, ascending; None for all; int64."""
        return None if self.shown is None else np.flatnonzero(self.shown)

    @property
    def shown_order_count(self) -> int:
        """Orders that are counted and listed."""
        return self.book.order_count if self.shown_orders is None else int(self.shown_orders.size)


def counting(book: OrderBook, rule: HistoryRule) -> OrderBook:
    """The orders whose status and source count, of whatever date: what rules that differ in the as-of date share."""
    counted = _labelled(book.attributes["status"], {str(status) for status in rule.statuses})
    if rule.sources is not None:
        counted &= _labelled(book.attributes["source"], rule.sources)
    return book if counted.all() else filtered(book, counted)


def read_history(
    book: OrderBook,
    rule: HistoryRule,
    among: Mask | None = None,
    counted: OrderBook | None = None,
    steps: Sequence[StepGaps] = (),
) -> History:
    """Apply a rule: one mask, one linear compaction of the sorted book, no sort.

    ``among``: bool, shape (customers,), further narrows the customers that are looked at. ``counted``: what `counting`
    gives, where that is known. ``steps``: of a part of a book, the gaps of all parts, as `step_rounds` asks. Fields of
    the condition are those of the threads before the condition. Raises `InvalidInput` for a condition that does not
    fit the book.
    """
    counted = counting(book, rule) if counted is None else counted
    read, dated_count = beginning(counted, rule.as_of_day), book.order_count
    if book.day_span[1] > rule.as_of_day:
        dated_count = int(np.count_nonzero(book.day <= np.int32(rule.as_of_day)))
    left_out = dated_count - read.order_count, counted.order_count - read.order_count
    if rule.unit is OrderUnit.PURCHASE_DAY:
        read = purchase_days(read)
    history = History(rule, book, read.knowing(steps[0]) if steps else read, *left_out)
    return history if rule.where is None and among is None else _under_condition(history, among, steps[1:])


def step_rounds(rule: HistoryRule) -> list[HistoryRule]:
    """The rules by which parts of a book must be read, one round after the other, each with the `step_gaps` of all
    parts in the rounds before, until all are known that a rule by usual gaps needs."""
    before = replace(rule, where=None)
    matching = rule.where is not None and rule.firsts is Firsts.MATCHING
    return [before, rule] if matching else [before]


def _under_condition(history: History, among: Mask | None, steps: Sequence[StepGaps]) -> History:
    rule, book = history.rule, history.book
    fields = history.fields
    of_customers, of_orders = (None, None) if rule.where is None else split(rule.where, fields)
    population = np.ones(book.customer_count, np.bool_) if among is None else among.copy()
    if of_customers is not None:
        population &= evaluate(of_customers, fields).true
    everybody, theirs, chosen, shown = book, fields.to_orders(population), population, None
    if of_orders is not None:
        matching = evaluate(of_orders, fields).true
        if rule.firsts is Firsts.MATCHING:
            everybody = filtered(book, matching)
            everybody = everybody.knowing(steps[0]) if steps else everybody
            theirs = np.repeat(population, everybody.counts)
        else:
            shown = matching[theirs]
            chosen = population & (np.bincount(book.customer[matching], minlength=book.customer_count) > 0)
    chosen_book = everybody if theirs.all() else filtered(everybody, theirs, everybody)
    counted = chosen_book.order_count if shown is None else int(np.count_nonzero(shown))
    return replace(
        history,
        book=chosen_book,
        chosen=chosen,
        shown=shown,
        left_out_by_condition_count=book.order_count - counted,
    )


def _labelled(attribute: Attribute, wanted: set[str] | frozenset[str]) -> NDArray[np.bool_]:
    """Orders whose label is wanted; one comparison per label that is not."""
    mask = np.ones(attribute.codes.size, np.bool_)
    for code, label in enumerate(attribute.labels):
        if label not in wanted:
            mask &= attribute.codes != code
    return mask
