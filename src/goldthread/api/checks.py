"""Checks: every identity of the definitions, and whole tables counted again by the database, as work with progress."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.jobs import JobBoard
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.intake import JobShape
from goldthread.shape import Shape
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.sentences.sentence import history_controls, reading_line
from goldthread.stops.sentences.sentence_shape import ControlShape, PartShape
from goldthread.workspace import Workspace


class ReadingShape(Shape):
    """The reading line in words, with everything that can be changed about it."""

    reading: list[PartShape]
    controls: list[ControlShape]


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """The checks' part of the API."""
    api = part("checks", "/api/books/<int:book>")

    @api.get("/reading", responses={200: ReadingShape})
    @asks(Right.ASK)
    def reading(path: BookPath, query: ReadingLine) -> Response:
        """Which orders are read, as of when, in words."""

        def found() -> Response:
            book = books.find_book(workspace, path.book)
            read = read_book(workspace, book, query, books.today_of(book))
            controls = ControlShape.list_of(history_controls(read), ReadingLine)
            return reply(ReadingShape(reading=PartShape.each_of(reading_line(read)), controls=controls))

        return answers.reply(path.book, found)

    @api.post("/checks", responses={202: JobShape})
    @asks(Right.ASK)
    def begin_checks(path: BookPath, query: ReadingLine) -> Response:
        """Begin the checks; the job gives what they found."""
        book = books.find_book(workspace, path.book)
        asked, today = query.model_dump(mode="json", exclude_unset=True), books.today_of(book).isoformat()
        return reply(JobShape.of(jobs.start("check", book=book.id, asked=asked, today=today)), 202)

    return api
