"""The standings at the end of every period, and what led from one to the next (``docs/definitions.md``, section 8).

Every order keeps its customer active until the lapse rule reaches it or the next order comes. So the standings follow
from the period of each order, that in which it would be lapsed, and that of the next one: one pass over sorted orders,
however many periods there are.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import blocks
from goldthread.core.book.filtered import filtered
from goldthread.core.book.payments import NO_DAY
from goldthread.core.book.periods import period_end, period_label, period_of_day, period_table
from goldthread.core.choices import Flow, Period
from goldthread.core.evidence import Behind
from goldthread.core.history.facts import first_day
from goldthread.core.history.history import History
from goldthread.core.history.standing import Standing, standing
from goldthread.core.limits import limit_cells, limit_periods
from goldthread.core.parts import MadeLater, Together, adds_up
from goldthread.core.standing.on_file import on_file_day
from goldthread.core.standing.tally import with_orders
from goldthread.core.threads.gaps import first_orders, latest_orders

Int32s = NDArray[np.int32]
Int64s = NDArray[np.int64]

OFF_FILE = len(Standing)
"""In place of a `Standing`: not on file yet."""
_STATES = len(Standing) + 1
_WITHOUT = (OFF_FILE, Standing.NEVER_ORDERED, Standing.NONE_COUNTED)
MOVES: dict[Flow, tuple[tuple[int, int], ...]] = {
    Flow.BEGAN: tuple((before, after) for before in _WITHOUT for after in (Standing.ACTIVE, Standing.LAPSED)),
    Flow.BECAME_LAPSED: ((Standing.ACTIVE, Standing.LAPSED),),
    Flow.WON_BACK: ((Standing.LAPSED, Standing.ACTIVE),),
    Flow.CAME_ON_FILE: ((OFF_FILE, Standing.NEVER_ORDERED),),
    Flow.NONE_COUNTED: ((OFF_FILE, Standing.NONE_COUNTED), (Standing.NEVER_ORDERED, Standing.NONE_COUNTED)),
}
"""From which standing to which each flow leads; nobody else moves."""
_TOGETHER_MOST = 600
"""So many periods are counted by pairs; of more there would be more pairs than orders."""
_ORDERS_TIMES_PERIODS = 400_000_000
"""Under a rule by usual gaps every period is read anew; more than this would take minutes."""


@dataclass(frozen=True, eq=False)
class StandingFlows:
    """Standings at the ends of periods.

    Attributes
    ----------
    as_of_day : days since 1970-01-01
    first : index of the first period
    opening_all : int64, shape (standings + 1,); before the first period, `OFF_FILE` among them
    moved : int64, shape (standings + 1, standings + 1, periods); from a standing at the end before to another one at
        this end
    """

    period: Period
    as_of_day: int
    first: int
    opening_all: Int64s
    moved: Int64s

    def __add__(self, other: StandingFlows) -> StandingFlows:
        """The same question of two parts of a book."""
        runs = ((each.first, int(each.moved.shape[2])) for each in (self, other))
        on = Together.by_period(*runs)
        return StandingFlows(
            self.period,
            self.as_of_day,
            on.first,
            self.opening_all + other.opening_all,
            on.of(self.moved, other.moved, axis=2),
        )

    @cached_property
    def end_day(self) -> Int64s:
        """The last day of each period, that of the last one the as-of date; int64, shape (periods,)."""
        index = self.first + np.arange(self.moved.shape[2])
        return np.minimum(period_end(index, self.period), self.as_of_day)

    @cached_property
    def _after(self) -> Int64s:
        left, came = self.moved.sum(axis=1), self.moved.sum(axis=0)
        after: Int64s = self.opening_all[:, None] + np.cumsum(came - left, axis=1)
        return after

    @property
    def customers(self) -> Int64s:
        """The customers at the end of each period; int64, shape (standings, periods)."""
        return self._after[:OFF_FILE]

    @property
    def opening(self) -> Int64s:
        """Before the first period; int64, shape (standings,)."""
        return self.opening_all[:OFF_FILE]

    @property
    def undated(self) -> int:
        """Customers who count as on file throughout, because nothing says since when they are."""
        return int(self.opening_all[Standing.NEVER_ORDERED])

    @cached_property
    def moves(self) -> Int64s:
        """As `moved`, those who stayed included; int64, the same shape."""
        moves = self.moved.copy()
        before = np.concatenate((self.opening_all[:, None], self._after[:, :-1]), axis=1)
        moves[np.arange(_STATES), np.arange(_STATES)] = before - self.moved.sum(axis=1)
        return moves

    @property
    def labels(self) -> list[str]:
        return [period_label(self.first + place, self.period) for place in range(self.end_day.size)]

    @property
    def is_partial(self) -> bool:
        """Whether the last period has not ended on the as-of date."""
        return int(period_end(self.first + self.end_day.size - 1, self.period)) > self.as_of_day

    @property
    def openings(self) -> Int64s:
        """The customers before each period; int64, shape (standings, periods)."""
        return np.concatenate((self.opening[:, None], self.customers[:, :-1]), axis=1)

    @property
    def before_day(self) -> int:
        """The day before the first period."""
        return int(period_end(self.first - 1, self.period))

    def flow(self, flow: Flow) -> Int64s:
        """How many customers a flow moved in each period; int64, shape (periods,)."""
        moved: Int64s = sum((self.moves[before, after] for before, after in MOVES[flow]), np.zeros(1, np.int64))
        return moved

    def change(self, flow: Flow) -> Int64s:
        """What a flow added to each standing in each period, less what it took; int64, shape (standings, periods)."""
        change = np.zeros((_STATES, self.end_day.size), np.int64)
        for before, after in MOVES[flow]:
            change[before] -= self.moves[before, after]
            change[after] += self.moves[before, after]
        return change[:OFF_FILE]


@dataclass(frozen=True, eq=False)
class StandingsOverTime(StandingFlows, MadeLater):
    """The same, and the history they were counted in."""

    history: History

    def standings_on(self, place: int) -> NDArray[np.uint8]:
        """The standing of every customer of the book at the end of a period, `OFF_FILE` included; uint8. Place −1 is
        before the first period."""
        return standings_on(self.history, int(self.end_day[place]) if place >= 0 else self.before_day)

    def members(self, place: int, stands: Standing | None, flow: Flow | None) -> Int64s:
        """The customers who stood somewhere at the end of a period, or whom a flow moved in it; ascending; int64."""
        after = self.standings_on(place)
        if flow is not None:
            before = self.standings_on(place - 1)
            kept = np.zeros(after.size, np.bool_)
            for one, other in MOVES[flow]:
                kept |= (before == one) & (after == other)
        else:
            kept = after != OFF_FILE if stands is None else after == stands
        return self.history.looked_at(kept)

    def behind(self, place: int, stands: Standing | None, flow: Flow | None) -> Behind:
        """The same with their counted orders up to that day."""
        return with_orders(self.history, self.members(place, stands, flow), int(self.end_day[place]))


def standings_on(history: History, day: int) -> NDArray[np.uint8]:
    """The standing of every customer on a day as if it were the as-of date; uint8, `OFF_FILE` for who is not on file
    yet."""
    book, rule = history.book, history.rule
    everybody = book.everybody
    # nothing else than usual gaps goes by everybody's threads
    is_own = rule.lapse.is_span or (everybody is book and book.steps is None)
    then_all = None if is_own else filtered(everybody, everybody.day <= np.int32(day))
    if then_all is not None and everybody.steps is not None:
        then_all = then_all.knowing(everybody.steps.up_to(day))
    then = filtered(book, book.day <= np.int32(day), then_all)
    found = standing(history.whole, then, day, rule.lapse)
    found[on_file_day(history.whole, rule.as_of_day) > day] = OFF_FILE
    return found


@adds_up
def standings_over_time(history: History, period: Period) -> StandingsOverTime:
    """The standings at the end of every period since somebody was on file. Raises `TooLarge`."""
    as_of, customers = history.rule.as_of_day, history.customers.size
    on_file = history.of_looked_at(on_file_day(history.whole, as_of))
    dated = on_file[on_file != NO_DAY]
    low = int(dated.min(initial=as_of))
    first = period_of_day(low, period)
    length = period_of_day(as_of, period) - first + 1
    limit_periods(length)
    ends = np.minimum(period_end(first + np.arange(length), period), as_of)
    opening = np.zeros(_STATES, np.int64)
    opening[Standing.NEVER_ORDERED] = customers - dated.size
    opening[OFF_FILE] = dated.size
    if history.rule.lapse.is_span:
        moves = _moves(history, _Periods(period, first, low, period_table(low, as_of, period) - np.int32(first), ends))
    else:
        moves = _moves_by_reading_anew(history, ends, int(period_end(first - 1, period)))
    return StandingsOverTime(period, as_of, first, opening, moves, history)


@dataclass(frozen=True, eq=False)
class _Periods:
    """Days from ``low`` on: the place of the period of each, counted from the first, and the last day of each
    period."""

    kind: Period
    first: int
    low: int
    place: Int32s
    ends: Int64s

    @property
    def length(self) -> int:
        return int(self.ends.size)

    def of(self, days: Int32s) -> Int32s:
        return self.place.take(days - np.int32(self.low))

    def lapsed(self, history: History) -> Int32s:
        """For each day: the place of the first period at whose end an order of that day is lapsed; int32, shape
        (days,)."""
        rule = history.rule.lapse
        limits = np.array([rule.last_lapsed_day(int(end)) for end in self.ends], np.int64)
        return np.searchsorted(limits, self.low + np.arange(self.place.size)).astype(np.int32)


def _moves(history: History, periods: _Periods) -> Int64s:
    """Who moved in which period, without those who stayed; int64, shape (states, states, periods)."""
    lapses = periods.lapsed(history)
    payments_count = history.rule.lapse.by_activity and history.threads.payments.day.size
    if payments_count or periods.length > _TOGETHER_MOST or (lapses <= periods.place).any():
        return _moves_within_periods(history, periods, lapses)
    return _moves_between_periods(history, periods, lapses)


def _moves_between_periods(history: History, periods: _Periods, lapses: Int32s) -> Int64s:
    """The same where nobody can lapse before the period of the order ends: then the periods in which orders would lapse
    and those of the orders that follow them say everything. They are counted together in one pass."""
    book, length = history.threads, periods.length
    moves = np.zeros((_STATES, _STATES, length), np.int64)
    first, codes = book.period(periods.kind)
    shift = first - periods.first if codes.size else 0
    following = np.empty(codes.size, np.uint16)
    following[:-1] = codes[1:]
    following[latest_orders(book)] = length - shift
    width = length + 1
    row = lapses.astype(np.int64) * width
    together = np.zeros(width * width, np.int64)
    for block in blocks(codes.size):
        cells = row.take(book.day[block] - np.int32(periods.low))
        cells += following[block]
        together += np.bincount(cells + shift, minlength=width * width)
    # from the period of lapsing (row) to that of the next order (column), the last column for none
    table = together.reshape(width, width)
    moves[Standing.ACTIVE, Standing.LAPSED] = np.triu(table, 1).sum(axis=1)[:length]
    moves[Standing.LAPSED, Standing.ACTIVE] = np.triu(table, 1).sum(axis=0)[:length]
    begins = codes.take(first_orders(book)).astype(np.int32) + np.int32(shift)
    _begin(moves, history, periods, begins, np.zeros(begins.size, np.bool_))
    return moves


def _moves_within_periods(history: History, periods: _Periods, lapses_of_day: Int32s) -> Int64s:
    """The same where an order can be lapsed already when its own period ends, or payments count."""
    moves = np.zeros((_STATES, _STATES, periods.length), np.int64)
    day, ends = _signs(history)
    begins = periods.of(day)
    lapses = lapses_of_day.take(day - np.int32(periods.low))
    # the last sign of each period is all that its end knows of
    kept = np.ones(begins.size, np.bool_)
    np.not_equal(begins[:-1], begins[1:], out=kept[:-1])
    kept[ends] = True
    is_last = np.zeros(begins.size, np.bool_)
    is_last[ends] = True
    places = np.flatnonzero(kept)
    begins, lapses, is_last = begins.take(places), lapses.take(places), is_last.take(places)
    following = np.full(begins.size, periods.length, np.int32)
    following[:-1] = np.where(is_last[:-1], periods.length, begins[1:])
    fell = lapses[(lapses > begins) & (lapses < following)]
    moves[Standing.ACTIVE, Standing.LAPSED] += np.bincount(fell, minlength=periods.length)
    is_first = np.ones(begins.size, np.bool_)
    is_first[1:] = is_last[:-1]
    later = np.flatnonzero(~is_first)
    was_lapsed, is_lapsed = lapses.take(later - 1) < begins.take(later), lapses.take(later) <= begins.take(later)
    cells = (begins.take(later) * 4 + was_lapsed * 2 + is_lapsed).astype(np.int64)
    counted = np.bincount(cells, minlength=periods.length * 4).reshape(-1, 2, 2)
    moves[Standing.ACTIVE, Standing.LAPSED] += counted[:, 0, 1]
    moves[Standing.LAPSED, Standing.ACTIVE] += counted[:, 1, 0]
    firsts = np.flatnonzero(is_first)
    _begin(moves, history, periods, begins.take(firsts), lapses.take(firsts) <= begins.take(firsts))
    return moves


def _begin(moves: Int64s, history: History, periods: _Periods, begins: Int32s, is_lapsed: NDArray[np.bool_]) -> None:
    """Add how customers came on file, and began to order. ``begins``, ``is_lapsed``: of each customer with an order,
    the period of the first one, and whether it was lapsed at its end already."""
    whole, book, length = history.whole, history.threads, periods.length
    as_of = history.rule.as_of_day
    first_counted = np.full(book.customer_count, length, np.int32)
    first_counted[book.ordering] = begins
    lapsed = np.zeros(book.customer_count, np.bool_)
    lapsed[book.ordering] = is_lapsed
    first_of_all = np.full(book.customer_count, length, np.int32)
    days = first_day(whole)
    seen = np.flatnonzero((days <= as_of) & (days >= periods.low))
    first_of_all[seen] = periods.of(days.take(seen))
    on_file = on_file_day(whole, as_of)
    came = np.full(book.customer_count, -1, np.int32)
    dated = np.flatnonzero((on_file != NO_DAY) & (on_file >= periods.low))
    came[dated] = periods.of(on_file.take(dated))
    first_counted, first_of_all, came = map(history.of_looked_at, (first_counted, first_of_all, came))
    lapsed = history.of_looked_at(lapsed)

    def add(before: int, after: int, at: Int32s) -> None:
        moves[before, after] += np.bincount(at, minlength=length)[:length]

    began = (came == first_counted) & ~lapsed
    moves[OFF_FILE, Standing.ACTIVE] += np.bincount(first_counted[began], minlength=length)
    others = np.flatnonzero(~began)
    first_counted, first_of_all, came = (days.take(others) for days in (first_counted, first_of_all, came))
    lapsed = lapsed.take(others)
    waits, orders = came < first_counted, first_counted < length
    uncounted = first_of_all < first_counted
    add(OFF_FILE, Standing.NEVER_ORDERED, came[(came >= 0) & (came < first_of_all) & waits])
    add(OFF_FILE, Standing.NONE_COUNTED, came[(came >= 0) & (came == first_of_all) & waits])
    add(Standing.NEVER_ORDERED, Standing.NONE_COUNTED, first_of_all[uncounted & (came < first_of_all)])
    for after, theirs in ((Standing.ACTIVE, ~lapsed), (Standing.LAPSED, lapsed)):
        mine = orders & theirs
        add(OFF_FILE, after, first_counted[mine & ~waits])
        add(Standing.NONE_COUNTED, after, first_counted[mine & waits & uncounted])
        add(Standing.NEVER_ORDERED, after, first_counted[mine & waits & ~uncounted])


def _signs(history: History) -> tuple[Int32s, Int64s]:
    """The days that keep customers active, ascending within each customer, and the place of the last one of each:
    orders, and payments since the first order where they count."""
    book, rule = history.threads, history.rule
    payments = book.payments.up_to(rule.as_of_day)
    if not (rule.lapse.by_activity and payments.day.size):
        return book.day, latest_orders(book)
    who = payments.customer
    has = book.counts.take(who) > 0
    who, day = who[has], payments.day[has]
    since = day >= book.day.take(book.starts.take(who))
    customer = np.concatenate((book.customer, who[since])).astype(np.int64)
    days = np.concatenate((book.day, day[since]))
    low = int(days.min(initial=0))
    bits = max(int(days.max(initial=0)) - low, 1).bit_length()
    packed = np.sort(customer << bits | (days - low))
    owner = packed >> bits
    last = np.flatnonzero(np.append(owner[1:] != owner[:-1], True)) if owner.size else np.zeros(0, np.int64)
    return ((packed & ((1 << bits) - 1)) + low).astype(np.int32), last


def _moves_by_reading_anew(history: History, ends: Int64s, before_day: int) -> Int64s:
    """The same for rules whose limit is another one for every customer, and another one at every end."""
    limit_cells(
        history.book.order_count * ends.size,
        most=_ORDERS_TIMES_PERIODS,
        remedy="Choose longer periods, or a lapse rule in days or months.",
        field="over",
    )
    moves = np.zeros((_STATES, _STATES, ends.size), np.int64)
    before = history.of_looked_at(standings_on(history, before_day))
    for place, end in enumerate(ends.tolist()):
        after = history.of_looked_at(standings_on(history, end))
        cells = before.astype(np.int64) * _STATES + after
        moves[:, :, place] = np.bincount(cells, minlength=_STATES**2).reshape(_STATES, _STATES)
        before = after
    moves[np.arange(_STATES), np.arange(_STATES)] = 0
    return moves
