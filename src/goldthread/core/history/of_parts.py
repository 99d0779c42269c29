"""A history of a book whose parts are read elsewhere: questions that add up are asked there (`core.parts.adds_up`).

Whoever asks for its columns has the book read here as well, once.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.later import Later
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.part import some_customers
from goldthread.core.book.steps import StepGaps, StepsLater, StepsUnknown, unknown_steps
from goldthread.core.choices import Firsts
from goldthread.core.history.conditions import Mask, split
from goldthread.core.history.facts import step_gaps
from goldthread.core.history.fields import FieldSource, FieldValues
from goldthread.core.history.history import History, HistoryRule, read_history, step_rounds
from goldthread.core.parts import Elsewhere, Question, Several, adds_up, several


@dataclass(frozen=True, eq=False)
class Extent:
    """How much a history holds, and how much it leaves out. ``customer_count`` : who is looked at. ``first_day`` : of
    everybody's orders; None without any."""

    left_out_by_rule_count: int
    left_out_after_as_of_count: int
    left_out_by_condition_count: int
    customer_count: int
    shown_order_count: int
    first_day: int | None

    def __add__(self, other: Extent) -> Extent:
        """That of two parts of a book."""
        days = [each.first_day for each in (self, other) if each.first_day is not None]
        return Extent(
            self.left_out_by_rule_count + other.left_out_by_rule_count,
            self.left_out_after_as_of_count + other.left_out_after_as_of_count,
            self.left_out_by_condition_count + other.left_out_by_condition_count,
            self.customer_count + other.customer_count,
            self.shown_order_count + other.shown_order_count,
            min(days, default=None),
        )


@adds_up
def extent(history: History) -> Extent:
    """How much a history holds and leaves out."""
    everybody = history.book.everybody
    return Extent(
        history.left_out_by_rule_count,
        history.left_out_after_as_of_count,
        history.left_out_by_condition_count,
        history.customers.size,
        history.shown_order_count,
        everybody.day_span[0] if everybody.order_count else None,
    )


@dataclass(frozen=True, eq=False)
class Reading:
    """How every part of a book is read; it can be sent. ``steps`` : the gaps of all parts, round by round, where they
    are known. ``made_into`` : what becomes of each part's history, one after another."""

    rule: HistoryRule
    steps: tuple[StepGaps, ...] = ()
    made_into: tuple[Callable[[History], History], ...] = ()

    def of(self, part: OrderBook, among: Mask | None = None, counted: OrderBook | None = None) -> History:
        """The history of a part; ``among`` and ``counted`` as in `read_history`. What needs the steps of all parts
        raises `StepsUnknown` while they are not known."""
        history = read_history(part, self.rule, among, counted, self.steps or (StepsLater(unknown_steps),) * 2)
        for how in self.made_into:
            history = how(history)
        return history


_KNOWN_MOST = 64
"""Answers of a history that are kept as long as it is."""
Ask = Callable[[Reading, Callable[..., Any], tuple[Any, ...], Mapping[str, Any]], Any]
"""Asks every part, as it is read, what a work says of it, and gives the sum; None where that cannot be asked now."""


