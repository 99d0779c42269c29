"""What a reading line leaves of a book: the thread of every customer, and every fact of it (sections 1 to 4 and 8)."""

from __future__ import annotations

import calendar
import datetime as dt
import math
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from typing import Any

from tests.reference.conditions import Condition, Truth, parts_of
from tests.reference.records import MINOR, Book, Line, Order, Payment

Value = str | int | Fraction | None
ORDER_FIELDS = ("source", "status", "rep", "channel", "category", "date", "amount", "rank", "gap", "revenue_to_date")
OWN_FIELDS = ("discount", "gift")
FILED = ("region", "score", "joined")
"""Attributes of customers, typed as what they hold."""
DATES = ("date", "first_date", "latest_date", "last_activity", "next_due", "joined")
MONEY = (
    *("amount", "revenue_to_date", "first_amount", "revenue", "average_order_value", "balance"),
    *("revenue:category:clay", "revenue:product:kiln", "revenue:dated:2023-01-01/2024-02-29"),
)
NUMBERS = ("discount", "first_discount", "score")


@dataclass(frozen=True)
class ReadBy:
    """How a book is read; the names and words are those of the program's reading line."""

    as_of: int
    statuses: tuple[str, ...] = ("open", "paid", "refunded")
    sources: tuple[str, ...] = ()
    unit: str = "order"
    where: Condition | None = None
    firsts: str = "all"
    members: frozenset[str] | None = None
    without: bool = False
    lapse: str = "90d"
    by_activity: bool = False


@dataclass(frozen=True, eq=False)
class Bought:
    """An order, or a purchase day, as it stands in a thread. ``joined`` : how many orders it is."""

    order: Order
    amount: int
    lines: tuple[Line, ...]
    joined: int = 1

    @property
    def day(self) -> int:
        return self.order.day

    @property
    def customer(self) -> str:
        return self.order.customer

    @property
    def named(self) -> str:
        """Its number; a purchase day is named after its first order."""
        more = self.joined - 1
        return f"{self.order.number} and {more} more" if more else self.order.number


def natural(number: str) -> tuple[Any, ...]:
    """A number in natural order: A-9 before A-10."""
    parts = re.split(r"(\d+)", number)
    return tuple((1, int(part), "") if part.isdigit() else (0, 0, part) for part in parts if part), number


def in_order(order: Order) -> tuple[Any, ...]:
    """The order of orders of one customer (1.5)."""
    return order.day, order.time != "", order.time, natural(order.number), order.source


def category_of(lines: Iterable[Line]) -> str:
    """The category with the largest amount, ties by name; lines without one say nothing."""
    sums: dict[str, int] = {}
    for line in lines:
        if not line.category:
            continue
        sums[line.category] = sums.get(line.category, 0) + line.amount
    return min(sums, key=lambda name: (-sums[name], name)) if sums else ""


def months_before(day: int, months: int) -> int:
    date = dt.date.fromordinal(day)
    index = date.year * 12 + date.month - 1 - months
    year, month = divmod(index, 12)
    return dt.date(year, month + 1, min(date.day, calendar.monthrange(year, month + 1)[1])).toordinal()


def median(values: list[Any]) -> Any:
    ordered, middle = sorted(values), len(values) // 2
    if not ordered:
        return None
    return ordered[middle] if len(ordered) % 2 else Fraction(ordered[middle - 1] + ordered[middle], 2)


