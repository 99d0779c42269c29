"""Something on the time axis, as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.shape import Shape
from goldthread.store.read.details import EventRow


class EventShape(Shape):
    """Something on the time axis; both dates are inside."""

    begins: dt.date
    ends: dt.date
    label: str

    @classmethod
    def list_of(cls, events: list[EventRow]) -> list[EventShape]:
        return [cls(begins=each.begins, ends=each.ends, label=each.label) for each in events]
