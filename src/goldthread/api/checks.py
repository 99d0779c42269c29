"""Checks: every identity of the definitions, and whole tables counted again by the database, as work with progress."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.checking import check_book
from goldthread.actions.jobs import JobBoard
from goldthread.actions.wording import history_controls, reading_line
from goldthread.actions.workspace import Workspace
from goldthread.api.answers import Answers
from goldthread.api.asked import read_asked
from goldthread.api.blueprints import part
from goldthread.api.intake_shapes import JobShape
from goldthread.api.replies import reply
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import BookPath, Shape


class ReadingShape(Shape):
    """The reading line in words, with everything that can be changed about it."""

    reading: list[PartShape]
    controls: list[ControlShape]


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """The checks' part of the API."""
    api = part("checks", "/api/books/<int:book>")

    @api.get("/reading", responses={200: ReadingShape})
    def reading(path: BookPath, query: HistoryQuery) -> Response:
        """Which orders are read, as of when, in words."""

        def found() -> Response:
            read = read_asked(workspace, path.book, query)
            controls = [ControlShape.of(control) for control in history_controls(read)]
            return reply(ReadingShape(reading=PartShape.list_of(reading_line(read)), controls=controls))

        return answers.reply(path.book, found)

    @api.post("/checks", responses={202: JobShape})
    def begin_checks(path: BookPath, query: HistoryQuery) -> Response:
        """Begin the checks; the job gives what they found."""
        book, choice = books.find_book(workspace, path.book), query.choice()
        today = books.today_of(book)
        return reply(
            JobShape.of(jobs.start(lambda progress: check_book(workspace, book, choice, today, progress))), 202
        )

    return api
