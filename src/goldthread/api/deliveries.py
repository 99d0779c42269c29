"""Deliveries: import a file that was sent, the log, what was wrong; withdraw one."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, deliveries, uploads
from goldthread.actions.jobs import JobBoard
from goldthread.actions.log import taken
from goldthread.actions.reports import DeliveryShape, RowProblemShape
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import csv_reply, reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.intake import (
    DeliveriesShape,
    DeliveryIn,
    DeliveryPath,
    JobShape,
    OpenedDeliveryShape,
    PageQuery,
    RowProblemsShape,
)
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The deliveries' part of the API."""
    api = part("deliveries", "/api/books/<int:book>/deliveries")

    @api.post("", responses={202: JobShape})
    @asks(Right.CHANGE)
    def import_file(path: BookPath, body: DeliveryIn) -> Response:
        """Import a file that was sent; the work goes on after the reply."""
        book = books.find_book(workspace, path.book)
        sent = uploads.find_file(workspace.settings, book.id, body.upload)
        sent.table(body.sheet)
        said = body.model_copy(update={"source": books.checked_name(body.source, "source")})
        return reply(JobShape.of(jobs.start("import", book=book.id, body=said.model_dump(mode="json"))), 202)

    @api.get("", responses={200: DeliveriesShape})
    @asks(Right.ASK)
    def list_deliveries(path: BookPath, query: PageQuery) -> Response:
        """The delivery log, newest first."""
        book = books.find_book(workspace, path.book)
        rows = [DeliveryShape.of(row) for row in books.list_deliveries(workspace, book, query.offset, query.limit)]
        return reply(DeliveriesShape(total=books.delivery_count(workspace, book), deliveries=rows))

    @api.get("/<int:delivery>", responses={200: OpenedDeliveryShape})
    @asks(Right.CHANGE)
    def open_delivery(path: DeliveryPath) -> Response:
        """One delivery: how its file was read, and what was wrong."""
        book = books.find_book(workspace, path.book)
        return reply(OpenedDeliveryShape.of(books.open_delivery(workspace, book, path.delivery)))

    @api.delete("/<int:delivery>", responses={202: JobShape})
    @asks(Right.CHANGE)
    def withdraw_delivery(path: DeliveryPath) -> Response:
        """Withdraw a delivery: the book becomes what it would be had it never come. This goes on after the reply."""
        book = books.find_book(workspace, path.book)
        books.find_delivery(workspace, book, path.delivery)

        return reply(JobShape.of(jobs.start("withdraw", book=book.id, delivery=path.delivery)), 202)

    @api.get("/<int:delivery>/problems", responses={200: RowProblemsShape})
    @asks(Right.CHANGE)
    def list_problems(path: DeliveryPath, query: PageQuery) -> Response:
        """The rows of a delivery with something wrong."""
        book = books.find_book(workspace, path.book)
        total, rows = books.list_problems(workspace, book, path.delivery, query.offset, query.limit)
        return reply(RowProblemsShape(total=total, problems=[RowProblemShape.of(row) for row in rows]))

    @api.get("/<int:delivery>/rejected", responses={200: None})
    @asks(Right.CHANGE)
    def take_rejected(path: DeliveryPath) -> Response:
        """The rejected rows of a delivery as they stood in its file, as CSV, each with its reason."""
        book = books.find_book(workspace, path.book)
        name, lines = deliveries.rejected_of_delivery(workspace, book, path.delivery)
        taken(workspace, book.id, f"rejected rows of delivery {path.delivery}")
        return csv_reply((line.encode("utf-8") for line in lines), f"{name} rejected.csv")

    return api
