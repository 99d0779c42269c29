"""Identities that must always hold (``docs/definitions.md``, section 10)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.choices import AgeKind, Flow, Measure, Period, Side, Span
from goldthread.core.cohorts.table import CohortTable, cohort_table
from goldthread.core.history.history import History
from goldthread.core.history.lapse import LapseRule
from goldthread.core.history.standing import Standing, standing
from goldthread.core.newness.stretches import side_of, stretch_behind
from goldthread.core.newness.table import NewnessTable, newness_table
from goldthread.core.parts import adds_up
from goldthread.core.rhythm.counts import OrderCounts
from goldthread.core.rhythm.waits import Waits
from goldthread.core.standing.over_time import StandingsOverTime, standings_over_time
from goldthread.core.survival import TimesToEvent, product_limit
from goldthread.core.threads.gaps import gap_count, rank
from goldthread.core.worth.acquisition import new_by_channel, new_customers
from goldthread.core.worth.revenue_shares import RevenueShares, revenue_shares

_OPENED_EVERY = 97
IDENTITIES = {
    1: "Cohort sizes, customers with an order and first orders are one number",
    2: "The cohort table holds every counted order and all of its revenue",
    3: "Diagonals are the calendar’s own totals",
    4: "New customers are the cohorts; new and returning add up",
    5: "Gaps are orders less customers",
    6: "Every customer has one standing, and flows lead to the next",
    7: "Every figure is what stands behind it",
    8: "The database, counting by itself, comes to the same",
    9: "Customers by number of orders are everybody, with all orders of the window",
    10: "Waiting, ordered again and not so far yet are everybody",
    11: "Members of a list are contacted, to do or left out",
    12: "Customers by revenue are the ordering ones, each once",
    13: "New customers by channel add up",
}
"""What each number of the definitions stands for."""


@dataclass(frozen=True)
class Check:
    """One identity: what must equal what, and the two figures found (or how many places differ).

    ``where`` says in which table it was looked at, where there are several.
    """

    number: int
    claim: str
    expected: int
    found: int
    where: str = ""

    @property
    def identity(self) -> str:
        """What its number stands for."""
        return IDENTITIES[self.number]

    @property
    def holds(self) -> bool:
        return self.expected == self.found


@dataclass(frozen=True)
class Checked:
    """Some identities, each held once."""

    checks: tuple[Check, ...]

    def __add__(self, other: Checked) -> Checked:
        """The same of two parts of a book. One that does not apply to a part is left out there."""
        mine, theirs = ({(c.number, c.claim, c.where): c for c in each.checks} for each in (self, other))
        longer, shorter = (mine, theirs) if len(mine) >= len(theirs) else (theirs, mine)
        nothing = {key: replace(check, expected=0, found=0) for key, check in longer.items()} | shorter
        return Checked(
            tuple(
                replace(check, expected=check.expected + nothing[key].expected, found=check.found + nothing[key].found)
                for key, check in longer.items()
            )
        )


@adds_up
def checked_at_once(history: History) -> Checked:
    """The identities that take one pass each: of cohorts by month, new and returning, standings, who brings revenue."""
    table, newness = cohort_table(history, Period.MONTH), newness_table(history, Span.MONTH)
    return Checked(
        (
            *check_sizes(table),
            *check_totals(table),
            *check_diagonals(table),
            *check_newness(table, newness),
            *check_standing(history, history.rule.lapse),
            *check_flows(standings_over_time(history, Period.MONTH)),
            *check_revenue_shares(revenue_shares(history)),
        )
    )


def check_sizes(table: CohortTable) -> list[Check]:
    """1. Σ cohort sizes = customers with a counted order = number of rank-1 orders."""
    book = table.history.book
    sizes = int(table.size.sum())
    firsts = int(np.count_nonzero(rank(book) == 1))
    checks = [Check(1, "Cohort sizes add up to the first orders", firsts, sizes)]
    if table.history.shown is None:
        at_first = int(table.customers[:, :1].sum())
        checks.append(Check(1, "Customers at age 0 are those with a counted order", int(book.ordering.size), at_first))
    return checks


def check_totals(table: CohortTable) -> list[Check]:
    """2. Orders and revenue of the cohort table = counted orders and their revenue, to the minor unit."""
    history = table.history
    amounts = history.book.amount_minor if history.shown is None else history.book.amount_minor[history.shown]
    revenue = sum(int(part.sum()) for part in np.array_split(amounts, 64))
    counted = history.shown_order_count
    return [
        Check(2, "Orders in the cohort table are the counted orders", counted, int(table.orders.sum())),
        Check(2, "Revenue in the cohort table is the counted revenue", revenue, int(table.revenue_minor.sum())),
    ]


def check_diagonals(table: CohortTable) -> list[Check]:
    """3. Each diagonal = the calendar period's orders and revenue. Calendar ages only; else no check."""
    if table.age_kind is not AgeKind.CALENDAR or table.cohort_count == 0:
        return []
    book, shown = table.history.book, table.history.shown
    first, codes = book.period(table.period)
    places, amounts = codes.astype(np.int64) + (first - table.first_cohort), book.amount_minor
    if shown is not None:
        places, amounts = places[shown], amounts[shown]
    length = table.age_count
    orders = np.bincount(places, minlength=length)
    revenue = np.zeros(length, np.int64)
    np.add.at(revenue, places, amounts)
    diagonal = np.add.outer(np.arange(table.cohort_count), np.arange(length)).ravel()
    inside = diagonal < length
    found = np.zeros((2, length), np.int64)
    for row, figure in enumerate((table.orders, table.revenue_minor)):
        np.add.at(found[row], diagonal[inside], figure.ravel()[inside])
    return [
        Check(3, "Diagonals that differ from their period's orders", 0, int((found[0] != orders).sum())),
        Check(3, "Diagonals that differ from their period's revenue", 0, int((found[1] != revenue).sum())),
    ]


