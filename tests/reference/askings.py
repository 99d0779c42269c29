"""Any question of a book, in any reading, and the same as a command."""

from __future__ import annotations

import datetime as dt
import random
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from tests.reference.conditions import random_condition
from tests.reference.facts import HERE
from tests.reference.questions import QUESTIONS
from tests.reference.records import STATUSES, Book, iso
from tests.reference.threads import (
    BOUGHT_FIELDS,
    CUSTOMER_FIELDS,
    DATED_FIELDS,
    DATES,
    MONEY,
    NUMBERS,
    ORDER_FIELDS,
    OWN_FIELDS,
    ReadBy,
    read,
)

TODAY = dt.date(2026, 1, 31)


Asked = dict[str, Any]


_LABELS = [
    n for n in CUSTOMER_FIELDS if n in ("town", "region", "closed", "do_not_contact", "standing", "slowed_down")
] + [
    n
    for n in CUSTOMER_FIELDS
    if n.startswith(("first_", "latest_")) and n not in ("first_date", "first_amount", "latest_date")
]


_BY_ORDERS = [*ORDER_FIELDS[:5], *OWN_FIELDS]


@dataclass(frozen=True)
class Asking:
    """One question of one book, read in one way."""

    question: str
    asked: Asked
    line: ReadBy
    list_name: str = ""
    list_as: str = "alone"

    @property
    def has_facts(self) -> bool:
        """Whether figures that stand beside the table are compared."""
        return self.question in HERE and not (self.question == "next-order" and self.list_as == "against")

    def choices(self) -> Asked:
        """The same as the program is asked."""
        line = self.line
        asked = {key: _given(key, value) for key, value in self.asked.items() if key != "find"}
        return asked | {
            "as_of": iso(line.as_of),
            "status": line.statuses,
            "source": line.sources,
            "unit": line.unit,
            "where": line.where.text if line.where else "",
            "firsts": line.firsts,
            "list": self.list_name,
            "list_as": self.list_as,
            "lapse": line.lapse,
            "lapse_by": "activity" if line.by_activity else "orders",
        }

    def words(self) -> str:
        """The question as a command."""
        flags = [
            f"--{name.replace('_', '-')} {_quoted(each)}"
            for name, value in self.choices().items()
            for each in (value if isinstance(value, tuple) else (value,))
            if each not in ("", None)
        ]
        return f"goldthread {self.question} {' '.join(flags)}"


def _given(key: str, value: Any) -> Any:
    if key in ("after", "then"):
        return value.text
    return iso(value) if key in ("from", "to") and value else value


def _quoted(value: Any) -> str:
    return f'"{value}"' if " " in str(value) else str(value)


def random_asking(draw: random.Random, book: Book) -> Asking:
    """Any question, in any reading."""
    line = _random_line(draw, book)
    question = draw.choice(list(QUESTIONS))
    list_name = "calls" if question == "worked" else draw.choice((*book.lists, "", "", ""))
    list_as = draw.choice(("alone", "without", "against")) if list_name and question != "worked" else "alone"
    if list_name:
        line = replace(line, members=frozenset(book.lists[list_name]), without=list_as == "without")
    return Asking(question, _random_choices(draw, question, book, line), line, list_name, list_as)


def _random_line(draw: random.Random, book: Book) -> ReadBy:
    days = sorted(order.day for order in book.orders)
    line = ReadBy(
        as_of=draw.choice((days[-1], draw.randrange(days[0] - 3, days[-1] + 120), days[-1] + 31)),
        statuses=draw.choice((("open", "paid", "refunded"), ("paid",), STATUSES)),
        sources=draw.choice(((), (), tuple(sorted({order.source for order in book.orders}))[:1])),
        unit=draw.choice(("order", "order", "purchase-day")),
        lapse=draw.choice(("90d", "30d", "7d", "1m", "3m", "1x", "2x", "1.5x")),
        by_activity=draw.random() < 0.3,
    )
    if draw.random() < 0.55:
        line = replace(line, where=random_condition(draw, _known(book, line)), firsts=draw.choice(("all", "matching")))
    return line


def _known(book: Book, line: ReadBy) -> list[tuple[str, bool, str, list[Any]]]:
    """The fields that conditions may ask for, with values that occur."""
    reading = read(book, line)
    threads, found = reading.threads, []
    for name in (*CUSTOMER_FIELDS, *BOUGHT_FIELDS, *DATED_FIELDS, *ORDER_FIELDS, *OWN_FIELDS):
        of_orders = name in ORDER_FIELDS or name in OWN_FIELDS or name.startswith("lines:")
        if name in BOUGHT_FIELDS:
            _, of, label = name.split(":")
            if not any(getattr(each, of) == label for order in book.orders for each in order.lines):
                continue
        if of_orders:
            values = [threads.of_order(each, name) for key in reading.looked for each in threads.of(key)]
        else:
            values = [threads.of_customer(key, name) for key in reading.looked]
        values = [
            value
            for value in values
            if value is not None and (not isinstance(value, Fraction) or value.denominator < 3)
        ]
        if values:
            kind = "date" if name in DATES else "money" if name in MONEY or name in NUMBERS else "number"
            found.append((name, of_orders, "text" if isinstance(values[0], str) else kind, values))
    return found


