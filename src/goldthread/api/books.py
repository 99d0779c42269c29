"""Books: list them, begin one, see what one holds."""

from __future__ import annotations

import tempfile
from contextlib import closing
from pathlib import Path

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel

from goldthread.actions import books as actions
from goldthread.actions import package
from goldthread.actions.jobs import JobBoard, Made, make_file
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, sent_file
from goldthread.api.shapes.books import BookIn, BookPath, BookShape, BooksShape, BookSummaryShape
from goldthread.api.shapes.intake import JobShape
from goldthread.core.records import Progress
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace, asked_anew


class PackageForm(BaseModel):
    """A package as a page sends it, and the name that the book is to have if not its own."""

    file: FileStorage
    name: str = ""


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The books' part of the API."""
    api = part("books", "/api/books")

    @api.get("", responses={200: BooksShape})
    def list_books() -> Response:
        """All books, by name."""
        return reply(BooksShape(books=[BookShape.like(book) for book in actions.list_books(workspace)]))

    @api.post("", responses={201: BookShape})
    def add_book(body: BookIn) -> Response:
        """Begin a book."""
        book = actions.add_book(workspace, body.name, body.currency, body.time_zone)
        return reply(BookShape.like(book), 201)

    @api.get("/<int:book>", responses={200: BookSummaryShape})
    def show_book(path: BookPath) -> Response:
        """What a book holds."""
        found = actions.find_book(workspace, path.book)
        return reply(BookSummaryShape.of_summary(asked_anew(lambda: actions.summarise(workspace, found))))

    @api.post("/<int:book>/package", responses={202: JobShape})
    def export_book(path: BookPath) -> Response:
        """Take the whole book out as a Frictionless Data Package: a zip of CSVs and their description.

        The work goes on after the reply; its file is taken from it.
        """
        found = actions.find_book(workspace, path.book)

        def work(progress: Progress) -> Made:
            return make_file(
                f"{found.name}.zip",
                "application/zip",
                lambda target: package.export_book(workspace, found, target, progress),
            )

        return reply(JobShape.of(jobs.start(work)), 202)

    @api.post("/package", responses={202: JobShape})
    def import_book(form: PackageForm) -> Response:
        """A book of a package that was exported, under its own name or another; the work goes on after the reply."""
        file = sent_file(form.file)
        folder = tempfile.TemporaryDirectory(prefix="package-")
        path = Path(folder.name) / "book.zip"
        with closing(file) as sent:
            sent.save(path)

        def work(progress: Progress) -> BookRow:
            with folder:
                return package.import_book(workspace, path, form.name or None, progress)

        return reply(JobShape.of(jobs.start(work)), 202)

    return api