def check_newness(table: CohortTable, newness: NewnessTable) -> list[Check]:
    """4. New customers of a period = its cohort's size; new + returning = total, in orders and revenue."""
    sizes = dict(zip(table.labels, table.size.tolist(), strict=True))
    new = dict(zip(newness.labels, newness.customers.new.tolist(), strict=True))
    differing = sum(new.get(label, 0) != size for label, size in sizes.items())
    orders, revenue = int(newness.orders.total.sum()), int(newness.revenue_minor.total.sum())
    checks = [
        Check(4, "New and returning orders are the orders of the cohort table", int(table.orders.sum()), orders),
        Check(4, "Their revenue is that of the cohort table", int(table.revenue_minor.sum()), revenue),
    ]
    if table.history.shown is None:
        checks.insert(0, Check(4, "Periods whose new customers are not their cohort", 0, differing))
    return checks


def check_gaps(history: History) -> list[Check]:
    """5. Number of gaps = counted orders − customers with orders."""
    book = history.book
    return [Check(5, "Gaps are orders less customers", book.order_count - int(book.ordering.size), gap_count(book))]


def check_standing(history: History, lapse: LapseRule) -> list[Check]:
    """6. active + lapsed + never ordered + none counted = customers on file; the first two = those with orders."""
    counts = np.bincount(standing(history.whole, history.book, history.rule.as_of_day, lapse), minlength=len(Standing))
    with_orders = int(counts[Standing.ACTIVE] + counts[Standing.LAPSED])
    return [
        Check(6, "Standings add up to the customers on file", history.whole.customer_count, int(counts.sum())),
        Check(6, "Active and lapsed are the customers with orders", int(history.book.ordering.size), with_orders),
    ]