class AskedOfParts:
    """Parts of a book as a rule reads them, where ``ask`` reaches them. What the parts must know of each other is
    asked in rounds of its own, once somebody needs it."""

    def __init__(self, reading: Reading, ask: Ask, among: Mask | None = None) -> None:
        """``among`` : who of all customers is looked at, as in `read_history`; those who ``ask`` know it already."""
        self._reading, self._ask, self._among = reading, ask, among
        self._steps: list[tuple[StepGaps, ...]] = []
        self._known: dict[Question, Any] = {}

    def know(self, *questions: Question) -> None:
        """Ask several questions at once: what they say is known when each of them is asked next."""
        found: Several | None = self.total(several, (questions,), {})
        if found is not None:
            self._keep(dict(zip(questions, found.found, strict=True)))

    def total(self, work: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
        """What a work says of all parts; None where they cannot be asked now. What was asked with names and numbers
        alone is known the next time."""
        plain = not named and all(each is None or isinstance(each, str | int) for each in given)
        if plain and (work, given) in self._known:
            return self._known[work, given]
        found = self._asked(work, given, named)
        if plain and found is not None:
            self._keep({(work, given): found})
        return found

    def _keep(self, found: Mapping[Question, Any]) -> None:
        if len(self._known) + len(found) > _KNOWN_MOST:
            self._known = {}
        self._known.update(found)

    def _asked(self, work: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
        try:
            return self._ask(self._told(), work, given, named)
        except StepsUnknown:
            if not self._ask_for_steps():
                return None
        return self._ask(self._told(), work, given, named)

    def narrowed(self, how: Callable[[History], History]) -> AskedOfParts:
        """The same of what each part's history is made into."""
        more = AskedOfParts(replace(self._reading, made_into=(*self._reading.made_into, how)), self._ask, self._among)
        more._steps = self._steps
        return more

    def of_a_few(self, whole: OrderBook, places: NDArray[np.int64]) -> History:
        """A few customers of the whole as the parts read them, by their places, ascending."""
        steps = tuple(StepsLater(partial(self._steps_of, whole, turn)) for turn, _ in enumerate(self._rounds()))
        among = None if self._among is None else self._among.take(places)
        return replace(self._reading, steps=steps).of(some_customers(whole, places), among)

    def _steps_of(self, whole: OrderBook, turn: int) -> StepGaps:
        """Those of one round, of the parts, or of the whole where these cannot be asked now."""
        if not self._steps and not self._ask_for_steps():
            self._steps[:] = [tuple(everybodys_steps(read_history(whole, rule)) for rule in self._rounds())]
        return self._steps[0][turn]

    def _rounds(self) -> list[HistoryRule]:
        return step_rounds(self._reading.rule)

    def _told(self) -> Reading:
        return replace(self._reading, steps=self._steps[0]) if self._steps else self._reading

    def _ask_for_steps(self) -> bool:
        found: tuple[StepGaps, ...] = ()
        for rule in self._rounds():
            steps = self._ask(Reading(rule, found), everybodys_steps, (), {})
            if steps is None:
                return False
            found = (*found, steps)
        self._steps[:] = [found]
        return True


def everybodys_steps(history: History) -> StepGaps:
    """The gaps of the first steps of everybody in a part."""
    return step_gaps(history.book.everybody)


class HistoryOfParts(History):
    """A book as a rule reads it, in parts that are elsewhere."""

    def __init__(
        self,
        rule: HistoryRule,
        whole: OrderBook,
        elsewhere: Elsewhere,
        read: Callable[[], History],
        *,
        of_everybody: bool,
        shows_all: bool,
    ) -> None:
        """``read`` : reads the same here. ``of_everybody`` : whether everybody is looked at; ``shows_all`` : whether
        every order of the threads is counted."""
        parts = {"_elsewhere": elsewhere, "_here": Later(read), "_of_everybody": of_everybody, "_shows_all": shows_all}
        self.__dict__.update(rule=rule, whole=whole, **parts)

    @classmethod
    def read_by(
        cls, rule: HistoryRule, whole: OrderBook, elsewhere: Elsewhere, read: Callable[[], History], *, among: bool
    ) -> HistoryOfParts:
        """Of a rule; ``among`` : whether only some customers are looked at, whatever the rule says."""
        _, of_orders = (None, None) if rule.where is None else split(rule.where, FieldValues.of_names(whole))
        shows_all = of_orders is None or rule.firsts is Firsts.MATCHING
        return cls(rule, whole, elsewhere, read, of_everybody=rule.where is None and not among, shows_all=shows_all)

    @property
    def elsewhere(self) -> Elsewhere:
        found: Elsewhere = self.__dict__["_elsewhere"]
        return found

    def of_a_few(self, customers: NDArray[np.int64]) -> tuple[History, NDArray[np.int64]]:
        places, rows = np.unique(customers, return_inverse=True)
        return self.elsewhere.of_a_few(self.whole, places), rows

    @property
    def _read_later(self) -> Later[History]:
        """The same, read here once it is asked for. What this keeps holds that and never this itself, or it would wait
        for Python to find it when it is let go."""
        found: Later[History] = self.__dict__["_here"]
        return found

    @property
    def here(self) -> History:
        return self._read_later.get()

    @property
    def was_read_here(self) -> bool:
        """Whether somebody has asked for its columns."""
        return self._read_later.is_made

    @cached_property
    def _extent(self) -> Extent:
        return extent(self)

    @property
    def book(self) -> OrderBook:
        return self.here.book

    @property
    def chosen(self) -> Mask | None:
        return None if self.__dict__["_of_everybody"] else self.here.chosen

    @property
    def shown(self) -> Mask | None:
        return None if self.shows_all else self.here.shown

    @property
    def shows_all(self) -> bool:
        return bool(self.__dict__["_shows_all"])

    @property
    def left_out_by_rule_count(self) -> int:
        return self._extent.left_out_by_rule_count

    @property
    def left_out_after_as_of_count(self) -> int:
        return self._extent.left_out_after_as_of_count

    @property
    def left_out_by_condition_count(self) -> int:
        return self._extent.left_out_by_condition_count

    @property
    def shown_order_count(self) -> int:
        return self._extent.shown_order_count

    @property
    def first_day(self) -> int:
        first = self._extent.first_day
        return self.rule.as_of_day if first is None else first

    @cached_property
    def fields(self) -> FieldValues:
        known = {"whole": self.whole, "as_of_day": self.rule.as_of_day, "lapse": self.rule.lapse}
        here = self._read_later
        return FieldValues(FieldSource.made_of(known, lambda: here.get().fields.reading))

    @property
    def everybody(self) -> History:
        of_everybody = bool(self.__dict__["_of_everybody"]) and self.shows_all and self.rule.where is None
        return self if of_everybody else self._everybody

    @cached_property
    def _everybody(self) -> History:
        parts, here = self.elsewhere.narrowed(everybody_of), self._read_later
        rule = self.rule_of_everybody
        return HistoryOfParts(rule, self.whole, parts, lambda: here.get().everybody, of_everybody=True, shows_all=True)

    def made_into(self, how: Callable[[History], History]) -> History:
        parts, of_everybody = self.elsewhere.narrowed(how), bool(self.__dict__["_of_everybody"])
        here = self._read_later
        return HistoryOfParts(
            self.rule, self.whole, parts, lambda: how(here.get()), of_everybody=of_everybody, shows_all=False
        )

    @cached_property
    def customers(self) -> NDArray[np.int64]:
        return np.arange(self.whole.customer_count) if self.__dict__["_of_everybody"] else self.here.customers

    @cached_property
    def threads(self) -> OrderBook:
        return self.here.threads

    @cached_property
    def shown_orders(self) -> NDArray[np.int64] | None:
        return None if self.shows_all else self.here.shown_orders


def everybody_of(history: History) -> History:
    """`History.everybody`, by name."""
    return history.everybody
