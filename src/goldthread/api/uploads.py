"""Files that are sent: looked at, looked at again, forgotten; their rejected rows."""

from __future__ import annotations

from contextlib import closing

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel

from goldthread.actions import books, people, uploads
from goldthread.actions.jobs import JobBoard, Made
from goldthread.actions.log import taken
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import CSV_TYPE, made_reply, reply, sent_file
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.intake import JobShape, LookIn, QueryIn, UploadPath
from goldthread.errors import NotFound
from goldthread.workspace import Workspace


class UploadForm(BaseModel):
    """A file, as a page sends it."""

    file: FileStorage


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The uploads' part of the API."""
    api = part("uploads", "/api/books/<int:book>/uploads")

    @api.post("", responses={202: JobShape})
    @asks(Right.CHANGE)
    def send_file(path: BookPath, form: UploadForm) -> Response:
        """Send a file, or several packed in one; they are looked at after the reply, and nothing is changed."""
        book = books.find_book(workspace, path.book)
        with closing(sent_file(form.file)) as sent:
            arrival = uploads.receive(workspace.settings, book.id, sent.filename or "", sent.stream)
        job = jobs.start("look at arrival", **arrival.told())
        return reply(JobShape.of(job), 202)

    @api.post("/query", responses={202: JobShape})
    @asks(Right.OWN)
    def query_database(path: BookPath, body: QueryIn) -> Response:
        """Ask one of the databases that the settings name; its rows are looked at like a file that was sent."""
        book = books.find_book(workspace, path.book)
        people.must_be_granted(workspace, body.database)
        job = jobs.start("look at query", book=book.id, database=body.database, query=body.query)
        return reply(JobShape.of(job), 202)

    @api.post("/<upload>/look", responses={202: JobShape})
    @asks(Right.CHANGE)
    def look_at_file(path: UploadPath, body: LookIn) -> Response:
        """Look at a file that was sent: another sheet, another kind, for another source or with other columns."""
        book = books.find_book(workspace, path.book)
        uploads.find_file(workspace.settings, book.id, path.upload)
        job = jobs.start("look at file", book=book.id, upload=path.upload, body=body.model_dump(mode="json"))
        return reply(JobShape.of(job), 202)

    @api.delete("/<upload>", responses={204: None})
    @asks(Right.CHANGE)
    def forget_file(path: UploadPath) -> Response:
        """Forget a file that was sent."""
        uploads.forget(uploads.find_file(workspace.settings, path.book, path.upload))
        return Response(status=204)

    @api.get("/<upload>/rejected", responses={200: None})
    @asks(Right.CHANGE)
    def take_rejected_of_upload(path: UploadPath) -> Response:
        """The rows that were rejected when the file was last tried, as CSV, each with its reason."""
        sent = uploads.find_file(workspace.settings, path.book, path.upload)
        if not sent.rejected.exists():
            raise NotFound("No row of this file was rejected.", remedy="Try the file first.")
        taken(workspace, path.book, "rejected rows of a file")
        return made_reply(Made(sent.rejected, f"{sent.name} rejected.csv", CSV_TYPE))

    return api
