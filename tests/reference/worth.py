"""The questions of Worth (section 9)."""

from __future__ import annotations

import datetime as dt
from fractions import Fraction
from typing import Any

from tests.reference.cohorts import (
    Cohorts,
    Costs,
    cohort_groups,
    cost_of_all,
    costs_of,
    margin_of,
    new_customers,
    spent,
    weighted,
)
from tests.reference.figures import (
    BLANK,
    Asked,
    Folded,
    Row,
    begin_of,
    customer_label,
    grouped,
    money,
    name_of,
    next_period,
    per_unit,
    periods,
    ratio,
    wilson,
)
from tests.reference.records import MINOR
from tests.reference.threads import Reading, category_of


def worth(reading: Reading, asked: Asked) -> list[Row]:
    rows: list[Row] = []
    split = asked.get("split", "")
    for group, some, channel in [("all", reading.population, None), *(cohort_groups(reading, asked) if split else [])]:
        named = {"group": group} if split else {}
        rows += [
            named | {"measure": name, "value": value}
            for name, value in _arithmetic(reading, asked, some, channel).items()
        ]
    return rows


def _arithmetic(reading: Reading, asked: Asked, some: list[str], channel: str | None) -> dict[str, Any]:
    period, threads, as_of = asked["period"], reading.threads, reading.line.as_of
    table, costs = Cohorts(reading, period, asked["ages"], some), costs_of(reading, asked, period, channel)
    shown = [each for key in some for each in reading.shown_of(key)]
    people = sum(bool(threads.of(key)) for key in some)
    revenue = sum(each.amount for each in shown)
    gross = sum((each.amount * costs.margin(each.day) for each in shown), Fraction(0))
    frequency = [
        Fraction(len(here), len({each.customer for each in here}))
        for begin, here in grouped(shown, lambda each: begin_of(each.day, period)).items()
        if next_period(begin, period) - 1 <= as_of
    ]
    retention = table.overall("retention", costs)
    life = None if retention is None or retention >= 1 else 1 / (1 - retention)
    margin, each, per = ratio(gross, revenue), ratio(revenue, len(shown)), ratio(len(shown), people)
    projected = None if None in (life, margin, each, per) else each * per * life * margin
    spend, won, cac = cost_of_all(reading, asked, period, channel)
    ages = by_age(table, costs)
    complete = [at for at in ages if at["size"] >= (30 if any(a["size"] >= 30 for a in ages) else 1)]
    last = complete[-1] if complete else None
    paid = [at["age"] for at in ages if at["profit"] is not None and at["profit"] >= 0]
    amounts = {
        "revenue": revenue,
        "average_order_value": each,
        "projected_clv": projected,
        "spend": spend,
        "cac": cac,
        "observed_gross_profit": last["gross"] if last else None,
        "observed_profit": last["profit"] if last else None,
    }
    plain = {
        "orders": len(shown),
        "customers": people,
        "orders_per_customer": per,
        "purchase_frequency": ratio(sum(frequency), len(frequency)),
        "average_retention_rate": retention,
        "average_churn_rate": None if retention is None else 1 - retention,
        "lifespan": life,
        "gross_margin": margin,
        "new_customers": won,
        "observed_age": last["age"] if last else None,
        "break_even_age": paid[0] if paid else None,
    }
    return plain | {name: None if value is None else float(value) / MINOR for name, value in amounts.items()}


def by_age(table: Cohorts, costs: Costs) -> list[Row]:
    """What a customer of the cohorts complete at every age had brought."""
    found = []
    for age in range(table.count):
        over = [begin for begin, at in table.cells() if at == age and table.state(begin, age) == "complete"]
        size = sum(len(table.rows[begin]) for begin in over)
        if not size:
            continue
        found.append(
            {
                "age": age,
                "size": size,
                "revenue": ratio(sum((table.revenue(b, 0, age) for b in over), Fraction(0)), size),
                "gross": ratio(sum((table.revenue(b, 0, age, costs.margin) for b in over), Fraction(0)), size),
                "profit": weighted([table.parts("profit_per_customer", begin, age, costs) for begin in over]),
            }
        )
    return found


def payback(reading: Reading, asked: Asked) -> list[Row]:
    period, split, rows = asked["period"], asked.get("split", ""), []
    for group, some, channel in [("all", reading.population, None), *(cohort_groups(reading, asked) if split else [])]:
        table, costs = Cohorts(reading, period, asked["ages"], some), costs_of(reading, asked, period, channel)
        ages = by_age(table, costs)
        rows += [_age_row(group, at, "complete", _first(ages)) for at in ages]
        if split:
            continue
        for begin in table.begins:
            size, cac = len(table.rows[begin]), costs.cac(begin)
            mine = [
                {
                    "age": age,
                    "size": size,
                    "revenue": table.revenue(begin, 0, age) / size,
                    "gross": table.revenue(begin, 0, age, costs.margin) / size,
                    "profit": table.value("profit_per_customer", begin, age, costs),
                    "state": table.state(begin, age),
                }
                for at, age in table.cells()
                if at == begin
            ]
            del cac
            first = _first([at for at in mine if at["state"] == "complete"])
            rows += [_age_row(name_of(begin, period), at, str(at["state"]), first) for at in mine]
    return rows


def _first(ages: list[Row]) -> Any:
    return next((at["age"] for at in ages if at["profit"] is not None and at["profit"] >= 0), None)


def _age_row(group: Any, at: Row, state: str, break_even: Any) -> Row:
    return {
        "group": group,
        "age": at["age"],
        "customers": at["size"],
        "revenue_per_customer": per_unit(at["revenue"], 0.0051),
        "profit_per_customer": per_unit(at["profit"], 0.0051),
        "affordable_cac": per_unit(at["gross"], 0.0051),
        "state": state,
        "break_even_age": break_even,
    }


