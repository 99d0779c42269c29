"""One customer: find, show, open an order."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.customer import show_customer, show_lines
from goldthread.actions.finding import find_customers
from goldthread.actions.reading import Read, read_for_one
from goldthread.actions.workspace import Workspace
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.customer_shapes import (
    CustomerPath,
    CustomerShape,
    FindQuery,
    FoundListShape,
    FoundShape,
    LinesShape,
    OrderPath,
)
from goldthread.api.replies import reply
from goldthread.api.sentence_shapes import HistoryQuery
from goldthread.api.shapes import BookPath
from goldthread.core.periods import to_date


def blueprint(workspace: Workspace, answers: Answers) -> APIBlueprint:
    """The customers' part of the API."""
    api = part("customers", "/api/books/<int:book>/threads")

    def read(book_id: int, query: HistoryQuery) -> Read:
        book = books.find_book(workspace, book_id)
        return read_for_one(workspace, book, query.choice(), books.today_of(book))

    @api.get("/find", responses={200: FoundListShape})
    def find(path: BookPath, query: FindQuery) -> Response:
        """The customers who fit a text best: any part of name, number, e-mail or town."""

        def best() -> Response:
            found = read(path.book, query)
            listed = find_customers(workspace, found, query.text, query.limit)
            return reply(FoundListShape(as_of=to_date(found.as_of_day), found=[FoundShape.of(each) for each in listed]))

        return answers.reply(path.book, best)

    @api.get("/customers/<int:customer>", responses={200: CustomerShape})
    def show_one_customer(path: CustomerPath, query: HistoryQuery) -> Response:
        """A customer with the thread and all its facts."""

        def shown() -> Response:
            found = read(path.book, query)
            return reply(CustomerShape.of(found, show_customer(workspace, found, path.customer)))

        return answers.reply(path.book, shown)

    @api.get("/customers/<int:customer>/orders/<int:order>/lines", responses={200: LinesShape})
    def show_order_lines(path: OrderPath) -> Response:
        """The lines of an order."""
        book = books.find_book(workspace, path.book)
        return reply(LinesShape.of(show_lines(workspace, book, path.order)))

    return api
