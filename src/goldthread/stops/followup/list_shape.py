"""What goes over the wire about whom to contact."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date, to_day
from goldthread.core.book.payments import NO_DAY
from goldthread.core.choices import Kind, Stands, Who
from goldthread.core.counted import Among, Without
from goldthread.core.history import facts
from goldthread.core.history.fields import Field
from goldthread.core.money import money_text
from goldthread.core.standing.follow_up import MARKS, Beside, Marked, OrderedAfter
from goldthread.shape import Shape
from goldthread.stops.behind.evidence_shape import ThreadShape
from goldthread.stops.behind.order_table import phone_name
from goldthread.stops.behind.thread import thread_of
from goldthread.stops.field_values import Cell, cells, cells_of_a_few
from goldthread.stops.followup.answer import FollowUpAnswer
from goldthread.stops.followup.evidence import STANDING_OF, follow_up_words
from goldthread.stops.followup.question import Contactable, FollowUpFigureName, Part
from goldthread.stops.followup.shape import BoundaryShape, StandsShape
from goldthread.stops.reading import Read
from goldthread.stops.sentences.chance import number
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window
from goldthread.store.lists import proposed_name

_STANDS = {int(code): stands for stands, code in STANDING_OF.items()}


class ContactShape(Shape):
    """How a customer can be reached; empty where nothing is on record."""

    email: str
    phone: str
    town: str


class FollowUpRowShape(Shape):
    """One customer. Who never ordered has no date, no gap, and nothing to be late against.

    ``expected_gap`` is the customer's own where ``own_gap`` says so, else everybody's at that step; ``times_late`` is
    the open gap in expected ones, null where that is 0 days. ``value``: the field that the list goes by.
    """

    thread: ThreadShape
    stands: Stands
    latest_date: dt.date | None
    days_since: int | None
    expected_gap: float | None
    own_gap: bool
    times_late: float | None
    revenue: str
    value: Cell
    contact: ContactShape
    closed: bool
    do_not_contact: bool


class ReasonShape(Shape):
    """For how many customers one reason holds; somebody can be there for several."""

    reason: Who
    customers: int


class SinceListShape(Shape):
    """What became of an earlier list: who is ``new`` since, who ``still`` fits the reasons, of whom some were
    ``contacted``, and who is ``gone``: because they ``ordered`` since, are ``closed`` or not to be contacted by now, or
    for ``other`` reasons."""

    name: str
    made_as_of: dt.date
    customers: int
    new: int
    still: int
    contacted: int
    gone: int
    ordered: int
    closed: int
    other: int


class FollowUpShape(AnswerShape):
    """Whom to contact: ``count`` rows there are in all, ``rows`` begin at ``offset``.

    ``standings`` are those of everybody who is looked at. ``found`` fit a reason; of them ``closed`` and
    ``do_not_contact`` are marked so, ``left_out`` at least one of both and therefore not on the list unless asked for.
    """

    boundary: BoundaryShape
    standings: list[StandsShape]
    reasons: list[ReasonShape]
    found: int
    closed: int
    do_not_contact: int
    left_out: int
    since: SinceListShape | None
    by: str
    by_title: str
    by_kind: Kind
    list_name: str
    count: int
    offset: int
    first_date: dt.date
    last_date: dt.date
    rows: list[FollowUpRowShape]

    @classmethod
    def of(cls, answer: FollowUpAnswer, window: Window) -> FollowUpShape:
        read, followed = answer.read, answer.followed
        first, last = read.date_span
        part = Part.LISTED if answer.members is None else Part.NEW
        left_out = replace(followed, contactable=False)
        marked = [Marked(followed, (name,)) for name in MARKS]
        by_reason = (answer.part(reason=reason) for reason in answer.question.who)
        everybody, closed, do_not_contact, not_listed, *reasons = answer.numbers(
            followed, *marked, left_out, *by_reason
        )
        return cls(
            **header(read, answer.words),
            boundary=BoundaryShape.of(read),
            standings=StandsShape.list_of(answer.table, 0),
            reasons=[
                ReasonShape(reason=reason, customers=customers)
                for reason, customers in zip(answer.question.who, reasons, strict=True)
            ],
            found=everybody,
            closed=closed,
            do_not_contact=do_not_contact,
            left_out=0 if answer.question.contactable is Contactable.ALL else not_listed,
            since=_since(answer),
            by=answer.by.name,
            by_title=answer.by.title,
            by_kind=answer.by.kind,
            list_name=proposed_name(follow_up_words(answer, FollowUpFigureName(part=part))),
            count=answer.found.count,
            offset=window.offset,
            first_date=first,
            last_date=last,
            rows=rows_of(read, answer.by, answer.found.window(window.offset, window.limit)),
        )


def _since(answer: FollowUpAnswer) -> SinceListShape | None:
    earlier = answer.earlier
    if earlier is None:
        return None
    new, still, gone = (answer.part(beside) for beside in Beside)
    ordered = OrderedAfter(gone, to_day(earlier.as_of))
    closed = Marked(Without(gone, ordered), MARKS)
    contacted = [] if answer.contacted is None else [Among(still, answer.contacted)]
    of_new, of_still, of_gone, of_ordered, of_closed, *of_contacted = answer.numbers(
        new, still, gone, ordered, closed, *contacted
    )
    return SinceListShape(
        name=earlier.name,
        made_as_of=earlier.as_of,
        customers=earlier.customer_count,
        new=of_new,
        still=of_still,
        contacted=sum(of_contacted),
        gone=of_gone,
        ordered=of_ordered,
        closed=of_closed,
        other=of_gone - of_ordered - of_closed,
    )


def rows_of(read: Read, by: Field, rows: NDArray[np.int64]) -> list[FollowUpRowShape]:
    """Some customers as they are listed by a field."""
    read, rows = read.of_a_few(rows)
    book, as_of = read.orders, read.as_of_day
    stands = read.fields.grouping("standing")
    latest, gap = facts.latest_day(book), facts.expected_gap_days_of(book, rows)
    late, revenue = facts.overdue_ratio_of(book, as_of, rows), facts.revenue_minor(book)
    values = cells_of_a_few(read.fields, by.name, rows)
    contacts = contacts_of(read, rows)
    closed, unwanted = (marks(read, name, rows) for name in ("closed", "do_not_contact"))
    return [
        FollowUpRowShape(
            thread=ThreadShape.of(thread_of(book, customer)),
            stands=_STANDS[int(stands.codes[customer])],
            latest_date=None if latest[customer] == NO_DAY else to_date(int(latest[customer])),
            days_since=None if latest[customer] == NO_DAY else as_of - int(latest[customer]),
            expected_gap=number(float(gap[place])),
            own_gap=bool(book.counts[customer] >= facts.OWN_MEDIAN_FROM_ORDERS),
            times_late=number(float(late[place])),
            revenue=money_text(int(revenue[customer])),
            value=values[place],
            contact=contacts[place],
            closed=closed[place],
            do_not_contact=unwanted[place],
        )
        for place, customer in enumerate(rows.tolist())
    ]


def contacts_of(read: Read, rows: NDArray[np.int64]) -> list[ContactShape]:
    """How some customers can be reached."""
    phone = phone_name(read.orders)
    found = [_texts(read, name, rows) for name in ("email", phone, "town")]
    return [ContactShape(email=email, phone=number_, town=town) for email, number_, town in zip(*found, strict=True)]


def _texts(read: Read, name: str | None, rows: NDArray[np.int64]) -> list[str]:
    if name is None or name not in read.fields.by_name:
        return [""] * rows.size
    return [str(cell or "") for cell in cells(read.fields.values(name), Kind.TEXT, rows)]


def marks(read: Read, name: str, rows: NDArray[np.int64]) -> list[bool]:
    """Which of some customers their record marks so."""
    return [text == "yes" for text in _texts(read, name, rows)]