def _random_choices(draw: random.Random, question: str, book: Book, line: ReadBy) -> Asked:
    unfiled = read(book, line).threads.unfiled
    labels = [name for name in _LABELS if name not in unfiled]
    by_orders = [name for name in _BY_ORDERS if name not in unfiled]
    anything = draw.choice((draw.choice(labels), draw.choice(by_orders)))
    period = draw.choice(("week", "month", "month", "quarter", "year"))
    ages = draw.choice(("calendar", "elapsed"))
    margin = draw.choice(("100", "40", f"40,{iso(line.as_of)[:7]}=55.5"))
    cac = draw.choice(("spend", "spend", "2.5"))
    split = draw.choice(("", "", draw.choice([*labels, "first_channel", "first_amount"])))
    costed = {"margin": margin, "cac": cac, "period": period}
    match question:
        case "customers":
            fields = [
                "name",
                *labels,
                *(name for name in CUSTOMER_FIELDS if name in DATES + MONEY and name != "joined"),
            ]
            return {"by": draw.choice(fields), "show": ("orders", "usual_gap", "average_gap", "overdue", "widest_gap")}
        case "nth":
            return {"rank": draw.choice(("first", "latest", "2", "3"))}
        case "figures":
            return {"group": draw.choice(("", anything))}
        case "pairs":
            return {"rows": draw.choice(("customer", draw.choice(labels))), "columns": draw.choice(by_orders)}
        case "cohorts":
            figures = ("retention", "churn", "still_buying", "came_back", "customers", "orders", "revenue")
            more = ("average_order_value", "revenue_per_customer", "profit_per_customer", "revenue_retention")
            return costed | {
                "ages": ages,
                "figure": draw.choice((*figures, *more)),
                "average": draw.choice(("weighted", "plain")),
                "layout": draw.choice(("tidy", "grid")),
                "split": split,
            }
        case "newness":
            spans = ("day", "week", "month", "quarter", "year")
            return {"period": draw.choice(spans), "split": draw.choice(("", anything, "first_amount"))}
        case "counts":
            days = sorted(order.day for order in book.orders if order.day <= line.as_of) or [line.as_of]
            return {
                "from": draw.choice((None, days[0], draw.choice(days))) or "",
                "to": draw.choice((None, line.as_of)) or "",
                "groups": draw.choice((1, 3, 10)),
                "zero": draw.choice(("shown", "hidden")),
            }
        case "gaps":
            return {"by": draw.choice(("step", "all", "customer", "order", "month", "year", anything))}
        case "next-order":
            known = _known(book, line)
            asked = [name for name in ("after", "then") if known and draw.random() < 0.4]
            kinds = {name: random_condition(draw, known, 1) for name in asked}
            return {"step": draw.choice((1, 1, 2, 3)), "split": draw.choice(("", anything)), **kinds}
        case "due":
            return {"within": draw.choice(("1d", "28d", "300d")), "overdue": draw.choice(("shown", "hidden"))}
        case "follow-up":
            reasons = ("lapsed", "never_ordered", "none_counted", "overdue", "one_order")
            return {
                "who": tuple(draw.sample(reasons, draw.choice((1, 2)))),
                "once_ago": draw.choice(("0d", "20d")),
                "contactable": draw.choice(("only", "all")),
            }
        case "standing":
            if draw.random() < 0.5:
                return {"over": draw.choice(("week", "month", "quarter", "year"))}
            by = draw.choice(("", draw.choice(labels)))
            return {"by": by, "and_by": draw.choice(("", draw.choice(labels))) if by else ""}
        case "worth" | "payback":
            return costed | {"ages": ages, "split": split}
        case "forecast":
            # which factors a season has is held by tests of its own: years have none
            is_long = line.as_of - min(order.day for order in book.orders) >= 3 * 365
            return {
                "period": "year" if is_long else draw.choice(("month", "quarter", "year")),
                "figure": draw.choice(("customers", "orders", "revenue", "profit")),
                "few": draw.choice(("hidden", "shown", "shown")),
                "small": draw.choice((1, 3, 10)),
                "margin": margin,
                "cac": cac,
            }
        case "difference":
            days = sorted(order.day for order in book.orders if order.day <= line.as_of) or [line.as_of]
            first = draw.choice((None, draw.choice(days)))
            last = draw.choice((None, draw.choice([day for day in days if first is None or day >= first])))
            return {
                "measure": draw.choice(("revenue", "orders", "customers", "average_order_value", "returning_share")),
                "from": first or "",
                "to": last or "",
                "against": draw.choice(("year-earlier", "before", "before", "2022-01-01/2023-12-31")),
                "by": draw.choice(("", anything)),
            }
        case "compare":
            years = sorted({str(dt.date.fromordinal(order.day).year) for order in book.orders})
            sides = [*years, "list:calls", "list:both"]
            return {
                "one": draw.choice(sides),
                "other": draw.choice(("", *sides)),
                "period": period,
                "ages": ages,
                "margin": margin,
            }
        case "top-customers":
            return {"top": draw.choice(("all", "1", "20", "50", "half"))}
        case "bought":
            return {"by": draw.choice(("category", "product"))}
        case "worked" | "outcomes":
            return {"within": draw.choice(("3d", "30d", "200d"))}
        case "thread":
            return {"find": draw.choice(book.keys)}
    return {}
