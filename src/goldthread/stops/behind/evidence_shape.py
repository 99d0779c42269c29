"""What stands behind one figure, as JSON, for every stop."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.core.counted import Tallied
from goldthread.core.money import money_text, whole_cents
from goldthread.shape import Place, Shape
from goldthread.stops.behind.evidence import Figure, Opened, Unit
from goldthread.stops.behind.recount import Recounted
from goldthread.stops.behind.thread import Thread, ThreadKnot
from goldthread.stops.reading import Read
from goldthread.store.lists import proposed_name


class PageQuery(BaseModel):
    """Which of the customers behind a figure are listed."""

    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=200)] = 60


class KnotShape(Shape):
    """One order on a thread, or some that stand close: from ``date`` to ``until``, their amounts together.

    ``inside`` when the opened figure counts one of them. ``gap`` is in days, null for the first order and for a knot of
    several.
    """

    date: dt.date
    until: dt.date
    orders: int
    amount: str
    inside: bool
    rank: int
    gap: int | None

    @classmethod
    def list_of(cls, knots: list[ThreadKnot]) -> list[KnotShape]:
        return [cls.like(knot, amount=money_text(knot.amount_minor), gap=knot.gap_days) for knot in knots]


class ThreadShape(Shape):
    """One customer with all counted orders: how many, how many of them stand out, and their knots."""

    customer: int
    name: str
    key: str
    orders: int
    inside: int
    knots: list[KnotShape]

    @classmethod
    def of(cls, thread: Thread) -> ThreadShape:
        return cls.like(thread, customer=thread.customer_id, knots=KnotShape.list_of(thread.knots))


class OpenedShape(Shape):
    """What stands behind one figure: how many, how sure, what is unusual, and some of the customers.

    ``value`` is a fraction, a count or a plain decimal of money by its ``unit``; null where undefined. ``list_name`` is
    proposed for a list of the customers.
    """

    revision: int
    large_amount: str
    unit: Unit
    value: str | None
    beside: str
    words: str
    note: str
    low: float | None
    high: float | None
    unusual: list[str]
    averaged: bool
    customers: int
    orders: int
    revenue: str
    first_date: dt.date
    last_date: dt.date
    offset: int
    list_name: str
    threads: list[ThreadShape]

    @classmethod
    def of(cls, opened: Opened, offset: int, who: str, read: Read) -> OpenedShape:
        figure = opened.figure
        return cls.like(
            figure,
            revision=read.shelved.revision,
            large_amount=money_text(read.shelved.orders.large_amount_minor),
            value=_value(figure),
            unusual=list(figure.unusual),
            customers=opened.customers,
            orders=opened.orders,
            revenue=money_text(opened.revenue_minor),
            first_date=opened.first_date,
            last_date=opened.last_date,
            offset=offset,
            list_name=proposed_name(who),
            threads=[ThreadShape.of(thread) for thread in opened.threads],
        )


def _value(figure: Figure) -> str | None:
    if figure.value is None:
        return None
    match figure.unit:
        case Unit.SHARE:
            return f"{figure.value:.6f}"
        case Unit.COUNT:
            return str(round(figure.value))
        case Unit.MONEY:
            # a sum is exact, a mean is shown in hundredths
            exact = figure.value.is_integer()
            return money_text(int(figure.value) if exact else whole_cents(figure.value))
        case Unit.NUMBER:
            return f"{figure.value:.4f}"


class TalliedShape(Shape):
    """Distinct customers, orders, and the sum of their amounts."""

    customers: int
    orders: int
    revenue: str

    @classmethod
    def of(cls, tallied: Tallied) -> TalliedShape:
        return cls(customers=tallied.customers, orders=tallied.orders, revenue=money_text(tallied.revenue_minor))


class RecountedShape(Shape):
    """One figure counted twice: here, and by SQL inside the database. ``database`` and ``agrees`` are null where the
    database cannot be asked; ``reason`` says why."""

    agrees: bool | None
    page: TalliedShape
    database: TalliedShape | None
    reason: str

    @classmethod
    def of(cls, found: Recounted) -> RecountedShape:
        return cls(
            agrees=found.agrees,
            page=TalliedShape.of(found.page),
            database=None if found.database is None else TalliedShape.of(found.database),
            reason=found.reason,
        )
