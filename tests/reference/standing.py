"""The questions of Follow-up (section 8)."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from typing import Any

from tests.reference.figures import (
    BLANK,
    STANDINGS,
    Asked,
    Row,
    customer_label,
    date,
    grouped,
    in_file,
    money,
    name_of,
    next_period,
    periods,
    ratio,
    who,
    wilson,
)
from tests.reference.threads import (
    Reading,
    gaps_of,
    last_sign,
    median,
    read,
    standing_on,
)

_CONTACT = (
    *("standing", "latest_date", "days_since", "usual_gap", "overdue", "orders", "revenue", "average_order_value"),
    *(
        "first_date",
        "last_activity",
        "next_due",
        "town",
        "closed",
        "do_not_contact",
        "region",
        "score",
        "joined",
        "email",
    ),
)


def _code(stands: str) -> str:
    """A standing as files and addresses name it."""
    return {"no counted order": "none_counted"}.get(stands, stands.replace(" ", "_"))


def contact(reading: Reading, key: str) -> Row:
    threads = reading.threads
    names = [name for name in _CONTACT if name not in threads.unfiled]
    row = who(threads, key) | {name: in_file(name, threads.of_customer(key, name)) for name in names}
    return row | {"expected_gap": threads.expected(key)}


def follow_up(reading: Reading, asked: Asked) -> list[Row]:
    threads, as_of = reading.threads, reading.line.as_of

    def holds(key: str, reason: str) -> bool:
        thread = threads.of(key)
        if reason == "overdue":
            day = threads.of_customer(key, "next_due")
            return isinstance(day, int) and day < as_of
        if reason == "one_order":
            return len(thread) == 1 and as_of - thread[0].day >= int(asked["once_ago"][:-1])
        return _code(threads.standing(key)) == reason

    found = [key for key in reading.looked if any(holds(key, reason) for reason in asked["who"])]
    if asked["contactable"] == "only":
        marks = ("closed", "do_not_contact")
        found = [key for key in found if "yes" not in [threads.of_customer(key, mark) for mark in marks]]
    return [contact(reading, key) for key in found]


def _stands(customers_there: list[str], label: str, revenue: Any) -> Row:
    part = sum(each == label for each in customers_there)
    low, high = wilson(part, len(customers_there))
    return {"customers": part, "share": ratio(part, len(customers_there)), "low": low, "high": high, "revenue": revenue}


def standing(reading: Reading, asked: Asked) -> list[Row]:
    threads = reading.threads
    if asked.get("over"):
        return _over_time(reading, asked["over"])
    by, and_by = asked.get("by", ""), asked.get("and_by", "")

    def labels(key: str) -> tuple[str, ...]:
        return tuple(customer_label(reading, key, name) for name in (by, and_by) if name)

    groups = grouped(reading.looked, labels)
    if not by:
        groups.setdefault((), [])
    rows = []
    for pair, some in groups.items():
        name = " · ".join(label or BLANK for label in pair) if and_by else "".join(pair)
        there = {key: threads.standing(key) for key in some}
        for stands in STANDINGS:
            amounts = [each.amount for key in some if there[key] == stands for each in threads.of(key)]
            row = _stands(list(there.values()), stands, money(sum(amounts)))
            rows.append(({"group": name or None} if by else {}) | {"standing": _code(stands)} | row)
    return rows


FLOWS = ("began", "became_lapsed", "won_back", "came_on_file", "none_counted")


def _flow(before: str, after: str) -> str | None:
    if before == after:
        return None
    if before in ("off", "never ordered", "no counted order") and after in ("active", "lapsed"):
        return "began"
    moves = {
        ("active", "lapsed"): "became_lapsed",
        ("lapsed", "active"): "won_back",
        ("off", "never ordered"): "came_on_file",
    }
    return moves.get((before, after), "none_counted")


def _over_time(reading: Reading, period: str) -> list[Row]:
    threads, as_of, book = reading.threads, reading.line.as_of, reading.book
    on_file: dict[str, int | None] = {}
    for key in reading.looked:
        joined = threads.of_customer(key, "joined")
        days = [each.day for each in book.orders if each.customer == key]
        known = [*days, joined] if isinstance(joined, int) else days
        earliest = min(known, default=None)
        on_file[key] = earliest if earliest is not None and earliest <= as_of else None
    dated = [day for day in on_file.values() if day is not None]

    def at(day: int) -> dict[str, str]:
        return {
            key: "off" if since is not None and since > day else standing_on(threads, key, day)
            for key, since in on_file.items()
        }

    begins = periods(min(dated, default=as_of), as_of, period)
    before, rows = at(begins[0] - 1), []
    for begin in begins:
        after = at(min(next_period(begin, period) - 1, as_of))
        moves = [(before[key], after[key]) for key in on_file]
        here = [stands for stands in after.values() if stands != "off"]
        for stands in STANDINGS:
            row: Row = {"period": name_of(begin, period), "standing": _code(stands)}
            row["opening"] = sum(was == stands for was, _ in moves)
            for flow in FLOWS:
                row[flow] = sum((_flow(*m) == flow) * ((m[1] == stands) - (m[0] == stands)) for m in moves)
            share = _stands(here, stands, None)
            del share["revenue"]
            rows.append(row | share)
        before = after
    return rows


def worked(reading: Reading, asked: Asked) -> list[Row]:
    """The members of the list *calls*, with what came of them."""
    rows = []
    for key in reading.looked:
        became = _became(reading, key, int(asked["within"][:-1]))
        row = contact(reading, key) | became
        del row["start"]
        rows.append(row)
    return rows


def _became(reading: Reading, key: str, within: int) -> Row:
    """What was put down of a member of *calls*, and whether orders came in the days that count."""
    book, as_of = reading.book, reading.line.as_of
    mark = next((each for each in book.marks if each.customer == key), None)
    start = mark.day if mark and mark.contacted else book.listed_on
    inside = [e for e in reading.shown_of(key) if max(start, book.listed_on + 1) <= e.day <= start + within]
    first = min((each.day for each in inside), default=None)
    return {
        "start": start,
        "state": "to_do" if mark is None else "contacted" if mark.contacted else "left_out",
        "contacted_on": date(mark.day if mark and mark.contacted else None),
        "ordered_on": date(first),
        "after_days": None if first is None else first - start,
        "amount": money(sum(each.amount for each in inside)),
        "days_over": "yes" if start + within <= as_of else "no",
    }


def outcomes(reading: Reading, asked: Asked) -> list[Row]:
    """What became of the list *calls*, whichever list is read."""
    book = reading.book
    if not book.marks:
        return []
    listed = read(book, replace(reading.line, members=frozenset(book.lists["calls"]), without=False))
    every = [_became(listed, key, int(asked["within"][:-1])) for key in listed.looked]
    contacted = [each for each in every if each["state"] == "contacted"]
    over = [each for each in contacted if each["days_over"] == "yes"]
    ordered = [each for each in over if each["ordered_on"]]
    low, high = wilson(len(ordered), len(over))
    states = [each["state"] for each in every]
    return [
        {
            "list": "calls",
            "as_of": date(book.listed_on),
            "customers": len(every),
            **{state: states.count(state) for state in ("contacted", "to_do", "left_out")},
            "held_back": 0,
            "days_over": len(over),
            "ordered": len(ordered),
            "share": ratio(len(ordered), len(over)),
            "low": low,
            "high": high,
            "median_days": median([each["after_days"] for each in contacted if each["ordered_on"]]),
            "revenue": sum((each["amount"] for each in contacted), Decimal(0)),
        }
    ]


def lapse_curve(reading: Reading, _asked: Asked) -> list[Row]:
    threads, line = reading.threads, reading.line
    silent = []
    for key in reading.looked:
        if threads.of(key):
            sign = last_sign(reading.book, threads.of(key), key, line.as_of, by_activity=line.by_activity)
            assert sign is not None
            silent.append(line.as_of - sign)
    lapsed = {day: sum(each >= day for each in silent) for day in range(1, max(silent, default=0) + 1)}
    return [{"days": day, "customers": some, "share": ratio(some, len(silent))} for day, some in lapsed.items()]


def suggested_days(reading: Reading) -> int | None:
    """The limit that the book suggests (section 8); None below 30 watched orders, and where nobody ordered again."""
    waits = []
    for key in reading.looked:
        thread = reading.threads.of(key)
        waits += [(gap, True) for gap in gaps_of(thread)] + [(reading.line.as_of - e.day, False) for e in thread[-1:]]
    shares, without, day = [], Fraction(1), 0
    while sum(days >= day for days, _ in waits) >= 30:
        at_risk = sum(days >= day for days, _ in waits)
        without *= 1 - Fraction(sum(days == day and came for days, came in waits), at_risk)
        shares.append(1 - without)
        day += 1
    if not shares or not shares[-1]:
        return None
    age = next(at for at, share in enumerate(shares) if share >= Fraction(9, 10) * shares[-1])
    return max(-(-age // 7), 1) * 7
