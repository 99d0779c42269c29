"""Own attributes of orders: see them, call one otherwise, hide it."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import attributes, books
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath
from goldthread.core.records import AttributeType
from goldthread.shape import Shape
from goldthread.workspace import Workspace


class AttributeShape(Shape):
    """An own attribute of orders. ``name`` is that of its column, as conditions write it; ``title`` is shown."""

    name: str
    title: str
    type: AttributeType
    hidden: bool


class AttributesShape(Shape):
    attributes: list[AttributeShape]


class AttributeBody(Shape):
    """What is to change of an attribute; null leaves it as it is."""

    name: str
    title: str | None = None
    hidden: bool | None = None


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The attributes' part of the API."""
    api = part("attributes", "/api/books/<int:book>/attributes")

    def listed(book_id: int) -> Response:
        rows = attributes.list_attributes(workspace, books.find_book(workspace, book_id))
        return reply(
            AttributesShape(
                attributes=[
                    AttributeShape(
                        name=row.name, title=row.column.title, type=row.column.type, hidden=row.column.hidden
                    )
                    for row in rows
                ]
            )
        )

    @api.get("", responses={200: AttributesShape})
    @asks(Right.ASK)
    def list_attributes(path: BookPath) -> Response:
        """Every own attribute of a book's orders, hidden ones included."""
        return listed(path.book)

    @api.patch("", responses={200: AttributesShape})
    @asks(Right.CHANGE)
    def describe_attribute(path: BookPath, body: AttributeBody) -> Response:
        """Call an attribute otherwise, hide it or offer it again; gives all of them."""
        book = books.find_book(workspace, path.book)
        attributes.describe_attribute(workspace, book, body.name, body.title, hidden=body.hidden)
        return listed(path.book)

    return api
