"""Every question's table, worked out of plain threads (sections 5 to 8): a list of rows, each a value by column."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from typing import Any

from tests.reference.cohorts import ELAPSED, cohorts, split_of
from tests.reference.conditions import Joined, Truth, parts_of
from tests.reference.difference import difference
from tests.reference.figures import (
    BLANK,
    Asked,
    OneOf,
    Row,
    Z,
    apart,
    begin_of,
    date,
    grouped,
    in_file,
    money,
    name_of,
    order_label,
    per_unit,
    periods,
    ratio,
    state_of,
    who,
)
from tests.reference.forecast import forecast
from tests.reference.standing import follow_up, lapse_curve, outcomes, standing, worked
from tests.reference.threads import (
    CUSTOMER_FIELDS,
    ORDER_FIELDS,
    OWN_FIELDS,
    Bought,
    Reading,
    natural,
    quantile,
    read,
)
from tests.reference.worth import bought, compare, leads_to, payback, spend, top_customers, worth


def _rank_of(asked: Asked, thread: list[Bought]) -> Bought | None:
    rank = asked.get("rank", "first")
    if rank == "latest":
        return thread[-1] if thread else None
    nth = 1 if rank == "first" else int(rank)
    return thread[nth - 1] if len(thread) >= nth else None


def customers(reading: Reading, asked: Asked) -> list[Row]:
    threads, names = reading.threads, [asked["by"], *asked.get("show", ())]
    return [
        who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
        for key in reading.looked
    ]


def _listed(reading: Reading, bought: Bought, names: Iterable[str], number: str) -> Row:
    threads = reading.threads
    row = who(threads, bought.customer) | {"order": number}
    for name in names:
        if name in threads.unfiled:
            continue
        of_orders = name in ORDER_FIELDS or name in OWN_FIELDS
        value = threads.of_order(bought, name) if of_orders else threads.of_customer(bought.customer, name)
        row[name] = in_file(name, value)
    return row


_WITH_ORDERS = [name for name in CUSTOMER_FIELDS if name not in ("name", "number", "email")]


def nth(reading: Reading, asked: Asked) -> list[Row]:
    found = [_rank_of(asked, reading.threads.of(key)) for key in reading.looked]
    names = [*ORDER_FIELDS, *OWN_FIELDS, *_WITH_ORDERS]
    return [_listed(reading, each, names, each.named) for each in found if each and reading.shown(each)]


def _every(reading: Reading, some: list[Bought]) -> list[Row]:
    firsts = [name for name in CUSTOMER_FIELDS if name.startswith("first_")]
    names = [*ORDER_FIELDS, *OWN_FIELDS, *firsts, "orders", "revenue", "town", "closed", "do_not_contact", "region"]
    return [
        _listed(reading, each, [*names, "score", "joined"], each.named) | {"orders_to_date": reading.threads.rank(each)}
        for each in some
    ]


def orders(reading: Reading, _asked: Asked) -> list[Row]:
    return _every(reading, reading.orders)


def backdated(reading: Reading, _asked: Asked) -> list[Row]:
    recorded = [each for each in reading.book.orders if each.day <= reading.line.as_of]

    def is_backdated(bought: Bought) -> bool:
        mine = bought.order
        return any(
            other.customer == mine.customer
            and other.source == mine.source
            and other.day > mine.day
            and natural(other.number) < natural(mine.number)
            for other in recorded
        )

    return _every(reading, [each for each in reading.orders if is_backdated(each)])


def figures(reading: Reading, asked: Asked) -> list[Row]:
    group = asked.get("group", "")
    found = grouped(reading.orders, lambda each: order_label(reading, each, group) if group else "all")
    rows = []
    for label, some in found.items():
        amounts = [each.amount for each in some]
        rows.append(
            {
                "group": label or None,
                "customers": len({each.customer for each in some}),
                "orders": len(some),
                "revenue": money(sum(amounts)),
                "average": per_unit(Fraction(sum(amounts), len(some))),
                "smallest": money(min(amounts)),
                "smallest_order": _earliest(some, min(amounts)),
                "largest": money(max(amounts)),
                "largest_order": _earliest(some, max(amounts)),
                "earliest": date(min(each.day for each in some)),
                "latest": date(max(each.day for each in some)),
            }
        )
    return rows


def _earliest(some: list[Bought], amount: int) -> OneOf:
    """Of the orders with an amount those of the earliest date: any of them is right."""
    having = [each for each in some if each.amount == amount]
    return OneOf(tuple(each.named for each in having if each.day == min(other.day for other in having)))


def pairs(reading: Reading, asked: Asked) -> list[Row]:
    rows, columns = asked["rows"], asked["columns"]

    def pair(each: Bought) -> tuple[str, str]:
        one = each.customer if rows == "customer" else order_label(reading, each, rows)
        return one, order_label(reading, each, columns)

    found = grouped(reading.orders, pair)
    return [
        (who(reading.threads, one) if rows == "customer" else {rows: one or None})
        | {columns: other or None, "orders": len(some)}
        | {"earliest": date(min(each.day for each in some)), "latest": date(max(each.day for each in some))}
        for (one, other), some in found.items()
    ]


def newness(reading: Reading, asked: Asked) -> list[Row]:
    split = asked.get("split", "")
    if not split:
        return _newness(reading, reading.orders, asked["period"])
    if split == "first_amount":
        bands = {key: label for label, some in split_of(reading, split).items() for key in some}
        groups = grouped(reading.orders, lambda each: bands[each.customer])
    else:
        groups = apart(split, grouped(reading.orders, lambda each: order_label(reading, each, split)))
    tables = {label: _newness(reading, some, asked["period"]) for label, some in groups.items()}
    return [{"group": label or None} | row for label, rows in tables.items() for row in rows]


def _newness(reading: Reading, some: list[Bought], period: str) -> list[Row]:
    threads, as_of = reading.threads, reading.line.as_of
    if not some:
        return []
    rows = []
    for begin in periods(min(each.day for each in some), as_of, period):
        here = [each for each in some if begin_of(each.day, period) == begin]
        kinds: dict[str, list[Bought]] = {
            "new": [each for each in here if threads.rank(each) == 1],
            "returning": [each for each in here if threads.rank(each) > 1],
            "won_back": [each for each in here if threads.won_back(each)],
        }
        fresh = {e.customer for e in here if begin_of(threads.of(e.customer)[0].day, period) == begin}
        others = {each.customer for each in here} - fresh
        people = {"new": fresh, "returning": others, "won_back": others & {e.customer for e in kinds["won_back"]}}
        row: Row = {"period": name_of(begin, period), "state": state_of(begin, period, as_of)}
        for kind in ("new", "returning", "won_back"):
            row[f"{kind}_orders"] = len(kinds[kind])
            row[f"{kind}_customers"] = len(people[kind])
            row[f"{kind}_revenue"] = money(sum(each.amount for each in kinds[kind]))
        rows.append(row)
    return rows


def counts(reading: Reading, asked: Asked) -> list[Row]:
    first = asked.get("from") or min(reading.begins, reading.line.as_of)
    last, most, threads = asked.get("to") or reading.line.as_of, asked["groups"], reading.threads
    inside = {key: [e for e in reading.shown_of(key) if first <= e.day <= last] for key in reading.looked}
    labels = [*map(str, range(most)), f"{most}+"]
    zero = asked["zero"] == "shown"
    whole = sum(bool(some) or zero for some in inside.values())
    rows, up_to = [], 0
    for group, label in enumerate(labels):
        if group == 0 and not zero:
            continue
        here = [some for some in inside.values() if min(len(some), most) == group]
        up_to += len(here)
        reached = sum(len(threads.of(key)) >= group for key in reading.population)
        went_on = sum(len(threads.of(key)) > group for key in reading.population)
        rows.append(
            {
                "orders": label,
                "customers": len(here),
                "share": Fraction(len(here), max(whole, 1)),
                "cumulative_share": Fraction(up_to, max(whole, 1)),
                "order_count": sum(map(len, here)),
                "revenue": money(sum(each.amount for some in here for each in some)),
                "went_on": ratio(went_on, reached) if group else None,
            }
        )
    return rows


def gaps(reading: Reading, asked: Asked) -> list[Row]:
    threads, by = reading.threads, asked["by"]
    ended = [each for each in reading.orders if threads.gap(each) is not None]

    def label(each: Bought) -> Any:
        match by:
            case "step":
                step = threads.rank(each) - 1
                return str(step) if step < 10 else "10+"
            case "all":
                return "all"
            case "customer" | "order":
                return each.customer if by == "customer" else id(each)
            case "week" | "month" | "quarter" | "year":
                return name_of(begin_of(each.day, by), by)
        return order_label(reading, each, by)

    if by == "order":
        rows = []
        for each in ended:
            gap = threads.gap(each)
            assert gap is not None
            row = who(threads, each.customer) | {"source": each.order.source, "order": each.named}
            rows.append(row | {"previous_date": date(each.day - gap), "date": date(each.day), "gap": gap})
        return rows
    rows = []
    for name, some in grouped(ended, label).items():
        days = [threads.gap(each) or 0 for each in some]
        of_each = grouped(some, lambda each: each.customer)
        means = [Fraction(sum(threads.gap(e) or 0 for e in mine), len(mine)) for mine in of_each.values()]
        statistics = {
            "count": len(days),
            "mean": Fraction(sum(days), len(days)),
            "median": quantile(days, Fraction(1, 2)),
            "lower_quartile": quantile(days, Fraction(1, 4)),
            "upper_quartile": quantile(days, Fraction(3, 4)),
        }
        if by == "customer":
            rows.append(who(threads, name) | statistics)
        else:
            named = by if by == "step" else "period" if by in ELAPSED else "group"
            rows.append(
                {named: name or None}
                | statistics
                | {"customers": len(of_each), "mean_over_customers": Fraction(sum(means), len(means))}
            )
    return rows


def next_order(reading: Reading, asked: Asked) -> list[Row]:
    threads, step, split = reading.threads, asked["step"], asked.get("split", "")
    after, then = asked.get("after"), asked.get("then")
    numbered = {
        key: [each for each in threads.of(key) if not after or after.of_order(threads, each) is Truth.TRUE]
        for key in reading.population
    }
    starts = [orders[step - 1] for orders in numbered.values() if len(orders) >= step]
    starts = [each for each in starts if reading.shown(each)]
    groups = apart(split, grouped(starts, lambda each: order_label(reading, each, split) if split else "everybody"))
    if not split:
        groups.setdefault("everybody", [])
    rows = []
    for label, some in groups.items():
        ended = []
        for each in some:
            thread = threads.of(each.customer)
            later = thread[next(at for at, one in enumerate(thread) if one is each) + 1 :]
            came = next((one for one in later if not then or then.of_order(threads, one) is Truth.TRUE), None)
            ended.append(((reading.line.as_of if came is None else came.day) - each.day, came is not None))
        without, growth = Fraction(1), Fraction(0)
        for day in range(max((days for days, _ in ended), default=-1) + 1):
            at_risk = sum(days >= day for days, _ in ended)
            events = sum(days == day and came for days, came in ended)
            without *= 1 - Fraction(events, at_risk)
            if events and events < at_risk:
                growth += Fraction(events, at_risk * (at_risk - events))
            row = {
                "group": label or None,
                "days": day,
                "at_risk": at_risk,
                "ordered": events,
                "censored": sum(days == day and not came for days, came in ended),
                "share": 1 - without,
                "low": None,
                "high": None,
            }
            if 0 < without < 1:
                left = float(without)
                spread = Z * math.sqrt(growth) / abs(math.log(left))
                row |= {"low": 1 - left ** math.exp(-spread), "high": 1 - left ** math.exp(spread)}
            rows.append(row)
    return rows


def due(reading: Reading, asked: Asked) -> list[Row]:
    threads, as_of, rows = reading.threads, reading.line.as_of, []
    for key in reading.looked:
        day = threads.of_customer(key, "next_due")
        if day is None or not (isinstance(day, int) and day < as_of + int(asked["within"][:-1])):
            continue
        if day < as_of and asked["overdue"] == "hidden":
            continue
        names = ("email", "latest_date", "next_due", "overdue", "orders", "revenue", "closed", "do_not_contact")
        row = who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
        row["expected_gap"] = threads.expected(key)
        row["expected_from"] = "own" if len(threads.of(key)) >= 4 else "everybody's"
        row["days_late"] = as_of - day if day < as_of else None
        rows.append(row)
    return rows


def lateness(reading: Reading) -> dict[str, int]:
    """How many are late by how many expected gaps: up to 1, 2, 4, more; and where the expected gap is 0 days."""
    found = {"1": 0, "2": 0, "3": 0, "4": 0, "none": 0}
    for key in reading.looked:
        day = reading.threads.of_customer(key, "next_due")
        if isinstance(day, int) and day < reading.line.as_of:
            overdue: Any = reading.threads.of_customer(key, "overdue")
            bounds = ((2, "1"), (3, "2"), (5, "3"))
            found["none" if overdue is None else next((g for most, g in bounds if overdue <= most), "4")] += 1
    return found


def beside_others(question: str, mine: Reading, others: Reading, asked: Asked) -> list[Row]:
    """The table of a list that is compared with everybody else; of most questions it is that of the list."""
    sides = ((mine, "on the list"), (others, "everybody else"))
    by = asked.get("by" if question == "standing" else "split", "")
    if question in ("worth", "payback"):
        plain = {**asked, "split": ""}
        whole = [_one_group(question, reading, plain) for reading, _ in sides]
        parts = [row for row in QUESTIONS[question](mine, asked) if row["group"] != "all"] if by else []
        parts = parts or [{**row, "group": "on the list"} for row in whole[0]]
        everybody = [{**row, "group": "all"} for row in whole[0]]
        return everybody + parts + [{**row, "group": "everybody else"} for row in whole[1]]
    if question == "next-order" or (question == "standing" and not asked.get("over")):
        return [
            {**row, "group": f"{row['group'] or BLANK}, {name}" if by else name}
            for reading, name in sides
            for row in QUESTIONS[question](reading, asked)
        ]
    return QUESTIONS[question](mine, asked)


def _one_group(question: str, reading: Reading, asked: Asked) -> list[Row]:
    rows = QUESTIONS[question](reading, asked)
    return rows if question == "worth" else [row for row in rows if row["group"] == "all"]


def thread(reading: Reading, asked: Asked) -> list[Row]:
    """One customer, whoever is chosen by a condition or a list; the parts of a condition that choose orders hold."""
    line = reading.line
    parts = [part for part in parts_of(line.where) if part.speaks_of_orders()] if line.where else []
    where = Joined("and", tuple(parts)) if parts else None
    alone = read(reading.book, replace(line, where=where, members=None))
    return _every(alone, alone.shown_of(asked["find"]))


QUESTIONS: dict[str, Callable[[Reading, Asked], list[Row]]] = {
    "customers": customers,
    "nth": nth,
    "orders": orders,
    "backdated": backdated,
    "figures": figures,
    "pairs": pairs,
    "cohorts": cohorts,
    "newness": newness,
    "counts": counts,
    "gaps": gaps,
    "next-order": next_order,
    "due": due,
    "follow-up": follow_up,
    "standing": standing,
    "lapse-curve": lapse_curve,
    "worked": worked,
    "outcomes": outcomes,
    "thread": thread,
    "worth": worth,
    "payback": payback,
    "forecast": forecast,
    "difference": difference,
    "spend": spend,
    "compare": compare,
    "top-customers": top_customers,
    "bought": bought,
    "leads-to": leads_to,
}
