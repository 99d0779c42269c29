"""Find a customer while somebody types, and open an order."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath, OrderPath
from goldthread.core.book.days import to_date
from goldthread.stops.customer.answer import show_lines
from goldthread.stops.customer.finding import find_customers
from goldthread.stops.customer.shape import FindQuery, FoundListShape, FoundShape, LinesShape
from goldthread.stops.reading import read_for_one
from goldthread.workspace import Workspace


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

    return api
