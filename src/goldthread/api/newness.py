"""New and returning by period, what stands behind each figure, and whether the database agrees."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions.jobs import JobBoard
from goldthread.actions.newness import NewnessAnswer, NewnessChoice, ask_newness, open_newness_figure, stretch_of
from goldthread.actions.newness_wording import newness_sheet
from goldthread.actions.opened import listed_orders
from goldthread.actions.recounting import recount_newness_figure
from goldthread.actions.sheets import csv_lines
from goldthread.actions.tables import orders_csv
from goldthread.actions.workspace import Workspace, asked_anew
from goldthread.api.answers import Answers
from goldthread.api.asked import read_asked
from goldthread.api.blueprints import part
from goldthread.api.intake_shapes import JobShape
from goldthread.api.newness_shapes import NewnessBehindQuery, NewnessFile, NewnessQuery, NewnessShape, StretchQuery
from goldthread.api.opened_shapes import OpenedShape, RecountedShape
from goldthread.api.replies import csv_reply, reply, sheet_reply, wants_csv
from goldthread.api.shapes import BookPath


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """The part of the API for new and returning."""
    api = part("newness", "/api/books/<int:book>")

    def answered(book_id: int, query: NewnessQuery) -> NewnessAnswer:
        return ask_newness(workspace, read_asked(workspace, book_id, query), query.question())

    @api.get("/newness", responses={200: NewnessShape})
    def newness(path: BookPath, query: NewnessQuery) -> Response:
        """New and returning orders, customers and revenue of each period, as JSON or (Accept: text/csv) as a file."""

        def found() -> Response:
            answer = answered(path.book, query)
            if wants_csv():
                return csv_reply(b"".join(csv_lines(newness_sheet(answer).table)), "new-and-returning.csv")
            return reply(NewnessShape.of(answer))

        return answers.reply(path.book, found)

    @api.get("/newness/file", responses={200: None, 202: JobShape})
    def take_newness(path: BookPath, query: NewnessFile) -> Response:
        """The same as CSV, XLSX or Parquet."""
        sheet = asked_anew(lambda: newness_sheet(answered(path.book, query)))
        return sheet_reply(sheet, query.form, f"new-and-returning-by-{query.period}", jobs)

    @api.get("/newness/behind", responses={200: OpenedShape})
    def behind_newness(path: BookPath, query: NewnessBehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        choice = NewnessChoice(query.at, query.side, query.group)

        def found() -> Response:
            answer = answered(path.book, query)
            if not wants_csv():
                opened = open_newness_figure(answer, choice, query.offset, query.limit)
                return reply(OpenedShape.of(opened, query.offset))
            stretch = stretch_of(answer, choice)
            orders = listed_orders(workspace, path.book, stretch.history.book, stretch.behind.orders)
            return csv_reply(orders_csv(orders), f"orders-behind-{query.side}-{query.at}.csv")

        return answers.reply(path.book, found)

    @api.get("/newness/behind/recount", responses={200: RecountedShape})
    def recount_newness(path: BookPath, query: StretchQuery) -> Response:
        """One figure counted again by the database, from its own records."""
        choice = NewnessChoice(query.at, query.side, query.group)

        def found() -> Response:
            return reply(RecountedShape.of(recount_newness_figure(workspace, answered(path.book, query), choice)))

        return asked_anew(found)

    return api
