"""Customer lists: see them, rename one, delete one. They are kept with the question that shows their customers."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, lists
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.lists import CustomerListShape, CustomerListsShape, ListNameBody, ListPath
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The lists' part of the API."""
    api = part("lists", "/api/books/<int:book>/lists")

    def listed(book_id: int) -> Response:
        book = books.find_book(workspace, book_id)
        return reply(CustomerListsShape(lists=[CustomerListShape.of(row) for row in lists.list_lists(workspace, book)]))

    @api.get("", responses={200: CustomerListsShape})
    def list_lists(path: BookPath) -> Response:
        """Every customer list of a book, newest first."""
        return listed(path.book)

    @api.put("/<int:list>", responses={200: CustomerListsShape})
    def rename_list(path: ListPath, body: ListNameBody) -> Response:
        """Give a list another name; gives all lists. Saved views that use it follow."""
        lists.rename_list(workspace, books.find_book(workspace, path.book), path.list, body.name)
        return listed(path.book)

    @api.delete("/<int:list>", responses={200: CustomerListsShape})
    def delete_list(path: ListPath) -> Response:
        """Delete a list; its customers stay. Gives the lists that are left."""
        lists.delete_list(workspace, books.find_book(workspace, path.book), path.list)
        return listed(path.book)

    @api.post("/<int:list>/undelete", responses={200: CustomerListsShape})
    def undelete_list(path: ListPath) -> Response:
        """Bring back a list that was deleted up to a minute ago, with what was done on it; gives all lists."""
        lists.undelete_list(workspace, books.find_book(workspace, path.book), path.list)
        return listed(path.book)

    return api
