"""What winning customers cost: recorded spend beside new customers, by period and channel.

CAC of a period is the spend of its months divided by all its new customers, whoever is looked at; per channel, by the
channel of the first order (``docs/definitions.md``, section 9).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.periods import period_of_day, period_of_month
from goldthread.core.choices import Period
from goldthread.core.cohorts.cells import first_periods
from goldthread.core.history.facts import first_label
from goldthread.core.history.history import History
from goldthread.core.parts import Together, adds_up

Int64s = NDArray[np.int64]
Floats = NDArray[np.float64]
CHANNEL = "channel"


@dataclass(frozen=True, eq=False)
class Spend:
    """What was spent to win customers, one entry per month and channel.

    ``month`` : int64, month indices. ``channel`` : as it is written. ``amount_minor`` : int64, ten-thousandths.
    """

    month: Int64s
    channel: tuple[str, ...]
    amount_minor: Int64s

    def among(self, wanted: NDArray[np.bool_]) -> Spend:
        """Some of the entries."""
        places = np.flatnonzero(wanted)
        return Spend(
            self.month.take(places),
            tuple(self.channel[place] for place in places.tolist()),
            self.amount_minor.take(places),
        )

    def up_to(self, as_of_day: int) -> Spend:
        """What was spent in the months that had begun by a day."""
        return self.among(self.month <= period_of_day(as_of_day, Period.MONTH))

    def of_channel(self, channel: str) -> Spend:
        """What was spent for one channel, whatever the case it is written in."""
        return self.among(np.array([each.casefold() == channel.casefold() for each in self.channel], np.bool_))

    def by_period(self, period: Period) -> dict[int, int]:
        """Ten-thousandths by period index; nothing for weeks, which no month fits."""
        spent: dict[int, int] = {}
        if period.kind is Period.WEEK:
            return spent
        for index, amount in zip(period_of_month(self.month, period).tolist(), self.amount_minor.tolist(), strict=True):
            spent[index] = spent.get(index, 0) + amount
        return spent


@dataclass(frozen=True, eq=False)
class NewCustomers:
    """Customers by the period of the first order; ``first`` : index of the first period; ``counts`` : int64, shape
    (periods,)."""

    first: int
    counts: Int64s

    def __add__(self, other: NewCustomers) -> NewCustomers:
        """Those of two parts of a book."""
        on = Together.by_period((self.first, self.counts.size), (other.first, other.counts.size))
        return NewCustomers(on.first, on.of(self.counts, other.counts))

    def of(self, index: int) -> int:
        """Those of one period; 0 outside."""
        place = index - self.first
        return int(self.counts[place]) if 0 <= place < self.counts.size else 0


@dataclass(frozen=True)
class Cost:
    """What winning some customers cost. ``spent_minor`` : ten-thousandths, None where nothing is recorded.
    ``customers`` : who were new in the periods for which spend is recorded."""

    spent_minor: int | None
    customers: int

    @property
    def cac_minor(self) -> float:
        """Spend per new customer; NaN where no spend is recorded or nobody was won."""
        return self.spent_minor / self.customers if self.spent_minor is not None and self.customers else float("nan")


@adds_up
def new_customers(history: History, period: Period) -> NewCustomers:
    """Every customer of a history, by the period of the first order."""
    if history.book.order_count == 0:
        return NewCustomers(0, np.zeros(0, np.int64))
    periods = first_periods(history.book, period)
    first = int(periods.min())
    return NewCustomers(first, np.bincount(periods - np.int32(first)))


@dataclass(frozen=True, eq=False)
class NewByChannel:
    """Customers by the period and the channel of the first order; ``channels`` : by their case-folded names, those that
    somebody was won by."""

    channels: Mapping[str, NewCustomers]

    def __add__(self, other: NewByChannel) -> NewByChannel:
        """Those of two parts of a book."""
        mine, theirs = self.channels, other.channels
        of_both = {name: mine[name] + theirs[name] for name in mine.keys() & theirs.keys()}
        return NewByChannel(dict(sorted({**mine, **theirs, **of_both}.items())))


def new_by_channel(history: History, period: Period) -> Mapping[str, NewCustomers]:
    """The same by the channel of the first order, its name case-folded."""
    return counted_by_channel(history, period).channels


@adds_up
def counted_by_channel(history: History, period: Period) -> NewByChannel:
    """The same as a result that adds up."""
    book = history.book
    if book.order_count == 0 or CHANNEL not in book.attributes:
        return NewByChannel({})
    labels = first_label(book, CHANNEL)
    names = [label.casefold() for label in labels.labels]
    known = sorted(set(names))
    place = np.array([known.index(name) for name in names], np.int64)
    periods = first_periods(book, period)
    first = int(periods.min())
    length = int(periods.max()) - first + 1
    own = place.take(labels.codes.take(book.ordering))
    counts = np.bincount(own * length + (periods - first), minlength=len(known) * length).reshape(-1, length)
    return NewByChannel({name: NewCustomers(first, counts[row]) for row, name in enumerate(known) if counts[row].any()})


@dataclass(frozen=True)
class FirstChannelIs:
    """Customers whose first order came by a channel, whatever the case it is written in; bool, shape (customers,)."""

    channel: str

    def __call__(self, history: History) -> NDArray[np.bool_]:
        if CHANNEL not in history.book.attributes:
            return np.zeros(history.book.customer_count, np.bool_)
        labels = first_label(history.book, CHANNEL)
        codes = [code for code, label in enumerate(labels.labels) if label.casefold() == self.channel.casefold()]
        return np.isin(labels.codes, codes) & (history.book.counts > 0)


def cac_of_cohorts(spend: Spend, new: NewCustomers, period: Period, first_cohort: int, cohorts: int) -> Floats:
    """Spend of each cohort's months per new customer; float64, ten-thousandths, shape (cohorts,); NaN where none is
    recorded or nobody was new, and for weeks."""
    cac = np.full(cohorts, np.nan)
    for index, amount in spend.by_period(period).items():
        row, customers = index - first_cohort, new.of(index)
        if 0 <= row < cohorts and customers:
            cac[row] = amount / customers
    return cac


def cost_of(spend: Spend, new: NewCustomers, period: Period) -> Cost:
    """Everything that was spent, and who was new in the periods for which spend is recorded."""
    by_period = spend.by_period(period)
    if not by_period:
        return Cost(None, 0)
    return Cost(sum(by_period.values()), sum(new.of(index) for index in by_period))


class SpendProblem(StrEnum):
    """What is to be checked about the spend of a month."""

    NO_SUCH_CHANNEL = "no_such_channel"
    NOBODY_NEW = "nobody_new"
    NO_SPEND = "no_spend"


@dataclass(frozen=True)
class MonthOfSpend:
    """Spend and new customers of a month, for one channel or, with an empty one, for all. ``spent_minor`` : None where
    nothing is recorded."""

    month: int
    channel: str
    spent_minor: int | None
    customers: int
    problem: SpendProblem | None

    @property
    def cac_minor(self) -> float:
        """NaN where no spend is recorded or nobody was new."""
        return Cost(self.spent_minor, self.customers).cac_minor


def spend_rows(history: History, spend: Spend) -> list[MonthOfSpend]:
    """Spend against new customers, month by month: all channels together, then each for which spend is recorded or by
    which somebody was won. The months are those from the first entry or first order to the as-of date.

    A month without spend is to be checked where spend is recorded at all; of a channel, where it has any.
    """
    spend = spend.up_to(history.rule.as_of_day)
    last = period_of_day(history.rule.as_of_day, Period.MONTH)
    new, channels = new_customers(history, Period.MONTH), new_by_channel(history, Period.MONTH)
    begins = [int(spend.month.min())] if spend.month.size else []
    if new.counts.size:
        begins.append(new.first)
    written = _names(history, spend, set(channels))
    nobody = NewCustomers(0, np.zeros(0, np.int64))
    known = channels_of_orders(history).names
    rows = []
    of_all = spend.by_period(Period.MONTH)
    of_each = {name: spend.of_channel(name).by_period(Period.MONTH) for name in written}
    for month in range(min(begins, default=last + 1), last + 1):
        rows.append(_row(month, "", of_all, new, exists=True))
        for name, label in written.items():
            spent, won = of_each[name], channels.get(name, nobody)
            if month in spent or won.of(month):
                rows.append(_row(month, label, spent, won, exists=name in known))
    return rows


def _row(month: int, label: str, spent: dict[int, int], won: NewCustomers, *, exists: bool) -> MonthOfSpend:
    amount, customers = spent.get(month), won.of(month)
    problem = None
    if amount and not exists:
        problem = SpendProblem.NO_SUCH_CHANNEL
    elif amount and not customers:
        problem = SpendProblem.NOBODY_NEW
    elif amount is None and customers and spent:
        problem = SpendProblem.NO_SPEND
    return MonthOfSpend(month, label, amount, customers, problem)


@dataclass(frozen=True)
class Channels:
    """The channels that some order names, case-folded."""

    names: frozenset[str]

    def __add__(self, other: Channels) -> Channels:
        """Those of two parts of a book."""
        return Channels(self.names | other.names)


@adds_up
def channels_of_orders(history: History) -> Channels:
    """Every channel that an order of a history came by."""
    attribute = history.book.attributes.get(CHANNEL)
    if attribute is None:
        return Channels(frozenset())
    present = np.flatnonzero(np.bincount(attribute.codes, minlength=len(attribute.labels)))
    return Channels(frozenset(attribute.labels[code].casefold() for code in present.tolist()))


def _names(history: History, spend: Spend, won: set[str]) -> dict[str, str]:
    """Every channel as it is written, by its case-folded name; in the sequence of the names."""
    attribute = history.whole.attributes.get(CHANNEL)
    of_orders = {} if attribute is None else {label.casefold(): label for label in attribute.labels}
    of_spend = {label.casefold(): label for label in spend.channel}
    return {name: of_orders.get(name) or of_spend.get(name, "") or name for name in sorted(won | set(of_spend)) if name}