def spend(reading: Reading, _asked: Asked) -> list[Row]:
    as_of, threads = reading.line.as_of, reading.threads
    firsts = [thread[0] for thread in threads.everybody.values() if thread]
    mine = spent(reading)
    begins = [month for month, _ in mine] + [begin_of(each.day, "month") for each in firsts]
    channels = {threads.label(each, "channel").casefold() for each in firsts}
    named = {each.channel.casefold() for each in reading.book.spend if each.month <= begin_of(as_of, "month")}
    # a channel is written as orders write it, else as spend does: any of its spellings is right
    exists = {threads.label(e, "channel").casefold() for t in threads.everybody.values() for e in t}
    rows = []
    for month in periods(min(begins), as_of, "month") if begins else []:
        for channel in [None, *sorted((channels | named) - {""})]:
            amounts = [amount for at, amount in spent(reading, channel) if at == month]
            won = sum(begin_of(day, "month") == month for day in new_customers(reading, channel))
            if channel is not None and not amounts and not won:
                continue
            amount, recorded = sum(amounts), bool(spent(reading, channel))
            problem = None
            if amount and channel is not None and channel not in exists:
                problem = "no_such_channel"
            elif amount and not won:
                problem = "nobody_new"
            elif not amounts and won and recorded:
                problem = "no_spend"
            rows.append(
                {
                    "month": name_of(month, "month"),
                    "channel": Folded(channel or "all"),
                    "spend": money(amount) if amounts else None,
                    "new_customers": won,
                    "cac": per_unit(ratio(amount, won), 0.0051) if amounts else None,
                    "problem": problem,
                }
            )
    return rows


def compare(reading: Reading, asked: Asked) -> list[Row]:
    with_orders = [key for key in reading.population if reading.threads.of(key)]
    one = _side(reading, asked["one"], with_orders)
    other = _side(reading, asked["other"], with_orders) if asked["other"] else [k for k in with_orders if k not in one]
    costs = Costs(margin_of(asked), lambda _begin: Fraction(0))
    tables = [Cohorts(reading, asked["period"], asked["ages"], some, reading.population) for some in (one, other)]
    sides = [{at["age"]: at for at in by_age(table, costs)} for table in tables]
    rows = []
    for age in range(max((max(side, default=-1) for side in sides), default=-1) + 1):
        here = [side.get(age) for side in sides]
        gross: list[Any] = [at["gross"] if at else None for at in here]
        rows.append(
            {
                "age": age,
                "customers": here[0]["size"] if here[0] else 0,
                "profit_per_customer": per_unit(gross[0], 0.0051),
                "other_customers": here[1]["size"] if here[1] else 0,
                "other_profit_per_customer": per_unit(gross[1], 0.0051),
                "difference": per_unit(None if None in gross else gross[0] - gross[1], 0.0051),
            }
        )
    return rows


def _side(reading: Reading, text: str, among: list[str]) -> list[str]:
    name, between, label = text.partition(":")
    if not between:
        return [key for key in among if str(dt.date.fromordinal(reading.threads.of(key)[0].day).year) == text]
    if name == "list":
        return [key for key in among if key in reading.book.lists[label]]
    return [key for key in among if (customer_label(reading, key, name) or BLANK) == label]


def top_customers(reading: Reading, asked: Asked) -> list[Row]:
    brought = {
        key: sum(each.amount for each in reading.shown_of(key)) for key in reading.population if reading.shown_of(key)
    }
    ranked = sorted(brought, key=lambda key: -brought[key])
    whole, running = sum(brought.values()), 0
    top = asked["top"]
    rows: list[Row] = []
    for place, key in enumerate(ranked, 1):
        if top == "half" and (whole <= 0 or 2 * running >= whole):
            break
        if top not in ("all", "half") and place > -(-len(ranked) * int(top) // 100):
            break
        running += brought[key]
        rows.append(
            {
                "place": place,
                "revenue": money(brought[key]),
                "share": ratio(brought[key], whole) if whole > 0 else None,
                "cumulative_share": ratio(running, whole) if whole > 0 else None,
            }
        )
    return rows


def bought(reading: Reading, asked: Asked) -> list[Row]:
    by = asked["by"]
    lines = [(each, line) for each in reading.orders for line in each.lines]
    whole = sum(line.amount for _, line in lines)
    rows = []
    for label, some in grouped(lines, lambda each: getattr(each[1], by)).items():
        amount = sum(line.amount for _, line in some)
        rows.append(
            {
                by: label or None,
                "customers": len({each.customer for each, _ in some}),
                "orders": len({id(each) for each, _ in some}),
                "lines": len(some),
                "revenue": money(amount),
                "share": ratio(amount, whole) if whole > 0 else None,
            }
        )
    return rows


def leads_to(reading: Reading, _asked: Asked) -> list[Row]:
    threads = reading.threads
    people = [key for key in reading.population if threads.of(key)]
    later = {key: [e for e in threads.of(key)[1:] if reading.shown(e)] for key in people}
    came = {key: {line.category for each in later[key] for line in each.lines} for key in people}
    columns = {label for labels in came.values() for label in labels}
    rows = []
    for first, some in grouped(people, lambda key: category_of(threads.of(key)[0].order.lines)).items():
        for column in [..., *columns]:
            part = sum(bool(later[key]) if column is ... else column in came[key] for key in some)
            low, high = wilson(part, len(some))
            rows.append(
                {
                    "first_category": first or None,
                    "later_category": None if column is ... else column or None,
                    "first_customers": len(some),
                    "customers": part,
                    "share": Fraction(part, len(some)),
                    "low": low,
                    "high": high,
                }
            )
    return rows
