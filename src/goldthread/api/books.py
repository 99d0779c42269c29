"""Books: list them, begin one, see what one holds."""

from __future__ import annotations

from contextlib import closing

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel

from goldthread.actions import books as actions
from goldthread.actions import uploads, usual
from goldthread.actions.jobs import JobBoard
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, sent_file
from goldthread.api.shapes.books import (
    BookIn,
    BookPath,
    BookSettingsShape,
    BookShape,
    BooksShape,
    BookSummaryShape,
    MyBookShape,
    RefreshIn,
    UsualBody,
    UsualShape,
)
from goldthread.api.shapes.intake import JobShape
from goldthread.stops.usual import checked_usual, settings_words
from goldthread.workspace import Workspace, asked_anew


class PackageForm(BaseModel):
    """A package as a page sends it, and the name that the book is to have if not its own."""

    file: FileStorage
    name: str = ""


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The books' part of the API."""
    api = part("books", "/api/books")

    @api.get("", responses={200: BooksShape})
    @asks(Right.PERSON)
    def list_books() -> Response:
        """The books that whoever asks may see, by name."""
        found = actions.list_own_books(workspace)
        rows = [MyBookShape.like(book, role=role, rights=sorted(rights)) for book, role, rights in found]
        return reply(BooksShape(books=rows))

    @api.post("", responses={201: BookShape})
    @asks(Right.BEGIN)
    def add_book(body: BookIn) -> Response:
        """Begin a book."""
        book = actions.add_book(workspace, body.name, body.currency, body.time_zone)
        return reply(BookShape.like(book), 201)

    @api.get("/<int:book>", responses={200: BookSummaryShape})
    @asks(Right.ASK)
    def show_book(path: BookPath) -> Response:
        """What a book holds."""
        found = actions.find_book(workspace, path.book)
        return reply(BookSummaryShape.of_summary(asked_anew(lambda: actions.summarise(workspace, found))))

    @api.post("/<int:book>/refresh", responses={202: JobShape})
    @asks(Right.CHANGE)
    def refresh_book(path: BookPath, body: RefreshIn) -> Response:
        """Bring a book whose orders stay in files up to these; the work goes on after the reply."""
        found = actions.find_book(workspace, path.book)
        actions.dataset_of(workspace, found)
        return reply(JobShape.of(jobs.start("refresh", book=found.id, **body.model_dump())), 202)

    @api.get("/<int:book>/settings", responses={200: BookSettingsShape})
    @asks(Right.OWN)
    def show_settings(path: BookPath) -> Response:
        """What an owner decides about a book."""
        return reply(BookSettingsShape(hides_people=actions.find_state(workspace, path.book).hides_people))

    @api.put("/<int:book>/settings", responses={200: BookSettingsShape})
    @asks(Right.OWN)
    def change_settings(path: BookPath, body: BookSettingsShape) -> Response:
        """Decide about a book."""
        actions.hide_people(workspace, actions.find_book(workspace, path.book), hidden=body.hides_people)
        return reply(body)

    @api.get("/<int:book>/usual", responses={200: UsualShape})
    @asks(Right.ASK)
    def show_usual(path: BookPath) -> Response:
        """The usual settings of a book: what is in force where a question says nothing else."""
        return reply(UsualShape.of(usual.usual_changes(workspace, actions.find_book(workspace, path.book))))

    @api.put("/<int:book>/usual", responses={200: UsualShape})
    @asks(Right.OWN)
    def say_usual(path: BookPath, body: UsualBody) -> Response:
        """Say the usual settings of a book, all of them."""
        book = actions.find_book(workspace, path.book)
        said = checked_usual(body.model_dump(mode="json"))
        usual.say_usual(workspace, book, said, settings_words(said))
        return reply(UsualShape.of(usual.usual_changes(workspace, book)))

    @api.post("/<int:book>/package", responses={202: JobShape})
    @asks(Right.OWN)
    def export_book(path: BookPath) -> Response:
        """Take the whole book out as a Frictionless Data Package: a zip of CSVs and their description.

        The work goes on after the reply; its file is taken from it.
        """
        found = actions.find_book(workspace, path.book)
        return reply(JobShape.of(jobs.start("export book", book=found.id)), 202)

    @api.post("/package", responses={202: JobShape})
    @asks(Right.BEGIN)
    def import_book(form: PackageForm) -> Response:
        """A book of a package that was exported, under its own name or another; the work goes on after the reply."""
        with closing(sent_file(form.file)) as sent:
            arrival = uploads.receive(workspace.settings, 0, "book.zip", sent.stream)
        return reply(JobShape.of(jobs.start("import book", **arrival.told(), book_name=form.name or None)), 202)

    return api
