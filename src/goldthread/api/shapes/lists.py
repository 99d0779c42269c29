"""What goes over the wire about customer lists."""

from __future__ import annotations

import datetime as dt

from pydantic import Field

from goldthread.api.shapes.books import BookPath
from goldthread.core.choices import PartKind
from goldthread.shape import Id, Moment, Shape
from goldthread.store.lists import ListRow


class CustomerListShape(Shape):
    """A customer list: its name, how many it holds, and what made it: who they were, how the book was read, as of when,
    and the moment (UTC)."""

    id: int
    name: str
    customers: int
    rule: str
    reading: str
    as_of: dt.date
    made_at: Moment
    made_by: str
    shared: bool

    @classmethod
    def of(cls, row: ListRow) -> CustomerListShape:
        return cls.like(row, customers=row.customer_count)


class CustomerListsShape(Shape):
    lists: list[CustomerListShape]


class NewListBody(Shape):
    """The name of a list; one is found for it when it is empty.

    ``hold_back``: the share of its members that is drawn at random to be held back, as a fraction.
    """

    name: str = ""
    hold_back: float = 0.0


class ListNameBody(Shape):
    name: str


class SharedBody(Shape):
    """Whether everybody in the book sees it, or its author alone."""

    shared: bool


class PartBody(Shape):
    """Who, by the name of their account, works which part of a list. ``letters``: such as A-K, of the customer's name;
    ``attribute``: such as region=Coast; ``every``: such as 2/3, the second of every three; ``whole``: all of it."""

    user: str
    kind: PartKind = PartKind.WHOLE
    value: str = Field("", max_length=255)


class PartsBody(Shape):
    parts: list[PartBody] = Field(max_length=200)


class ListPartShape(Shape):
    """Who works a part of a list."""

    name: str
    kind: PartKind
    value: str


class ListPartsShape(Shape):
    parts: list[ListPartShape]


class ListPath(BookPath):
    list: Id
