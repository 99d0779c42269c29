"""New and returning by period, what stands behind each figure, and whether the database agrees."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions.newness import NewnessAnswer, NewnessChoice, ask_newness, open_newness_figure, stretch_of
from goldthread.actions.newness_wording import newness_sheet
from goldthread.actions.opened import listed_orders
from goldthread.actions.recounting import recount_newness_figure
from goldthread.actions.tables import orders_csv
from goldthread.actions.workspace import Workspace
from goldthread.api.asked import read_asked
from goldthread.api.blueprints import part
from goldthread.api.newness_shapes import NewnessBehindQuery, NewnessFile, NewnessQuery, NewnessShape, StretchQuery
from goldthread.api.opened_shapes import OpenedShape, RecountedShape
from goldthread.api.replies import csv_reply, kept, reply, sheet_reply, wants_csv
from goldthread.api.shapes import BookPath


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The part of the API for new and returning."""
    api = part("newness", "/api/books/<int:book>")

    def answered(book_id: int, query: NewnessQuery) -> NewnessAnswer:
        return ask_newness(workspace, read_asked(workspace, book_id, query), query.question())

    @api.get("/newness", responses={200: NewnessShape})
    def newness(path: BookPath, query: NewnessQuery) -> Response:
        """New and returning orders, customers and revenue of each period."""
        answer = answered(path.book, query)
        return kept(answer.read, (query,), lambda: reply(NewnessShape.of(answer)))

    @api.get("/newness/file", responses={200: None})
    def take_newness(path: BookPath, query: NewnessFile) -> Response:
        """The same as CSV, XLSX or Parquet."""
        answer = answered(path.book, query)
        return sheet_reply(newness_sheet(answer), query.form, f"new-and-returning-by-{query.span}")

    @api.get("/newness/behind", responses={200: OpenedShape})
    def behind_newness(path: BookPath, query: NewnessBehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        answer, choice = answered(path.book, query), NewnessChoice(query.at, query.side, query.group)

        def listed() -> Response:
            stretch = stretch_of(answer, choice)
            orders = listed_orders(workspace, path.book, stretch.history.book, stretch.behind.orders)
            return csv_reply(orders_csv(orders), f"orders-behind-{query.side}-{query.at}.csv")

        def found() -> Response:
            return reply(OpenedShape.of(open_newness_figure(answer, choice, query.offset, query.limit), query.offset))

        csv_wanted = wants_csv()
        return kept(answer.read, (csv_wanted, query), listed if csv_wanted else found)

    @api.get("/newness/behind/recount", responses={200: RecountedShape})
    def recount_newness(path: BookPath, query: StretchQuery) -> Response:
        """One figure counted again by the database, from its own records."""
        answer, choice = answered(path.book, query), NewnessChoice(query.at, query.side, query.group)
        return reply(RecountedShape.of(recount_newness_figure(workspace, answer, choice)))

    return api
