"""Cohorts: the table, what stands behind each of its figures, and whether the database agrees."""

from __future__ import annotations

from collections.abc import Callable

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.cohort_behind import covered_cells, open_cohort_figure
from goldthread.actions.cohort_questions import CellChoice
from goldthread.actions.cohorts import CohortAnswer, ask_cohorts
from goldthread.actions.opened import listed_orders
from goldthread.actions.recounting import recount_cohort_figure
from goldthread.actions.tables import cohort_sheet, cohorts_csv, orders_csv
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.cohort_shapes import BehindQuery, CellQuery, CohortFile, CohortQuery, CohortsShape, CohortTableQuery
from goldthread.api.opened_shapes import OpenedShape, RecountedShape
from goldthread.api.replies import csv_reply, kept, reply, sheet_reply, wants_csv
from goldthread.api.shapes import BookPath


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The cohorts' part of the API."""
    api = part("cohorts", "/api/books/<int:book>")

    def answered(book_id: int, query: CohortQuery) -> CohortAnswer:
        book = books.find_book(workspace, book_id)
        return ask_cohorts(workspace, book, query.question(), books.today_of(book))

    @api.get("/cohorts", responses={200: CohortsShape})
    def cohorts(path: BookPath, query: CohortTableQuery) -> Response:
        """The cohort table, as JSON or (Accept: text/csv) as a file."""
        answer = answered(path.book, query)
        return _kept(
            answer,
            query,
            as_json=lambda: reply(CohortsShape.of(answer)),
            as_csv=lambda: csv_reply(cohorts_csv(answer, query.layout), "cohorts.csv"),
        )

    @api.get("/cohorts/file", responses={200: None})
    def take_cohorts(path: BookPath, query: CohortFile) -> Response:
        """The cohort table as CSV, XLSX or Parquet, one row a cell or as people read it."""
        answer = answered(path.book, query)
        return sheet_reply(cohort_sheet(answer, query.layout), query.form, f"cohorts-by-{query.period}")

    @api.get("/cohorts/behind", responses={200: OpenedShape})
    def behind(path: BookPath, query: BehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        answer = answered(path.book, query)
        cell = CellChoice.read(query.cohort, query.age, query.group)

        def found() -> Response:
            return reply(OpenedShape.of(open_cohort_figure(answer, cell, query.offset, query.limit), query.offset))

        def listed() -> Response:
            positions = covered_cells(answer, cell).behind.orders
            orders = listed_orders(workspace, path.book, answer.table.history.book, positions)
            return csv_reply(orders_csv(orders), f"orders-behind-{query.cohort}-{query.age}.csv")

        return _kept(answer, query, as_json=found, as_csv=listed)

    @api.get("/cohorts/behind/recount", responses={200: RecountedShape})
    def recount(path: BookPath, query: CellQuery) -> Response:
        """One figure counted again by the database, from its own records."""
        answer = answered(path.book, query)
        cell = CellChoice.read(query.cohort, query.age, query.group)
        return reply(RecountedShape.of(recount_cohort_figure(workspace, answer, cell)))

    return api


def _kept(
    answer: CohortAnswer, query: CohortQuery, *, as_json: Callable[[], Response], as_csv: Callable[[], Response]
) -> Response:
    """The reply in the form that the client prefers, or word that it has this very answer already."""
    csv_wanted = wants_csv()
    return kept(answer.read, (csv_wanted, query), as_csv if csv_wanted else as_json)
