"""Find a customer while somebody types, and open an order."""

from __future__ import annotations

import json
from enum import StrEnum

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from goldthread.actions import books, persons
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.replies import file_reply, reply
from goldthread.api.shapes.books import BookPath, OrderPath
from goldthread.core.book.days import to_date
from goldthread.shape import Id, Shape
from goldthread.stops.customer.answer import show_lines
from goldthread.stops.customer.finding import find_customers
from goldthread.stops.customer.shape import FindQuery, FoundListShape, FoundShape, LinesShape
from goldthread.stops.reading import read_for_one
from goldthread.workspace import Workspace


class CustomerPath(BookPath):
    customer: Id


class RecordForm(StrEnum):
    """As what all that is on record of a customer is taken."""

    JSON = "json"
    HTML = "html"


class RecordQuery(BaseModel):
    form: RecordForm = RecordForm.JSON


class ErasureAsideShape(Shape):
    """What an erasure does not reach: backups, by their names."""

    backups: list[str]


class ErasureShape(Shape):
    """What stays under ``label``: orders and payments; how many records say nothing any more."""

    label: str
    orders: int
    payments: int
    records: int


def blueprint(workspace: Workspace, answers: Answers) -> APIBlueprint:
    """The customers' part of the API."""
    api = part("customers", "/api/books/<int:book>")

    @api.get("/find", responses={200: FoundListShape})
    @asks(Right.ASK)
    def find(path: BookPath, query: FindQuery) -> Response:
        """The customers who fit a text best: any part of name, number, e-mail or town."""

        def best() -> Response:
            book = books.find_book(workspace, path.book)
            read = read_for_one(workspace, book, query, books.today_of(book))
            listed = find_customers(workspace, read, query.text, query.limit)
            return reply(FoundListShape(as_of=to_date(read.as_of_day), found=[FoundShape.of(each) for each in listed]))

        return answers.reply(path.book, best)

    @api.get("/orders/<int:order>/lines", responses={200: LinesShape})
    @asks(Right.LISTED)
    def show_order_lines(path: OrderPath) -> Response:
        """The lines of an order."""
        book = books.find_book(workspace, path.book)
        return reply(LinesShape.of(show_lines(workspace, book, path.order)))

    @api.get("/customers/<int:customer>/record", responses={200: None})
    @asks(Right.OWN)
    def export_person(path: CustomerPath, query: RecordQuery) -> Response:
        """All that is on record of one customer, as JSON or as a page to read."""
        exported = persons.export_person(workspace, books.find_book(workspace, path.book), path.customer)
        if query.form is RecordForm.HTML:
            return file_reply(persons.person_page(exported).encode(), "text/html; charset=utf-8", "on-record.html")
        content = json.dumps(exported, ensure_ascii=False, indent=1).encode()
        return file_reply(content, "application/json", "on-record.json")

    @api.get("/customers/<int:customer>/erasure", responses={200: ErasureAsideShape})
    @asks(Right.OWN)
    def show_backups(path: CustomerPath) -> Response:
        """Which backups would still hold a customer who is erased now."""
        books.find_book(workspace, path.book)
        return reply(ErasureAsideShape(backups=persons.backups_with(workspace)))

    @api.post("/customers/<int:customer>/erasure", responses={200: ErasureShape})
    @asks(Right.OWN)
    def erase_person(path: CustomerPath) -> Response:
        """Erase a customer: names, contacts and attributes go, orders stay under a number, for good."""
        book = books.find_book(workspace, path.book)
        return reply(ErasureShape.like(persons.erase_person(workspace, book, path.customer)))

    return api
