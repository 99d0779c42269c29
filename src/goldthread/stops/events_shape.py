"""Something on the time axis, as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.shape import Shape


class EventShape(Shape):
    """Something on the time axis; both dates are inside. ``by_hand``: the delivery of one that was typed, by which it
    is edited and taken back; null for one that was imported."""

    begins: dt.date
    ends: dt.date
    label: str
    by_hand: int | None
