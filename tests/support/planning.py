"""Deliveries that are planned at random, for what must not depend on their sequence."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

from goldthread.core.records import FileKind

HEADERS = {
    FileKind.ORDERS: ("order", "customer_no", "date", "amount", "status", "rep"),
    FileKind.LINES: ("order", "line", "customer_no", "date", "product", "category", "qty", "amount"),
    FileKind.CUSTOMERS: ("customer_no", "email", "name", "town", "region", "standing"),
    FileKind.PAYMENTS: ("payment_no", "customer_no", "paid_on", "amount"),
    FileKind.SPEND: ("month", "channel", "amount"),
    FileKind.EVENTS: ("from", "until", "label"),
}


@dataclass(frozen=True)
class Planned:
    """A delivery of random rows out of small pools, so that deliveries overlap and contradict each other."""

    kind: FileKind
    source: str
    rows: tuple[tuple[object, ...], ...]


def planned(draw: random.Random) -> Planned:
    kind = draw.choice(list(HEADERS))
    person = [f"C{at}" for at in range(6)]
    email = ["", *(f"p{at}@x.example" for at in range(5))]

    def row() -> tuple[object, ...]:
        day = f"2024-{draw.randrange(1, 4):02d}-{draw.randrange(1, 28):02d}"
        amount = draw.choice(("5", "7.50", "0", "-2"))
        status = draw.choice(("paid", "open", "cancelled"))
        make: dict[FileKind, Callable[[], tuple[object, ...]]] = {
            FileKind.ORDERS: lambda: (
                f"A-{draw.randrange(5)}",
                draw.choice(person),
                day,
                amount,
                status,
                draw.choice("MS"),
            ),
            FileKind.LINES: lambda: (
                f"A-{draw.randrange(5)}",
                draw.randrange(1, 3),
                "C1",
                day,
                "Clay",
                draw.choice("ab"),
                1,
                amount,
            ),
            FileKind.CUSTOMERS: lambda: (
                draw.choice(["", *person]),
                draw.choice(email),
                draw.choice(("", "Ada", "Bo")),
                draw.choice(("", "Kilnford")),
                draw.choice(("", "Coast", "Hills")),
                draw.choice(("", "open", "closed")),
            ),
            FileKind.PAYMENTS: lambda: (draw.choice(("", "Z1", "Z2")), draw.choice(person), day, amount),
            FileKind.SPEND: lambda: (day[:7], draw.choice(("web", "post")), amount),
            FileKind.EVENTS: lambda: (day, "", draw.choice(("kiln sale", "price change"))),
        }
        return make[kind]()

    return Planned(kind, draw.choice(("counter", "web")), tuple(row() for _ in range(draw.randrange(1, 7))))