def quantile(values: list[Any], share: Fraction) -> Any:
    """Between the two nearest values (Hyndman and Fan's definition 7)."""
    ordered = sorted(values)
    place = share * (len(ordered) - 1)
    low = math.floor(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (place - low)


def step_medians(threads: Iterable[list[Bought]]) -> dict[int, Any]:
    """The median gap from order n to n + 1 over all customers, for n = 1, 2 and 3; None where nobody made the step."""
    every = list(threads)
    return {
        step: median([thread[step].day - thread[step - 1].day for thread in every if len(thread) > step])
        for step in (1, 2, 3)
    }


def expected_gap(thread: list[Bought], steps: dict[int, Any]) -> Any:
    """Own median from four orders on, else that of all customers at the step; None without an order or such a step."""
    if len(thread) >= 4:
        return median(gaps_of(thread))
    return steps[len(thread)] if thread else None


def gaps_of(thread: list[Bought]) -> list[int]:
    return [after.day - before.day for before, after in pairwise(thread)]


class Threads:
    """Threads by customer. ``everybody`` : those of all customers of the history, whoever is looked at."""

    def __init__(self, book: Book, line: ReadBy, everybody: dict[str, list[Bought]]) -> None:
        self.book, self.line, self.everybody = book, line, everybody
        self.place = {id(each): (thread, at) for thread in everybody.values() for at, each in enumerate(thread)}
        self.about = {customer.key: customer for customer in book.customers}

    @cached_property
    def unfiled(self) -> frozenset[str]:
        """Fields that no file gives: of customers where nobody has the attribute, of orders where no file has it."""
        of_customers = [n for n in FILED if not any(getattr(each, n) for each in self.book.customers)]
        has_own = any(order.source == "shop" for order in self.book.orders)
        of_orders = [] if has_own else [each for own in OWN_FIELDS for each in (own, f"first_{own}")]
        return frozenset([*of_customers, *of_orders])

    @cached_property
    def steps(self) -> dict[int, Any]:
        return step_medians(self.everybody.values())

    def of(self, customer: str) -> list[Bought]:
        return self.everybody[customer]

    def rank(self, bought: Bought) -> int:
        return self.place[id(bought)][1] + 1

    def gap(self, bought: Bought) -> int | None:
        thread, at = self.place[id(bought)]
        return bought.day - thread[at - 1].day if at else None

    def label(self, bought: Bought, name: str) -> str:
        """A label of an order; blank where there is none."""
        if name == "category":
            return category_of(bought.order.lines)
        return str(getattr(bought.order, name))

    def of_order(self, bought: Bought, name: str) -> Value:
        """A field of an order; None where it is blank."""
        thread, at = self.place[id(bought)]
        match name:
            case "date":
                return bought.day
            case "amount":
                return bought.amount
            case "rank":
                return at + 1
            case "gap":
                return self.gap(bought)
            case "revenue_to_date":
                return sum(each.amount for each in thread[: at + 1])
            case _ if name.startswith("lines:"):
                _, of, label = name.split(":")
                return len([each for each in bought.lines if getattr(each, of) == label])
        return typed(name, self.label(bought, name))

    def of_customer(self, key: str, name: str) -> Value:
        """A field of a customer; None where it is blank."""
        thread, as_of = self.everybody[key], self.line.as_of
        if name in ("name", "number", "email", "town", "region", "closed", "do_not_contact", "score", "joined"):
            return self._on_record(key, name)
        if name in _OF_THREADS:
            return _OF_THREADS[name](thread, as_of)
        for which, at in (("first_", 0), ("latest_", -1)):
            label = name.removeprefix(which)
            if name.startswith(which) and label in (*ORDER_FIELDS[:5], *OWN_FIELDS):
                return typed(name, self.label(thread[at], label)) if thread else None
        measure, _, what = name.partition(":")
        if what:
            of, _, label = what.partition(":")
            if of == "dated":
                return dated_of(thread, measure, label)
            return bought_of(thread, measure, of, label)
        match name:
            case "last_activity":
                return last_sign(self.book, thread, key, as_of, by_activity=True)
            case "balance":
                paid = self._payments(key)
                return sum(each.amount for each in thread) - sum(each.amount for each in paid) if paid else None
            case "next_due":
                expected = self.expected(key)
                return None if expected is None else thread[-1].day + _nearest(Fraction(expected))
            case "overdue":
                expected = self.expected(key)
                return Fraction(as_of - thread[-1].day) / Fraction(expected) if expected else None
            case "standing":
                return self.standing(key)
        raise KeyError(name)

    def _on_record(self, key: str, name: str) -> Value:
        known = self.about.get(key)
        if name == "number":
            return key
        if name in ("closed", "do_not_contact"):
            return getattr(known, name, "") or "no"
        if known is None:
            return key if name == "name" else None
        if name == "joined":
            return known.joined
        if name == "name":
            return known.name or key
        return typed(name, str(getattr(known, name)))

    def _payments(self, key: str) -> list[Payment]:
        return [each for each in self.book.payments if each.customer == key and each.day <= self.line.as_of]

    def expected(self, key: str) -> Any:
        return expected_gap(self.everybody[key], self.steps)

    def standing(self, key: str) -> str:
        return standing_on(self, key, self.line.as_of)

    @cached_property
    def steps_on(self) -> Callable[[int], dict[int, Any]]:
        """The step medians as they were known at the end of a day."""
        known: dict[int, dict[int, Any]] = {}

        def on(day: int) -> dict[int, Any]:
            if day not in known:
                known[day] = step_medians([each for each in t if each.day <= day] for t in self.everybody.values())
            return known[day]

        return on

    def won_back(self, bought: Bought) -> bool:
        """Whether the customer had lapsed when the order came (section 6)."""
        thread, at = self.place[id(bought)]
        if at == 0:
            return False
        before, gap, lapse = thread[at - 1].day, bought.day - thread[at - 1].day, self.line.lapse
        size = lapse[:-1]
        if lapse.endswith("d"):
            return gap >= int(size)
        if lapse.endswith("m"):
            return before <= months_before(bought.day, int(size))
        known = [each for each in thread if each.day < bought.day]
        expected = expected_gap(known, self.steps_on(bought.day - 1))
        return expected is not None and gap > Fraction(size) * expected


def typed(name: str, text: str) -> Value:
    """A label as what it is: a number in ten-thousandths where the field holds numbers."""
    if not text:
        return None
    return int(Decimal(text) * MINOR) if name in NUMBERS else text


def dated_of(thread: list[Bought], measure: str, dates: str) -> int:
    """Orders or revenue of a range of dates, both inside."""
    first, last = (dt.date.fromisoformat(date).toordinal() for date in dates.split("/"))
    amounts = [each.amount for each in thread if first <= each.day <= last]
    return len(amounts) if measure == "orders" else sum(amounts)


def bought_of(thread: list[Bought], measure: str, of: str, label: str) -> int:
    lines = [[line for line in each.lines if getattr(line, of) == label] for each in thread]
    return sum(map(bool, lines)) if measure == "orders" else sum(line.amount for each in lines for line in each)


def _nearest(number: Fraction) -> int:
    """The nearest whole number, halves counted up."""
    return math.floor(number + Fraction(1, 2))


def slowed_down(thread: list[Bought], as_of: int) -> str | None:
    if len(thread) < 5:
        return None
    *earlier, before, latest = gaps_of(thread)
    quartile = quantile(earlier, Fraction(3, 4))
    return "yes" if before > quartile and max(latest, as_of - thread[-1].day) > quartile else "no"


_OF_THREADS: dict[str, Callable[[list[Bought], int], Value]] = {
    "first_date": lambda t, _: t[0].day if t else None,
    "first_amount": lambda t, _: t[0].amount if t else None,
    "latest_date": lambda t, _: t[-1].day if t else None,
    "days_since": lambda t, as_of: as_of - t[-1].day if t else None,
    "orders": lambda t, _: len(t),
    "revenue": lambda t, _: sum(each.amount for each in t),
    "average_order_value": lambda t, _: (
        math.floor(Fraction(sum(e.amount for e in t), len(t)) + Fraction(1, 2)) if t else None
    ),
    "usual_gap": lambda t, _: median(gaps_of(t)),
    "average_gap": lambda t, _: Fraction(t[-1].day - t[0].day, len(t) - 1) if len(t) > 1 else None,
    "widest_gap": lambda t, _: max(gaps_of(t), default=None),
    "slowed_down": slowed_down,
}
CUSTOMER_FIELDS = (
    *("name", "number", "email", "town", "region", "closed", "do_not_contact", "score", "joined", *_OF_THREADS),
    *("last_activity", "balance", "next_due", "overdue", "standing"),
    *(f"{which}_{name}" for which in ("first", "latest") for name in ORDER_FIELDS[:5]),
    *(f"first_{name}" for name in OWN_FIELDS),
)
DATED_FIELDS = ("orders:dated:2023-06-01/2023-12-31", "revenue:dated:2023-01-01/2024-02-29")
BOUGHT_FIELDS = (
    *("orders:category:clay", "revenue:category:clay", "revenue:product:kiln", "orders:product:loop"),
    *("lines:category:clay", "lines:product:kiln"),
)


def last_sign(book: Book, thread: list[Bought], key: str, as_of: int, *, by_activity: bool) -> int | None:
    paid = [each.day for each in book.payments if by_activity and each.customer == key and each.day <= as_of]
    return max([*paid, *(each.day for each in thread[-1:])], default=None)


def standing_on(threads: Threads, key: str, day: int) -> str:
    """Where a customer stands at the end of a day."""
    line, book = threads.line, threads.book
    thread = [each for each in threads.of(key) if each.day <= day]
    if not thread:
        ordered = any(each.customer == key and each.day <= day for each in book.orders)
        return "no counted order" if ordered else "never ordered"
    sign = last_sign(book, thread, key, day, by_activity=line.by_activity)
    assert sign is not None
    size = line.lapse[:-1]
    if line.lapse.endswith("d"):
        lapsed = day - sign >= int(size)
    elif line.lapse.endswith("m"):
        lapsed = sign <= months_before(day, int(size))
    else:
        expected = expected_gap(thread, threads.steps_on(day))
        lapsed = expected is not None and day - sign > Fraction(size) * expected
    return "lapsed" if lapsed else "active"


@dataclass(frozen=True, eq=False)
class Reading:
    """A book as it is read.

    ``population`` : who is chosen by the parts of the condition that speak of customers, and by a list. ``looked`` :
    of them, who is looked at; under a condition on orders those with a matching one. ``shown`` : the orders that are
    counted and listed, by `id`.
    """

    book: Book
    line: ReadBy
    threads: Threads
    population: list[str]
    looked: list[str]
    shown_ids: frozenset[int] = field(default_factory=frozenset)

    def shown(self, bought: Bought) -> bool:
        return id(bought) in self.shown_ids

    def shown_of(self, key: str) -> list[Bought]:
        return [each for each in self.threads.of(key) if self.shown(each)]

    @cached_property
    def orders(self) -> list[Bought]:
        """Every shown order."""
        return [each for key in self.population for each in self.shown_of(key)]

    @cached_property
    def begins(self) -> int:
        """The day of the first counted order of the history, whoever is looked at; the as-of date without one."""
        return min((each.day for thread in self.threads.everybody.values() for each in thread), default=self.line.as_of)


def read(book: Book, line: ReadBy) -> Reading:
    """Apply a reading line (section 2)."""
    history = _history(book, line)
    of_customers: list[Condition] = []
    of_orders: list[Condition] = []
    for part in parts_of(line.where) if line.where else []:
        (of_orders if part.speaks_of_orders() else of_customers).append(part)
    wanted = [
        key
        for key in book.keys
        if all(part.of_customer(history, key) is Truth.TRUE for part in of_customers)
        and (line.members is None or (key in line.members) is not line.without)
    ]
    matching = {
        id(each)
        for thread in history.everybody.values()
        for each in thread
        if all(part.of_order(history, each) is Truth.TRUE for part in of_orders)
    }
    if of_orders and line.firsts == "matching":
        kept = {key: [each for each in t if id(each) in matching] for key, t in history.everybody.items()}
        return Reading(book, line, Threads(book, line, kept), wanted, wanted, frozenset(matching))
    theirs = frozenset(id(each) for key in wanted for each in history.of(key) if id(each) in matching)
    looked = [key for key in wanted if not of_orders or any(id(each) in theirs for each in history.of(key))]
    return Reading(book, line, history, wanted, looked, theirs)


def _history(book: Book, line: ReadBy) -> Threads:
    threads: dict[str, list[Bought]] = {key: [] for key in book.keys}
    for order in sorted(book.orders, key=in_order):
        counts = order.status in line.statuses and (not line.sources or order.source in line.sources)
        if counts and order.day <= line.as_of:
            threads[order.customer].append(Bought(order, order.amount, order.lines))
    if line.unit == "purchase-day":
        threads = {key: _days(thread) for key, thread in threads.items()}
    return Threads(book, line, threads)


def _days(thread: list[Bought]) -> list[Bought]:
    days: list[Bought] = []
    for each in thread:
        if days and days[-1].day == each.day:
            last = days.pop()
            each = replace(
                last, amount=last.amount + each.amount, lines=last.lines + each.lines, joined=last.joined + 1
            )
        days.append(each)
    return days
