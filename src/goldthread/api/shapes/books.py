"""What goes over the wire about books, sessions and errors; dates are ISO 8601."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.books import BookSummary
from goldthread.actor import Right, Role
from goldthread.core.choices import FirstDay, LapseBy
from goldthread.core.records import OrderStatus
from goldthread.shape import Id, Moment, Shape
from goldthread.stops.costs.given import MARGIN_LENGTH, MonthNumber, SmallBelow, UsualSettings
from goldthread.stops.sentences.sentence_shape import ControlShape, PartShape
from goldthread.stops.usual import settings_words
from goldthread.stops.usual_sentence import usual_sentence
from goldthread.store.usual import UsualChangeRow


class ProblemDetails(Shape):
    """An error as RFC 9457 describes it. ``remedy`` says what to do, ``field`` what to change, ``row`` where in a file,
    ``at`` at which character of a condition.
    """

    type: str
    title: str
    status: int
    detail: str
    remedy: str = ""
    field: str = ""
    row: int | None = None
    at: int | None = None


class BookPath(BaseModel):
    book: Id


class OrderPath(BookPath):
    order: Id


class BookIn(Shape):
    name: str
    currency: str = "EUR"
    time_zone: str = "UTC"


class BookShape(Shape):
    id: int
    name: str
    currency: str
    time_zone: str
    revision: int


class MyBookShape(BookShape):
    """A book, and what whoever asks may do in it. ``role`` is null without accounts."""

    role: Role | None
    rights: list[Right]


class BooksShape(Shape):
    books: list[MyBookShape]


class BookSettingsShape(Shape):
    """``hides_people``: readers, and whoever has a shared link, see numbers of customers in place of names and
    contacts."""

    hides_people: bool


class UsualBody(Shape):
    """The usual settings of a book; what is blank is left to what everybody begins with. ``margin``: in percent, by
    month as 42,2025-01=40. ``cac``: an amount, or spend. ``lapse``: 90d, 6m or 2x. ``status``: the statuses that
    count. ``fiscal_month``: 1 to 12."""

    margin: Annotated[str, Field(max_length=MARGIN_LENGTH)] = ""
    cac: Annotated[str, Field(max_length=20)] = ""
    lapse: Annotated[str, Field(max_length=10)] = ""
    lapse_by: LapseBy | None = None
    status: Annotated[list[OrderStatus], Field(max_length=len(OrderStatus))] = Field(default_factory=list)
    small: SmallBelow | None = None
    fiscal_month: MonthNumber | None = None
    week_begins: FirstDay | None = None


class UsualChangeShape(Shape):
    """All of the usual settings from a moment on, in words; none where they were taken back."""

    words: list[str]
    made_by: str
    made_at: Moment


class UsualShape(Shape):
    """The usual settings of a book that are in force, also as a sentence with what each can be set to, and their latest
    changes, the newest first."""

    now: UsualBody
    sentence: list[PartShape]
    controls: list[ControlShape]
    changes: list[UsualChangeShape]

    @classmethod
    def of(cls, rows: list[UsualChangeRow]) -> UsualShape:
        said = rows[0].said if rows else {}
        words = usual_sentence(said)
        return cls(
            now=UsualBody(**said),
            sentence=PartShape.each_of(words.sentence),
            controls=ControlShape.list_of(words.controls, UsualSettings),
            changes=[UsualChangeShape.like(row, words=settings_words(row.said)) for row in rows],
        )


class InFilesShape(Shape):
    """Where the orders of a book stay, how many files there are since the last refresh, and when that was; null before
    the first one. ``files_before``: how many there were before it, null where it is the first."""

    address: str
    files: int
    refreshed_at: dt.datetime | None
    files_before: int | None


class RefreshIn(Shape):
    """How a book is brought up to its files: back to those of the refresh before; though more than 2 % of the rows
    would be left out."""

    as_before: bool = False
    accept_rejected: bool = False


class BookSummaryShape(BookShape):
    """What a book holds. ``sources`` have orders in it; ``known_sources`` have delivered any file at all; ``in_files``
    is null where its orders are on record."""

    sources: list[str]
    known_sources: list[str]
    payments: int
    spend: int
    events: int
    orders: int
    customers: int
    customers_with_orders: int
    first_date: dt.date | None
    last_date: dt.date | None
    in_files: InFilesShape | None

    @classmethod
    def of_summary(cls, summary: BookSummary) -> BookSummaryShape:
        row = summary.book
        return cls(
            id=row.id,
            name=row.name,
            currency=row.currency,
            time_zone=row.time_zone,
            revision=row.revision,
            sources=summary.sources,
            known_sources=summary.known_sources,
            payments=summary.further.payments,
            spend=summary.further.spend,
            events=summary.further.events,
            orders=summary.orders,
            customers=summary.customers,
            customers_with_orders=summary.customers_with_orders,
            first_date=dt.date.fromisoformat(summary.first_date) if summary.first_date else None,
            last_date=dt.date.fromisoformat(summary.last_date) if summary.last_date else None,
            in_files=None if summary.in_files is None else InFilesShape.like(summary.in_files),
        )
