"""Notes about customers, deliveries, lists, cohorts, their cells, and periods."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from goldthread.actions import books, notes
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, seen_version
from goldthread.api.shapes.books import BookPath
from goldthread.core.choices import NoteOn
from goldthread.shape import Id, Moment, Place, Shape
from goldthread.store.books import BookRow
from goldthread.store.notes import NoteRow
from goldthread.store.schema.written import NOTE_LENGTH
from goldthread.workspace import Workspace

Key = Annotated[str, Field(max_length=40, description="A number, a period such as 2026-03, or a cell: 2026-03/1.")]
Text = Annotated[str, Field(max_length=NOTE_LENGTH)]


class NotePath(BookPath):
    note: Id


class NotesQuery(BaseModel):
    """Which notes: on one thing, with words in them, or all; the newest first."""

    about: NoteOn | None = None
    key: Key = ""
    find: str = Field("", max_length=200)
    offset: Place = 0
    limit: int = Field(100, ge=1, le=500)


class NoteIn(BaseModel):
    """A note to be written, and what it is about."""

    about: NoteOn
    key: Key
    text: Text


class NoteText(BaseModel):
    text: Text


class NoteShape(Shape):
    """A note (UTC): who wrote it when, and what it is ``on``, as people say it. ``called``: the name of the delivery or
    the list, blank for others. ``shared``: everybody in the book sees it."""

    id: int
    about: NoteOn
    key: str
    on: str
    called: str
    text: str
    made_by: str
    shared: bool
    version: int
    made_at: Moment
    edited_at: Moment | None


class NotesShape(Shape):
    total: int
    notes: list[NoteShape]


class NotedShape(Shape):
    """What there are notes on, and how many."""

    about: NoteOn
    key: str
    count: int


class NotedThingsShape(Shape):
    things: list[NotedShape]


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The notes' part of the API."""
    api = part("notes", "/api/books/<int:book>/notes")

    def shapes(book: BookRow, rows: list[NoteRow]) -> list[NoteShape]:
        words = notes.things_words(workspace, book, rows)
        things = ((row.thing.about, row.thing.key) for row in rows)
        return [
            NoteShape.like(row, about=about, key=key, on=on)
            for row, (about, key), on in zip(rows, things, words, strict=True)
        ]

    @api.get("", responses={200: NotesShape})
    @asks(Right.KEEP)
    def list_notes(path: BookPath, query: NotesQuery) -> Response:
        """Notes, the newest first: those that are shared, and one's own."""
        book = books.find_book(workspace, path.book)
        thing = None if query.about is None else notes.thing_of(query.about, query.key)
        total, rows = notes.list_notes(workspace, book, thing, query.find, query.offset, query.limit)
        return reply(NotesShape(total=total, notes=shapes(book, rows)))

    @api.get("/things", responses={200: NotedThingsShape})
    @asks(Right.KEEP)
    def noted_things(path: BookPath) -> Response:
        """What there are notes on, and how many on each."""
        found = notes.noted_things(workspace, books.find_book(workspace, path.book))
        things = [NotedShape(about=thing.about, key=thing.key, count=count) for thing, count in found]
        return reply(NotedThingsShape(things=things))

    @api.post("", responses={201: NoteShape})
    @asks(Right.KEEP)
    def add_note(path: BookPath, body: NoteIn) -> Response:
        """Write a note. Everybody in the book reads one of somebody who may change the book; others write for
        themselves."""
        book = books.find_book(workspace, path.book)
        row = notes.add_note(workspace, book, notes.thing_of(body.about, body.key), body.text)
        return reply(shapes(book, [row])[0], 201)

    @api.put("/<int:note>", responses={200: NoteShape})
    @asks(Right.KEEP)
    def edit_note(path: NotePath, body: NoteText) -> Response:
        """Write a note anew, which is its author's to do. ``If-Match`` names the version that was seen: 409 when it was
        edited since."""
        book = books.find_book(workspace, path.book)
        return reply(shapes(book, [notes.edit_note(workspace, book, path.note, body.text, seen_version())])[0])

    @api.delete("/<int:note>", responses={204: None})
    @asks(Right.KEEP)
    def remove_note(path: NotePath) -> Response:
        """Take a note back, which is its author's to do."""
        notes.remove_note(workspace, books.find_book(workspace, path.book), path.note)
        return Response(status=204)

    return api
