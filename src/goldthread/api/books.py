"""Books: list them, begin one, see what one holds."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books as actions
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes import BookIn, BookPath, BookShape, BooksShape, BookSummaryShape


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The books' part of the API."""
    api = part("books", "/api/books")

    @api.get("", responses={200: BooksShape})
    def list_books() -> Response:
        """All books, by name."""
        return reply(BooksShape(books=[BookShape.of(book) for book in actions.list_books(workspace)]))

    @api.post("", responses={201: BookShape})
    def add_book(body: BookIn) -> Response:
        """Begin a book."""
        book = actions.add_book(workspace, body.name, body.currency, body.time_zone)
        return reply(BookShape.of(book), 201)

    @api.get("/<int:book>", responses={200: BookSummaryShape})
    def show_book(path: BookPath) -> Response:
        """What a book holds."""
        found = actions.find_book(workspace, path.book)
        return reply(BookSummaryShape.of_summary(actions.summarise(workspace, found)))

    return api