def check_flows(table: StandingsOverTime) -> list[Check]:
    """6. opening + flows = closing, for every standing and period; the end of a period is that of its last day."""
    history, customers = table.history, table.customers
    change = sum(table.change(flow) for flow in Flow)
    differing = int((table.openings + change != customers).sum())
    apart = 0
    for place in sorted({0, table.end_day.size // 2, table.end_day.size - 1}):
        stands = history.of_looked_at(table.standings_on(place))
        counted = np.bincount(stands, minlength=len(Standing) + 1)[: len(Standing)]
        apart += int((counted != customers[:, place]).sum())
    where = f"by {table.period}"
    return [
        Check(6, "Standings that are not the opening and the flows", 0, differing, where),
        Check(6, "Ends of periods that are not the standings of that day", 0, apart, where),
    ]


def check_behind(table: CohortTable) -> Iterator[Check | None]:
    """7. Every cell equals the customers, orders and revenue that its trace lists.

    All cells are listed out of one pass, and some once more as they are when one of them is opened.
    """
    differing, amounts = 0, table.history.book.amount_minor
    for place, (cohort, age, behind) in enumerate(table.behind_each()):
        listed = (behind.customers.size, behind.orders.size, int(amounts.take(behind.orders).sum()))
        shown = (table.customers[cohort, age], table.orders[cohort, age], table.revenue_minor[cohort, age])
        is_same = listed == tuple(int(figure) for figure in shown)
        if place % _OPENED_EVERY == 0:
            is_same &= np.array_equal(table.behind(cohort, age).orders, behind.orders)
        differing += not is_same
        yield None
    yield Check(7, "Cells that differ from what stands behind them", 0, differing)


def check_newness_behind(newness: NewnessTable) -> Iterator[Check | None]:
    """7. Every figure of new and returning equals the customers, orders or revenue that its trace lists.

    All are listed out of one sort of the orders by day, and some once more as they are when one of them is opened.
    """
    history, differing, opened = newness.history, 0, 0
    amounts = history.book.amount_minor
    days = history.book.day if history.shown_orders is None else history.book.day.take(history.shown_orders)
    by_day = np.argsort(days, kind="stable")
    days = days.take(by_day)
    positions = by_day if history.shown_orders is None else history.shown_orders.take(by_day)
    for place in range(newness.state.size):
        first_day, last_day = newness.days_of(place)
        low, high = np.searchsorted(days, first_day), np.searchsorted(days, last_day, side="right")
        inside = np.sort(positions[low:high])
        for measure in Measure:
            parts = newness.parts(measure)
            for side, shown in (
                (Side.NEW, parts.new),
                (Side.RETURNING, parts.returning),
                (Side.WON_BACK, parts.won_back),
            ):
                behind = side_of(history, inside, first_day, measure, side)
                listed = {
                    Measure.ORDERS: behind.orders.size,
                    Measure.CUSTOMERS: behind.customers.size,
                    Measure.REVENUE: amounts.take(behind.orders).sum(),
                }
                is_same = int(listed[measure]) == int(shown[place])
                if opened % _OPENED_EVERY == 0:
                    found = stretch_behind(history, first_day, last_day, measure, side)
                    is_same &= np.array_equal(found.orders, behind.orders)
                opened += 1
                differing += not is_same
        yield None
    yield Check(7, "Figures of new and returning that differ from what stands behind them", 0, differing)


def check_order_counts(counts: OrderCounts) -> list[Check]:
    """9. Order-count groups, the zero group included, add up to the customers looked at; their orders and revenue to
    those of the window."""
    history = counts.history
    inside = history.within(counts.first_day, counts.last_day)
    orders, revenue = int(np.count_nonzero(inside)), int(history.book.amount_minor[inside].sum())
    return [
        Check(9, "Order-count groups are the customers looked at", history.customers.size, int(counts.customers.sum())),
        Check(9, "Their orders are those of the window", orders, int(counts.orders.sum())),
        Check(9, "Their revenue is that of the window", revenue, int(counts.revenue_minor.sum())),
    ]


def check_waits(waits: Waits) -> list[Check]:
    """10. At every age: waiting + ordered again + not so far yet = customers with that order; without censoring the
    estimate is the plain share."""
    times, ages = waits.times, np.arange(waits.times.events.shape[1])
    ordered, not_yet = (
        np.searchsorted(np.sort(waits.days[among]), ages, side="right") for among in (waits.ordered, ~waits.ordered)
    )
    waiting = (times.at_risk - times.events - times.censored).sum(axis=0)
    differing = int((ordered + not_yet + waiting != waits.positions.size).sum())
    plain = product_limit(TimesToEvent(times.events, np.zeros_like(times.events)))
    with np.errstate(invalid="ignore"):
        shares = np.cumsum(times.events, axis=1) / times.events.sum(axis=1, keepdims=True)
    known = ~np.isnan(plain.share)
    apart = int((np.abs(plain.share - shares)[known] > 1e-9).sum())
    where = f"after order {waits.between.step}"
    return [
        Check(10, "Ages at which waiting, ordered and not so far yet are not everybody", 0, differing, where),
        Check(10, "Ages at which the estimate without open gaps is not the plain share", 0, apart, where),
    ]


def check_all(table: CohortTable, lapse: LapseRule) -> list[Check]:
    """Every identity above, in the order of the definitions."""
    return [
        *check_sizes(table),
        *check_totals(table),
        *check_diagonals(table),
        *check_gaps(table.history),
        *check_standing(table.history, lapse),
        *filter(None, check_behind(table)),
    ]


def check_revenue_shares(found: RevenueShares) -> list[Check]:
    """12. Customers by revenue are the ordering ones, each once; their orders and revenue are the counted ones."""
    history = found.history
    amounts = history.book.amount_minor if history.shown is None else history.book.amount_minor[history.shown]
    return [
        Check(12, "Customers by revenue are listed once each", found.customers.size, _distinct(found.customers)),
        Check(
            12,
            "Orders of customers by revenue are the counted ones",
            history.shown_order_count,
            int(found.orders.sum()),
        ),
        Check(12, "Revenue of customers by revenue is the counted one", int(amounts.sum()), found.total_minor),
    ]


def _distinct(places: NDArray[np.int64]) -> int:
    return int(np.count_nonzero(np.bincount(places)))


def check_new_by_channel(history: History, period: Period) -> list[Check]:
    """13. New customers of the channels add up to the new customers of each period."""
    channels = new_by_channel(history, period)
    if not channels:
        return []
    by_channel = sum(int(each.counts.sum()) for each in channels.values())
    return [Check(13, "New customers by channel add up", int(new_customers(history, period).counts.sum()), by_channel)]
