"""Intake: send a file, confirm how it is read, bring it in, follow the work; the delivery log."""

from __future__ import annotations

from contextlib import closing

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel

from goldthread.actions import books, deliver, demo, files, looking
from goldthread.actions.books import BookRow
from goldthread.actions.deliver import DeliveryReport, Withdrawal
from goldthread.actions.files import SentFile
from goldthread.actions.jobs import JobBoard, LookedAt
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.intake_shapes import (
    DeliveriesShape,
    DeliveryIn,
    DeliveryPath,
    DeliveryShape,
    JobPath,
    JobShape,
    LookIn,
    OpenedDeliveryShape,
    PageQuery,
    RowProblemShape,
    RowProblemsShape,
    UploadPath,
)
from goldthread.api.replies import csv_reply, made_reply, reply, sent_file
from goldthread.api.shapes import BookPath
from goldthread.core.records import Progress
from goldthread.errors import NotFound


class UploadForm(BaseModel):
    """A file, as a page sends it."""

    file: FileStorage


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The intake's part of the API."""
    api = part("intake", "/api")

    @api.post("/books/<int:book>/uploads", responses={202: JobShape})
    def send_file(path: BookPath, form: UploadForm) -> Response:
        """Send a file, or several packed in one; they are looked at after the reply, and nothing is changed."""
        book = books.find_book(workspace, path.book)
        with closing(sent_file(form.file)) as sent:
            arrival = files.receive(workspace.settings, book.id, sent.filename or "", sent.stream)

        def work(progress: Progress) -> list[LookedAt]:
            kept = files.keep_files(workspace.settings, arrival, progress)
            try:
                return [look(book, file, LookIn(), progress) for file in kept]
            except BaseException:
                for file in kept:
                    files.forget(file)
                raise

        return reply(JobShape.of(jobs.start(work, attended=True)), 202)

    @api.post("/books/<int:book>/uploads/<upload>/look", responses={202: JobShape})
    def look_at_file(path: UploadPath, body: LookIn) -> Response:
        """Look at a file that was sent: another sheet, another kind, for another source or with other columns."""
        book = books.find_book(workspace, path.book)
        sent = files.find_file(workspace.settings, book.id, path.upload)
        return reply(JobShape.of(jobs.start(lambda progress: [look(book, sent, body, progress)], attended=True)), 202)

    @api.delete("/books/<int:book>/uploads/<upload>", responses={204: None})
    def forget_file(path: UploadPath) -> Response:
        """Forget a file that was sent."""
        files.forget(files.find_file(workspace.settings, path.book, path.upload))
        return Response(status=204)

    @api.get("/books/<int:book>/uploads/<upload>/rejected", responses={200: None})
    def take_rejected_of_upload(path: UploadPath) -> Response:
        """The rows that could not come in when the file was last tried, as CSV, each with its reason."""
        sent = files.find_file(workspace.settings, path.book, path.upload)
        if not sent.rejected.exists():
            raise NotFound("No row of this file was rejected.", remedy="Try the file first.")
        return csv_reply(sent.rejected.read_bytes(), f"{sent.name} mend.csv")

    @api.post("/books/<int:book>/deliveries", responses={202: JobShape})
    def bring_in(path: BookPath, body: DeliveryIn) -> Response:
        """Bring a file that was sent into the book; the work goes on after the reply."""
        book = books.find_book(workspace, path.book)
        sent = files.find_file(workspace.settings, book.id, body.upload)
        source = books.checked_name(body.source, "source")
        table = sent.table(body.sheet)

        def work(progress: Progress) -> DeliveryReport:
            known = looking.known_readings(workspace, book)
            view = looking.look_at_table(table, body.kind, known=known, source=source, apart=progress)
            reading = looking.reading_of(view, body.told(), progress)
            name = f"{sent.name}, {table.name}" if table.name and len(sent.tables) > 1 else sent.name
            errand = deliver.Errand(source, name, view.file, reading, body.dry_run, sent.rejected)
            report = deliver.deliver_file(workspace, book, errand, progress)
            if report.delivery_id is not None:
                deliver.bring_forward(workspace, book.id, progress)
            if report.delivery_id is not None and len(sent.tables) == 1:
                files.forget(sent)
            return report

        return reply(JobShape.of(jobs.start(work)), 202)

    @api.post("/demo", responses={202: JobShape})
    def fill_demo() -> Response:
        """Fill a book with the invented supplier's files."""
        return reply(JobShape.of(jobs.start(lambda progress: demo.bring_in_demo(workspace, progress))), 202)

    @api.get("/jobs/<job>", responses={200: JobShape})
    def show_job(path: JobPath) -> Response:
        """How far a piece of work is, and what came of it."""
        return reply(JobShape.of(jobs.find(path.job)))

    @api.delete("/jobs/<job>", responses={202: JobShape})
    def stop_job(path: JobPath) -> Response:
        """Stop a piece of work; nothing is changed unless it was committed already."""
        job = jobs.find(path.job)
        job.stop_wanted.set()
        return reply(JobShape.of(job), 202)

    @api.get("/books/<int:book>/deliveries", responses={200: DeliveriesShape})
    def list_deliveries(path: BookPath, query: PageQuery) -> Response:
        """The delivery log, newest first."""
        book = books.find_book(workspace, path.book)
        rows = [DeliveryShape.of(row) for row in books.list_deliveries(workspace, book, query.offset, query.limit)]
        return reply(DeliveriesShape(total=books.delivery_count(workspace, book), deliveries=rows))

    @api.get("/books/<int:book>/deliveries/<int:delivery>", responses={200: OpenedDeliveryShape})
    def open_delivery(path: DeliveryPath) -> Response:
        """One delivery: how its file was read, and what was wrong."""
        book = books.find_book(workspace, path.book)
        return reply(OpenedDeliveryShape.of(books.open_delivery(workspace, book, path.delivery)))

    @api.get("/jobs/<job>/file", responses={200: None})
    def take_file(path: JobPath) -> Response:
        """The file that a piece of work made."""
        return made_reply(jobs.take_file(path.job))

    @api.delete("/books/<int:book>/deliveries/<int:delivery>", responses={202: JobShape})
    def withdraw_delivery(path: DeliveryPath) -> Response:
        """Withdraw a delivery: the book becomes what it would be had it never come. This goes on after the reply."""
        book = books.find_book(workspace, path.book)
        books.find_delivery(workspace, book, path.delivery)

        def work(progress: Progress) -> Withdrawal:
            undone = deliver.take_back(workspace, book, path.delivery, progress)
            deliver.bring_forward(workspace, book.id, progress)
            return undone

        return reply(JobShape.of(jobs.start(work)), 202)

    @api.get("/books/<int:book>/deliveries/<int:delivery>/problems", responses={200: RowProblemsShape})
    def list_problems(path: DeliveryPath, query: PageQuery) -> Response:
        """The rows of a delivery with something wrong."""
        book = books.find_book(workspace, path.book)
        total, rows = books.list_problems(workspace, book, path.delivery, query.offset, query.limit)
        return reply(RowProblemsShape(total=total, problems=[RowProblemShape.of(row) for row in rows]))

    @api.get("/books/<int:book>/deliveries/<int:delivery>/rejected", responses={200: None})
    def take_rejected(path: DeliveryPath) -> Response:
        """The rejected rows of a delivery as they stood in its file, as CSV, each with its reason."""
        book = books.find_book(workspace, path.book)
        name, lines = deliver.rejected_of_delivery(workspace, book, path.delivery)
        return csv_reply((line.encode("utf-8") for line in lines), f"{name} mend.csv")

    def look(book: BookRow, sent: SentFile, wanted: LookIn, progress: Progress) -> LookedAt:
        told = {looking.Meaning.DATE: wanted.date, looking.Meaning.AMOUNT: wanted.amount}
        told[looking.Meaning.STATUS] = wanted.status
        surveyed = {meaning: column for meaning, column in told.items() if column is not None}
        table = sent.table(wanted.sheet)
        known = looking.known_readings(workspace, book)
        view = looking.look_at_table(table, wanted.kind, surveyed, known, wanted.source, progress)
        return LookedAt(sent, table.name, view)

    return api
