"""What goes over the wire about how lists are worked."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.working import Done
from goldthread.api.shapes.lists import ListPath
from goldthread.core.choices import MemberState, WorkField
from goldthread.shape import Id, Moment, Place, Shape
from goldthread.stops.followup.worked_shape import EntryShape
from goldthread.store.working import ChangeRow


class MemberPath(ListPath):
    customer: Id


class DoneBody(Shape):
    """What was done about a member, and by whom; what is not given stays as it is. ``no_call`` takes a date to call on
    away. Who is contacted without a date was contacted today."""

    by: str = ""
    state: MemberState | None = None
    contacted_on: dt.date | None = None
    channel: str | None = None
    call_on: dt.date | None = None
    no_call: bool = False
    note: str | None = None

    @property
    def done(self) -> Done:
        return Done(self.state, self.contacted_on, self.channel, self.call_on, self.no_call, self.note)


class WorkedShape(Shape):
    """How far a member is worked now, and the number of the action, which can be taken back."""

    action: int
    entry: EntryShape


class UndoBody(Shape):
    """The action to take back; the last one that stands where none is named."""

    by: str = ""
    action: int | None = None


class UndoneShape(Shape):
    customers: list[int]


class HistoryQuery(BaseModel):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=200)] = 60


class ListChangeShape(Shape):
    """One change; the name of the customer is empty where they left the book."""

    number: int
    action: int
    undoes: int | None
    undone: bool
    customer: int
    name: str
    field: WorkField
    value: str
    by: str
    made_at: Moment

    @classmethod
    def of(cls, row: ChangeRow, name: str) -> ListChangeShape:
        return cls.like(row, customer=row.customer_id, name=name, by=row.made_by)


class HistoryShape(Shape):
    """What was done about the members of a list, the newest first; ``count`` changes there are in all."""

    count: int
    offset: int
    changes: list[ListChangeShape]
