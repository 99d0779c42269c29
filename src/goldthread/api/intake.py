"""Intake: send a file, confirm how it is read, bring it in, follow the work; the delivery log."""

from __future__ import annotations

from contextlib import closing
from functools import partial

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel

from goldthread.actions import books, deliver, demo, uploads
from goldthread.actions.deliver import DeliveryReport
from goldthread.actions.jobs import Job, JobBoard
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.intake_shapes import (
    DeliveriesShape,
    DeliveryIn,
    DeliveryPath,
    DeliveryShape,
    FileShape,
    JobPath,
    JobShape,
    LookQuery,
    PageQuery,
    RowProblemShape,
    RowProblemsShape,
    UploadPath,
)
from goldthread.api.problems import describe
from goldthread.api.replies import reply
from goldthread.api.shapes import BookPath
from goldthread.core.records import Progress
from goldthread.errors import InvalidInput


class UploadForm(BaseModel):
    """A file, as a page sends it."""

    file: FileStorage


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The intake's part of the API."""
    api = part("intake", "/api")

    @api.post("/books/<int:book>/uploads", responses={201: FileShape})
    def send_file(path: BookPath, form: UploadForm) -> Response:
        """Send a file; it is looked at, and nothing is changed."""
        books.find_book(workspace, path.book)
        if isinstance(form.file, str):
            raise InvalidInput("No file was sent.", remedy="Send it as a file, not as a text.", field="file")
        with closing(form.file) as sent:
            upload = uploads.keep_upload(workspace.settings, sent.filename or "unnamed", sent.stream)
        try:
            return reply(FileShape.of(upload, deliver.look_at_file(upload.path)), 201)
        except Exception:
            uploads.remove_upload(upload)
            raise

    @api.get("/books/<int:book>/uploads/<upload>", responses={200: FileShape})
    def look_at_file(path: UploadPath, query: LookQuery) -> Response:
        """Look at a file that was sent, as another kind or with other columns if wanted."""
        upload = uploads.find_upload(workspace.settings, path.upload)
        told = {deliver.Meaning.DATE: query.date, deliver.Meaning.AMOUNT: query.amount}
        surveyed = {meaning: column for meaning, column in told.items() if column is not None}
        return reply(FileShape.of(upload, deliver.look_at_file(upload.path, query.kind, surveyed)))

    @api.post("/books/<int:book>/deliveries", responses={202: JobShape})
    def bring_in(path: BookPath, body: DeliveryIn) -> Response:
        """Bring a file that was sent into the book; the work goes on after the reply."""
        book = books.find_book(workspace, path.book)
        upload = uploads.find_upload(workspace.settings, body.upload)
        view = deliver.look_at_file(upload.path, body.kind)
        read = partial(deliver.reading_of, view, body.columns, body.customer_key, body.dates, body.decimal)
        # a large file is surveyed once more, whole, and that belongs to the work and not to the request
        early = read() if view.file.row_estimate <= deliver.SURVEYED_AT_A_LOOK else None
        source = books.checked_name(body.source, "source")

        def work(progress: Progress) -> DeliveryReport:
            reading = early or read()
            report = deliver.deliver_file(
                workspace, book, source, view.file, upload.name, reading, progress, body.dry_run
            )
            if not body.dry_run:
                uploads.remove_upload(upload)
            return report

        return reply(_job_shape(jobs.start(work)), 202)

    @api.post("/demo", responses={202: JobShape})
    def fill_demo() -> Response:
        """Fill a book with the invented supplier's files."""
        return reply(_job_shape(jobs.start(lambda progress: demo.bring_in_demo(workspace, progress))), 202)

    @api.get("/jobs/<job>", responses={200: JobShape})
    def show_job(path: JobPath) -> Response:
        """How far a delivery is."""
        return reply(_job_shape(jobs.find(path.job)))

    @api.delete("/jobs/<job>", responses={202: JobShape})
    def stop_job(path: JobPath) -> Response:
        """Stop a delivery; nothing is changed unless it was committed already."""
        job = jobs.find(path.job)
        job.stop_wanted.set()
        return reply(_job_shape(job), 202)

    @api.get("/books/<int:book>/deliveries", responses={200: DeliveriesShape})
    def list_deliveries(path: BookPath) -> Response:
        """The delivery log, newest first."""
        rows = books.list_deliveries(workspace, books.find_book(workspace, path.book))
        return reply(DeliveriesShape(deliveries=[DeliveryShape.of(row) for row in rows]))

    @api.get("/books/<int:book>/deliveries/<int:delivery>/problems", responses={200: RowProblemsShape})
    def list_problems(path: DeliveryPath, query: PageQuery) -> Response:
        """The rows of a delivery with something wrong."""
        book = books.find_book(workspace, path.book)
        total, rows = books.list_problems(workspace, book, path.delivery, query.offset, query.limit)
        return reply(RowProblemsShape(total=total, problems=[RowProblemShape.of(row) for row in rows]))

    return api


def _job_shape(job: Job) -> JobShape:
    return JobShape.of(job, describe(job.error) if job.error else None)
