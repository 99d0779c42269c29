"""New and returning by period."""

from __future__ import annotations

import datetime as dt

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.newness import ask_newness, newness_controls, newness_sentence, newness_sheet
from goldthread.actions.reading import Read, read_book
from goldthread.actions.tables import money
from goldthread.actions.wording import reading_line
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.replies import entity_tag, reply, sheet_reply, tagged, unchanged
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import BookPath, Shape
from goldthread.api.thread_shapes import FormQuery
from goldthread.core.cohorts import CellState
from goldthread.core.newness import NewnessTable, Parts, Span
from goldthread.core.periods import to_date


class NewnessQuery(HistoryQuery):
    """New and returning by day, week, month, quarter or year."""

    span: Span = Span.MONTH


class NewnessFile(NewnessQuery, FormQuery):
    pass


class CountPartsShape(Shape):
    """A count told apart. ``won_back`` is a part of ``returning``."""

    new: int
    returning: int
    won_back: int

    @classmethod
    def of(cls, parts: Parts, place: int) -> CountPartsShape:
        new, returning, back = (int(each[place]) for each in (parts.new, parts.returning, parts.won_back))
        return cls(new=new, returning=returning, won_back=back)


class MoneyPartsShape(Shape):
    """An amount told apart, as plain decimals."""

    new: str
    returning: str
    won_back: str

    @classmethod
    def of(cls, parts: Parts, place: int) -> MoneyPartsShape:
        new, returning, back = (money(int(each[place])) for each in (parts.new, parts.returning, parts.won_back))
        return cls(new=new, returning=returning, won_back=back)


class NewnessPeriodShape(Shape):
    """One period; ``partial`` while it runs."""

    period: str
    partial: bool
    orders: CountPartsShape
    customers: CountPartsShape
    revenue: MoneyPartsShape


class NewnessShape(Shape):
    """New and returning. ``customers_in_all`` are distinct, counted afresh: never the sum of the periods."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
    span: Span
    reading: list[PartShape]
    sentence: list[PartShape]
    controls: list[ControlShape]
    customers_in_all: int
    periods: list[NewnessPeriodShape]

    @classmethod
    def of(cls, read: Read, table: NewnessTable) -> NewnessShape:
        return cls(
            book=read.book.name,
            currency=read.book.currency,
            revision=read.shelved.revision,
            as_of=to_date(read.as_of_day),
            span=table.span,
            reading=PartShape.list_of(reading_line(read)),
            sentence=PartShape.list_of(newness_sentence(table.span)),
            controls=[ControlShape.of(control) for control in newness_controls(read, table.span)],
            customers_in_all=table.customers_in_all,
            periods=[
                NewnessPeriodShape(
                    period=label,
                    partial=int(table.state[place]) == CellState.PARTIAL,
                    orders=CountPartsShape.of(table.orders, place),
                    customers=CountPartsShape.of(table.customers, place),
                    revenue=MoneyPartsShape.of(table.revenue_minor, place),
                )
                for place, label in enumerate(table.labels)
            ],
        )


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The part of the API for new and returning."""
    api = part("newness", "/api/books/<int:book>")

    def read(book_id: int, query: HistoryQuery) -> Read:
        book = books.find_book(workspace, book_id)
        return read_book(workspace, book, query.choice(), books.today_of(book))

    @api.get("/newness", responses={200: NewnessShape})
    def newness(path: BookPath, query: NewnessQuery) -> Response:
        """New and returning orders, customers and revenue of each period."""
        found = read(path.book, query)
        tag = entity_tag("newness", found.book.id, found.shelved.revision, *found.stamp, query)
        known = unchanged(tag)
        if known is not None:
            return known
        return tagged(reply(NewnessShape.of(found, ask_newness(workspace, found, query.span))), tag)

    @api.get("/newness/file", responses={200: None})
    def take_newness(path: BookPath, query: NewnessFile) -> Response:
        """The same as CSV, XLSX or Parquet."""
        found = read(path.book, query)
        table = ask_newness(workspace, found, query.span)
        return sheet_reply(newness_sheet(found, table), query.form, f"new-and-returning-by-{query.span}")

    return api
