"""Lists of customers and orders as JSON.

Money is a plain decimal text, exact; dates are ISO 8601; null where nothing applies.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

from goldthread.core.choices import Kind
from goldthread.core.history.history import History
from goldthread.core.money import money_text
from goldthread.core.threads.glance import glance
from goldthread.shape import Shape
from goldthread.stops.behind.evidence_shape import ThreadShape
from goldthread.stops.behind.order_shape import OrderShownShape
from goldthread.stops.field_values import Cell
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window
from goldthread.stops.threads.answer import ListedRow, Listing, listed
from goldthread.stops.threads.words import list_words, member_words
from goldthread.store.lists import proposed_name
from goldthread.workspace import Workspace


class FieldShape(Shape):
    """A field that is shown, or can be."""

    name: str
    title: str
    kind: Kind


class TallyShape(Shape):
    """Some customers at a glance."""

    customers: int
    with_orders: int
    orders: int
    revenue: str
    median_days_since: float | None

    @classmethod
    def of(cls, history: History) -> TallyShape:
        found = glance(history)
        return cls.like(
            found,
            revenue=money_text(found.revenue_minor),
            median_days_since=found.median_days_since(history.rule.as_of_day),
        )


class ThreadsShape(AnswerShape):
    """What every answer of the stop says of itself beside that, and who is looked at. ``rest_tally``: everybody else,
    when a list is compared with them."""

    tally: TallyShape
    rest_tally: TallyShape | None


def threads_header(read: Read, words: Words) -> dict[str, Any]:
    """The fields of `ThreadsShape`."""
    return {
        **header(read, words),
        "tally": TallyShape.of(read.history),
        "rest_tally": None if read.rest is None else TallyShape.of(read.rest),
    }


class ListedRowShape(Shape):
    """One row of a list. ``cells`` begin with the field that the list goes by. ``orders``: those that stand out."""

    thread: ThreadShape
    cells: list[Cell]
    orders: list[OrderShownShape]

    @classmethod
    def of(cls, row: ListedRow) -> ListedRowShape:
        return cls(
            thread=ThreadShape.of(row.thread),
            cells=row.cells,
            orders=[OrderShownShape.like(order) for order in row.orders],
        )


class ListShape(ThreadsShape):
    """A part of a list: ``count`` rows there are in all, ``rows`` begin at ``offset``.

    ``by`` is the field that the list goes by. All threads share the axis from ``first_date`` to ``last_date``.
    ``words`` say what a row is and how many there are; ``list_name`` is proposed for a list of its customers.
    """

    words: str
    list_name: str
    count: int
    offset: int
    by: FieldShape
    columns: list[FieldShape]
    first_date: dt.date
    last_date: dt.date
    rows: list[ListedRowShape]

    @classmethod
    def of(cls, workspace: Workspace, listing: Listing, window: Window) -> ListShape:
        first, last = listing.read.date_span
        by, *columns = (FieldShape.like(field) for field in (listing.by, *listing.columns))
        rows = listed(workspace, listing, window.offset, window.limit)
        count, backdated = listing.count, 0 if listing.marked is None else listing.marked.orders
        return cls(
            **threads_header(listing.read, listing.words),
            words=list_words(listing.read, listing.question, count, backdated),
            list_name=proposed_name(member_words(listing.read, listing.question)),
            count=count,
            offset=window.offset,
            by=by,
            columns=columns,
            first_date=first,
            last_date=last,
            rows=[ListedRowShape.of(row) for row in rows],
        )
