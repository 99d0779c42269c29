"""What stands behind the figures of Rhythm."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

import numpy as np

from goldthread.core.book.days import to_date, to_day
from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.choices import BLANK, Waiting
from goldthread.core.counted import Counted
from goldthread.core.rhythm.due import LATE_LIMITS, Expected, Late, LatestOrders
from goldthread.core.rhythm.gaps import STEPS_APART
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened_of
from goldthread.stops.rhythm.answer import CountsAnswer, DueAnswer, GapsAnswer, NextOrderAnswer
from goldthread.stops.rhythm.question import (
    LATE,
    PERIODS,
    STEP,
    TOGETHER,
    CountsFigureName,
    DueFigureName,
    GapsFigureName,
    NextOrderFigureName,
)
from goldthread.stops.rhythm.words import of_kind
from goldthread.stops.sentences.sentence import count_words, number_words, numbered, ordinal, percent_words

LATENESS_WORDS = (
    "by up to 1 gap",
    "by over 1 to 2 gaps",
    "by over 2 to 4 gaps",
    "by more than 4 gaps",
    "expected the same day",
)
"""How late, in usual gaps beyond the one that was expected: the overdue ratio less one."""


def count_labels(answer: CountsAnswer) -> list[str]:
    """The names of the groups: 0, 1, … and the last one as 10+."""
    last = answer.counts.groups
    return [*(str(count) for count in range(last)), f"{last}+"]


def groups_of(answer: CountsAnswer, figure: CountsFigureName) -> list[int]:
    """The groups of a figure, ascending; all but the zero group when it names none. Raises `InvalidInput`."""
    labels = count_labels(answer)
    unknown = [name for name in figure.orders if name not in labels]
    if unknown:
        raise InvalidInput(
            f"There is no group {unknown[0][:20]}.", remedy=f"Groups: {', '.join(labels)}.", field="orders"
        )
    return sorted({labels.index(name) for name in figure.orders}) or list(range(1, len(labels)))


def counts_counted(answer: CountsAnswer, figure: CountsFigureName) -> Counted:
    """The customers of some groups and their orders inside the window."""
    return Counted.of_table(answer.read.history, answer.counts, np.array(groups_of(answer, figure)))


def counts_words(answer: CountsAnswer, figure: CountsFigureName) -> str:
    """Who a figure of order counts counts, as a sentence without its full stop."""
    counts = answer.counts
    groups = groups_of(answer, figure)
    names = [f"{group} or more" if group == counts.groups else str(group) if group else "no" for group in groups]
    if groups == list(range(1, counts.groups + 1)):
        names = ["1 or more"]
    noun = "order" if groups == [1] else "orders"
    return f"Customers with {_either(names)} {noun} {_dates(counts.first_day, counts.last_day)}"


def open_counts(answer: CountsAnswer, figure: CountsFigureName, offset: int, limit: int) -> Opened:
    """The customers of some groups."""
    counts, groups = answer.counts, groups_of(answer, figure)
    counted = counts_counted(answer, figure)
    looked_at = counts.with_orders + (int(counts.customers[0]) if 0 in groups else 0)
    beside = "customers"
    if looked_at:
        whom = "looked at" if 0 in groups else "who ordered then"
        beside += f", {percent_words(counted.customers, looked_at)} of the {number_words(looked_at)} {whom}"
    shown = Figure(Unit.COUNT, float(counted.customers), beside, f"{counts_words(answer, figure)}.")
    return opened_of(answer.read, shown, counted, offset, limit)


def gap_group(answer: GapsAnswer, figure: GapsFigureName) -> int | None:
    """The group of a figure in the table; None for all gaps. Raises `InvalidInput`."""
    if figure.group is None:
        return None
    labels = answer.table.labels if answer.table is not None else ()
    if figure.group not in labels:
        raise InvalidInput(f"There is no group {figure.group[:80]}.", remedy="Name one that is shown.", field="group")
    return labels.index(figure.group)


def gap_days_of(answer: GapsAnswer, figure: GapsFigureName) -> tuple[int, int] | None:
    """The lengths of the gaps that a figure counts, both included; None for all."""
    if figure.shortest is None and figure.longest is None:
        return None
    longest = answer.together.histogram.shape[1] - 1
    return figure.shortest or 0, longest if figure.longest is None else figure.longest


def gaps_counted(answer: GapsAnswer, figure: GapsFigureName) -> Counted:
    """The orders that ended some gaps, and their customers."""
    group, table = gap_group(answer, figure), answer.table or answer.together
    return Counted.of_table(answer.read.history, table, group, gap_days_of(answer, figure))


def gaps_words(answer: GapsAnswer, figure: GapsFigureName) -> str:
    """Whose gaps a figure counts, as a sentence without its full stop."""
    days = gap_days_of(answer, figure)
    length = "" if days is None else f" of {_length(*days)}"
    return f"Customers with gaps{length}{_of_group(answer, figure)}"


def open_gaps(answer: GapsAnswer, figure: GapsFigureName, offset: int, limit: int) -> Opened:
    """The gaps of a group, or those of it that are so long, with the orders that ended them."""
    counted = gaps_counted(answer, figure)
    group = gap_group(answer, figure)
    table, place = (answer.together, 0) if group is None or answer.table is None else (answer.table, group)
    note = ""
    if gap_days_of(answer, figure) is None and counted.orders:
        low, middle, high = (table.quantile_days(share)[place] for share in (0.25, 0.5, 0.75))
        note = f"Half of them last {low:g} to {high:g} days; median {middle:g}, mean {table.mean_days[place]:.1f}."
    beside = f"gaps of {count_words(counted.customers, 'customer')}"
    words = f"Each marked order followed the one before it{_after(answer, figure)}{_of_group(answer, figure)}."
    shown = Figure(Unit.COUNT, float(counted.orders), beside, words, note)
    return opened_of(answer.read, shown, counted, offset, limit)


def _after(answer: GapsAnswer, figure: GapsFigureName) -> str:
    days = gap_days_of(answer, figure)
    return "" if days is None else f" after {_length(*days)}"


def _of_group(answer: GapsAnswer, figure: GapsFigureName) -> str:
    if figure.group is None:
        return ""
    by = answer.question.by
    if by == STEP:
        return f" ({step_words(figure.group)})"
    if by in PERIODS:
        return f" that ended in {period_words(figure.group)}"
    return f" ({answer.read.fields.field(by).title}: {figure.group or BLANK})" if by != TOGETHER else ""


def step_words(label: str) -> str:
    """A step in words: first to second order; the last one holds all later ones."""
    if label.endswith("+"):
        return f"from the {numbered(STEPS_APART)} order on"
    return f"{numbered(int(label))} to {numbered(int(label) + 1)} order"


def next_order_counted(answer: NextOrderAnswer, figure: NextOrderFigureName) -> Counted:
    """The customers who are so, some days after the order."""
    waits, group = answer.group(figure.group)
    return Counted.of_table(waits.history, waits, group, figure.days, figure.who)


_WHERE = {
    Waiting.ORDERED: "who had ordered again{then} by day {days} after their {step} order{after}",
    Waiting.WAITING: "who had not ordered again{then} by day {days} after their {step} order{after}",
    Waiting.NOT_YET: "whose {step} order{after} is less than {days} days old and who have not ordered again{then}"
    " so far",
}


def next_order_words(answer: NextOrderAnswer, figure: NextOrderFigureName) -> str:
    """Who a figure counts, as a sentence without its full stop."""
    group = "" if figure.group is None or len(answer.labels) == 1 else f" ({figure.group})"
    days = figure.days + 1 if figure.who is Waiting.NOT_YET else figure.days
    kinds = (of_kind(answer.read, each) for each in (answer.question.after, answer.question.then))
    after, then = (f" {kind}" if kind else "" for kind in kinds)
    who = _WHERE[figure.who].format(days=days, step=ordinal(answer.question.step), after=after, then=then)
    return f"Customers {who}{group}"


def open_next_order(answer: NextOrderAnswer, figure: NextOrderFigureName, offset: int, limit: int) -> Opened:
    """Those who had ordered again by a day, wait still, or are not so far yet."""
    counted = next_order_counted(answer, figure)
    waits, group = answer.group(figure.group)
    of_group = waits.times.of_group
    everybody = int(of_group.sum() if group is None else of_group[group])
    words, there = f"{next_order_words(answer, figure)}.", counted.customers
    shown = Figure(Unit.COUNT, float(there), f"customers of the {number_words(everybody)} with that order", words)
    place = 0 if group is None and len(waits.labels) == 1 else group
    if figure.who is Waiting.ORDERED and place is not None:
        curve = waits.curve
        day = min(figure.days, curve.share.shape[1] - 1)
        share, low, high = (float(values[place, day]) for values in (curve.share, curve.low, curve.high))
        if not np.isnan(share):
            so_many = count_words(there, "customer")
            note = f"{so_many} had by then. Whoever is not so far yet is counted for as long as they were watched."
            bounds = (None, None) if np.isnan(low) else (low, high)
            beside = f"of the {number_words(everybody)} with that order"
            shown = Figure(Unit.SHARE, share, beside, words, note, *bounds)
    return opened_of(answer.read, shown, counted, offset, limit)


def due_customers(answer: DueAnswer, figure: DueFigureName) -> tuple[Expected | Late, str]:
    """The customers of a figure, and who they are in words. Raises `InvalidInput`."""
    at, as_of = figure.at, answer.read.as_of_day
    last = as_of + answer.days - 1
    if at == "":
        return Expected(as_of, last), f"Customers expected to order {_dates(as_of, last)}"
    if at == LATE:
        return Late(), f"Customers expected to order before {date_words(as_of)}, who have not"
    if at.startswith(f"{LATE}-") and at.removeprefix(f"{LATE}-") in map(str, range(1, len(LATENESS_WORDS) + 1)):
        group = int(at.removeprefix(f"{LATE}-")) - 1
        return Late(group), f"Customers who are late {_late_words(group)}"
    try:
        day = to_day(dt.date.fromisoformat(at))
    except ValueError:
        raise InvalidInput(
            f"{at[:40]} is neither a date nor late.",
            remedy=f"Give a date from {to_date(as_of)} on, {LATE}, or {LATE}-1 to {LATE}-{len(LATENESS_WORDS)}.",
            field="at",
        ) from None
    return Expected(max(day, as_of), min(day, last)), f"Customers expected to order on {date_words(day)}"


def due_counted(answer: DueAnswer, figure: DueFigureName) -> Counted:
    """Those who are expected, with the latest order of each."""
    return Counted(answer.read.history, LatestOrders(due_customers(answer, figure)[0]))


def due_words(answer: DueAnswer, figure: DueFigureName) -> str:
    """Who a figure counts, as a sentence without its full stop."""
    return due_customers(answer, figure)[1]


def open_due(answer: DueAnswer, figure: DueFigureName, offset: int, limit: int) -> Opened:
    """Those who are expected, with their latest orders marked."""
    counted, words = due_counted(answer, figure), due_words(answer, figure)
    note = "The marked order is the latest; the next is expected one usual gap after it."
    shown = Figure(Unit.COUNT, float(counted.customers), "customers", f"{words}.", note)
    return opened_of(answer.read, shown, counted, offset, limit)


def _late_words(group: int) -> str:
    if group > len(LATE_LIMITS):
        return "and were expected again on the day of their latest order"
    return LATENESS_WORDS[group].replace("gap", "usual gap")


def _dates(first: int, last: int) -> str:
    return f"from {date_words(first)} to {date_words(last)}"


def _length(shortest: int, longest: int) -> str:
    return f"{count_words(longest, 'day')}" if shortest == longest else f"{shortest} to {count_words(longest, 'day')}"


def _either(words: Sequence[str]) -> str:
    return " or ".join(filter(None, [", ".join(words[:-1]), words[-1]]))
