"""What goes over the wire about links for somebody outside. Moments are UTC."""

from __future__ import annotations

import datetime as dt

from pydantic import BaseModel

from goldthread.api.shapes.books import BookPath, BookShape
from goldthread.api.shapes.people import Text
from goldthread.shape import Id, Moment, Shape


class ShareBody(Shape):
    """A view to show to somebody outside until the end of a day. ``frozen``: as it is now, and not as it stands when it
    is opened."""

    name: Text
    stop: Text
    query: str
    until: dt.date
    frozen: bool = False
    opens_figures: bool = False
    shows_people: bool = False
    passphrase: Text = ""


class LinkShape(Shape):
    """A link for somebody outside, which holds to the end of its last day. ``made_by`` is blank for one of the command
    line, or without accounts."""

    id: int
    name: str
    made_by: str
    is_frozen: bool
    opens_figures: bool
    shows_people: bool
    has_passphrase: bool
    made_at: Moment
    last_day: dt.date
    opened: int
    opened_at: Moment | None


class LinksShape(Shape):
    links: list[LinkShape]


class NewLinkShape(LinksShape):
    """The address of a new link, which is not shown again, and all links."""

    address: str


class LinkPath(BaseModel):
    link: Id


class LinkOfBookPath(BookPath):
    link: Id


class SharedShape(Shape):
    """What a link shows: the view by its stop, its question and the query of its address."""

    book: BookShape
    name: str
    made_by: str
    stop: str
    question: str
    query: str
    is_frozen: bool
    opens_figures: bool
    made_at: Moment
    last_day: dt.date
