"""What goes over the wire about customer lists."""

from __future__ import annotations

import datetime as dt

from goldthread.api.shapes.books import BookPath
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


class ListPath(BookPath):
    list: Id
