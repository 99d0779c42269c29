"""Customer lists: see them, rename one, delete one. They are kept with the question that shows their customers."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, lists
from goldthread.actions.lists import Part
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.lists import (
    CustomerListShape,
    CustomerListsShape,
    ListNameBody,
    ListPartShape,
    ListPartsShape,
    ListPath,
    PartsBody,
    SharedBody,
)
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The lists' part of the API."""
    api = part("lists", "/api/books/<int:book>/lists")

    def listed(book_id: int) -> Response:
        book = books.find_book(workspace, book_id)
        return reply(CustomerListsShape(lists=[CustomerListShape.of(row) for row in lists.list_lists(workspace, book)]))

    @api.get("", responses={200: CustomerListsShape})
    @asks(Right.SEE)
    def list_lists(path: BookPath) -> Response:
        """Every customer list of a book, newest first."""
        return listed(path.book)

    @api.put("/<int:list>", responses={200: CustomerListsShape})
    @asks(Right.KEEP)
    def rename_list(path: ListPath, body: ListNameBody) -> Response:
        """Give a list another name; gives all lists. Saved views that use it follow."""
        lists.rename_list(workspace, books.find_book(workspace, path.book), path.list, body.name)
        return listed(path.book)

    @api.delete("/<int:list>", responses={200: CustomerListsShape})
    @asks(Right.KEEP)
    def delete_list(path: ListPath) -> Response:
        """Delete a list; its customers stay. Gives the lists that are left."""
        lists.delete_list(workspace, books.find_book(workspace, path.book), path.list)
        return listed(path.book)

    @api.post("/<int:list>/undelete", responses={200: CustomerListsShape})
    @asks(Right.KEEP)
    def undelete_list(path: ListPath) -> Response:
        """Bring back a list that was deleted up to a minute ago, with what was done on it; gives all lists."""
        lists.undelete_list(workspace, books.find_book(workspace, path.book), path.list)
        return listed(path.book)

    @api.put("/<int:list>/shared", responses={200: CustomerListsShape})
    @asks(Right.CHANGE)
    def share_list(path: ListPath, body: SharedBody) -> Response:
        """Have everybody in the book see a list, or its author alone; gives all lists."""
        lists.share_list(workspace, books.find_book(workspace, path.book), path.list, shared=body.shared)
        return listed(path.book)

    @api.get("/<int:list>/parts", responses={200: ListPartsShape})
    @asks(Right.CHANGE)
    def list_parts(path: ListPath) -> Response:
        """Who works which part of a list."""
        rows = lists.list_parts(workspace, books.find_book(workspace, path.book), path.list)
        return reply(ListPartsShape(parts=ListPartShape.each_of(rows)))

    @api.put("/<int:list>/parts", responses={200: ListPartsShape})
    @asks(Right.CHANGE)
    def divide_list(path: ListPath, body: PartsBody) -> Response:
        """Divide a list among those who work it, in place of what was said before; nobody is in two parts."""
        parts = [Part(each.user, each.kind, each.value) for each in body.parts]
        rows = lists.divide_list(workspace, books.find_book(workspace, path.book), path.list, parts)
        return reply(ListPartsShape(parts=ListPartShape.each_of(rows)))

    return api
