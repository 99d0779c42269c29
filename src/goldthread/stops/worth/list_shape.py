"""What goes over the wire about spend by month, and about the largest customers."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date
from goldthread.core.book.periods import period_label, period_start
from goldthread.core.choices import Period
from goldthread.core.money import money_text, whole_cents
from goldthread.core.worth.acquisition import MonthOfSpend, SpendProblem
from goldthread.shape import Shape
from goldthread.stops.behind.evidence_shape import ThreadShape
from goldthread.stops.behind.thread import thread_of
from goldthread.stops.sentences.chance import number
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window
from goldthread.stops.worth.answer import SpendAnswer, TopCustomersAnswer, count_of
from goldthread.stops.worth.question import Top
from goldthread.stops.worth.words import top_words
from goldthread.store.lists import proposed_name


class SpendRowShape(Shape):
    """Spend and new customers of a month: of one channel, or of all where ``channel`` is empty. ``spend`` is null where
    none is recorded, ``cac`` where none can be."""

    month: str
    first_date: dt.date
    channel: str
    spend: str | None
    new_customers: int
    cac: str | None
    problem: SpendProblem | None

    @classmethod
    def of(cls, row: MonthOfSpend) -> SpendRowShape:
        cac = number(row.cac_minor)
        return cls(
            month=period_label(row.month, Period.MONTH),
            first_date=to_date(int(period_start(row.month, Period.MONTH))),
            channel=row.channel,
            spend=None if row.spent_minor is None else money_text(row.spent_minor),
            new_customers=row.customers,
            cac=None if cac is None else money_text(whole_cents(cac)),
            problem=row.problem,
        )


class SpendShape(AnswerShape):
    """Spend beside new customers, month by month: ``count`` rows there are in all, ``rows`` begin at ``offset``.
    ``problems`` : how many of all months and channels are to be checked."""

    problems: int
    count: int
    offset: int
    rows: list[SpendRowShape]

    @classmethod
    def of(cls, answer: SpendAnswer, window: Window) -> SpendShape:
        return cls(
            **header(answer.read, answer.words),
            problems=answer.problems,
            count=len(answer.rows),
            offset=window.offset,
            rows=[SpendRowShape.of(row) for row in answer.rows[window.offset : window.offset + window.limit]],
        )


class TopCustomerShape(Shape):
    """One customer: revenue, its share of all, and that of this one with all before."""

    thread: ThreadShape
    place: int
    orders: int
    revenue: str
    share: float | None
    cumulative_share: float | None


class TopShareShape(Shape):
    """So many customers, the largest first, and the share of revenue that they brought."""

    top: Top
    customers: int
    share: float | None


class TopCustomersShape(AnswerShape):
    """Customers by revenue: ``count`` rows there are in all, ``rows`` begin at ``offset``. ``ordered`` : customers with
    an order; ``tops`` : the shares of the largest; ``list_name`` is proposed for a list of those that are shown."""

    ordered: int
    revenue: str
    tops: list[TopShareShape]
    list_name: str
    count: int
    offset: int
    first_date: dt.date
    last_date: dt.date
    rows: list[TopCustomerShape]

    @classmethod
    def of(cls, answer: TopCustomersAnswer, window: Window) -> TopCustomersShape:
        shares = answer.shares
        first, last = answer.read.date_span
        counts = {top: count_of(shares, top) for top in Top if top is not Top.ALL}
        return cls(
            **header(answer.read, answer.words),
            ordered=int(shares.customers.size),
            revenue=money_text(shares.total_minor),
            tops=[
                TopShareShape(top=top, customers=count, share=number(shares.share_of(count)))
                for top, count in counts.items()
            ],
            list_name=proposed_name("".join(part.text for part in top_words(answer.question).sentence)),
            count=int(answer.rows.size),
            offset=window.offset,
            first_date=first,
            last_date=last,
            rows=[_row(answer, place) for place in answer.rows[window.offset : window.offset + window.limit].tolist()],
        )


def _row(answer: TopCustomersAnswer, place: int) -> TopCustomerShape:
    shares, total = answer.shares, answer.shares.total_minor
    revenue = int(shares.revenue_minor[place])
    return TopCustomerShape(
        thread=ThreadShape.of(thread_of(answer.read.orders, int(shares.customers[place]))),
        place=place + 1,
        orders=int(shares.orders[place]),
        revenue=money_text(revenue),
        share=revenue / total if total > 0 else None,
        cumulative_share=number(shares.share_of(place + 1)),
    )
