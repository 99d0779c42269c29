"""Saved views: named and versioned; an earlier version can be restored."""

from __future__ import annotations

from itertools import groupby

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from goldthread.actions import books, saved_views
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, seen_version
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.lists import SharedBody
from goldthread.shape import Id, Moment, Shape
from goldthread.stops.registry import STOPS
from goldthread.stops.saved import question_of
from goldthread.workspace import Workspace


class SavedPath(BookPath):
    saved: Id


class ViewBody(BaseModel):
    """A view to be saved: ``query`` is that of its address, ``words`` what it says."""

    name: str
    stop: str = Field(json_schema_extra={"enum": [stop.name for stop in STOPS]})
    query: str
    words: str


class VersionShape(Shape):
    """One version of a saved view (UTC)."""

    id: int
    version: int
    stop: str
    query: str
    words: str
    saved_at: Moment


class SavedViewShape(Shape):
    """A saved view; its newest version comes first."""

    name: str
    made_by: str
    shared: bool
    versions: list[VersionShape]


class SavedViewsShape(Shape):
    views: list[SavedViewShape]


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The saved views' part of the API."""
    api = part("saved", "/api/books/<int:book>")

    def listed(book_id: int, status: int = 200) -> Response:
        rows = saved_views.list_saved(workspace, books.find_book(workspace, book_id))
        views = [
            SavedViewShape(name=name, made_by=by, shared=shared, versions=VersionShape.each_of(versions))
            for (name, by, shared), versions in groupby(rows, key=lambda row: (row.name, row.made_by, row.shared))
        ]
        return reply(SavedViewsShape(views=views), status)

    @api.get("/views", responses={200: SavedViewsShape})
    @asks(Right.KEEP)
    def list_views(path: BookPath) -> Response:
        """Every saved view with all its versions."""
        return listed(path.book)

    @api.post("/views", responses={201: SavedViewsShape})
    @asks(Right.KEEP)
    def save_view(path: BookPath, body: ViewBody) -> Response:
        """Save a view; under a known name it becomes the next version."""
        question_of(body.stop, body.query)
        book = books.find_book(workspace, path.book)
        saved_views.save_view(workspace, book, body.name, body.stop, body.query, body.words, seen_version())
        return listed(path.book, 201)

    @api.post("/views/<int:saved>/restore", responses={201: SavedViewsShape})
    @asks(Right.KEEP)
    def restore(path: SavedPath) -> Response:
        """Make an earlier version the newest one."""
        saved_views.restore(workspace, books.find_book(workspace, path.book), path.saved, seen_version())
        return listed(path.book, 201)

    @api.delete("/views/<int:saved>", responses={200: SavedViewsShape})
    @asks(Right.KEEP)
    def delete_view(path: SavedPath) -> Response:
        """Delete a view with all its versions."""
        saved_views.delete_view(workspace, books.find_book(workspace, path.book), path.saved, seen_version())
        return listed(path.book)

    @api.post("/views/<int:saved>/undelete", responses={200: SavedViewsShape})
    @asks(Right.KEEP)
    def undelete_view(path: SavedPath) -> Response:
        """Bring back a view that was deleted up to a minute ago, with all its versions."""
        saved_views.undelete_view(workspace, books.find_book(workspace, path.book), path.saved)
        return listed(path.book)

    @api.put("/views/<int:saved>/shared", responses={200: SavedViewsShape})
    @asks(Right.CHANGE)
    def share_view(path: SavedPath, body: SharedBody) -> Response:
        """Have everybody in the book see a view, or its author alone."""
        saved_views.share_view(workspace, books.find_book(workspace, path.book), path.saved, shared=body.shared)
        return listed(path.book)

    return api
