"""Something on the time axis, as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.shape import Shape


class EventShape(Shape):
    """Something on the time axis; both dates are inside."""

    begins: dt.date
    ends: dt.date
    label: str
